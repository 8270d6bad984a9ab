package draft

import (
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"math"
	"slices"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/union"
)

// Table is what stands on the turntable besides the model. Places are in the frame of the
// paper; metres.
type Table struct {
	Height  float64     // of the artist's own figure, 0 for none
	Pivot   *geom.Vec3  // nil where the station does not show it
	Heading float64     // of the pivot, degrees anticlockwise from above against the front
	Ground  float64     // height of the ground
	Axes    [3]string   // letters of right, up and toward the viewer
	Marks   []geom.Vec3 // markers
	Flaws   Flaws
	Solids  []Solid // shapes that stand for the asset
	// Patches are triangles that are coloured: where the mesh sticks out of its shapes, and where these fill
	// air.
	Patches [2][]Patch
}

// tableHead is what begins a packed turntable: the counts of what follows, and what is drawn besides. What follows,
// little-endian: float32 points, uint32 corners of triangles, uint32 ends of feature edges, float32 ends of the lines
// of known things and of those of flaws; of each shape float32 corners of its triangles and ends of its lines;
// float32 corners of patches; dots, each of them in uint16 its place in the box and its size as a part of the largest,
// then in uint8 the colours of all and their opacity.
type tableHead struct {
	Points    int          `json:"points"`
	Triangles int          `json:"triangles"`
	Edges     int          `json:"edges"`
	Thinned   bool         `json:"thinned"` // short creases of a dense model are left out
	Things    []tableThing `json:"things"`
	Pivot     *geom.Vec3   `json:"pivot"`
	Heading   float64      `json:"heading"`
	Marks     []geom.Vec3  `json:"marks"`
	Ground    float64      `json:"ground"`
	Flaws     int          `json:"flaws"` // lines
	Solids    []tableSolid `json:"solids"`
	Patches   [2]int       `json:"patches"` // triangles of each
	Dots      int          `json:"dots"`    // points without faces
	Largest   float64      `json:"largest"` // size of the largest of them, 0 where none has one; metres
	Axes      [3]string    `json:"axes"`
	Reach     float64      `json:"reach"` // of the asset, its longest extent
	Min       geom.Vec3    `json:"min"`
	Max       geom.Vec3    `json:"max"`
}

// mostTablePatches bounds the coloured triangles of either kind.
const mostTablePatches = 200_000

// tableSolid is a shape: how many triangles and lines it has.
type tableSolid struct {
	ID        string `json:"id"`
	Letter    string `json:"letter"`
	Triangles int    `json:"triangles"`
	Lines     int    `json:"lines"`
}

// tableThing is a thing everybody knows the size of.
type tableThing struct {
	Name   string `json:"name"`
	Figure string `json:"figure"`
	Lines  int    `json:"lines"` // of the things' lines, those of this one
}

// Turntable packs the model for the solid view: the length of a JSON header as uint32, the
// header padded with blanks to a multiple of four bytes, then what it counts. The error is
// ctx's.
func (m *Model) Turntable(ctx context.Context, t Table) ([]byte, error) {
	features, thinned := m.features(ctx)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	head := tableHead{Points: len(m.points), Triangles: len(m.tris) / 3, Edges: len(features), Thinned: thinned,
		Things: []tableThing{},
		Pivot:  t.Pivot, Heading: t.Heading, Marks: t.Marks, Ground: t.Ground, Axes: t.Axes, Solids: []tableSolid{},
		Dots: len(m.dots), Largest: m.largestDot(),
		Reach: m.Box.Size().Max()}
	if !m.Box.IsEmpty() {
		head.Min, head.Max = m.Box.Min, m.Box.Max
	}
	var things []byte
	// Beside it to the left, as on the drawing, one after the other, and level with its front.
	at := geom.Vec3{head.Min[0], t.Ground, head.Max[2]}
	for _, k := range slices.Backward(beside(head.Reach, t.Height)) {
		gap := max(0.25*k.w, 0.05*head.Reach)
		at[0] -= gap + k.w/2
		lines := 0
		k.solid(func(a, b geom.Vec3) {
			things = appendVec(appendVec(things, a.Add(at)), b.Add(at))
			lines++
		})
		at[0] -= k.w / 2
		head.Things = append(head.Things, tableThing{k.name, k.figure, lines})
	}
	for _, f := range t.Flaws {
		if f.Class == SeverityClass(finding.Note) {
			continue // what is wrong stands out
		}
		for i, p := range f.At {
			if q := f.At[(i+1)%len(f.At)]; len(f.At) > 1 && (i+1 < len(f.At) || !f.Open) {
				things = appendVec(appendVec(things, p), q)
				head.Flaws++
			}
		}
	}
	for _, s := range t.Solids {
		packed := tableSolid{ID: s.ID, Letter: s.Letter}
		for _, f := range s.Faces {
			for i := 2; i < len(f); i++ {
				for _, k := range [3]int32{f[0], f[i-1], f[i]} {
					things = appendVec(things, s.Points[k])
				}
				packed.Triangles++
			}
		}
		for _, l := range s.lines() {
			things = appendVec(appendVec(things, l[0]), l[1])
			packed.Lines++
		}
		head.Solids = append(head.Solids, packed)
	}
	for i, list := range t.Patches {
		for _, p := range list {
			if len(p) != 3 || head.Patches[i] == mostTablePatches {
				continue
			}
			head.Patches[i]++
			for _, q := range p {
				things = appendVec(things, q)
			}
		}
	}
	b, err := headed(head)
	if err != nil {
		return nil, err
	}
	b = slices.Grow(b, 12*len(m.points)+4*len(m.tris)+8*len(features)+len(things))
	for _, p := range m.points {
		b = appendVec(b, p)
	}
	for _, i := range m.tris {
		b = binary.LittleEndian.AppendUint32(b, uint32(i))
	}
	for _, i := range features {
		b = binary.LittleEndian.AppendUint32(b, uint32(m.edges[i].a))
		b = binary.LittleEndian.AppendUint32(b, uint32(m.edges[i].b))
	}
	b = append(b, things...)
	return m.packedDots(b, head.Largest), nil
}

