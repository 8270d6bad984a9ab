package surface

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/uv"
	"yarvek/core/process/mend"
	"yarvek/core/process/round"
	"yarvek/core/process/tangent"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// Sort is a sort of flaw.
type Sort string

// The sorts.
const (
	Inside   Sort = "inside"   // parts turned inside out
	Flipped  Sort = "flipped"  // faces wound against their part
	Gaps     Sort = "gaps"     // points that nearly meet
	Doubled  Sort = "doubled"  // faces there twice
	Empty    Sort = "empty"    // faces without area
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

// Of one sort in one mesh, so many places are kept; and so many edges, polygons and points at
// borders that a limit may count later.
const (
	mostMarks  = 240
	mostLimits = 1 << 16
)

// MeshSeen is what one mesh is like by itself, in its own coordinates, wherever it stands and how
// large it is. It is shared, and only read.
type MeshSeen struct {
	Triangles int
	Parts     int
	Closed    int // parts that are closed
	Sheets    int // open parts that are no body with a hole
	Borders   int
	Rim       float64 // length of the borders
	Rounds    []Round // its round parts, by what they are
	Hard      float64 // share of edges that are hard; -1 when nothing is said of smoothing
	NoNormals bool
	NoUVs     bool
	Lightmap  Lightmap

	count      map[Sort]int
	marks      map[Sort][][]geom.Vec3
	dent       float64
	sheetArea  float64
	sheetSlots map[int]bool       // materials of sheets
	density    map[int]uv.Density // of the first UV set, by material

	// What a limit decides: polygons off their plane, the farthest first; lengths of edges, the
	// shortest first; points at borders.
	off    []limited
	edges  []limited
	border []geom.Vec3
}

// limited is something with a measure.
type limited struct {
	by float64
	at []geom.Vec3 // its outline, of the first ones alone
}

// Lightmap is what a second UV set is like.
type Lightmap struct {
	There   bool
	Overlap float64 // share of what it covers
	Outside float64
}

// Fit tells whether it can carry a lightmap.
func (l Lightmap) Fit() bool { return l.There && l.Overlap < 1e-4 && l.Outside < 1e-4 }

// InsideOut finds of a mesh only what can hold an export back: parts that are inside out.
func InsideOut(ctx context.Context, m *scene.Mesh) *MeshSeen {
	x := &MeshSeen{count: map[Sort]int{}, marks: map[Sort][][]geom.Vec3{}, sheetSlots: map[int]bool{}}
	f := flaw.FindInside(ctx, m)
	if ctx.Err() != nil {
		return x
	}
	x.count[Inside] = len(f.Inside)
	for _, p := range f.Inside[:min(len(f.Inside), mostMarks)] {
		x.marks[Inside] = append(x.marks[Inside], ringOf(m, f.Parts.FirstFace[p]))
	}
	x.Triangles, x.Parts = m.Triangles(), f.Parts.N
	for _, c := range f.Parts.Closed {
		if c {
			x.Closed++
		}
	}
	return x
}

// ringOf are the corners of a face, no more than are marked.
func ringOf(m *scene.Mesh, f int32) (ring []geom.Vec3) {
	for _, c := range m.Corners[m.FaceStart[f]:min(m.FaceStart[f+1], m.FaceStart[f]+64)] {
		ring = append(ring, m.Points[c])
	}
	return ring
}

// LookAt looks for the flaws of one mesh: all but those that flicker. needle is that of the limits.
// When ctx ends it returns early, and what it returns means nothing.
func LookAt(ctx context.Context, m *scene.Mesh, needle float64) *MeshSeen {
	x := &MeshSeen{count: map[Sort]int{}, marks: map[Sort][][]geom.Vec3{}, sheetSlots: map[int]bool{}}
	f := flaw.Find(ctx, m, flaw.Limits{Needle: needle, BentBy: -1})
	if ctx.Err() != nil {
		return x
	}
	face := func(f int32) []geom.Vec3 { return ringOf(m, f) }
	edge := func(e int32) []geom.Vec3 {
		p, q := f.Net.Ends(int(e))
		return []geom.Vec3{m.Points[p], m.Points[q]}
	}
	point := func(p int32) []geom.Vec3 { return []geom.Vec3{m.Points[p]} }
	say := func(sort Sort, list []int32, at func(int32) []geom.Vec3) {
		x.count[sort] = len(list)
		for _, i := range list[:min(len(list), mostMarks)] {
			x.marks[sort] = append(x.marks[sort], at(i))
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
	say(Doubled, f.Doubled, face)
	say(Empty, f.Empty, face)
	say(Concave, f.Concave, face)
	say(Crowded, f.Crowded, edge)
	say(Pinched, f.Pinched, point)
	say(Needles, f.Needles, face)
	x.count[Needles] = f.NeedleN
	say(Unjoined, f.Unjoined, point)
	say(Unused, f.Unused, point)
	say(Against, f.Normals.Against, face)
	say(Tangents, crooked(ctx, m), face)
	x.count[Length] = f.Normals.Missing + f.Normals.Length
	x.dent = f.DentBy
	x.limits(m, f, face, edge)
	x.sheets(m, f, face)
	x.Triangles, x.Parts, x.Borders, x.NoNormals = m.Triangles(), f.Parts.N, len(f.Borders), f.Normals.None
	for _, c := range f.Parts.Closed {
		if c {
			x.Closed++
		}
	}
	x.Rounds = roundsOf(ctx, m)
	x.Hard = hardShare(m, f.Net)
	x.NoUVs = len(m.UVs) == 0 || !m.UVs[0].Has()
	x.density = uv.Densities(m, 0)
	if len(m.UVs) > 1 && m.UVs[1].Has() {
		var all uv.ByMaterial
		uv.Triangles(m, 1, &all)
		// A lightmap is one picture, whatever the slots.
		c := uv.CoverOf(ctx, slices.Concat(all.Lists...))
		x.Lightmap = Lightmap{true, c.Share(c.Overlap), c.Share(c.Outside)}
	}
	return x
}

// Round is so many parts that are meant as one kind of round thing, with as many sides each. Lengths are the mesh's.
type Round struct {
	Kind         round.Kind
	Sides, Parts int
	Radius       float64 // of the largest
	Residue      float64 // how far a point is off an even ring, at most
}

// mostRound bounds the faces of a mesh that is looked through for round parts.
const mostRound = 200_000

// roundsOf gathers the round parts of a mesh, those of which there are most first.
func roundsOf(ctx context.Context, m *scene.Mesh) (list []Round) {
	if m.Faces() > mostRound {
		return nil
	}
	for _, p := range round.Find(ctx, m) {
		i := slices.IndexFunc(list, func(r Round) bool { return r.Kind == p.Kind && r.Sides == p.Sides })
		if i < 0 {
			i = len(list)
			list = append(list, Round{Kind: p.Kind, Sides: p.Sides})
		}
		r := &list[i]
		r.Parts, r.Radius, r.Residue = r.Parts+1, max(r.Radius, p.Radius), max(r.Residue, p.Residue)
	}
	slices.SortStableFunc(list, func(a, b Round) int { return cmp.Compare(b.Parts, a.Parts) })
	return list
}

// limits keeps what a limit in real lengths decides.
func (x *MeshSeen) limits(m *scene.Mesh, f *flaw.Flaws, face, edge func(int32) []geom.Vec3) {
	keep := func(n int, by func(i int) float64, first func(a, b float64) int, at func(i int) []geom.Vec3) []limited {
		type one struct {
			by float64
			i  int32
		}
		list := make([]one, n)
		for i := range list {
			list[i] = one{by(i), int32(i)}
		}
		slices.SortFunc(list, func(a, b one) int { return cmp.Or(first(a.by, b.by), cmp.Compare(a.i, b.i)) })
		list = list[:min(n, mostLimits)]
		out := make([]limited, len(list))
		for k, o := range list {
			if out[k].by = o.by; k < mostMarks {
				out[k].at = at(int(o.i))
			}
		}
		return out
	}
	x.off = keep(len(f.Bent), func(i int) float64 { return f.Off[i] }, func(a, b float64) int { return cmp.Compare(b, a) },
		func(i int) []geom.Vec3 { return face(f.Bent[i]) })
	short := shortest(f.Net)
	length := func(e int32) float64 {
		a, b := f.Net.Ends(int(e))
		return m.Points[a].Dist(m.Points[b])
	}
	x.edges = keep(len(short), func(i int) float64 { return length(short[i]) }, cmp.Compare[float64],
		func(i int) []geom.Vec3 { return edge(short[i]) })
	seen := map[int32]bool{}
	for _, ch := range f.Borders {
		x.Rim += ch.Length
		for _, e := range ch.Edges {
			a, b := f.Net.Ends(int(e))
			for _, p := range [2]int32{a, b} {
				if !seen[p] && len(x.border) < 2*mostLimits {
					seen[p] = true
					x.border = append(x.border, m.Points[p])
				}
			}
		}
	}
}

// shortest are the edges that may be among the mostLimits shortest, found by counting lengths by
// the upper half of their 32 bits.
func shortest(n *topo.Net) []int32 {
	if n.Edges() <= mostLimits { // all of them, without a table that is larger than most meshes
		list := make([]int32, n.Edges())
		for e := range list {
			list[e] = int32(e)
		}
		return list
	}
	bits := make([]uint32, n.Edges())
	var bins [1 << 16]int32
	for e := range bits {
		a, b := n.Ends(e)
		bits[e] = math.Float32bits(float32(n.Mesh.Points[a].Dist(n.Mesh.Points[b])))
		bins[bits[e]>>16]++
	}
	top, sum := uint32(0), int32(0)
	for ; top < 1<<16-1 && sum+bins[top] < mostLimits; top++ {
		sum += bins[top]
	}
	var list []int32
	for e, b := range bits {
		if b>>16 <= top {
			list = append(list, int32(e))
		}
	}
	return list
}

// gaps lists points at borders that one of another place is near to: what ought to be joined.
// Near points that no border runs through are fine detail.
func (x *MeshSeen) gaps(ctx context.Context, tol float64) [][]geom.Vec3 {
	if !(tol > 0) || len(x.border) == 0 {
		return nil
	}
	var list [][]geom.Vec3
	for i, p := range topo.Places(ctx, x.border, tol) {
		if int(p) != i && x.border[i] != x.border[p] {
			list = append(list, []geom.Vec3{x.border[i]})
		}
	}
	return list
}

// crookedFrom is the cosine of the angle between a tangent and that of UVs and normals from which
// on a normal map looks wrong: 15°.
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

// sheets tells the open parts that are sheets from bodies with holes.
func (x *MeshSeen) sheets(m *scene.Mesh, f *flaw.Flaws, face func(int32) []geom.Vec3) {
	areas := mend.Areas(f.Net, f.Parts)
	sheet, isHole := mend.Sheets(f.Net, f.Parts, f.Borders)
	for i, ch := range f.Borders {
		c := f.Net.Runs(int(ch.Edges[0]))[0]
		if k := f.Parts.Of[f.Net.FaceOf[c]]; isHole[i] && k >= 0 && !sheet[k] {
			x.count[Holes]++
			if len(x.marks[Holes]) < mostMarks {
				var at []geom.Vec3
				for _, e := range ch.Edges[:min(len(ch.Edges), 64)] {
					p, _ := f.Net.Ends(int(e))
					at = append(at, m.Points[p])
				}
				x.marks[Holes] = append(x.marks[Holes], at)
			}
		}
	}
	for k, is := range sheet {
		if !is {
			continue
		}
		x.Sheets++
		x.count[Sheets]++
		x.sheetArea += areas[k]
		x.sheetSlots[m.Material(int(f.Parts.FirstFace[k]))] = true
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
	for e := range n.Edges() {
		r := n.Runs(e)
		if len(r) != 2 || n.Alike(r[0], r[1]) {
			continue
		}
		all++
		if m.Hard != nil && m.Hard[r[0]] || normals.Has() && !n.Soft(normals, e) {
			hard++
		}
	}
	if all == 0 {
		return -1
	}
	return float64(hard) / float64(all)
}

// Overlapping looks for faces of one mesh that lie within tol of one plane, look the same way and
// cover one another; pairs of meshes are Source's matter.
//
// It takes no more than steps of [flaw.AtOnce] or [flaw.InFull]; of none it finds nothing, and says that it is cut.
func Overlapping(ctx context.Context, m *scene.Mesh, tol float64, steps int) flaw.Overlap {
	if steps == 0 {
		return flaw.Overlap{Cut: true}
	}
	tris := make([]int32, 0, 3*m.Triangles())
	var faces []int32
	m.EachTriangle(func(f int, p, q, r int32) {
		tris, faces = append(tris, m.Corners[p], m.Corners[q], m.Corners[r]), append(faces, int32(f))
	})
	same := scene.Weld(ctx, m.Points)
	all := flaw.Triangles{Points: m.Points, Corners: tris, Faces: faces}
	return flaw.Overlaps(ctx, all, tol, steps, func(x, y int) bool {
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
}
