package deliver

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/target"
)

// Row is one thing compared.
type Row struct {
	Code    string `json:"code,omitempty"` // stable, such as "slots"
	What    string `json:"what"`
	Sent    string `json:"sent"`
	Arrived string `json:"arrived"`
	Equal   bool   `json:"equal"`
	Why     string `json:"why,omitempty"` // why they may differ
	// Accepted are the lines of the packing list that name all that differs.
	Accepted []string `json:"accepted,omitempty"`
}

// Certificate is the whole comparison.
type Certificate struct {
	Rows []Row `json:"rows"`
	// Apart is the largest distance between a corner as it was sent and as it arrived, in metres; nil where corners
	// can't be set side by side.
	Apart *float64 `json:"apart,omitempty"`
	// Figures are what this reader made of the whole file, for readers of another make to be set beside; nil in
	// certificates of before.
	Figures *Figures `json:"figures,omitempty"`

	changes []pack.Change // of the packing list, while it is made
}

// Equal tells whether everything arrived as it was sent, without anything accepted.
func (c Certificate) Equal() bool {
	return !slices.ContainsFunc(c.Rows, func(r Row) bool { return !r.Equal })
}

// Tolerance is how far a length may be off, as a part of the largest coordinate:
// what a 32-bit number can hold, doubled.
const Tolerance = 2.4e-7

// Receive reads the package as the target would: what it honours of what the file says, in the
// frame it assumes where it does not, without the transforms of nodes where it drops them,
// and then moved as it does on arrival. The scene comes back in the target's basis, in
// metres.
func Receive(ctx context.Context, files []bundle.File, f format.Format, t target.Target) (*scene.Scene, error) {
	s, err := readBack(ctx, files)
	if err != nil {
		return nil, err
	}
	return received(s, f.Frame(t), f, t), nil
}

// readBack reads what was written.
func readBack(ctx context.Context, files []bundle.File) (*scene.Scene, error) {
	if len(files) == 0 {
		return nil, fmt.Errorf("nothing was written")
	}
	s, _, err := format.Read(ctx, bundle.New(files), files[0].Name, nil)
	return s, err
}

// received is what a target makes of a file that was read: the reader took its numbers in the frame that it says, or
// that was assumed for it.
func received(s *scene.Scene, said format.Frame, f format.Format, t target.Target) *scene.Scene {
	if !f.Reading(t).KeepsNodes {
		s = dropped(s)
	}
	by, turned := carried(said, s.UnitMetres, f, t)
	got := s.Carried(by)
	if turned {
		got = got.TurnedRound()
	}
	got.Basis = t.Basis
	return got.Carried(t.Arrival.Map(t.Basis))
}

// carried is where a target takes the numbers of a file to whose reader took them in the frame said and in units of so
// many metres, before it moves what arrived. turned tells that the numbers are the same in a frame of the other
// handedness, and with them which side of a face is out.
func carried(said format.Frame, unit float64, f format.Format, t target.Target) (by geom.Affine, turned bool) {
	taken := f.Taken(t, said)
	return geom.Linear(taken.Basis.To(t.Basis).Scaled(taken.UnitMetres / unit)), taken.Basis.Left != said.Basis.Left
}

// dropped is a scene whose receiver has the points alone: no node is anywhere but at the
// origin.
func dropped(s *scene.Scene) *scene.Scene {
	out := s.Clone()
	for i := range out.Nodes {
		out.Nodes[i].Local = geom.Identity
	}
	return out
}

// Check receives the package and compares it with the delivery, which is in the
// target's basis.
func Check(ctx context.Context, d scene.Delivery, p *pack.Package, f format.Format, t target.Target) (*Certificate,
	error) {
	d, less := format.Less(d, f, strings.TrimSuffix(p.Files[0].Name, path.Ext(p.Files[0].Name)))
	sent := format.Named(d.Assembled())
	raw, err := readBack(ctx, p.Files)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, fmt.Errorf("the written file can't be read back: %w", err)
	}
	c := &Certificate{changes: p.Changes}
	var figures *Figures
	var unmeasured error
	split.Together(func() { figures, unmeasured = figuresOf(ctx, raw, f, t) }, func() {
		c.held(f, less)
		c.clouds(d.Scene, raw, f, t)
		err = c.compare(ctx, sent, d, raw, f, t)
	})
	if err = cmp.Or(unmeasured, err); err != nil {
		return nil, err
	}
	c.Figures = figures
	for i := range c.Rows {
		if r := &c.Rows[i]; !r.Equal && r.Why == "" {
			r.Why = reason(r.Code, p)
		}
	}
	return c, nil
}

