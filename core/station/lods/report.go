package lods

import (
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/process/ladder"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target/class"
)

// LOD is one mesh of the ladder.
type LOD struct {
	Number int
	Fetched
	Share  float64 // of the triangles of the one before, 1 of the first
	From   float64 // metres from which on it stands for the asset; 0 of the first
	Solved bool    // nobody said from where
	Pixels float64 // by which it may show there
	Seen   float64 // pixels that its outline is off there at worst
	Screen float64 // share of the screen's height that the asset has there
}

// Report is the ladder.
type Report struct {
	station.Account
	LODs    []LOD // the asset itself first
	Allowed float64
	View    ladder.View
	Range   ladder.Range  // it is seen from
	Drawn   float64       // triangles, the mean over that range
	Steps   []ladder.Step // that LODs are chosen of, nil where none are made
	Few     bool
	Dots    bool // counts are of points without faces
	// Pending tells that meshes are still to be made: LODs has the asset alone then.
	Pending bool
	Hand    []Counted // what came along
	Size    float64   // the asset's largest extent, which shares of the screen are of; metres
	// About are the numbers of the LODs that findings are about, by their codes.
	About map[string]int
}

// Ask is what the station needs to know besides.
type Ask struct {
	Class   class.Class
	View    ladder.View
	Pixels  float64      // that the target allows
	Scene   *scene.Scene // the asset itself, as it goes on
	Cost    Measured     // of that
	Slots   []string     // of that, in order
	Whole   *ladder.Climb
	Outside *ladder.Climb
	Hand    []Hand
	Size    float64
	Pending bool
	Dots    bool // the asset is points without faces
	Beyond  int  // triangles up to which LODs are made, where there are more; else 0
}

// RangeOf is the distances a class of things of a size is usually seen from, up to where it goes
// away: from half of the usual distance to where it is eight pixels.
func RangeOf(c class.Class, v ladder.View, size, vanish float64) ladder.Range {
	r := ladder.Range{Near: c.Distance() / 2}
	r.Far = max(v.DistanceOf(size, 8), 8*r.Near)
	if vanish > 0 {
		r.Far = max(vanish, 1.5*r.Near)
	}
	return r
}

// Budgeted is how many LODs are proposed at most.
func Budgeted(c class.Class) int {
	if c.Budget.LODs > 0 {
		return min(c.Budget.LODs, Most)
	}
	return Most
}

// Run puts the LODs on the ladder and judges them. left are the numbers of those that were asked
// for and have no mesh.
func Run(d Decisions, ask Ask, list []Fetched, left []int) *Report {
	r := &Report{Allowed: d.Allowed(ask.Pixels), View: ask.View, Range: RangeOf(ask.Class, ask.View, ask.Size, d.Vanish),
		Few: d.Few, Dots: ask.Dots,
		Pending: ask.Pending, Size: ask.Size, About: map[string]int{}}
	for _, h := range ask.Hand {
		r.Hand = append(r.Hand, Counted{h.N, Much(h.Scene)})
	}
	if ask.Whole != nil {
		r.Steps = ask.Whole.Steps
	} else if ask.Outside != nil {
		r.Steps = ask.Outside.Steps
	}
	r.LODs = []LOD{{Fetched: Fetched{Measured: ask.Cost, Scene: ask.Scene}, Share: 1}}
	for _, f := range list {
		before := r.LODs[len(r.LODs)-1]
		l := LOD{Number: len(r.LODs), Fetched: f, From: f.At, Solved: f.At == 0}
		if l.From == 0 && f.Hand != nil {
			switch {
			case f.Hand.From > 0:
				l.From, l.Solved = f.Hand.From, false
			case f.Hand.Coverage > 0:
				l.From, l.Solved = ask.View.DistanceOfShare(ask.Size, f.Hand.Coverage), false
			}
		}
		if l.From == 0 {
			l.From = ask.View.ShownFrom(f.Visible, r.Allowed)
		}
		l.From = max(l.From, before.From*ladder.Farther, 0.01)
		if n := before.Cost.Much(); n > 0 {
			l.Share = float64(f.Cost.Much()) / float64(n)
		}
		at := ask.View.NearAt(l.From)
		l.Pixels = f.Visible * at
		l.Seen = min(f.Outline.Metres, f.Visible) * at
		l.Screen = ask.View.ShareAt(ask.Size, l.From)
		r.LODs = append(r.LODs, l)
	}
	r.Drawn = r.drawn()
	r.judge(d, ask, left)
	r.WorstFirst()
	r.Refer(Info, d, ask.Scene.Keys())
	return r
}

