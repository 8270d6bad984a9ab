package usd

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"maps"
	"path"
	"slices"
	"strings"
	"unicode"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the scene as a layer of text (Options.Text), as a crate, or as a package with its pictures
// (Options.Wrapped), in the basis and unit asked for: its up axis is +Y or +Z. Every node is an Xform with one
// matrix, which holds its mesh; the whole is below one Xform, the default prim. Meshes that are placed more than once
// are written each time: not all readers follow references within a layer. What the format can't hold is listed in
// the package's Changes. The error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	frame := geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres))
	w := &writer{ctx: ctx, s: s.Carried(frame), opt: opt, slots: map[int]string{}, grey: map[int]string{}}
	w.pictures()
	top := w.whole()
	root := &spec{meta: map[string]any{"defaultPrim": token(top.name), "metersPerUnit": one(opt.UnitMetres),
		"upAxis": token(upAxis(opt.Basis.Up))}, kids: []*spec{top}}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	name := bundle.Safe(opt.Name)
	switch l := (&layer{root: root}); {
	case opt.Text:
		w.out.Files = []bundle.File{{Name: name + ".usda", Data: textOf(l)}}
	default:
		w.out.Files = []bundle.File{{Name: name + ".usdc", Data: crateData(l)}}
	}
	w.out.Files = append(w.out.Files, w.images...)
	if opt.Wrapped {
		data, err := wrapped(w.out.Files)
		if err != nil {
			return nil, err
		}
		w.out.Files = []bundle.File{{Name: name + ".usdz", Data: data}}
	}
	return &w.out, ctx.Err()
}

// writer makes a layer of a scene.
type writer struct {
	ctx    context.Context
	s      *scene.Scene
	opt    pack.Options
	out    pack.Package
	images []bundle.File
	names  pack.Names
	grey   map[int]string // names of pictures that were made of the brightness of others
	path   []string       // of each image, "" when there is none to refer to
	slots  map[int]string // and of each material
	two    map[int]bool   // materials that all meshes can show from both sides
}

// one is a single number.
func one(v float64) tuple { return tuple{width: 1, v: []float64{v}} }

// rows is a list of rows of so many numbers.
func rows(width int, v []float64) tuple { return tuple{width: width, v: v, list: true} }

// row is one of several numbers.
func row(v ...float64) tuple { return tuple{width: len(v), v: v} }

// set gives a prim an attribute.
func (s *spec) set(typ, name string, v any) *property {
	p := &property{typ: typ, value: v, meta: map[string]any{}}
	s.props[name] = p
	return p
}

// relate gives it a relationship.
func (s *spec) relate(name, to string) {
	s.props[name] = &property{rel: true, targets: &edits{whole: true, items: []any{target(to)}}, meta: map[string]any{}}
}

// newPrim is a new one of a type.
func newPrim(typ, name string) *spec {
	return &spec{name: name, typ: typ, how: def, meta: map[string]any{}, props: map[string]*property{}}
}

// naming hands out names for prims beside one another: letters, digits and underlines, none of which differ by nothing
// but case.
type naming struct{ taken map[string]int }

// Identifier is what a prim is called for a name: letters, digits and underlines of ASCII. Newer readers know letters
// of all scripts (AOUSD Core Specification 1.0), and older ones refuse the file.
func Identifier(name string) string {
	var b strings.Builder
	for _, r := range name {
		switch {
		case r < 0x80 && (r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r)):
			b.WriteRune(r)
		default:
			b.WriteByte('_')
		}
	}
	n := b.String()
	if n == "" || n[0] >= '0' && n[0] <= '9' {
		n = "_" + n
	}
	return n
}

func (n *naming) take(name string) string {
	if n.taken == nil {
		n.taken = map[string]int{}
	}
	base := Identifier(name)
	out := base
	for k := n.taken[strings.ToLower(base)] + 1; ; k++ {
		if k > 1 {
			out = fmt.Sprintf("%s_%d", base, k)
		}
		if n.taken[strings.ToLower(out)] == 0 {
			n.taken[strings.ToLower(base)] = k
			n.taken[strings.ToLower(out)] = max(1, n.taken[strings.ToLower(out)])
			return out
		}
	}
}