// compare holds what was sent against what arrived, row by row.
func (c *Certificate) compare(ctx context.Context, sent *scene.Scene, d scene.Delivery, raw *scene.Scene,
	f format.Format, t target.Target) error {
	got := received(raw, f.Frame(t), f, t)
	own, arrived := alone(sent, d), alone(got, d)
	c.boxes(own, arrived, t)
	a, b := own.Count(), arrived.Count()
	c.row("triangles", "Triangles", figure.Count(a.Triangles), figure.Count(b.Triangles))
	if f.Polygons {
		c.row("polygons", "Polygons", figure.Count(a.Polygons), figure.Count(b.Polygons))
	}
	c.lods(d, got, t)
	c.shapes(d, got, t)
	c.list("parts", "Parts", pack.Name, partNames(own), partNames(arrived))
	c.places(sent, got)
	if a, b := emptyNames(sent), emptyNames(got); len(a)+len(b) > 0 {
		c.list("empties", "Empty nodes, markers among them", pack.Empty, a, b)
	}
	if a, b := hiddenNames(sent), hiddenNames(got); len(a)+len(b) > 0 {
		c.list("hidden", "Hidden nodes", pack.Hidden, a, b)
	}
	c.sights(sent.Sights, got.Sights, own.Bounds().Size().Max())
	c.list("slots", "Slots", pack.Name, slotNames(own), slotNames(inOrder(own, arrived)))
	c.sets(sent, got)
	list := pairs(sent, inOrder(sent, got))
	c.values(list)
	c.pictures(ctx, sent, got, list)
	if err := c.corners(ctx, sent, got, f, t); err != nil {
		return err
	}
	if r := f.Reading(t); f.Declares && f.Fixed == nil && t.Basis.Left && r.HonoursAxes {
		c.overlooked(f.Frame(t).Basis)
	}
	return nil
}

// held has a row of its own for what a format of one surface does not hold. The packing list names it, and all else is
// compared.
func (c *Certificate) held(f format.Format, less []pack.Change) {
	if len(less) == 0 {
		return
	}
	r := Row{Code: "held", What: "What " + f.Name + " holds", Sent: "all of it",
		Arrived: "less " + figure.Plural(len(less), "thing", "things")}
	for _, l := range less {
		r.Accepted = append(r.Accepted, l.What+": "+l.Why)
	}
	r.Why = strings.Join(r.Accepted[:min(len(r.Accepted), 2)], "; ")
	c.Rows = append(c.Rows, r)
}

// alone is a scene without the LODs and the collision of a delivery: what is drawn first, and seen. A file of
// collision alone is that.
func alone(s *scene.Scene, d scene.Delivery) *scene.Scene {
	if len(d.LODs)+len(d.Collision) == 0 {
		return s
	}
	beside := map[string]bool{}
	for _, l := range d.LODs {
		for _, n := range l.Scene.Nodes {
			beside[n.Name] = true
		}
	}
	for _, x := range d.Collision {
		beside[x.Name] = true
	}
	out := s.Clone()
	level, kept := levels(s), false
	for i, n := range s.Nodes {
		if n.Mesh >= 0 && (level[i] > 0 || beside[n.Name]) {
			out.Nodes[i].Mesh = -1
		} else if n.Mesh >= 0 {
			kept = true
		}
	}
	if !kept {
		return s
	}
	return out
}

// hiddenNames are the nodes with a mesh that are not to be seen, by themselves or with what they
// hang from, sorted.
func hiddenNames(s *scene.Scene) (names []string) {
	hidden := s.Unseen()
	for i, n := range s.Nodes {
		if hidden[i] && n.Mesh >= 0 {
			names = append(names, n.Name)
		}
	}
	slices.Sort(names)
	return names
}

