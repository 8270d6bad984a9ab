package fbx

import (
	"fmt"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// body is a geometry read: its mesh without slots, and the material number of
// each face, nil when all have the first.
type body struct {
	mesh     *scene.Mesh
	material []int32
}

// geometry reads the mesh of a Geometry, or of a Model in the older layout. Points
// stay in file units.
func (r *reader) geometry(o *object) (*body, error) {
	if o.rec.damaged != nil {
		return nil, o.rec.damaged
	}
	points := o.rec.sub("Vertices").floats()
	corners := o.rec.sub("PolygonVertexIndex").ints()
	if len(points)%3 != 0 {
		return nil, r.doc.broken(o, "has %d coordinates, which make no whole number of points", len(points)).
			Advise("The file is damaged or was written wrongly; export the mesh again")
	}
	g := &geometryReader{reader: r, o: o, count: len(points) / 3}
	m := &scene.Mesh{Name: o.name, Points: make([]geom.Vec3, g.count)}
	for i := range m.Points {
		p := geom.Vec3{points[3*i], points[3*i+1], points[3*i+2]}
		if !finite(p) {
			return nil, r.doc.broken(o, "point %d is not finite: %v", i,
				p).Advise("Delete it in the modelling program and export again")
		}
		m.Points[i] = p
	}
	if err := g.polygons(m, corners); err != nil {
		return nil, err
	}
	g.mesh = m
	g.layers()
	return &body{m, g.material}, nil
}

// finite tells whether all three are numbers within what is read, 1e30 of the unit;
// [geom.Vec3.IsFinite] tells less.
func finite(p geom.Vec3) bool {
	for _, c := range p {
		if !(c < 1e30 && c > -1e30) {
			return false
		}
	}
	return true
}

// geometryReader makes a mesh of one geometry. Layers count in the corners of the file,
// some of which the mesh leaves out; cornerOf and faceOf lead from the mesh to the file.
type geometryReader struct {
	*reader
	o        *object
	count    int // points
	mesh     *scene.Mesh
	material []int32

	// The file's corners and polygons, of which those with fewer than three corners
	// are dropped from the mesh. A layer counts in the file's.
	total    int     // corners of the file
	cornerOf []int32 // file corner of each mesh corner, nil when none was dropped
	faceOf   []int32 // file polygon of each face, nil likewise
	polys    int
}

// polygons cuts the corner list; the last corner of a polygon is stored inverted.
func (g *geometryReader) polygons(m *scene.Mesh, list []int32) error {
	g.total = len(list)
	short, run := 0, 0
	for _, v := range list {
		if run++; v < 0 {
			if run < 3 {
				short++
			}
			run = 0
		}
	}
	if run > 0 {
		g.note(finding.Look, "source/fbx-open-polygon", fmt.Sprintf("The last polygon of “%s” is not closed",
			clean(g.o.name)),
			"Its corners end without the mark of a last one; it does not come in.", g.o)
		list = list[:len(list)-run]
	}
	for range short {
		g.s.LeaveOut("polygon of fewer than three corners", clean(g.o.name), "it has no area")
	}
	m.FaceStart = make([]int32, 1, len(list)/3+1)
	m.Corners = make([]int32, 0, len(list))
	start := 0
	for i, v := range list {
		end := v < 0
		if end {
			v = ^v
		}
		if int(v) >= g.count {
			return g.doc.broken(g.o, "corner %d sits on point %d, and there are %d", i, v, g.count).
				Advise("The file is damaged or was written wrongly; export the mesh again")
		}
		m.Corners = append(m.Corners, v)
		if !end {
			continue
		}
		if n := i + 1 - start; n < 3 {
			m.Corners = m.Corners[:len(m.Corners)-n]
		} else {
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
			if short > 0 {
				for c := start; c <= i; c++ {
					g.cornerOf = append(g.cornerOf, int32(c))
				}
				g.faceOf = append(g.faceOf, int32(g.polys))
			}
		}
		g.polys++
		start = i + 1
	}
	return nil
}

// sequence is 0, 1, 2 to n−1.
func sequence(n int) []int32 {
	s := make([]int32, n)
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

// corner and face give the file's number of a mesh corner or face.
func (g *geometryReader) corner(c int) int32 {
	if g.cornerOf != nil {
		return g.cornerOf[c]
	}
	return int32(c)
}

// face is the file’s number of a face of the mesh.
func (g *geometryReader) face(f int) int32 {
	if g.faceOf != nil {
		return g.faceOf[f]
	}
	return int32(f)
}

// mapped works out which entry of a layer each corner of the mesh has, -1 for none.
// Mapping says what the entries count over, reference whether an index stands
// between. What does not fit is reported once and the rest kept.
func (g *geometryReader) mapped(layer *record, indexName string, values int) ([]int32, bool) {
	mapping, reference := layer.sub("MappingInformationType").str(0), layer.sub("ReferenceInformationType").str(0)
	var index []int32
	if reference == "IndexToDirect" || reference == "Index" {
		index = layer.sub(indexName).ints()
	}
	var entry func(c, f int) int32
	switch mapping {
	case "ByPolygonVertex":
		if index == nil && g.cornerOf == nil && values == g.total && values == len(g.mesh.Corners) {
			return sequence(values), true
		}
		entry = func(c, _ int) int32 { return g.corner(c) }
	case "ByPolygon":
		entry = func(_, f int) int32 { return g.face(f) }
	case "ByVertice", "ByVertex":
		entry = func(c, _ int) int32 { return g.mesh.Corners[c] }
	case "AllSame":
		entry = func(int, int) int32 { return 0 }
	default:
		g.note(finding.Look, "source/fbx-mapping", fmt.Sprintf("%s of “%s” is mapped %q", layer.name, clean(g.o.name),
			clean(mapping)),
			"This mapping is not known for it, so the layer does not come in.", g.o)
		return nil, false
	}
	out := make([]int32, len(g.mesh.Corners))
	wrong := 0
	for f := range g.mesh.Faces() {
		for c := g.mesh.FaceStart[f]; c < g.mesh.FaceStart[f+1]; c++ {
			e := entry(int(c), f)
			if index != nil {
				if int(e) < len(index) {
					e = index[e]
				} else {
					e = -2
				}
			}
			if e < 0 || int(e) >= values {
				if e != -1 {
					wrong++
				}
				e = -1
			}
			out[c] = e
		}
	}
	if wrong > 0 {
		g.note(finding.Look, "source/fbx-short-layer", fmt.Sprintf("%s of “%s” is too short", layer.name, clean(g.o.name)),
			fmt.Sprintf("%d of %d corners have no entry in it; the rest is kept.", wrong, len(out)), g.o)
	}
	return out, true
}

// layers reads what the geometry says of its corners and faces: every UV set, and of
// normals, tangents and colours the first.
func (g *geometryReader) layers() {
	for _, l := range g.o.rec.subs {
		switch {
		case !g.brief || l.name == "LayerElementMaterial":
		case l.name == "LayerElementUV":
			g.mesh.UVs = append(g.mesh.UVs, scene.UVSet{Name: g.uvName(l)})
			continue
		default:
			continue
		}
		switch l.name {
		case "LayerElementNormal":
			if !g.mesh.Normals.Has() {
				g.normals(l)
			}
		case "LayerElementTangent":
			if !g.mesh.Tangents.Has() {
				g.tangents(l)
			}
		case "LayerElementUV":
			g.uv(l)
		case "LayerElementColor":
			if !g.mesh.Colors.Has() {
				g.colors(l)
			}
		case "LayerElementMaterial":
			g.materials(l)
		case "LayerElementEdgeCrease":
			g.creases(l)
		case "LayerElementSmoothing":
			g.smoothing(l)
		}
	}
}

// normals reads one layer of normals; their length says nothing.
func (g *geometryReader) normals(l *record) {
	v := l.sub("Normals").floats()
	idx, ok := g.mapped(l, "NormalsIndex", len(v)/3)
	if !ok {
		return
	}
	values := make([][3]float32, len(v)/3)
	for i := range values {
		values[i] = narrow(v[3*i:])
	}
	g.mesh.Normals = scene.Layer[[3]float32]{Values: values, Index: idx}
}

// narrow makes three 32-bit numbers of the first three.
func narrow(v []float64) [3]float32 {
	p := geom.Vec3{v[0], v[1], v[2]}
	if !finite(p) {
		return [3]float32{}
	}
	return [3]float32{float32(p[0]), float32(p[1]), float32(p[2])}
}

// tangents take the handedness of the bitangent from the binormals when they are
// there, in step.
func (g *geometryReader) tangents(l *record) {
	v := l.sub("Tangents").floats()
	idx, ok := g.mapped(l, "TangentsIndex", len(v)/3)
	if !ok {
		return
	}
	var bi []float64
	if b := g.o.rec.sub("LayerElementBinormal"); b != nil {
		if bi = b.sub("Binormals").floats(); len(bi) != len(v) {
			bi = nil
		}
	}
	values := make([][4]float32, len(v)/3)
	for i := range values {
		t := narrow(v[3*i:])
		values[i] = [4]float32{t[0], t[1], t[2], 1}
	}
	if n := g.mesh.Normals; bi != nil && n.Has() {
		for c, i := range idx {
			k := n.Index[c]
			if i < 0 || k < 0 {
				continue
			}
			a, t := n.Values[k], values[i]
			cross := geom.Vec3{float64(a[0]), float64(a[1]), float64(a[2])}.Cross(geom.Vec3{float64(t[0]), float64(t[1]),
				float64(t[2])})
			if cross.Dot(geom.Vec3{bi[3*i], bi[3*i+1], bi[3*i+2]}) < 0 {
				values[i][3] = -1
			}
		}
	}
	g.mesh.Tangents = scene.Layer[[4]float32]{Values: values, Index: idx}
}

// uv reads one UV set; its origin is bottom left, as the mesh’s.
func (g *geometryReader) uv(l *record) {
	v := l.sub("UV").floats()
	idx, ok := g.mapped(l, "UVIndex", len(v)/2)
	if !ok {
		return
	}
	values := make([][2]float64, len(v)/2)
	for i := range values {
		if finite(geom.Vec3{v[2*i], v[2*i+1]}) {
			values[i] = [2]float64{v[2*i], v[2*i+1]}
		}
	}
	g.mesh.UVs = append(g.mesh.UVs,
		scene.UVSet{Name: g.uvName(l), Layer: scene.Layer[[2]float64]{Values: values, Index: idx}})
}

// uvName is what a UV set is called.
func (g *geometryReader) uvName(l *record) string {
	name := l.sub("Name").str(0)
	if name == "" {
		name = fmt.Sprintf("UV %d", len(g.mesh.UVs)+1)
	}
	return clean(name)
}

// colors reads one layer of vertex colours, which FBX has as a screen shows them.
func (g *geometryReader) colors(l *record) {
	v := l.sub("Colors").floats()
	idx, ok := g.mapped(l, "ColorIndex", len(v)/4)
	if !ok {
		return
	}
	values := make([][4]float32, len(v)/4)
	for i := range values {
		c := narrow([]float64{scene.Linear(v[4*i]), scene.Linear(v[4*i+1]), scene.Linear(v[4*i+2])})
		values[i] = [4]float32{c[0], c[1], c[2], narrow([]float64{v[4*i+3], 0, 0})[0]}
	}
	g.mesh.Colors = scene.Layer[[4]float32]{Values: values, Index: idx}
}

// materials reads which slot each face has, counted in the materials of the model.
func (g *geometryReader) materials(l *record) {
	v := l.sub("Materials").ints()
	switch l.sub("MappingInformationType").str(0) {
	case "ByPolygon":
		g.material = make([]int32, g.mesh.Faces())
		short := false
		for f := range g.material {
			if p := g.face(f); int(p) < len(v) {
				g.material[f] = v[p]
			} else {
				short = true
			}
		}
		if short {
			g.note(finding.Look, "source/fbx-short-layer", fmt.Sprintf("The materials of “%s” are too few", clean(g.o.name)),
				"Polygons beyond the list have the first material.", g.o)
		}
	default:
		if len(v) > 0 && v[0] != 0 {
			g.material = make([]int32, g.mesh.Faces())
			for f := range g.material {
				g.material[f] = v[0]
			}
		}
	}
}

// smoothing comes as a group for each polygon, or as hard and smooth edges. Edges
// make normals when the file has none of its own; otherwise those say the same.
func (g *geometryReader) smoothing(l *record) {
	v := l.sub("Smoothing").ints()
	switch l.sub("MappingInformationType").str(0) {
	case "ByPolygon":
		g.mesh.Smooth = make([]uint32, g.mesh.Faces())
		for f := range g.mesh.Smooth {
			if p := g.face(f); int(p) < len(v) {
				g.mesh.Smooth[f] = uint32(v[p])
			}
		}
	case "ByEdge":
		g.edges(g.o.rec.sub("Edges").ints(), v)
	}
}

// creases become hard edges: a surface that is not subdivided shows them so.
func (g *geometryReader) creases(l *record) {
	v := l.sub("EdgeCrease").floats()
	if l.sub("MappingInformationType").str(0) != "ByEdge" || len(v) == 0 {
		return
	}
	smooth := make([]int32, len(v))
	for i, c := range v {
		if c <= 0 {
			smooth[i] = 1
		}
	}
	g.edges(g.o.rec.sub("Edges").ints(), smooth)
}

// edges marks the edges that the file calls hard. An entry of Edges is the corner
// an edge starts at; it runs to the next corner of its polygon.
func (g *geometryReader) edges(starts, smooth []int32) {
	if len(starts) == 0 || g.cornerOf != nil {
		return
	}
	hard := g.mesh.Hard
	if hard == nil {
		hard = make([]bool, len(g.mesh.Corners))
	}
	for i, c := range starts {
		if i < len(smooth) && smooth[i] == 0 && c >= 0 && int(c) < len(hard) {
			hard[c] = true
		}
	}
	g.mesh.Hard = hard
}