// called names a prim; where its name can't be that of the thing, the thing's is the one that is shown.
func (w *writer) called(p *spec, name string, about pack.Topic) {
	if p.name == name {
		return
	}
	p.meta["displayName"] = prose(name)
	w.out.SayOf(about, pack.Name, name, fmt.Sprintf("the name of “%s” became “%s”", name, p.name),
		"names that all readers of USD take are of plain letters, digits and underlines; the whole name stands beside it")
}

// upAxis is what a layer can say of an axis: Y or Z. Of another one a receiver must know, whatever is said.
func upAxis(up geom.Axis) string {
	if up == geom.PosZ || up == geom.NegZ {
		return "Z"
	}
	return "Y"
}

// whole is the prim that holds all.
func (w *writer) whole() *spec {
	top := newPrim("Xform", Identifier(w.opt.Name))
	top.meta["kind"] = token("component")
	base := "/" + top.name
	var beside naming
	looks := newPrim("Scope", beside.take("Looks"))
	var slots naming
	w.two = map[int]bool{}
	for i, m := range w.s.Materials {
		p := newPrim("Material", slots.take(m.Name))
		w.called(p, m.Name, pack.Materials)
		w.slots[i] = base + "/" + looks.name + "/" + p.name
		w.dress(p, w.slots[i], m)
		looks.kids = append(looks.kids, p)
		w.two[i] = m.TwoSided
	}
	if len(looks.kids) > 0 {
		top.kids = append(top.kids, looks)
	}
	w.sides()
	at := make([]*spec, len(w.s.Nodes))
	uses := map[int]int{}
	names := make([]naming, len(w.s.Nodes))
	for i, n := range w.s.Nodes { // a parent comes first
		into, by := top, &beside
		if n.Parent >= 0 {
			into, by = at[n.Parent], &names[n.Parent]
		}
		p := newPrim("Xform", by.take(n.Name))
		w.called(p, n.Name, pack.Nodes)
		at[i] = p
		if n.Mesh >= 0 {
			uses[n.Mesh]++
		}
		into.kids = append(into.kids, p)
		w.node(p, n, &names[i])
	}
	for _, m := range slices.Sorted(maps.Keys(uses)) {
		if n := uses[m]; n > 1 {
			w.out.Say(pack.Nodes, fmt.Sprintf("%d instances of “%s”", n, w.s.Meshes[m].Name),
				"each is written in full, since not all readers follow references within a file")
		}
	}
	return top
}

// node fills the prim of one.
func (w *writer) node(p *spec, n scene.Node, below *naming) {
	if !n.Local.IsIdentity() {
		m, t := n.Local.M, n.Local.T
		p.set("matrix4d", "xformOp:transform", rows(16, []float64{m[0][0], m[1][0], m[2][0], 0, m[0][1], m[1][1], m[2][1], 0,
			m[0][2], m[1][2], m[2][2], 0, t[0], t[1], t[2], 1}).single())
		p.set("token[]", "xformOpOrder", list{token("xformOp:transform")})
	}
	if n.Hidden {
		p.set("token", "visibility", token("invisible"))
	}
	if n.Mesh < 0 {
		return
	}
	if n.Touch != nil { // what is touched is not drawn
		p.set("token", "purpose", token("guide"))
	}
	m := w.s.Meshes[n.Mesh]
	name := m.Name
	if name == "" {
		name = n.Name
	}
	c := newPrim("Mesh", below.take(name))
	if c.name != name {
		c.meta["displayName"] = prose(name)
	}
	p.kids = append(p.kids, c)
	if n.Touch != nil {
		c.meta["apiSchemas"] = &edits{before: []any{prose("PhysicsCollisionAPI"), prose("PhysicsMeshCollisionAPI")}}
		how := token("none") // the faces themselves
		if convex(m) {
			how = "convexHull"
		}
		c.set("token", "physics:approximation", how)
	}
	w.mesh(c, m)
}

