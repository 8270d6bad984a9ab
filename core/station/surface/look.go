package surface

import (
	"context"
	"math"
	"slices"

	"yarvek/core/flaw"
	"yarvek/core/flicker"
	"yarvek/core/geom"
	"yarvek/core/mend"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/tangent"
	"yarvek/core/topo"
	"yarvek/core/uv"
)

// Sort is a sort of flaw.
type Sort string

// The sorts, in the order they are told.
const (
	Inside   Sort = "inside"   // parts turned inside out
	Flipped  Sort = "flipped"  // faces wound against their part
	Gaps     Sort = "gaps"     // points that nearly meet
	Doubled  Sort = "doubled"  // faces there twice
	Empty    Sort = "empty"    // faces without area
	Flicker  Sort = "flicker"  // faces in one plane
	Sheets   Sort = "sheets"   // parts that vanish from behind
	Bent     Sort = "bent"     // bent polygons
	Concave  Sort = "concave"  // dented polygons
	Holes    Sort = "holes"    // open borders within something
	Crowded  Sort = "crowded"  // edges of more than two faces
	Pinched  Sort = "pinched"  // places where surfaces meet in a point
	Needles  Sort = "needles"  // needle-thin triangles
	Short    Sort = "short"    // short edges
	Unjoined Sort = "unjoined" // points where another stands
	Unused   Sort = "unused"   // points no face uses
	Against  Sort = "against"  // normals that point behind their face
	Length   Sort = "length"   // normals that are missing or of another length
	Tangents Sort = "tangents" // tangents that are not those of UVs and normals
)

// Mark is where one flaw is, in the coordinates of the scene that was looked at: a point, a line
// or a face.
type Mark struct {
	Sort Sort
	At   []geom.Vec3
}

// mostMarks is how many places of one sort are kept.
const mostMarks = 240

// Seen is what was found in a scene, each mesh looked at once, where its first node places it.
// It is shared, and only read.
type Seen struct {
	Count          map[Sort]int
	First          map[Sort]Place
	Marks          []Mark
	Mesh           []MeshSeen // in the order of the nodes
	Cover          uv.Cover   // of the first UV set, all materials
	Sets           int        // meshes with a first UV set
	BentBy, DentBy float64
	FlickerArea    float64
	FlickerCut     bool
	SheetArea      float64
	kept           map[Sort]int
	Slots          []SlotSeen // in order of first use
	Single         bool       // some sheet has a slot that is seen from one side alone
}

// SlotSeen is how a slot's faces lie on its texture, all meshes together.
type SlotSeen struct {
	Name string
	uv.Density
	Texels float64 // of its texture to a unit of the UV plane, the mean of both sides; 0 without one
}

// PerMetre is the texture's texels to a metre, k metres being one of the scene's lengths; 0
// where no picture says how many it has.
func (s SlotSeen) PerMetre(k float64) float64 { return s.Mean() * s.Texels / k }

// Place is the first place of a sort.
type Place struct {
	Node string
	At   geom.Vec3
}

// MeshSeen is what one mesh is like.
type MeshSeen struct {
	Key, Node string
	Mesh      int
	Triangles int
	Parts     int
	Closed    int // parts that are closed
	Sheets    int // open parts that are no body with a hole
	Borders   int
	Hard      float64 // share of edges that are hard; -1 when nothing is said of smoothing
	NoNormals bool
	NoUVs     bool
	Textured  bool // a material of it has a picture
	Tangents  bool
	Lightmap  Lightmap
}

// Lightmap is what a second UV set is like.
type Lightmap struct {
	There   bool
	Overlap float64 // share of what it covers
	Outside float64
}

// Fit tells whether it can carry a lightmap.
func (l Lightmap) Fit() bool { return l.There && l.Overlap < 1e-4 && l.Outside < 1e-4 }

// ask is a mesh to look at: the node that places it first.
type ask struct {
	node, mesh int
	world      geom.Affine
	scale      float64 // of its own lengths to the scene's
}

// asks lists the distinct meshes of a scene.
func asks(s *scene.Scene) []ask {
	worlds := s.Worlds()
	done := make([]bool, len(s.Meshes))
	var list []ask
	for i, n := range s.Nodes {
		if n.Mesh < 0 || done[n.Mesh] || s.Meshes[n.Mesh].Faces() == 0 {
			continue
		}
		done[n.Mesh] = true
		k := math.Cbrt(math.Abs(worlds[i].M.Det()))
		if !(k > 0) {
			k = 1
		}
		list = append(list, ask{i, n.Mesh, worlds[i], k})
	}
	return list
}

