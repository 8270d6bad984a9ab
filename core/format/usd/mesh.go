package usd

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// meshOf is the number of a prim's mesh, -1 for one without faces. Instances of one prototype with the same materials
// share it.
func (r *reader) meshOf(p *prim, bound string) (int, error) {
	key := bound
	for _, g := range p.groups {
		for _, s := range g.specs {
			if len(s.props)+len(s.kids)+len(s.sets) > 0 || len(p.groups) == 1 { // else it says nothing of its own
				key += fmt.Sprintf(" %p", s)
			}
		}
	}
	if i, ok := r.meshes[key]; ok {
		return i, r.ctx.Err()
	}
	m, err := r.mesh(p, bound)
	i := -1
	if m != nil && err == nil {
		i = len(r.s.Meshes)
		r.s.Meshes = append(r.s.Meshes, m)
	}
	r.meshes[key] = i
	return i, err
}

// faces are what of a mesh's faces came in: the number in the file of each, and the corners in the file of each corner.
type faces struct {
	face   []int
	corner []int
}

// mesh reads one, nil for one without faces.
func (r *reader) mesh(p *prim, bound string) (*scene.Mesh, error) {
	m := &scene.Mesh{Name: p.shown(), FaceStart: []int32{0}}
	at := numbers(p.attr("points"))
	for i := 0; i+3 <= len(at); i += 3 {
		m.Points = append(m.Points, geom.Vec3(at[i:i+3]).Mul(r.s.UnitMetres))
	}
	kept := r.polygons(p, m)
	if m.Faces() == 0 {
		return nil, nil
	}
	if v := word(p.attr("subdivisionScheme")); v != "none" && p.has("subdivisionScheme") {
		m.Cage = r.cage(p, m, scene.Scheme(v))
	}
	r.normals(p, m, kept)
	r.colours(p, m, kept)
	sets := r.uvs(p, m, kept)
	r.slots(p, m, kept, bound, sets)
	return m, r.ctx.Err()
}

// forever is from how sharp on an edge of a cage is sharp at every division, by the schema.
const forever = 10

// cage reads by which scheme a mesh is divided, and which edges are sharp; nil for a scheme that is unknown.
func (r *reader) cage(p *prim, m *scene.Mesh, by scene.Scheme) *scene.Cage {
	if by != scene.CatmullClark && by != scene.Loop && by != scene.Bilinear {
		r.note(finding.Look, "source/scheme", fmt.Sprintf("“%s” is divided by “%s”, which is unknown here", p.name,
			fault.Shown(string(by))), "Its faces came in as they are.", nil)
		return nil
	}
	c := &scene.Cage{Scheme: by}
	index, sharp := numbers(p.attr("creaseIndices")), numbers(p.attr("creaseSharpnesses"))
	from := 0
	each := 0 // a sharpness for each crease, or for each of its edges
	for k, n := range numbers(p.attr("creaseLengths")) {
		if n < 2 || int(n) > len(index)-from {
			break
		}
		run := index[from : from+int(n)]
		from += int(n)
		for i := range len(run) - 1 {
			a, b := run[i], run[i+1]
			at := k
			if len(sharp) > len(numbers(p.attr("creaseLengths"))) {
				at = each
			}
			each++
			if at >= len(sharp) || a < 0 || b < 0 || int(a) >= len(m.Points) || int(b) >= len(m.Points) || !(sharp[at] > 0) {
				continue
			}
			if c.Sharp == nil {
				c.Sharp = map[scene.EdgeKey]float64{}
			}
			s := sharp[at]
			if s >= forever {
				s = math.Inf(1)
			}
			c.Sharp[scene.EdgeOf(int32(a), int32(b))] = s
		}
	}
	return c
}