// mostConvex is up to how many points a shape is looked at whether it is its own hull.
const mostConvex = 256

// convex tells a shape that is its own hull, as far as it has few points.
func convex(m *scene.Mesh) bool {
	if len(m.Points) > mostConvex {
		return false
	}
	box := geom.EmptyBox()
	for _, p := range m.Points {
		box = box.Add(p)
	}
	tol := 1e-5 * box.Size().Max()
	for f := range m.Faces() {
		n, at := m.FaceNormal(f).Unit(), m.Points[m.Corners[m.FaceStart[f]]]
		for _, p := range m.Points {
			if p.Sub(at).Dot(n) > tol {
				return false
			}
		}
	}
	return true
}

// single is a list of one row as a value of its own.
func (t tuple) single() tuple { t.list = false; return t }

// ints are whole numbers as a list.
func ints(list []int32) tuple {
	v := make([]float64, len(list))
	for i, x := range list {
		v[i] = float64(x)
	}
	return rows(1, v)
}

// mesh fills the prim of one.
func (w *writer) mesh(p *spec, m *scene.Mesh) {
	points := make([]float64, 0, 3*len(m.Points))
	box := geom.EmptyBox()
	for _, q := range m.Points {
		points, box = append(points, q[:]...), box.Add(q)
	}
	counts := make([]float64, m.Faces())
	for f := range counts {
		counts[f] = float64(m.FaceStart[f+1] - m.FaceStart[f])
	}
	p.set("point3f[]", "points", rows(3, points))
	if !box.IsEmpty() {
		p.set("float3[]", "extent", rows(3, slices.Concat(box.Min[:], box.Max[:])))
	}
	p.set("int[]", "faceVertexCounts", rows(1, counts))
	p.set("int[]", "faceVertexIndices", ints(m.Corners))
	p.set("token", "subdivisionScheme", token("none"))
	vary := func(typ, name string, v tuple, index []int32) {
		p.set(typ, name, v).meta["interpolation"] = token("faceVarying")
		p.set("int[]", name+":indices", ints(index))
	}
	if m.Normals.Has() {
		var v []float64
		for _, n := range m.Normals.Values {
			v = append(v, float64(n[0]), float64(n[1]), float64(n[2]))
		}
		vary("normal3f[]", "primvars:normals", rows(3, v), m.Normals.Index)
	}
	for i, u := range m.UVs {
		v := make([]float64, 0, 2*len(u.Values))
		for _, t := range u.Values {
			v = append(v, t[0], t[1])
		}
		vary("texCoord2f[]", "primvars:"+setName(i), rows(2, v), u.Index)
		if u.Name != setName(i) {
			w.out.Say(pack.UVSets, "the names of UV sets", "receivers of USD look for “st”, “st1” and so on")
		}
	}
	if m.Colors.Has() {
		var rgb, a []float64
		seen := false
		for _, c := range m.Colors.Values {
			rgb, a = append(rgb, float64(c[0]), float64(c[1]), float64(c[2])), append(a, float64(c[3]))
			seen = seen || c[3] != 1
		}
		vary("color3f[]", "primvars:displayColor", rows(3, rgb), m.Colors.Index)
		if seen {
			vary("float[]", "primvars:displayOpacity", rows(1, a), m.Colors.Index)
		}
	}
	if m.Tangents.Has() {
		w.out.Say(pack.Tangents, "tangents", "USD has no standard place for them; a receiver makes them from normals and UVs")
	}
	w.bind(p, m)
}

// setName is what a UV set is called by its number.
func setName(i int) string {
	if i == 0 {
		return "st"
	}
	return fmt.Sprintf("st%d", i)
}

