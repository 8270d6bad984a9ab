// Package budget is station 6: what the asset costs. It counts, holds the sums against the
// class's budget in the target, and takes waste out where it is decided to.
package budget

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/measure/flaw"
	"yarvek/core/memo"
	"yarvek/core/process/ladder"
	"yarvek/core/process/order"
	"yarvek/core/process/waste"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station"
	"yarvek/core/target/class"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "budget", Name: "Budget", Number: 6, Question: "What does it cost?"}

// Decisions make it cost less without changing how it looks.
type Decisions struct {
	Waste bool `json:"waste,omitempty"` // triangles that add nothing go
	Order bool `json:"order,omitempty"` // triangles and points are put in an order caches like
}

// Validate finds nothing that can't be meant.
func (d Decisions) Validate() error { return nil }

// Lines says the decisions.
func (d Decisions) Lines() []string {
	var l []string
	if d.Waste {
		l = append(l, "Take out triangles that add nothing")
	}
	if d.Order {
		l = append(l, "Order triangles for the vertex cache")
	}
	return l
}

// Refs lists nothing: no decision names a node.
func (d Decisions) Refs() []string { return nil }

// Repoint changes nothing.
func (d Decisions) Repoint(string, string) station.Decisions { return d }

// Eager is up to how many triangles waste and facets are looked for at once. Beyond, they are
// looked for when the worksheet is opened.
const Eager = 150_000

// NodeCost is what one node costs.
type NodeCost struct {
	Key, Name string
	Mesh      int
	Cost      cost.Cost
	Area      float64 // square metres
}

// SlotCost is what the faces of one slot cost, every instance by itself.
type SlotCost struct {
	Name      string
	Triangles int
	DrawCalls int // one for each mesh it is on
}

// Extra is what takes longer to find.
type Extra struct {
	Waste  int         // triangles that can go
	In     map[int]int // likewise, in one instance of a mesh; those that have none are left out
	Facets []Facet     // the worst first, one a mesh
}

// Facet is where a mesh looks faceted.
type Facet struct {
	Node   string
	Edges  int
	Turn   float64 // radians
	Off    float64 // metres
	Pixels float64 // at the distance it is seen from
	At     geom.Vec3
}

// Ask is what the station needs to know besides what was seen.
type Ask struct {
	Class class.Class
	Index int // bits of the widest index the receiver takes
	// Onto carries the scene that was looked at to the outcome, and Scale its lengths.
	Onto  geom.Affine
	Scale float64
	Went  int // triangles that were waste and are gone
}

// Pixel is how many metres a pixel is wide from where a class is usually seen, on a screen of so
// many lines that sees an angle of degrees upright; 0 where that is not known.
func Pixel(c class.Class, lines int, angle float64) float64 {
	if lines <= 0 || angle <= 0 {
		return 0
	}
	return 1 / ladder.View{Lines: lines, Angle: angle}.PixelsAt(c.Distance())
}

// MeshCost is what one mesh costs by itself. It is shared, and only read.
type MeshCost struct {
	cost.Cost
	Area  float64     // of its faces, in its own lengths
	Slots map[int]int // triangles by material, -1 for none
	Extra *memo.Once[MeshExtra]
}

// MeshExtra is what takes longer to find in a mesh.
type MeshExtra struct {
	Waste  int // triangles that can go
	Facets flaw.Facets
}

// LookAt counts what a mesh costs. When ctx ends it returns early, and what it returns means
// nothing.
func LookAt(ctx context.Context, m *scene.Mesh) *MeshCost {
	x := &MeshCost{Cost: cost.Of(ctx, m), Slots: map[int]int{}}
	for f := range m.Faces() {
		x.Area += m.FaceNormal(f).Len() / 2
	}
	slots, corners := m.SlotCorners()
	for k, slot := range slots {
		mat := -1
		if slot < len(m.Slots) {
			mat = m.Slots[slot]
		}
		x.Slots[mat] += len(corners[k]) / 3
	}
	x.Extra = memo.NewOnce(func(ctx context.Context) (MeshExtra, error) {
		e := MeshExtra{waste.Of(ctx, m).Triangles, flaw.FacetsOf(ctx, m, mostTurn)}
		return e, ctx.Err()
	})
	return x
}

