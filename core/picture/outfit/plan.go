// Package outfit decides what becomes of the slots of an asset and of the pictures of their materials: which
// slots become one, in which order and by which names they leave, what is made of each picture, and which lie
// on one sheet.
//
// What is decided is a [Wishes], and [NewPlan] makes a [Plan] of it, the same for an asset and all its LODs. The
// plan makes no picture: its cooks say what package texture is to make, and [Plan.Apply] takes what came of it.
// What of all this deserves a look is said at the station.
package outfit

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/target"
)

// Stock is a picture that materials can use: one that came along, or one that was added.
type Stock struct {
	Key   string
	Name  string
	Facts texture.Facts
	Added bool
	Found bool
}

// Opens tells that it is there and can be opened.
func (s Stock) Opens() bool { return s.Found && s.Facts.Broken == "" }

// Stat is how much of an asset has a material.
type Stat struct {
	Faces, Triangles int
	Area             float64 // square metres
	Nodes            []string
	Calls            int           // nodes whose meshes have it
	UV               [2][2]float64 // the box of its first UV set, least and most
	Bare             int           // corners without coordinates
	widest           float64       // area of that
	At               geom.Vec3     // on the middle of its largest triangle
	Mixed            bool          // it shares a mesh with others
	On               []int         // numbers of Nodes, in order
}

// Stats are those of a scene's materials, by number plus one: faces without one come first. Instances
// count each time.
func Stats(ctx context.Context, s *scene.Scene) []Stat {
	list := blank(len(s.Materials) + 1)
	for i, w := range s.Worlds() {
		n := s.Nodes[i]
		if n.Mesh < 0 || ctx.Err() != nil {
			continue
		}
		m := s.Meshes[n.Mesh]
		used := m.UsedSlots()
		for _, mat := range used {
			st := &list[mat+1]
			st.Nodes, st.On, st.Calls, st.Mixed = append(st.Nodes, n.Name), append(st.On, i), st.Calls+1, st.Mixed ||
				len(used) > 1
		}
		at := placed(m, w)
		if len(list) > fewStats || m.Faces() <= blockFaces {
			surfaces(list, m, at, 0, m.Faces())
			spread(list, m, 0, m.Faces())
			continue
		}
		// Blocks are the same whatever processors there are, so that sums are.
		parts := make([][]Stat, split.Blocks(m.Faces(), blockFaces))
		_ = split.InBlocks(ctx, m.Faces(), blockFaces, func(k, from, to int) {
			parts[k] = blank(len(list))
			surfaces(parts[k], m, at, from, to)
			spread(parts[k], m, from, to)
		})
		for _, part := range parts {
			for i := range part {
				list[i].add(part[i])
			}
		}
	}
	return list
}

// Of blocks of faces that are summed side by side: how many faces each has, and up to how many materials.
const (
	blockFaces = 1 << 16
	fewStats   = 64
)

// blank is as many that nothing was added to.
func blank(n int) []Stat {
	list := make([]Stat, n)
	for i := range list {
		list[i].UV = [2][2]float64{{math.Inf(1), math.Inf(1)}, {math.Inf(-1), math.Inf(-1)}}
	}
	return list
}

// placed are the points of a mesh where it stands.
func placed(m *scene.Mesh, w geom.Affine) []geom.Vec3 {
	at := make([]geom.Vec3, len(m.Points))
	split.Range(len(at), 1<<14, func(_, from, to int) {
		for k := from; k < to; k++ {
			at[k] = w.Apply(m.Points[k])
		}
	})
	return at
}

// surfaces adds what triangles of some faces have.
func surfaces(list []Stat, m *scene.Mesh, at []geom.Vec3, from, to int) {
	m.EachTriangleIn(from, to, func(f int, a, b, c int32) {
		st := &list[m.Material(f)+1]
		st.Triangles++
		p, q, r := at[m.Corners[a]], at[m.Corners[b]], at[m.Corners[c]]
		area := q.Sub(p).Cross(r.Sub(p)).Len() / 2
		if st.Area += area; area > st.widest {
			st.widest, st.At = area, p.Add(q).Add(r).Mul(1.0/3)
		}
	})
}