// Look looks for the flaws of a scene that l says, all but those that flicker. Lengths of l are
// of the scene. When ctx ends it returns early, and what it returns means nothing.
func Look(ctx context.Context, s *scene.Scene, l Limits) *Seen {
	x := &Seen{Count: map[Sort]int{}, First: map[Sort]Place{}, kept: map[Sort]int{}}
	list := asks(s)
	keys := s.Keys()
	each := make([]*meshLook, len(list))
	_ = split.Each(ctx, len(list), func(i int) { each[i] = look(ctx, s, list[i], l) })
	if ctx.Err() != nil {
		return x
	}
	var planes uv.ByMaterial
	for i, m := range each {
		a := list[i]
		m.seen.Key, m.seen.Node = keys[a.node], s.Nodes[a.node].Name
		x.Mesh = append(x.Mesh, m.seen)
		x.take(m, s.Nodes[a.node].Name)
		uv.Triangles(s.Meshes[a.mesh], 0, &planes)
		if !m.seen.NoUVs {
			x.Sets++
		}
	}
	x.Cover = planes.Cover(ctx)
	x.slots(s, list, each)
	return x
}

// slots gathers the densities of all meshes by slot.
func (x *Seen) slots(s *scene.Scene, list []ask, each []*meshLook) {
	at := map[int]int{}
	for i, m := range each {
		for _, mat := range s.Meshes[list[i].mesh].UsedSlots() {
			d, ok := m.density[mat]
			if !ok {
				continue
			}
			k, seen := at[mat]
			if !seen {
				k = len(x.Slots)
				at[mat] = k
				x.Slots = append(x.Slots, slotOf(s, mat))
			}
			x.Slots[k].Density = x.Slots[k].Add(d.Times(list[i].scale))
		}
	}
}

// slotOf names a slot and finds the size of its base colour, or of another picture it has.
func slotOf(s *scene.Scene, mat int) SlotSeen {
	if mat < 0 {
		return SlotSeen{Name: scene.NoSlot}
	}
	out := SlotSeen{Name: s.Materials[mat].Name}
	for _, mp := range s.Materials[mat].Maps {
		if !mp.Has() || out.Texels > 0 {
			continue
		}
		if i := s.Textures[mp.Texture-1].Image; i >= 0 {
			out.Texels = math.Sqrt(float64(s.Images[i].Width) * float64(s.Images[i].Height))
		}
	}
	return out
}

// take adds what one mesh has.
func (x *Seen) take(m *meshLook, node string) {
	for _, k := range m.order {
		n := m.count[k]
		if n == 0 {
			continue
		}
		x.Count[k] += n
		if _, ok := x.First[k]; !ok && len(m.marks[k]) > 0 {
			x.First[k] = Place{node, middle(m.marks[k][0])}
		}
		for _, at := range m.marks[k] {
			if x.kept[k]++; x.kept[k] <= mostMarks {
				x.Marks = append(x.Marks, Mark{k, at})
			}
		}
	}
	x.BentBy, x.DentBy = max(x.BentBy, m.bent), max(x.DentBy, m.dent)
	x.SheetArea += m.sheetArea
	x.Single = x.Single || m.single
}

func middle(at []geom.Vec3) geom.Vec3 {
	var m geom.Vec3
	for _, p := range at {
		m = m.Add(p.Mul(1 / float64(len(at))))
	}
	return m
}

// meshLook gathers the flaws of one mesh.
type meshLook struct {
	seen       MeshSeen
	order      []Sort
	count      map[Sort]int
	marks      map[Sort][][]geom.Vec3
	bent, dent float64
	sheetArea  float64
	single     bool
	density    map[int]uv.Density
}

