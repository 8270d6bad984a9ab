package surface

import (
	"context"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/mend"
	"yarvek/core/process/round"
	"yarvek/core/process/tangent"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station"
	"yarvek/core/topo"
)

// Done is what one decision changed.
type Done struct {
	Remedy string `json:"remedy"` // its name: weld, empty, ...
	What   string `json:"what"`   // what is counted, in words, of many
	Count  int    `json:"changed"`
	One    string `json:"-"` // the same of one
}

// Say is the count with its words.
func (d Done) Say() string { return figure.Plural(d.Count, d.One, d.What) }

// Mended is a scene put right as decided, and what each decision changed, in the order they are
// carried out. Meshes nothing is done to are shared. When ctx ends it returns early, and what
// it returns means nothing.
func Mended(ctx context.Context, s *scene.Scene, d Decisions) (*scene.Scene, []Done) {
	if !d.Mends() {
		return s, nil
	}
	list := Places(s)
	keys := s.Keys()
	var all *surroundings
	thick := d.Thicks()
	if slices.ContainsFunc(thick, Thick.all) && s.Count().Triangles <= mostAround {
		all = around(ctx, s)
	}
	out := s.Clone()
	each := make([][]Done, len(list))
	sided := make([]map[int]bool, len(list))
	_ = split.Each(ctx, len(list), func(i int) {
		a := list[i]
		w := &mender{ctx: ctx, m: s.Meshes[a.Mesh], k: 1 / a.Scale, d: d, key: keys[a.Node], materials: s.Materials}
		if all != nil {
			w.around = &nearness{all, a.Node, a.World, a.Scale}
		}
		w.all()
		out.Meshes[a.Mesh], each[i], sided[i] = w.m, w.done, w.slots
	})
	var sum []Done
	for _, e := range each {
		for _, x := range e {
			k := slices.IndexFunc(sum, func(y Done) bool { return y.Remedy == x.Remedy })
			if k < 0 {
				sum = append(sum, x)
			} else {
				sum[k].Count += x.Count
			}
		}
	}
	if len(d.Hairs) > 0 {
		sum = append(sum, Done{"hairs", "nodes moved by a hair", haired(out, keys, d.Hairs), "node moved by a hair"})
	}
	if d.TwoSided {
		out.Materials = slices.Clone(out.Materials)
		n := 0
		for _, slots := range sided {
			for mat := range slots {
				if !out.Materials[mat].TwoSided {
					out.Materials[mat].TwoSided = true
					n++
				}
			}
		}
		sum = append(sum, Done{"two-sided", "slots are seen from both sides", n, "slot is seen from both sides"})
	}
	return out, sum
}

// mender puts one mesh right. Lengths of decisions are k times as long in it.
type mender struct {
	ctx   context.Context
	m     *scene.Mesh
	k     float64
	d     Decisions
	done  []Done
	slots map[int]bool // materials of sheets

	key       string // of the node that places it first
	materials []scene.Material
	around    *nearness // nil where nobody asks
	fresh     func()    // makes what is looked up anew, after the mesh has changed
}

func (w *mender) say(remedy, one, many string, n int) {
	w.done = append(w.done, Done{remedy, many, n, one})
}

// find looks at the mesh as it is by now.
func (w *mender) find() *flaw.Flaws {
	return flaw.Find(w.ctx, w.m, flaw.Limits{BentBy: w.d.Limits.or(Usual).Bent * w.k})
}