// beside are the known things for an asset of some longest extent: what a hand holds has the
// small cube.
func beside(reach, height float64) []known {
	switch {
	case height > 0:
		return []known{ownHeight(height), cube}
	case reach < 0.4:
		return []known{small}
	}
	return []known{person, cube, door}
}

// headed begins a packed answer with its header.
func headed(head any) ([]byte, error) {
	j, err := json.Marshal(head)
	if err != nil {
		return nil, err
	}
	for len(j)%4 != 0 {
		j = append(j, ' ')
	}
	return append(binary.LittleEndian.AppendUint32(nil, uint32(len(j))), j...), nil
}

// appendVec appends a place as three float32.
func appendVec(b []byte, p geom.Vec3) []byte {
	for _, v := range p {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(v)))
	}
	return b
}

// Of a model with more faces than denseFaces, creases are features when they run on for
// featureRun of its longest extent.
const (
	denseFaces = 20_000
	featureRun = 0.04
)

// turnCos is the cosine of the angle within which a crease runs on into the next.
var turnCos = math.Cos(40 * math.Pi / 180)

// Creases are the ends of the hard edges that are drawn on a solid model; metres. When ctx ends it returns early, and
// what it returns means nothing.
func (m *Model) Creases(ctx context.Context) [][2]geom.Vec3 {
	list, _ := m.features(ctx)
	out := make([][2]geom.Vec3, len(list))
	for n, i := range list {
		out[n] = [2]geom.Vec3{m.points[m.edges[i].a], m.points[m.edges[i].b]}
	}
	return out
}

// EachTriangle calls do with the corners of every triangle; metres.
func (m *Model) EachTriangle(do func(p, q, r geom.Vec3)) {
	for i := 0; i < len(m.tris); i += 3 {
		do(m.points[m.tris[i]], m.points[m.tris[i+1]], m.points[m.tris[i+2]])
	}
}

// features are the numbers of the hard edges that are drawn on a solid model. On a dense one
// the creases of its grain would look like scratches: of those only the ones stay that run on
// from edge to edge, without branching and without a sharp turn. Borders and borders of slots
// stay, as far as they are not grain by the same measure.
func (m *Model) features(ctx context.Context) (list []int32, thinned bool) {
	for i, e := range m.edges {
		if e.hard {
			list = append(list, int32(i))
		}
	}
	if len(m.faces) <= denseFaces || len(list) == 0 {
		return list, false
	}
	// Where two hard edges meet and no third, they may be one run. Points of a place count as
	// one: edges carry the first of them.
	met := make([][2]int32, len(m.points)) // numbers in list, plus one
	many := make([]uint8, len(m.points))
	for n, i := range list {
		if n&0xffff == 0 && ctx.Err() != nil {
			return nil, true
		}
		for _, p := range [2]int32{m.edges[i].a, m.edges[i].b} {
			if many[p] < 2 {
				met[p][many[p]] = int32(n) + 1
			}
			many[p] = min(many[p]+1, 3)
		}
	}
	run := union.New(len(list))
	along := func(n, from int32) geom.Vec3 {
		e := m.edges[list[n]]
		if e.a == from {
			return m.points[e.b].Sub(m.points[e.a]).Unit()
		}
		return m.points[e.a].Sub(m.points[e.b]).Unit()
	}
	for p := range m.points {
		if p&0xffff == 0 && ctx.Err() != nil {
			return nil, true
		}
		if many[p] == 2 {
			x, y := met[p][0]-1, met[p][1]-1
			if -along(x, int32(p)).Dot(along(y, int32(p))) > turnCos {
				run.Join(x, y)
			}
		}
	}
	long := make([]float64, len(list))
	for n := range list {
		e := m.edges[list[n]]
		long[run.Find(int32(n))] += m.points[e.a].Dist(m.points[e.b])
	}
	least := featureRun * m.Box.Size().Max()
	kept := list[:0:0]
	for n, i := range list {
		if long[run.Find(int32(n))] >= least {
			kept = append(kept, i)
		}
	}
	slices.SortFunc(kept, func(a, b int32) int { return cmp.Compare(a, b) })
	return kept, len(kept) < len(list)
}