// look looks at one mesh.
func look(ctx context.Context, s *scene.Scene, a ask, l Limits) *meshLook {
	m := s.Meshes[a.mesh]
	k := 1 / a.scale
	out := &meshLook{count: map[Sort]int{}, marks: map[Sort][][]geom.Vec3{}}
	f := flaw.Find(ctx, m, flaw.Limits{Needle: l.Needle, BentBy: l.Bent * k, Edge: l.Short * k})
	if ctx.Err() != nil {
		return out
	}
	face := func(f int32) []geom.Vec3 {
		var ring []geom.Vec3
		for _, c := range m.Corners[m.FaceStart[f]:min(m.FaceStart[f+1], m.FaceStart[f]+64)] {
			ring = append(ring, a.world.Apply(m.Points[c]))
		}
		return ring
	}
	edge := func(e int32) []geom.Vec3 {
		p, q := f.Net.Ends(int(e))
		return []geom.Vec3{a.world.Apply(m.Points[p]), a.world.Apply(m.Points[q])}
	}
	point := func(p int32) []geom.Vec3 { return []geom.Vec3{a.world.Apply(m.Points[p])} }
	say := func(sort Sort, list []int32, at func(int32) []geom.Vec3) {
		out.order = append(out.order, sort)
		out.count[sort] = len(list)
		for _, i := range list[:min(len(list), mostMarks)] {
			out.marks[sort] = append(out.marks[sort], at(i))
		}
	}
	var insides []int32
	for _, p := range f.Inside {
		insides = append(insides, f.Parts.FirstFace[p])
	}
	say(Inside, insides, face)
	// A face that is there twice hangs together with its like alone at a border, and looks the
	// same way: that is no flaw besides.
	say(Flipped, slices.DeleteFunc(slices.Clone(f.Flipped), func(g int32) bool {
		_, twice := slices.BinarySearch(f.Doubled, g)
		return twice
	}), face)
	say(Gaps, gaps(ctx, m, f, l.Gap*k), point)
	say(Doubled, f.Doubled, face)
	say(Empty, f.Empty, face)
	say(Bent, f.Bent, face)
	say(Concave, f.Concave, face)
	say(Crowded, f.Crowded, edge)
	say(Pinched, f.Pinched, point)
	say(Needles, f.Needles, face)
	out.count[Needles] = f.NeedleN
	say(Short, f.Short, edge)
	say(Unjoined, f.Unjoined, point)
	say(Unused, f.Unused, point)
	say(Against, f.Normals.Against, face)
	say(Tangents, crooked(ctx, m), face)
	out.density = uv.Densities(m, 0)
	out.order = append(out.order, Length, Sheets, Holes)
	out.count[Length] = f.Normals.Missing + f.Normals.Length
	out.bent, out.dent = f.BentBy*a.scale, f.DentBy*a.scale
	out.sheets(s, m, f, a, face)
	out.seen.Mesh, out.seen.Triangles = a.mesh, m.Triangles()
	out.seen.Parts, out.seen.Borders, out.seen.NoNormals = f.Parts.N, len(f.Borders), f.Normals.None
	for _, c := range f.Parts.Closed {
		if c {
			out.seen.Closed++
		}
	}
	out.seen.Hard = hardShare(m, f.Net)
	out.seen.NoUVs = len(m.UVs) == 0 || !m.UVs[0].Has()
	out.seen.Tangents = m.Tangents.Has()
	for _, k := range m.UsedSlots() {
		if k >= 0 {
			for _, mp := range s.Materials[k].Maps {
				out.seen.Textured = out.seen.Textured || mp.Has()
			}
		}
	}
	if len(m.UVs) > 1 && m.UVs[1].Has() {
		var all uv.ByMaterial
		uv.Triangles(m, 1, &all)
		var one []uv.Triangle // a lightmap is one picture, whatever the slots
		for _, t := range all.Lists {
			one = append(one, t...)
		}
		c := uv.CoverOf(ctx, one)
		out.seen.Lightmap = Lightmap{true, c.Share(c.Overlap), c.Share(c.Outside)}
	}
	return out
}

// crookedFrom is the angle between a tangent and that of UVs and normals from which on a normal map
// looks wrong, as a cosine: 15°.
const crookedFrom = 0.9659

// crooked lists the faces with a tangent that is not that of its normals and UVs, or has another
// handedness.
func crooked(ctx context.Context, m *scene.Mesh) []int32 {
	if !m.Tangents.Has() {
		return nil
	}
	made := tangent.Of(ctx, m)
	if made == m || ctx.Err() != nil {
		return nil
	}
	var list []int32
	for f := range m.Faces() {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			if m.Tangents.Index[c] < 0 {
				continue
			}
			a, b := m.Tangents.Values[m.Tangents.Index[c]], made.Tangents.Values[made.Tangents.Index[c]]
			long := math.Sqrt(float64(a[0]*a[0] + a[1]*a[1] + a[2]*a[2]))
			if dot := float64(a[0]*b[0] + a[1]*b[1] + a[2]*b[2]); dot < crookedFrom*long || a[3]*b[3] < 0 {
				list = append(list, int32(f))
				break
			}
		}
	}
	return list
}

// gaps lists points at borders that a point of another place is near to: what ought to be joined.
// Near points that no border runs through are fine detail.
func gaps(ctx context.Context, m *scene.Mesh, f *flaw.Flaws, tol float64) []int32 {
	if !(tol > 0) || len(f.Borders) == 0 {
		return nil
	}
	var at []int32
	seen := map[int32]bool{}
	for _, ch := range f.Borders {
		for _, e := range ch.Edges {
			a, b := f.Net.Ends(int(e))
			for _, p := range [2]int32{a, b} {
				if !seen[p] {
					seen[p] = true
					at = append(at, p)
				}
			}
		}
	}
	slices.Sort(at)
	pts := make([]geom.Vec3, len(at))
	for i, p := range at {
		pts[i] = m.Points[p]
	}
	var list []int32
	for i, p := range topo.Places(ctx, pts, tol) {
		if int(p) != i && pts[i] != pts[p] {
			list = append(list, at[i])
		}
	}
	return list
}