func (r *Report) drawn() float64 {
	var tris []int
	var from []float64
	for i, l := range r.LODs {
		tris = append(tris, l.Cost.Much())
		if i > 0 {
			from = append(from, l.From)
		}
	}
	return ladder.Drawn(r.Range, tris, from)
}

// Much is what counts of a scene on the ladder: its triangles, or the points of clouds.
func Much(s *scene.Scene) int {
	n := s.Count()
	if n.Dotted() {
		return n.Dots
	}
	return n.Triangles
}

// Counted is how many triangles or points a LOD has, in words.
func (r *Report) Counted(l LOD) string {
	if r.Dots {
		return figure.Plural(l.Cost.Dots, "point", "points")
	}
	return figure.Plural(l.Cost.Triangles, "triangle", "triangles")
}

// Of is what LODs are counted in.
func (r *Report) Of() string {
	if r.Dots {
		return "points"
	}
	return "triangles"
}

// Things is [Report.Of] at the head of a column.
func (r *Report) Things() string {
	if r.Dots {
		return "Points"
	}
	return "Triangles"
}

// Saved is the share of triangles, or points, that the ladder spares over the range.
func (r *Report) Saved() float64 {
	if n := r.LODs[0].Cost.Much(); n > 0 {
		return max(0, 1-r.Drawn/float64(n))
	}
	return 0
}

// Worst is by how many pixels the worst of the LODs may show where it takes over.
func (r *Report) Worst() float64 {
	w := 0.0
	for _, l := range r.LODs[1:] {
		w = max(w, l.Pixels)
	}
	return w
}

// Figure is how many LODs there are and by how much they show.
func (r *Report) Figure() string {
	switch {
	case r.Pending:
		return "to be made"
	case len(r.LODs) == 1:
		return "none"
	}
	return fmt.Sprintf("%d · %s", len(r.LODs)-1, pixels(r.Worst()))
}

// LevelsNow are the LODs as decisions that say both triangles and distance of each.
func (r *Report) LevelsNow() []Level {
	var list []Level
	for _, l := range r.LODs[1:] {
		v := Level{Wish: l.Asked, Hand: l.Mesh.Hand}
		if v.Hand == 0 && !v.Sized() {
			v.Share = r.ShareOf(l)
		}
		v.From = Round(l.From)
		list = append(list, v)
	}
	return list
}

// ShareOf is the share of the asset's triangles that a LOD has, as it was asked for if it was.
func (r *Report) ShareOf(l LOD) float64 {
	if l.Asked.Share > 0 {
		return l.Asked.Share
	}
	return float64(l.Cost.Much()) / float64(max(1, r.LODs[0].Cost.Much()))
}

// Round makes a distance one that a person would type: three digits.
func Round(m float64) float64 {
	if !(m > 0) {
		return 0
	}
	k := math.Pow(10, 2-math.Floor(math.Log10(m)))
	return math.Round(m*k) / k
}

// worthwhile is from how many triangles on LODs are worth proposing.
const worthwhile = 500

// sayer adds a finding by its severity, code, title, text and remedies, and gives it for its place to
// be added.
type sayer func(finding.Severity, string, string, string, ...finding.Remedy) *finding.Finding