// all carries out what is decided. Every decision says a line, changed anything or not, so that
// the lines of all meshes are alike. It is long because it is a list, in the order in which repairs depend on
// one another.
func (w *mender) all() {
	d := w.d
	if d.Sides > 0 && (len(d.Round) == 0 || slices.Contains(d.Round, w.key)) {
		var made, held int
		w.m, made, held = round.Again(w.ctx, w.m, d.Sides)
		w.say("round", "round part got other sides", "round parts got other sides", made)
		w.say("round-held", "round part has a seam or a slot's border where no new side begins, and stays",
			"round parts have a seam or a slot's border where no new side begins, and stay", held)
	}
	if d.Weld > 0 {
		var joined, gone int
		w.m, joined, gone = mend.Weld(w.ctx, w.m, d.Weld*w.k)
		w.say("weld", "point was joined", "points were joined", joined)
		w.say("weld-faces", "face became a line by it and went", "faces became lines by it and went", gone)
	}
	if d.Edges > 0 {
		var joined, gone int
		w.m, joined, gone = mend.ShortEdges(w.ctx, w.m, d.Edges*w.k)
		w.say("edges", "point of a short edge was joined", "points of short edges were joined", joined)
		w.say("edges-faces", "face became a line by it and went", "faces became lines by it and went", gone)
	}
	if w.ctx.Err() != nil {
		return
	}
	var f *flaw.Flaws // of the mesh as it is, nil when that is not known
	at := func() *flaw.Flaws {
		if f == nil {
			f = w.find()
		}
		return f
	}
	w.fresh = func() { f = nil }
	drop := func(remedy, one, many string, list []int32, to func(*scene.Mesh, []int32) *scene.Mesh) {
		w.say(remedy, one, many, len(list))
		if len(list) > 0 && w.ctx.Err() == nil {
			w.m, f = to(w.m, list), nil
		}
	}
	if d.Empty {
		drop("empty", "face without area went", "faces without area went", at().Empty, mend.Faces)
	}
	if d.Doubled {
		drop("doubled", "face that was there twice went", "faces that were there twice went", at().Doubled, mend.Faces)
	}
	if d.Unused {
		var n int
		if w.m, n = mend.Unused(w.m); n > 0 {
			f = nil
		}
		w.say("unused", "point no face used went", "points no face used went", n)
	}
	if d.Wind {
		drop("wind", "face was turned the way its part is", "faces were turned the way their part is", at().Flipped,
			mend.Turn)
	}
	if d.Outward {
		x := at()
		var list []int32
		for g, p := range x.Parts.Of {
			if _, ok := slices.BinarySearch(x.Inside, p); ok && p >= 0 {
				list = append(list, int32(g))
			}
		}
		drop("outward", "face of a part that was inside out was turned", "faces of parts that were inside out were turned",
			list, mend.Turn)
	}
	if d.Holes > 0 {
		x := at()
		var n int
		if w.m, n = mend.Holes(w.ctx, w.m, x.Net, x.Borders, x.Parts, d.Holes); n > 0 {
			f = nil
		}
		w.say("holes", "hole was closed", "holes were closed", n)
	}
	if d.Flat {
		x := at()
		list := slices.Concat(x.Bent, x.Concave)
		slices.Sort(list)
		drop("flat", "bent or dented polygon was cut into triangles", "bent and dented polygons were cut into triangles",
			slices.Compact(list), mend.Flat)
	}
	w.branches(at)
	w.sheets(at)
	if d.Units {
		var n int
		w.m, n = mend.Units(w.m)
		w.say("units", "corner got a normal of unit length", "corners got a normal of unit length", n)
	}
	if d.Smooth != "" && w.ctx.Err() == nil {
		net := topo.Of(w.ctx, w.m, topo.Places(w.ctx, w.m.Points, 0), nil)
		var n int
		w.m, n = mend.Smooth(w.ctx, w.m, net, mend.Smoothing{By: d.Smooth, Angle: d.Angle, Blend: 1 - d.Keep})
		w.say("smooth", "corner got another normal", "corners got another normal", n)
	}
	if d.Tangents && w.ctx.Err() == nil {
		before := w.m
		w.m = tangent.Of(w.ctx, w.m)
		n := 0
		if w.m != before {
			n = len(w.m.Corners)
		}
		w.say("tangents", "corner got a tangent", "corners got a tangent", n)
	}
}

// branches parts the surface where it branches, and takes needles out.
func (w *mender) branches(at func() *flaw.Flaws) {
	d := w.d
	if d.Needles && w.ctx.Err() == nil {
		var n int
		if w.m, n, _ = mend.Needles(w.ctx, w.m, d.Limits.or(Usual).Needle); n > 0 {
			w.fresh()
		}
		w.say("needles", "needle went", "needles went", n)
	}
	if !d.Separate && !d.Split {
		return
	}
	x := at()
	if w.ctx.Err() != nil {
		return
	}
	var pinched []int32
	if d.Split {
		pinched = x.Pinched
	}
	out, n, _ := mend.Separate(w.ctx, w.m, x.Net, d.Separate, pinched)
	if w.m = out; n > 0 {
		w.fresh()
	}
	w.say("separate", "point became several where surfaces met", "points became several where surfaces met", n)
}