// slotNames are the slots of a scene; faces without one are none.
func slotNames(s *scene.Scene) []string {
	return slices.DeleteFunc(s.SlotNames(), func(n string) bool { return n == scene.NoSlot })
}

// sets compares the UV sets that corners use, mesh by mesh.
func (c *Certificate) sets(sent, got *scene.Scene) {
	a, b, _, ok := paired(sent, got)
	if !ok {
		return // Parts says so already
	}
	used := func(m *scene.Mesh) (n int) {
		for _, u := range m.UVs {
			if slices.ContainsFunc(u.Index, func(i int32) bool { return i >= 0 }) {
				n++
			}
		}
		return n
	}
	var off []difference
	all := 0
	for i := range a {
		x, y := sent.Meshes[sent.Nodes[a[i]].Mesh], got.Meshes[got.Nodes[b[i]].Mesh]
		m, n := used(x), used(y)
		if all += m; n < m || n > m && m > 0 {
			off = append(off, difference{pack.Sets, x.Name, fmt.Sprintf("“%s” %d, not %d", x.Name, n, m)})
		}
	}
	c.differences("uvsets", "UV sets", all, "set", "sets", off)
}

// overlooked is how the asset stands in a receiver that takes the file's numbers in its up
// and forward axes and overlooks what the file says of the third, as many do: mirrored,
// when putting the numbers into a right-handed frame would have mirrored them.
func (c *Certificate) overlooked(declared geom.Basis) {
	taken := declared
	taken.Left = false
	r := Row{Code: "overlooked", What: "Where handedness is overlooked", Sent: "as it is", Arrived: "as it is",
		Equal: true}
	if declared.To(taken).Det() < 0 {
		r.Arrived, r.Equal = "mirrored", false
		r.Why = "the file declares a left-handed third axis; a receiver that honours it has the asset as it is. For all " +
			"others send it " +
			"right-handed"
		r.Accepted = []string{"how it stands where the declared handedness is overlooked: this form of the format was " +
			"chosen " +
			"for a receiver that honours it"}
	}
	c.Rows = append(c.Rows, r)
}

// row compares two sentences that say the same exactly when the things they are made of
// are equal.
func (c *Certificate) row(code, what, sent, arrived string) {
	c.Rows = append(c.Rows, Row{Code: code, What: what, Sent: sent, Arrived: arrived, Equal: sent == arrived})
}

// boxes compares extents, and the pivot as where the origin lies in the box.
func (c *Certificate) boxes(sent, got *scene.Scene, t target.Target) {
	a, b := sent.Bounds(), got.Bounds()
	tol := tolerance(a)
	view := t.Basis.ToView()
	va, vb := view.Apply(a.Size()), view.Apply(b.Size())
	for i, what := range []string{"Width", "Height", "Depth"} {
		x, y := math.Abs(va[i]), math.Abs(vb[i])
		c.Rows = append(c.Rows, Row{Code: strings.ToLower(what), What: what, Sent: figure.Length(x),
			Arrived: figure.Length(y),
			Equal:   math.Abs(x-y) <= 2*tol})
	}
	pa, pb := a.Min, b.Min
	equal := pa.Near(pb, tol) && a.Max.Near(b.Max, tol)
	c.Rows = append(c.Rows, Row{Code: "box", What: "Box from pivot", Sent: corner(a, t), Arrived: corner(b, t),
		Equal: equal})
}

// tolerance is how far a coordinate within the box may be off, in metres.
func tolerance(b geom.Box) float64 {
	m := 0.0
	for i := range 3 {
		m = max(m, math.Abs(b.Min[i]), math.Abs(b.Max[i]))
	}
	return m*Tolerance + 1e-9
}