// spread adds what faces have and where they lie on the first UV set.
func spread(list []Stat, m *scene.Mesh, from, to int) {
	bare := len(m.UVs) == 0 || !m.UVs[0].Has()
	for f := from; f < to; f++ {
		st := &list[m.Material(f)+1]
		if st.Faces++; bare {
			st.Bare += int(m.FaceStart[f+1] - m.FaceStart[f])
			continue
		}
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			if m.UVs[0].Index[c] < 0 {
				st.Bare++
				continue
			}
			for k, v := range m.UVs[0].Values[m.UVs[0].Index[c]] {
				st.UV[0][k], st.UV[1][k] = min(st.UV[0][k], v), max(st.UV[1][k], v)
			}
		}
	}
}

// add takes what another counted of faces.
func (a *Stat) add(b Stat) {
	a.Faces, a.Triangles, a.Area, a.Bare = a.Faces+b.Faces, a.Triangles+b.Triangles, a.Area+b.Area, a.Bare+b.Bare
	if b.widest > a.widest {
		a.widest, a.At = b.widest, b.At
	}
	for k := range 2 {
		a.UV[0][k], a.UV[1][k] = min(a.UV[0][k], b.UV[0][k]), max(a.UV[1][k], b.UV[1][k])
	}
}

// plus joins two.
func (a Stat) plus(b Stat) Stat {
	a.add(b)
	a.Nodes, a.On, a.Mixed = slices.Clone(a.Nodes), slices.Clone(a.On), a.Mixed || b.Mixed
	there := make(map[int]bool, len(a.On))
	for _, i := range a.On {
		there[i] = true
	}
	for k, i := range b.On { // a node that has both has one
		if !there[i] {
			a.Nodes, a.On = append(a.Nodes, b.Nodes[k]), append(a.On, i)
		}
	}
	a.Calls = len(a.On)
	return a
}

// MapLine is a line of a kit's map of names: From as a pattern becomes To; without From, To is a material
// that the receiving project has.
type MapLine struct {
	From string `json:"from,omitempty"`
	To   string `json:"to"`
}

// Ask is what a plan depends on besides the decisions.
type Ask struct {
	Target target.Target
	Stock  []Stock
	Map    []MapLine
	// InLODs are the numbers of materials that LODs use, whether or not the asset itself does.
	InLODs []int
}

// Plan is what becomes of the slots and pictures of an asset: the same for the asset itself and all its
// LODs. It is made by [NewPlan] and only read afterwards.
type Plan struct {
	Keys  Named
	Stats []Stat // of what came, by number plus one
	// To is the number of the slot that leaves for each that came, by number plus one; -1 for none.
	To    []int
	Slots []Leaving
	Cooks []Cook // the pictures that leave, in order

	Materials []scene.Material
	Textures  []scene.Texture
	Sheets    []Laid
	sorted    bool             // faces stand in the order of slots
	rects     map[int]placedUV // of slots that came, by number: where their coordinates go
	Tiled     []string         // slots that a sheet was decided for and that can't be on one
	Lost      []string         // keys that decisions name and that are not there
	// LostPictures are the SHA-256 of pictures that decisions name and that were never added here.
	LostPictures []string
}

// Leaving is a slot that leaves.
type Leaving struct {
	Key     string   // of the first that it is made of
	Was     []string // the keys of all
	Name    string
	Had     string // its name as it came
	By      NameBy
	Project string // the material of the receiving project it is, "" when that is not known
	Near    string // the nearest of the project's, where it is none
	Stat    Stat
	Used    bool // by the asset or a LOD of it
	Sheet   int  // one more than its number, 0 for none
}

// NameBy is what a name comes from.
type NameBy int

// What names come from.
const (
	ByFile NameBy = iota
	ByHand
	ByMap
	ByRule
)