// judge says what deserves a look. It is long because it is a list: each finding stands where it is said.
func (r *Report) judge(d Decisions, ask Ask, left []int) {
	say := func(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) *finding.Finding {
		r.Say(finding.Finding{Code: Info.ID + "/" + code, Severity: sev, Title: title, Text: text, Remedies: remedies})
		return r.Last()
	}
	tris := r.LODs[0].Cost.Much()
	few := Decisions{Few: true, Pixels: d.Pixels, Vanish: d.Vanish, Fade: d.Fade, Making: d.Making, Outside: d.Outside}
	if r.Pending {
		say(finding.Note, "pending", "The LODs are still to be made",
			"What they are made of has changed, or they were never made. It takes a while "+
				"for a mesh of this size, and everything else goes on meanwhile.")
		return
	}
	if ask.Beyond > 0 {
		less := "Take out waste at Budget, or split it at Source"
		if r.Dots {
			less = "Thin them at Source, or crop them there"
		}
		say(finding.Look, "beyond", "More "+r.Of()+" than LODs are made of",
			fmt.Sprintf("LODs are made of up to %s %s, and there are %s. %s.", figure.Count(ask.Beyond), r.Of(),
				figure.Count(tris), less))
		return
	}
	if len(r.LODs) == 1 && len(left) == 0 && !d.Few && !d.None {
		sev, text := finding.Note, "It is drawn with all of its "+r.Of()+" however far away it is."
		if tris >= worthwhile && ask.Class.Budget.LODs > 0 {
			sev, text = finding.Look, text+fmt.Sprintf(" For “%s” the target reckons with up to %s.", ask.Class.Name,
				figure.Plural(ask.Class.Budget.LODs, "LOD", "LODs"))
		}
		if tris > 0 {
			say(sev, "none", "Nothing coarser stands in from afar", text,
				finding.Remedy{Label: "Make as few as bring the saving",
					Effect: "Each takes over where it shows by no more than " + pixels(r.Allowed) + ".", Decision: few})
		}
	}
	if d.Few && len(r.LODs) == 1 {
		why := "Collapsing any edge would show from as far as the asset is seen."
		if r.Dots {
			why = "Leaving out any point would show from as far as the asset is seen."
		}
		if c := ask.Whole; c != nil && c.Held != "" {
			why = "Nothing of it can go: " + c.Held + "." + frees[c.By]
		}
		say(finding.Note, "nothing-saved", "No LOD would save anything", why)
	}
	for _, i := range left {
		r.leftOut(d, ask, i, say)
	}
	for i := range r.LODs[1:] {
		l := &r.LODs[i+1]
		for _, sort := range []string{"shows", "slot-gone"} {
			r.About[fmt.Sprintf("%s/%s-%d", Info.ID, sort, l.Number)] = l.Number
		}
		if l.Mesh.Hand == 0 && l.Pixels > 1.05*r.Allowed {
			at := r.View.ShownFrom(l.Visible, r.Allowed)
			to := d.With(r.LevelsNow())
			to.Levels[i].From = 0
			say(finding.Look, fmt.Sprintf("shows-%d", l.Number),
				fmt.Sprintf("LOD %d shows by %s where it takes over", l.Number, pixels(l.Pixels)),
				fmt.Sprintf("At %s no more than %s are allowed; it would not show from %s on.", figure.Length(l.From),
					pixels(r.Allowed),
					figure.Length(at)),
				finding.Remedy{Label: "Let it take over at " + figure.Length(at), Effect: "Its " + r.Of() + " stay.",
					Decision: freed(to, i)})
		}
		if gone := missing(ask.Slots, l.Scene.SlotNames()); len(gone) > 0 && l.Mesh.Hand == 0 {
			to := d
			to.Making.Weights = map[string]int{}
			for k, v := range d.Making.Weights {
				to.Making.Weights[k] = v
			}
			for _, name := range gone {
				to.Making.Weights[name] = 0
			}
			say(finding.Note, fmt.Sprintf("slot-gone-%d", l.Number), fmt.Sprintf("LOD %d drops %s", l.Number, quoted(gone)),
				"What had it is smaller than what shows there. Slots keep their order; some receivers expect each of them in "+
					"every LOD.",
				finding.Remedy{Label: "Keep what has it whole", Effect: "Its triangles stay in every LOD.", Decision: to})
		}
	}
	if most := ask.Class.Budget.LODs; most > 0 && len(r.LODs)-1 > most {
		say(finding.Look, "many", fmt.Sprintf("%s, and %d are reckoned with", figure.Plural(len(r.LODs)-1, "LOD", "LODs"),
			most),
			"Each costs memory, and a switch that may be seen.", finding.Remedy{Label: "Make as few as bring the saving",
				Effect: "They are chosen by what they spare over the distances it is seen from.", Decision: few})
	}
	if c := ask.Whole; c != nil && d.Making.Mirrored && !c.Mirrored {
		to := d
		to.Making.Mirrored = false
		say(finding.Look, "not-mirrored", "Not all halves mirror one another",
			"Across no axis through its middle do all points have a counterpart, to a "+
				"hundred-thousandth of its size; what has none was made as usual.",
			finding.Remedy{Label: "Don’t ask for it", Decision: to,
				Effect: "LODs are made without regard to halves."})
	}
	r.byHand(d, ask, say)
}