// Seen is what a scene costs, whatever it may cost.
type Seen struct {
	Cost  cost.Cost // every instance by itself, but for bytes, which instances share
	Nodes []NodeCost
	Slots []SlotCost // in order of first use

	meshes []*MeshCost // of each mesh of the scene, nil for those no node places
	scene  *scene.Scene
	pixel  float64
}

// Gathered puts together what a scene's meshes cost, given by their numbers. pixel is as wide as
// [Pixel] says, in the scene's lengths.
func Gathered(s *scene.Scene, meshes []*MeshCost, pixel float64) *Seen {
	x := &Seen{meshes: meshes, scene: s, pixel: pixel}
	keys, worlds := s.Keys(), s.Worlds()
	done := make([]bool, len(s.Meshes))
	at := map[int]int{} // slots
	for i, n := range s.Nodes {
		if n.Mesh < 0 || s.Meshes[n.Mesh].Empty() {
			continue
		}
		m := meshes[n.Mesh]
		c := m.Cost
		k := math.Cbrt(math.Abs(worlds[i].M.Det()))
		x.Nodes = append(x.Nodes, NodeCost{keys[i], n.Name, n.Mesh, c, m.Area * k * k})
		if done[n.Mesh] {
			c.Bytes = cost.Bytes{}
		}
		done[n.Mesh] = true
		x.Cost = x.Cost.Add(c)
		for _, mat := range s.Meshes[n.Mesh].UsedSlots() {
			j, ok := at[mat]
			if !ok {
				j = len(x.Slots)
				at[mat] = j
				name := scene.NoSlot
				if mat >= 0 {
					name = s.Materials[mat].Name
				}
				x.Slots = append(x.Slots, SlotCost{Name: name})
			}
			x.Slots[j].Triangles += m.Slots[mat]
			x.Slots[j].DrawCalls++
		}
	}
	return x
}

// Extra looks for waste and facets, or gives what was found before.
func (x *Seen) Extra(ctx context.Context) (Extra, error) {
	e := Extra{In: map[int]int{}}
	users, worlds := x.scene.Users(), x.scene.Worlds()
	found := make([]MeshExtra, len(x.meshes))
	err := split.Each(ctx, len(x.meshes), func(i int) {
		if x.meshes[i] != nil {
			found[i], _ = x.meshes[i].Extra.Get(ctx)
		}
	})
	if err != nil {
		return e, err
	}
	for i, f := range found {
		if len(users[i]) == 0 || x.meshes[i] == nil {
			continue
		}
		if e.Waste += f.Waste * len(users[i]); f.Waste > 0 {
			e.In[i] = f.Waste
		}
		w := worlds[users[i][0]]
		k := math.Cbrt(math.Abs(w.M.Det()))
		if !(k > 0) || !(x.pixel > 0) {
			continue
		}
		if n := f.Facets.Beyond(mostPixels * x.pixel / k); n > 0 {
			off := f.Facets.Off[0] * k
			e.Facets = append(e.Facets, Facet{x.scene.Nodes[users[i][0]].Name, n, f.Facets.Turn, off, off / x.pixel,
				w.Apply(f.Facets.At)})
		}
	}
	slices.SortStableFunc(e.Facets, func(a, b Facet) int { return cmp.Compare(b.Pixels, a.Pixels) })
	return e, nil
}

// Report is what the station found.
type Report struct {
	station.Account
	*Seen
	Class class.Class
	Ask   Ask
}