// Cook is a picture that leaves: a recipe with what goes into it, or a file as it is.
type Cook struct {
	Name   string
	Called bool // by a name that was decided for it, idle or not
	Recipe texture.Recipe
	In     []int // numbers of the stock
	W, H   int
	Uses   []scene.Use // what it is used for
	Slots  []string    // names of the slots that use it
	Role   string      // the target's word
}

// Idle tells a picture that leaves as it came.
func (c Cook) Idle() bool { return len(c.In) == 1 && c.Recipe.Idle() }

// NewPlan makes the plan for a scene whose faces are moved. When ctx ends it returns early, and what it
// returns means nothing.
func NewPlan(ctx context.Context, s *scene.Scene, keys []string, d Wishes, ask Ask) *Plan {
	var began []string
	for _, m := range s.Materials[len(keys):] {
		began = append(began, m.Name)
	}
	p := &Plan{Keys: newNamed(keys, began), Stats: Stats(ctx, s), rects: map[int]placedUV{},
		sorted: len(d.Order)+len(d.Moves) > 0}
	n := len(s.Materials)
	into := p.joined(d, n)
	mats := slices.Clone(s.Materials)
	lookOf(mats, d.Looks, p)
	kit := newKitchen(s, mats, d, ask, p)
	p.sheetsOf(s, d, ask, into, kit)
	p.ordered(d, s, ask, into)
	p.named(d, ask, s)
	kit.finish()
	return p
}

// joined is what each slot becomes, by number plus one.
func (p *Plan) joined(d Wishes, n int) []int {
	into := make([]int, n+1) // a slot whose own it is not any more leads on to another
	for i := range into {
		into[i] = i - 1
	}
	end := func(i int) int {
		last := i
		for into[last+1] != last {
			last = into[last+1]
		}
		for i != last { // the way is short the next time
			i, into[i+1] = into[i+1], last
		}
		return last
	}
	for _, j := range d.Joins {
		a, b := p.Keys.Of(j.Slot), p.Keys.Of(j.Into)
		if a < -1 || b < -1 {
			p.lose(a, j.Slot)
			p.lose(b, j.Into)
			continue
		}
		// One that became another before has nothing left to give, and round in a circle nothing goes.
		if b = end(b); b != a && into[a+1] == a {
			into[a+1] = b
		}
	}
	for i := range into {
		end(i - 1)
	}
	return into
}

// lose notes a key that is not there.
func (p *Plan) lose(n int, key string) {
	if n < -1 && !slices.Contains(p.Lost, key) {
		p.Lost = append(p.Lost, key)
	}
}

func lookOf(mats []scene.Material, looks []Look, p *Plan) {
	for _, l := range looks {
		i := p.Keys.Of(l.Slot)
		if i < 0 || i >= len(mats) {
			p.lose(i, l.Slot)
			continue
		}
		if l.Alpha != "" {
			mats[i].AlphaMode = l.Alpha
		}
		if l.Sides > 0 {
			mats[i].TwoSided = l.Sides == 2
		}
	}
}