// corner says where the box begins, seen from the pivot.
func corner(b geom.Box, t target.Target) string {
	if b.IsEmpty() {
		return "nothing there"
	}
	at, least := b.Min, 1e-9*b.Size().Max()
	for i := range at {
		if math.Abs(at[i]) < least { // what rounding leaves of zero
			at[i] = 0
		}
	}
	return fmt.Sprintf("%s, %s, %s %s", figure.In(at[0], t.Unit), figure.In(at[1], t.Unit), figure.In(at[2], t.Unit),
		t.Unit.Symbol)
}

// pictureOf is the number of a map's picture, -1 of none.
func pictureOf(s *scene.Scene, m scene.Map) int {
	if !m.Has() {
		return -1
	}
	return s.Textures[m.Texture-1].Image
}

// emptyNames are the nodes that place nothing, sorted; those that only hold others are among
// them.
func emptyNames(s *scene.Scene) []string {
	var names []string
	for _, n := range s.Nodes {
		if n.Mesh < 0 && n.Kind == scene.KindEmpty {
			names = append(names, n.Name)
		}
	}
	slices.Sort(names)
	return names
}

// list compares names in order; the row shows how many there are and the first that differ. What is gone is
// accepted where the packing list names it, and so is what took another name.
func (c *Certificate) list(code, what string, property pack.Property, sent, got []string) {
	r := Row{Code: code, What: what, Sent: fmt.Sprint(len(sent)), Arrived: fmt.Sprint(len(got)),
		Equal: slices.Equal(sent, got)}
	if r.Equal {
		if len(sent) > 0 && len(sent) <= 3 {
			r.Sent = strings.Join(sent, ", ")
			r.Arrived = r.Sent
		}
		c.Rows = append(c.Rows, r)
		return
	}
	gone, came := only(sent, got), only(got, sent)
	r.Sent += few3(gone)
	r.Arrived += few3(came)
	if len(gone)+len(came) == 0 { // the same names in another order
		i := 0
		for sent[i] == got[i] {
			i++
		}
		r.Arrived += fmt.Sprintf(" (in another order: the first that differs is “%s”, sent as “%s”)", got[i], sent[i])
		c.Rows = append(c.Rows, r)
		return
	}
	// Something new is accepted only as the other name of something that is gone.
	if len(came) > 0 {
		property = pack.Name
	}
	var list []difference
	for _, n := range gone {
		list = append(list, difference{property, n, n})
	}
	if len(came) == 0 || len(came) == len(gone) && len(sent) == len(got) {
		c.accept(&r, list)
	}
	c.Rows = append(c.Rows, r)
}

// only names what is in a and not in b, as many times as it is missing there.
func only(a, b []string) (names []string) {
	there := make(map[string]int, len(b))
	for _, n := range b {
		there[n]++
	}
	for _, n := range a {
		if there[n]--; there[n] < 0 {
			names = append(names, n)
		}
	}
	return names
}

// few3 lists up to three names in brackets.
func few3(names []string) string {
	if len(names) == 0 {
		return ""
	}
	more := ""
	if len(names) > 3 {
		more = fmt.Sprintf(" and %d more", len(names)-3)
		names = names[:3]
	}
	return " (" + strings.Join(names, ", ") + more + ")"
}

// reasons tells which changes may be why a row differs.
var reasons = map[string][]pack.Topic{
	"slots": {pack.Materials}, "textures": {pack.Textures, pack.Pictures, pack.Materials}, "uvsets": {pack.UVSets},
	"corners": {pack.Colors, pack.Smoothing, pack.UVSets, pack.Materials}, "parts": {pack.Nodes}, "places": {pack.Nodes},
	"empties":  {pack.Nodes},
	"polygons": {pack.Polygons}, "collision": {pack.Collision, pack.Nodes}, "lods": {pack.LODs, pack.Nodes},
}

// reason picks what the writer said about the thing that differs.
func reason(code string, p *pack.Package) string {
	var said []string
	for _, ch := range p.Changes {
		if slices.Contains(reasons[code], ch.About) {
			said = append(said, ch.What+": "+ch.Why)
		}
	}
	if len(said) == 0 {
		return "the packing list names nothing that explains it, so take it for a fault of the file that was written"
	}
	return strings.Join(said[:min(len(said), 2)], "; ") + fmt.Sprintf(" (%s)", path.Ext(p.Files[0].Name))
}