// sheets tells the open parts that are sheets from bodies with holes.
func (x *meshLook) sheets(s *scene.Scene, m *scene.Mesh, f *flaw.Flaws, a ask, face func(int32) []geom.Vec3) {
	areas := mend.Areas(f.Net, f.Parts)
	isHole := make([]bool, len(f.Borders))
	sheet := make([]bool, f.Parts.N)
	for i, ch := range f.Borders {
		isHole[i] = mend.IsHole(f.Net, f.Parts, areas, ch)
		if k := f.Parts.Of[f.Net.FaceOf[f.Net.Runs(int(ch.Edges[0]))[0]]]; k >= 0 && !isHole[i] {
			sheet[k] = true
		}
	}
	single := func(k int32) bool {
		mat := m.Material(int(f.Parts.FirstFace[k]))
		return mat < 0 || !s.Materials[mat].TwoSided
	}
	for i, ch := range f.Borders {
		c := f.Net.Runs(int(ch.Edges[0]))[0]
		if k := f.Parts.Of[f.Net.FaceOf[c]]; isHole[i] && k >= 0 && !sheet[k] {
			x.count[Holes]++
			if len(x.marks[Holes]) < mostMarks {
				var at []geom.Vec3
				for _, e := range ch.Edges[:min(len(ch.Edges), 64)] {
					p, _ := f.Net.Ends(int(e))
					at = append(at, a.world.Apply(m.Points[p]))
				}
				x.marks[Holes] = append(x.marks[Holes], at)
			}
		}
	}
	for k, is := range sheet {
		if !is {
			continue
		}
		x.seen.Sheets++
		x.count[Sheets]++
		x.sheetArea += areas[k] * a.scale * a.scale
		x.single = x.single || single(int32(k))
		if len(x.marks[Sheets]) < mostMarks {
			x.marks[Sheets] = append(x.marks[Sheets], face(f.Parts.FirstFace[k]))
		}
	}
}

// hardShare is the share of edges between two faces whose normals differ, -1 when the mesh says
// nothing of smoothing.
func hardShare(m *scene.Mesh, n *topo.Net) float64 {
	normals := m.Normals
	if !normals.Has() {
		if m.Smooth == nil && m.Hard == nil {
			return -1
		}
		normals = m.SmoothNormals()
	}
	hard, all := 0, 0
	same := func(a, b int32) bool {
		if !normals.Has() {
			return true
		}
		i, j := normals.Index[a], normals.Index[b]
		if i == j {
			return true
		}
		if i < 0 || j < 0 {
			return false
		}
		u, v := normals.Values[i], normals.Values[j]
		return u[0]*v[0]+u[1]*v[1]+u[2]*v[2] > 0.9998
	}
	for e := range n.Edges() {
		r := n.Runs(e)
		if len(r) != 2 || n.Alike(r[0], r[1]) {
			continue
		}
		all++
		if m.Hard != nil && m.Hard[r[0]] || !same(r[0], n.Next(r[1])) || !same(n.Next(r[0]), r[1]) {
			hard++
		}
	}
	if all == 0 {
		return -1
	}
	return float64(hard) / float64(all)
}

// Overlapping looks for faces in one plane within one mesh each; pairs of meshes are Source's
// matter. tol is a length of the scene.
func Overlapping(ctx context.Context, s *scene.Scene, tol float64) flicker.Overlap {
	var sum flicker.Overlap
	most := 0.0
	for _, a := range asks(s) {
		m := s.Meshes[a.mesh]
		pts := make([]geom.Vec3, len(m.Points))
		for i, p := range m.Points {
			pts[i] = a.world.Apply(p)
		}
		tris := make([]int32, 0, 3*m.Triangles())
		var faces []int32
		m.EachTriangle(func(f int, p, q, r int32) {
			tris, faces = append(tris, m.Corners[p], m.Corners[q], m.Corners[r]), append(faces, int32(f))
		})
		same := scene.Weld(ctx, m.Points)
		o := flicker.Find(ctx, pts, tris, tol, func(x, y int) bool {
			if faces[x] == faces[y] {
				return true
			}
			// Triangles on the same three places are there twice, which is another flaw.
			n := 0
			for i := range 3 {
				for j := range 3 {
					if same[tris[3*x+i]] == same[tris[3*y+j]] {
						n++
					}
				}
			}
			return n >= 3
		})
		if ctx.Err() != nil {
			return sum
		}
		sum.Area, sum.Faces, sum.Cut = sum.Area+o.Area, sum.Faces+o.Faces, sum.Cut || o.Cut
		if o.Area > most {
			most, sum.At = o.Area, o.At
		}
		sum.Tris = append(sum.Tris, o.Tris...)
	}
	return sum
}