// bind gives a mesh and its faces their materials.
func (w *writer) bind(p *spec, m *scene.Mesh) {
	binding := &edits{before: []any{prose("MaterialBindingAPI")}}
	bound := func(p *spec, k int) {
		if e, ok := p.meta["apiSchemas"].(*edits); ok {
			e.before = append(e.before, binding.before...)
		} else {
			p.meta["apiSchemas"] = binding
		}
		p.relate("material:binding", w.slots[k])
	}
	used := m.UsedSlots()
	if len(used) > 0 && !slices.ContainsFunc(used, func(k int) bool { return k < 0 || !w.two[k] }) {
		p.set("bool", "doubleSided", one(1))
	}
	if len(used) == 1 {
		if used[0] >= 0 {
			bound(p, used[0])
		}
		return
	}
	p.set("token", "subsetFamily:materialBind:familyType", token("partition"))
	of := map[int][]int32{}
	for f := range m.Faces() {
		of[m.Material(f)] = append(of[m.Material(f)], int32(f))
	}
	var names naming
	done := map[int]bool{}
	for _, k := range used {
		if k < 0 || done[k] {
			continue
		}
		done[k] = true
		g := newPrim("GeomSubset", names.take(w.s.Materials[k].Name))
		g.set("token", "elementType", token("face"))
		g.set("token", "familyName", token("materialBind"))
		g.set("int[]", "indices", ints(of[k]))
		bound(g, k)
		p.kids = append(p.kids, g)
	}
	if len(of[-1]) > 0 {
		p.props["subsetFamily:materialBind:familyType"].value = token("nonOverlapping")
	}
}

// sides finds the materials that can be two-sided: meshes are, as a whole, so that all that a mesh has must be.
func (w *writer) sides() {
	for _, m := range w.s.Meshes {
		used := m.UsedSlots()
		if !slices.ContainsFunc(used, func(k int) bool { return k < 0 || !w.s.Materials[k].TwoSided }) {
			continue
		}
		for _, k := range used {
			if k >= 0 && w.s.Materials[k].TwoSided {
				w.two[k] = false
				w.out.SayOf(pack.Materials, pack.Sides, w.s.Materials[k].Name,
					fmt.Sprintf("two-sidedness of “%s”", w.s.Materials[k].Name),
					fmt.Sprintf("USD has meshes that are two-sided as a whole, and “%s” has faces that are not", m.Name))
			}
		}
	}
}

// pictures gives every picture a name of its own.
func (w *writer) pictures() {
	w.names.Take(w.opt.Name, ".usdc")
	w.path, w.images = w.out.Beside(w.s.Images, &w.names)
	for i, im := range w.s.Images {
		if e := strings.ToLower(path.Ext(w.path[i])); im.Found() && e != ".png" && e != ".jpg" && e != ".jpeg" {
			w.out.SayOf(pack.Textures, pack.Openable, im.Name, fmt.Sprintf("picture “%s” goes as it is", im.Name),
				"USD asks for PNG or JPEG; a receiver may not open "+e)
		}
	}
}

// alignment is where the bytes of a file begin in a package (Usdz File Format Specification): at a multiple of so many.
const alignment = 64

// wrapped is a package of files: a zip that packs none of them.
func wrapped(files []bundle.File) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		if err := z.Flush(); err != nil {
			return nil, err
		}
		h := &zip.FileHeader{Name: f.Name, Method: zip.Store, CRC32: crc32.ChecksumIEEE(f.Data),
			CompressedSize64: uint64(len(f.Data)), UncompressedSize64: uint64(len(f.Data))}
		const head, least = 30, 4 // bytes of a file's head before its name, and of the smallest extra
		pad := (alignment - (b.Len()+head+len(f.Name))%alignment) % alignment
		if pad > 0 && pad < least {
			pad += alignment
		}
		if pad > 0 {
			h.Extra = make([]byte, pad)
			binary.LittleEndian.PutUint16(h.Extra, 0x1986)
			binary.LittleEndian.PutUint16(h.Extra[2:], uint16(pad-least))
		}
		to, err := z.CreateRaw(h)
		if err == nil {
			_, err = to.Write(f.Data)
		}
		if err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}