// polygons reads the faces. Those of a left-handed mesh are turned round, and holes are left out.
func (r *reader) polygons(p *prim, m *scene.Mesh) (kept faces) {
	counts, index := numbers(p.attr("faceVertexCounts")), numbers(p.attr("faceVertexIndices"))
	left := word(p.attr("orientation")) == "leftHanded"
	holes := map[int]bool{}
	for _, h := range numbers(p.attr("holeIndices")) {
		holes[int(h)] = true
	}
	from, bad := 0, 0
	for f, c := range counts {
		n := int(c)
		if c < 0 || n > len(index)-from {
			bad += len(counts) - f
			break
		}
		ok := n >= 3
		for _, v := range index[from : from+n] {
			ok = ok && v >= 0 && int(v) < len(m.Points) && m.Points[int(v)].IsFinite()
		}
		switch {
		case holes[f]:
		case !ok:
			bad++
		default:
			for k := range n {
				if left {
					k = n - 1 - k
				}
				m.Corners = append(m.Corners, int32(index[from+k]))
				kept.corner = append(kept.corner, from+k)
			}
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
			kept.face = append(kept.face, f)
		}
		from += n
	}
	for i, v := range m.Points {
		if !v.IsFinite() {
			m.Points[i] = geom.Vec3{}
		}
	}
	if bad > 0 {
		r.note(finding.MustFix, "source/bad-part", fmt.Sprintf("%s of “%s” can't be read and were left out",
			figure.Plural(bad, "face", "faces"), p.name), "They have fewer than three corners, or corners on points that "+
			"are not there. Everything else came in.", nil)
		r.found[len(r.found)-1].Brief = "faces left out"
	}
	if len(holes) > 0 {
		r.s.Left = append(r.s.Left, scene.Left{What: "hole", Count: len(holes), Why: "faces that are holes have no surface"})
	}
	return kept
}

// primvar is a value that varies over a mesh: rows of so many numbers, and which of them each corner has.
type primvar struct {
	rows  []float64
	width int
	index []int32 // of each corner, -1 for none
}

// primvarOf reads one by its name, by what its interpolation says; nil where there is none. width is how many numbers
// a row has.
func (r *reader) primvarOf(p *prim, m *scene.Mesh, kept faces, name string, width int) *primvar {
	v := numbers(p.attr(name))
	if len(v) < width {
		return nil
	}
	n := len(v) / width
	out := &primvar{rows: v, width: width}
	how := word(p.propMeta(name, "interpolation"))
	indices := numbers(p.attr(name + ":indices"))
	elements := n
	if indices != nil {
		elements = len(indices)
	}
	if how == "" { // normals and points are by vertex, what is a primvar is constant
		how = "constant"
		if name == "normals" {
			how = "vertex"
		}
	}
	pick := func(c, f int) int {
		switch how {
		case "constant":
			return 0
		case "uniform":
			return kept.face[f]
		case "vertex", "varying":
			return int(m.Corners[c])
		}
		return kept.corner[c]
	}
	some := false
	for f := range m.Faces() {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			i := pick(int(c), f)
			if i < elements && indices != nil {
				i = int(indices[i])
			}
			if i < 0 || i >= n {
				i = -1
			}
			some = some || i >= 0
			out.index = append(out.index, int32(i))
		}
	}
	if !some {
		return nil
	}
	return out
}

// normals reads those of corners; a primvar of the name is stronger.
func (r *reader) normals(p *prim, m *scene.Mesh, kept faces) {
	v := r.primvarOf(p, m, kept, "primvars:normals", 3)
	if v == nil {
		v = r.primvarOf(p, m, kept, "normals", 3)
	}
	if v == nil {
		return
	}
	m.Normals.Index = v.index
	for i := 0; i+3 <= len(v.rows); i += 3 {
		m.Normals.Values = append(m.Normals.Values,
			[3]float32{float32(v.rows[i]), float32(v.rows[i+1]), float32(v.rows[i+2])})
	}
}