// freed takes what would stand in the way of a LOD that is put farther away: those behind it that
// are said to take over before.
func freed(d Decisions, i int) Decisions {
	for k := i + 1; k < len(d.Levels); k++ {
		if d.Levels[k].Sized() || d.Levels[k].Hand > 0 {
			d.Levels[k].From = 0
		}
	}
	return d
}

// frees says what would let go what holds a mesh.
var frees = map[simplify.Holder]string{
	simplify.Outline: " At Surface, “Join points within” joins borders that stand beside one another, and “Close " +
		"holes of up to” closes open ones; seams of UVs and borders of slots stay.",
	simplify.Holes: " At Surface, “Close holes of up to” closes them, and “Separate edges of more than two faces” takes " +
		"sheets apart that meet there.",
	simplify.Allowed: " A larger deviation of its own lets it go farther.",
}

// leftOut says of a LOD that was asked for why it is not there.
func (r *Report) leftOut(d Decisions, ask Ask, i int, say sayer) {
	l := d.Levels[i]
	to := d.With(slices.Delete(slices.Clone(d.Levels), i, i+1))
	drop := finding.Remedy{Label: "Drop it", Effect: "The others stay as they are.", Decision: to}
	text := fmt.Sprintf("At %s nothing coarser than the LOD before it stays within %s.", figure.Length(l.From),
		pixels(r.Allowed))
	c, tris := ask.Whole, r.LODs[0].Cost.Much()
	switch share := l.ShareOf(tris); {
	case c != nil && len(c.Steps) == 0:
		text = "None of its " + r.Of() + " can go: " + c.Held + "." + frees[c.By]
	case l.Deviation > 0:
		text = fmt.Sprintf("Nothing coarser than the LOD before it is off by no more than %s.", figure.Length(l.Deviation))
	case share > 0:
		text = fmt.Sprintf("%s of the %s would be no fewer than the LOD before it has.", percent(share), r.Of())
		if c != nil && c.Held != "" && share*float64(c.Triangles) < float64(c.Steps[len(c.Steps)-1].Triangles) {
			text = fmt.Sprintf("%s of the %s can't be reached: it stops at %s, where %s.", percent(share), r.Of(),
				figure.Count(c.Steps[len(c.Steps)-1].Triangles), c.Held) + frees[c.By]
		}
	}
	say(finding.Look, fmt.Sprintf("left-out-%d", i+1), fmt.Sprintf("LOD %d is not there", i+1), text, drop)
}

// missing lists what is in a and not in b.
func missing(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(s string) bool { return slices.Contains(b, s) })
}

func quoted(names []string) string {
	if len(names) == 1 {
		return "slot “" + names[0] + "”"
	}
	return figure.Plural(len(names), "slot", "slots")
}

// middle is the middle of a scene, where its balloon goes.
func middle(s *scene.Scene) *geom.Vec3 {
	b := s.Bounds()
	if b.IsEmpty() {
		return nil
	}
	c := b.Center()
	return &c
}