// Figure is the triangles, against what the class may have.
func (r *Report) Figure() string {
	if most := r.Class.Budget.Triangles; most > 0 {
		return Short(r.Cost.Triangles) + " of " + Short(most)
	}
	if r.Cost.Triangles == 1 {
		return "1 triangle"
	}
	return Short(r.Cost.Triangles) + " triangles"
}

// Short writes a number in thousands from a thousand on.
func Short(n int) string {
	if n < 1000 {
		return figure.Count(n)
	}
	return figure.Significant(float64(n)/1000, 3) + "k"
}

// Row is one sum against its bound.
type Row struct {
	ID   string // a part of the finding's code
	What string // in words
	Is   int
	Most int // 0 for none
}

// Over tells whether it is more than it may be.
func (r Row) Over() bool { return r.Most > 0 && r.Is > r.Most }

// triangles is the row of which waste can be taken away.
const triangles = "triangles"

// Rows are the sums the class bounds.
func (r *Report) Rows() []Row {
	b := r.Class.Budget
	if r.Cost.Dots > 0 && r.Cost.Triangles == 0 {
		return []Row{{"vertices", "Points", r.Cost.Dots, b.Vertices},
			{"draw-calls", "Draw calls", r.Cost.DrawCalls, b.DrawCalls}}
	}
	return []Row{{triangles, "Triangles", r.Cost.Triangles, b.Triangles},
		{"vertices", "Vertices", r.Cost.Vertices, b.Vertices},
		{"draw-calls", "Draw calls", r.Cost.DrawCalls, b.DrawCalls}}
}

// Over lists the sums that are more than they may be.
func (r *Report) Over() []Row {
	return slices.DeleteFunc(r.Rows(), func(x Row) bool { return !x.Over() })
}

// Changed makes the scene that is decided, and says how many triangles went. When ctx ends it
// returns early, and what it returns means nothing.
func Changed(ctx context.Context, s *scene.Scene, d Decisions) (*scene.Scene, int) {
	if !d.Waste && !d.Order {
		return s, 0
	}
	out := s.Clone()
	went := make([]int, len(s.Meshes))
	_ = split.Each(ctx, len(s.Meshes), func(i int) {
		m := s.Meshes[i]
		if d.Waste {
			r := waste.Of(ctx, m)
			m, went[i] = r.Mesh, r.Triangles
		}
		if d.Order && ctx.Err() == nil {
			m = Ordered(ctx, m)
		}
		out.Meshes[i] = m
	})
	sum := 0
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			sum += went[n.Mesh]
		}
	}
	return out, sum
}

// Ordered is a mesh with its faces and points in an order that caches like: within each slot by
// [order.Best], points by their first use. Faces stay as they are. A mesh whose order can't be
// bettered comes back as it is.
func Ordered(ctx context.Context, m *scene.Mesh) *scene.Mesh {
	if m.Faces() == 0 {
		return m
	}
	normals := m.Normals
	if !normals.Has() {
		normals = m.SmoothNormals()
	}
	keys := m.VertexKeys(normals)
	faces := make([]int32, 0, m.Faces())
	slots := make([][]int32, max(1, len(m.Slots))) // faces of each triangle, slot by slot
	corners := make([][]int32, len(slots))
	m.EachTriangle(func(f int, a, b, c int32) {
		k := 0
		if m.Slot != nil {
			k = int(m.Slot[f])
		}
		slots[k], corners[k] = append(slots[k], int32(f)), append(corners[k], a, b, c)
	})
	better := false
	seen := make([]bool, m.Faces())
	for k, of := range slots {
		if len(of) == 0 {
			continue
		}
		corner, index := scene.Share(ctx, corners[k], keys)
		o := order.Best(ctx, index, len(corner), func(v uint32) geom.Vec3 { return m.Points[m.Corners[corner[v]]] })
		if ctx.Err() != nil {
			return m
		}
		better = better || o != nil
		if o == nil {
			for i := range of {
				o = append(o, int32(i))
			}
		}
		for _, t := range o {
			if f := of[t]; !seen[f] {
				seen[f] = true
				faces = append(faces, f)
			}
		}
	}
	if !better {
		return m
	}
	return m.Reordered(faces)
}