// colours reads the colours that are shown, which are of light, and their opacity.
func (r *reader) colours(p *prim, m *scene.Mesh, kept faces) {
	v := r.primvarOf(p, m, kept, "primvars:displayColor", 3)
	if v == nil || word(p.propMeta("primvars:displayColor", "interpolation")) == "constant" && len(v.rows) == 3 ||
		len(v.rows) == 3 && p.propMeta("primvars:displayColor", "interpolation") == nil {
		return // one colour for all is a look of the viewer, and none of the corners
	}
	a := r.primvarOf(p, m, kept, "primvars:displayOpacity", 1)
	type pair struct{ c, a int32 }
	at := map[pair]int32{}
	for c, i := range v.index {
		x := pair{i, -1}
		if a != nil {
			x.a = a.index[c]
		}
		k, ok := at[x]
		switch {
		case i < 0:
			k = -1
		case !ok:
			k = int32(len(m.Colors.Values))
			v := [4]float32{float32(v.rows[3*i]), float32(v.rows[3*i+1]), float32(v.rows[3*i+2]), 1}
			if x.a >= 0 {
				v[3] = float32(a.rows[x.a])
			}
			at[x], m.Colors.Values = k, append(m.Colors.Values, v)
		}
		m.Colors.Index = append(m.Colors.Index, k)
	}
}

// uvs reads the texture coordinates; it gives the names of the sets, by which materials ask for them.
func (r *reader) uvs(p *prim, m *scene.Mesh, kept faces) (names []string) {
	for _, g := range p.groups {
		for _, s := range g.specs {
			for name := range s.props {
				key, ok := strings.CutPrefix(name, "primvars:")
				if !ok || strings.Contains(key, ":") || slices.Contains(names, key) {
					continue
				}
				switch typ := p.propType(name); {
				case strings.HasPrefix(typ, "texCoord2"), strings.HasPrefix(typ, "float2") || strings.HasPrefix(typ, "double2"):
					names = append(names, key)
				}
			}
		}
	}
	slices.SortFunc(names, func(a, b string) int { // the usual ones first, those with a number by that
		usual := func(s string) int {
			if n, err := strconv.Atoi(strings.TrimPrefix(s, "st")); err == nil && n >= 0 && n < 1000 {
				return 10 + n
			}
			return (slices.Index([]string{"st", "uv", "UVMap"}, s) + 5000) % 5000
		}
		return cmp.Or(usual(a)-usual(b), strings.Compare(a, b))
	})
	var kinds []string
	for _, key := range names {
		v := r.primvarOf(p, m, kept, "primvars:"+key, 2)
		if v == nil {
			continue
		}
		u := scene.UVSet{Name: key}
		u.Index = v.index
		for i := 0; i+2 <= len(v.rows); i += 2 {
			u.Values = append(u.Values, [2]float64{v.rows[i], v.rows[i+1]})
		}
		m.UVs = append(m.UVs, u)
		kinds = append(kinds, key)
	}
	return kinds
}

// slots gives faces the materials that are bound: to the mesh or what is above it, and to subsets of its faces.
func (r *reader) slots(p *prim, m *scene.Mesh, kept faces, bound string, sets []string) {
	whole := r.materialOf(bound, sets)
	m.Slots = []int{whole}
	two := number(p.attr("doubleSided"), 0) != 0
	of := map[int]int32{} // slot of a face of the file
	for _, k := range p.kids {
		if k.typ() != "GeomSubset" || !k.active() {
			continue
		}
		if f := word(k.attr("familyName")); f != "" && f != "materialBind" {
			continue
		}
		t := k.targets("material:binding")
		if len(t) == 0 {
			continue
		}
		slot := int32(len(m.Slots))
		m.Slots = append(m.Slots, r.materialOf(t[0], sets))
		for _, f := range numbers(k.attr("indices")) {
			of[int(f)] = slot
		}
	}
	if len(m.Slots) > 1 {
		m.Slot = make([]int32, m.Faces())
		for f := range m.Slot {
			m.Slot[f] = of[kept.face[f]]
		}
	}
	for _, k := range m.Slots {
		if two && k >= 0 {
			r.s.Materials[k].TwoSided = true
		}
	}
}