// sheets gives sheets thickness, and gathers their slots.
func (w *mender) sheets(at func() *flaw.Flaws) {
	if w.d.TwoSided {
		x := at()
		if w.ctx.Err() != nil {
			return
		}
		sheet, _ := mend.Sheets(x.Net, x.Parts, x.Borders)
		w.slots = map[int]bool{}
		for f, k := range x.Parts.Of {
			if k >= 0 && sheet[k] && w.m.Material(f) >= 0 {
				w.slots[w.m.Material(f)] = true
			}
		}
	}
	w.thicken(w.d.Thicks(), at)
}

// Report is what the station found.
type Report struct {
	station.Account
	*Seen              // of the outcome
	Onto   geom.Affine // from the coordinates of Seen to those of the outcome
	Scale  float64     // of lengths from those of Seen
	Limits Limits      // those in force
	Box    geom.Box    // of the outcome
	Done   []Done      // what the decisions changed
	Tidy   []Proposal
}

// Proposal is something safe to do: it changes neither shape nor look.
type Proposal struct {
	ID       string
	Label    string
	Count    int
	Decision Decisions // what is decided with it
}

// Figure is how many sorts of flaw there are.
func (r *Report) Figure() string {
	n := 0
	for _, f := range r.Findings() {
		if f.Severity > finding.Note {
			n++
		}
	}
	if n == 0 {
		return "sound"
	}
	return figure.Plural(n, "flaw", "flaws")
}

// Ask is what the station needs to know besides the scene.
type Ask struct {
	Seen   *Seen       // the flaws of the scene as it is, or as it came to Size when nothing is mended
	Onto   geom.Affine // from the coordinates of Seen to those of the scene
	Scale  float64     // of lengths likewise
	Limits Limits      // in force
	Done   []Done
	Box    geom.Box
	Keys   []string // of the nodes that came
	// Placing are the keys of the nodes that place a mesh first, as they came: those decisions name.
	Placing []string
	// Pairs are pairs of nodes whose faces flicker, in the coordinates and lengths of the scene.
	Pairs []Pair
}

// Pair is two nodes whose faces lie in one plane, look the same way and cover one another.
type Pair struct {
	A, B   string
	Key    string  // of B
	Area   float64 // square metres
	At     geom.Vec3
	Normal geom.Vec3      // of the plane
	Near   float64        // what counts as one plane; metres
	Remedy finding.Remedy // of whatever station has one
}

// Run judges the surface of a scene, which was looked at and mended before.
func Run(d Decisions, a Ask) *Report {
	if seen := *a.Seen; len(a.Placing) == len(seen.Mesh) {
		seen.Mesh = slices.Clone(seen.Mesh)
		for i := range seen.Mesh {
			seen.Mesh[i].Key = a.Placing[i]
		}
		a.Seen = &seen
	}
	r := &Report{Seen: a.Seen, Onto: a.Onto, Scale: a.Scale, Limits: a.Limits, Box: a.Box, Done: a.Done}
	r.judge(d, a.Pairs)
	r.Refer(Info, d, a.Keys)
	r.WorstFirst()
	return r
}

// InForce are the limits that apply: those decided, and the usual ones. seen is how far the
// asset is usually seen from, 0 for what is usual for a class nobody has chosen.
func InForce(d Decisions, seen float64) Limits {
	if seen == 0 {
		seen = 4
	}
	u := Usual
	u.Apart = flaw.Apart(seen)
	return d.Limits.or(u)
}

// Times are the limits with lengths k times as long.
func (l Limits) Times(k float64) Limits {
	return Limits{l.Gap * k, l.Short * k, l.Needle, l.Bent * k, l.Apart * k, l.Texels}
}