// ordered numbers the slots that leave.
func (p *Plan) ordered(d Wishes, s *scene.Scene, ask Ask, into []int) {
	var order []int // numbers of slots as they came
	in := make([]bool, len(into))
	add := func(k int) {
		if !in[k+1] {
			in[k+1] = true
			order = append(order, k)
		}
	}
	for _, key := range d.Order {
		i := p.Keys.Of(key)
		if i < 0 {
			p.lose(i, key)
			continue
		}
		if k := into[i+1]; k >= 0 {
			add(k)
		}
	}
	used := make([]bool, len(into))
	sums := make([]Stat, len(into))
	for i, k := range into {
		if p.Stats[i].Faces > 0 {
			if !used[k+1] {
				used[k+1], sums[k+1] = true, p.Stats[i]
			} else {
				sums[k+1] = sums[k+1].plus(p.Stats[i])
			}
		}
	}
	for _, m := range s.UsedMaterials() {
		if k := into[m+1]; k >= 0 {
			add(k)
		}
	}
	if !d.Drop {
		for i := range len(into) - 1 {
			if into[i+1] == i {
				add(i)
			}
		}
	}
	for _, m := range ask.InLODs {
		if k := into[m+1]; k >= 0 && !used[k+1] {
			used[k+1] = true
			add(k)
		}
	}
	order = slices.DeleteFunc(order, func(k int) bool { return d.Drop && !used[k+1] })
	place := make([]int, len(into)) // of each slot that leaves, by number plus one
	for i := range place {
		place[i] = -1
	}
	for n, k := range order {
		place[k+1] = n
	}
	p.To = make([]int, len(into))
	was := make([][]string, len(order))
	for i, k := range into {
		if p.To[i] = -1; k >= 0 {
			p.To[i] = place[k+1]
		}
		if n := p.To[i]; n >= 0 && i > 0 && (i-1 == k || p.Stats[i].Faces > 0) {
			was[n] = append(was[n], p.Keys.Key(i-1))
		}
	}
	sheet := map[int]int{} // by slot, one more than its number
	for i, x := range p.Sheets {
		sheet[x.slot] = i + 1
	}
	for n, k := range order {
		l := Leaving{Key: p.Keys.Key(k), Stat: sums[k+1], Had: s.Materials[k].Name, Used: used[k+1], Was: was[n],
			Sheet: sheet[k]}
		if l.Sheet > 0 {
			p.Sheets[l.Sheet-1].To = len(p.Slots)
		}
		p.Slots = append(p.Slots, l)
		p.Materials = append(p.Materials, s.Materials[k])
	}
}

// named gives the slots their names.
func (p *Plan) named(d Wishes, ask Ask, s *scene.Scene) {
	kit := newNames(ask.Map)
	own := make(map[string]string, len(d.Names))
	for _, n := range d.Names {
		if _, ok := own[n.Slot]; !ok {
			own[n.Slot] = n.To
		}
	}
	for i := range p.Slots {
		l := &p.Slots[i]
		l.Name, l.By = l.Had, ByFile
		if l.Sheet > 0 {
			x := p.Sheets[l.Sheet-1]
			if name := d.Sheets[x.Of].Name; name != "" {
				if l.Name, l.By = name, ByHand; x.split && p.Materials[i].AlphaMode != scene.Opaque {
					l.Name += " " + AlphaWords[p.Materials[i].AlphaMode]
				}
			}
		}
		if !d.Unmapped {
			if to, ok := kit.mapped(l.Name); ok {
				l.Name, l.By = to, ByMap
			}
		}
	}
	for _, r := range d.Rename {
		names := make([]string, len(p.Slots))
		for i, l := range p.Slots {
			names[i] = l.Name
		}
		for i, to := range r.Renamed(names) {
			if to != names[i] {
				p.Slots[i].Name, p.Slots[i].By = to, ByHand
			}
		}
	}
	for i := range p.Slots {
		l := &p.Slots[i]
		if d.Clean {
			if clean := Cleaned(ask.Target.Names.Rules, l.Name); clean != l.Name {
				l.Name, l.By = clean, ByRule
			}
		}
		if to, ok := own[l.Key]; ok {
			l.Name, l.By = to, ByHand
		}
		p.Materials[i].Name = l.Name
		if l.Stat.Faces > 0 {
			l.Project, l.Near = kit.inProject(l.Name)
		}
	}
	for _, n := range d.Names {
		p.lose(p.Keys.Of(n.Slot), n.Slot)
	}
}

// Renamed are names after it: those that don't match as they are, those that do counted in their order.
func (r Rename) Renamed(names []string) []string {
	out := slices.Clone(names)
	pattern, err := naming.Parse(r.Match)
	if err != nil {
		return out
	}
	n := 0
	for i, name := range names {
		if pattern.Matches(name) {
			n++
			out[i] = pattern.Make(r.To, name, n)
		}
	}
	return out
}

// cleaned is a name as a target's rules allow it, and no longer.
func Cleaned(r naming.Rules, name string) string {
	clean := r.Clean(name)
	if list := []rune(clean); r.Longest > 0 && len(list) > r.Longest {
		clean = r.Clean(string(list[:r.Longest]))
	}
	return clean
}