// Run holds what a scene costs against what it may cost.
func Run(ctx context.Context, x *Seen, d Decisions, a Ask) *Report {
	r := &Report{Seen: x, Class: a.Class, Ask: a}
	var e Extra
	if r.Cost.Triangles <= Eager {
		e, _ = x.Extra(ctx)
	}
	r.judge(e, d)
	r.told(e, d)
	return r
}

// A stretch that is shaded round looks faceted when its facets turn by more than mostTurn radians,
// and leave the curve by more than so many pixels.
const (
	mostTurn   = 20 * math.Pi / 180
	mostPixels = 1.5
)

// judge says what is over budget.
func (r *Report) judge(e Extra, d Decisions) {
	for _, x := range r.Over() {
		f := finding.Finding{Code: Info.ID + "/over-" + x.ID, Severity: finding.Look,
			Title: fmt.Sprintf("%s: %s, where its class allows %s", x.What, figure.Count(x.Is), figure.Count(x.Most)),
			Text: fmt.Sprintf("That is %s times what “%s” may have.", figure.Significant(float64(x.Is)/float64(x.Most), 3),
				r.Class.Name)}
		if left := x.Is - e.Waste; x.ID == triangles && left <= x.Most {
			f.Text += fmt.Sprintf(" Without those that add nothing there are %s.", figure.Count(left))
			f.Remedies = []finding.Remedy{spare(d)}
		}
		r.Say(f)
	}
	if r.Ask.Index == 16 && r.Cost.Wide > 0 {
		r.Say(finding.Finding{Code: Info.ID + "/wide", Severity: finding.MustFix,
			Title: figure.Plural(r.Cost.Wide, "draw call needs indices",
				"draw calls need indices") + " of 32 bits, and the receiver takes 16",
			Text: "More than 65\u202f535 vertices share a slot there. Fewer of them, or more slots, make it fit."})
	}
}

// spare takes waste out.
func spare(d Decisions) finding.Remedy {
	d.Waste = true
	return finding.Remedy{Label: "Take out what adds nothing",
		Effect:   "The surface stays where it is, to a millionth of its size.",
		Decision: d, Harsh: true}
}

// told says what takes longer to find.
func (r *Report) told(x Extra, d Decisions) {
	if x.Waste > 0 && x.Waste*50 >= r.Cost.Triangles {
		offered := slices.ContainsFunc(r.Findings(), func(f finding.Finding) bool { return len(f.Remedies) > 0 })
		r.Say(finding.Finding{Code: Info.ID + "/waste", Severity: finding.Note,
			Title: fmt.Sprintf("%s of %s add nothing", figure.Plural(x.Waste, "triangle", "triangles"),
				figure.Count(r.Cost.Triangles)),
			Text: "They lie in flat areas and along straight edges that no UV, slot or smoothing needs."})
		if !offered { // by what is over budget
			r.Last().Remedies = []finding.Remedy{spare(d)}
		}
	}
	for i, f := range x.Facets {
		if i == 3 {
			break
		}
		at := r.Ask.Onto.Apply(f.At)
		r.Say(finding.Finding{Code: fmt.Sprintf("%s/faceted-%d", Info.ID, i+1), Severity: finding.Note,
			Title: fmt.Sprintf("“%s” looks faceted: %s sides of %s", f.Node, figure.Count(int(math.Round(2*math.Pi/f.Turn))),
				figure.Degrees(f.Turn)),
			Text: fmt.Sprintf("Shaded round, its outline leaves the curve by %s, %s pixels from where it is seen.",
				figure.Length(f.Off*r.Ask.Scale),
				figure.Significant(f.Pixels, 2)),
			Place: finding.Place{Point: &at, Node: f.Node}})
	}
}
