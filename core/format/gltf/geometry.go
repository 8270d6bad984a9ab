package gltf

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// meshes builds all meshes, each once however many nodes place it.
func (r *reader) meshes(ctx context.Context) error {
	var total int64
	for _, b := range r.buffers {
		total += int64(len(b))
	}
	var worst *fault.Error
	sound := 0
	for i, gm := range r.doc.Meshes {
		if err := ctx.Err(); err != nil {
			return err
		}
		m := &scene.Mesh{Name: orNumber(gm.Name, "mesh", i)}
		b := &meshBuilder{reader: r, m: m, slotOf: map[int]int32{}}
		for k, p := range gm.Primitives {
			err := b.primitive(ctx, p)
			if errors.Is(err, errNoBuffer) {
				continue
			}
			var e *fault.Error
			if err != nil && !errors.As(err, &e) {
				return err
			}
			if err != nil {
				e.What = fmt.Sprintf("mesh %d “%s”, part %d: %s", i, fault.Shown(m.Name), k, e.What)
				r.leftOut(e, m.Name, k)
				worst = cmp.Or(worst, e)
				continue
			}
			sound++
		}
		b.finish()
		r.s.Meshes = append(r.s.Meshes, m)
		r.progress(total*int64(i+1)/int64(len(r.doc.Meshes)), total)
	}
	if worst != nil && sound == 0 {
		return worst // nothing is left of it
	}
	return nil
}

// leftOut says that a part of a mesh can't be read: one bad part is not a bad file.
func (r *reader) leftOut(e *fault.Error, mesh string, part int) {
	r.s.LeaveOut("part that can't be read", mesh, e.Plain())
	r.note(finding.MustFix, "source/bad-part", fmt.Sprintf("Part %d of “%s” can't be read and was left out", part,
		fault.Shown(mesh)),
		e.Plain()+". Everything else came in.")
	r.findings[len(r.findings)-1].Brief = "part left out"
	if e.Offset > 0 {
		r.findings[len(r.findings)-1].Place.Offset = e.Offset
	}
}

// meshBuilder joins the primitives of a mesh into one; each brings a slot.
type meshBuilder struct {
	*reader
	m      *scene.Mesh
	slotOf map[int]int32
	parts  []part
	shared map[string]int // attribute set to its first vertex, for primitives that share one
}

// part is the stretch of corners one primitive made and which layers it has.
type part struct {
	from, to                 int
	normals, tangents, color bool
	uvs                      int // bits
}

// MaxUVSets bounds the UV sets of a mesh that are read; of files with more, the rest is
// named.
const MaxUVSets = 8

// primitive adds one primitive: its vertices are made points by place, and each of its
// faces gets its material’s slot.
func (b *meshBuilder) primitive(ctx context.Context, p primitive) error {
	mode := modeTriangles
	if p.Mode != nil {
		mode = *p.Mode
	}
	if mode >= modePoints && mode < modeTriangles {
		b.s.LeaveOut([...]string{"point set", "line set", "line loop", "line strip"}[mode], b.m.Name,
			"a static mesh is made of polygons")
		return nil
	}
	if mode < 0 || mode > modeTriangleFan {
		return fault.AtByte(b.name, -1, "has the unknown primitive mode %d", mode)
	}
	if len(p.Targets) > 0 {
		b.s.LeaveOut("morph target", b.m.Name, "a static mesh does not change shape; it comes in as it rests")
		b.s.Left[len(b.s.Left)-1].Count += len(p.Targets) - 1
	}
	for _, e := range sortedKeys(p.Extensions) {
		if e == extDraco {
			continue
		}
		b.s.LeaveOut("mesh extension "+e, b.m.Name, b.unread(e))
	}
	pos, ok := p.Attributes["POSITION"]
	if !ok {
		b.s.LeaveOut("part without positions", b.m.Name, "there is nothing to place")
		return nil
	}
	material := -1
	if p.Material != nil {
		material = *p.Material
		if material < 0 || material >= len(b.s.Materials) {
			return fault.AtByte(b.name, -1, "refers to material %d of %d", material, len(b.s.Materials))
		}
	}
	var err error
	if b.solidPart, err = b.solid(ctx, p); err != nil {
		return err
	}
	defer func() { b.solidPart = nil }()
	base, count, pt, err := b.vertices(p, pos)
	if err != nil {
		return err
	}
	idx, err := b.triangles(p, mode, count)
	if err != nil {
		return err
	}
	pt.from = len(b.m.Corners)
	if base == 0 && b.m.Corners == nil {
		b.m.Corners = idx
	} else {
		for _, i := range idx {
			b.m.Corners = append(b.m.Corners, i+int32(base))
		}
	}
	pt.to = len(b.m.Corners)
	b.parts = append(b.parts, pt)
	slot, seen := b.slotOf[material]
	if !seen {
		slot = int32(len(b.m.Slots))
		b.slotOf[material] = slot
		b.m.Slots = append(b.m.Slots, material)
	}
	for range len(idx) / 3 {
		b.m.Slot = append(b.m.Slot, slot)
	}
	return nil
}

// vertices appends the attributes of a primitive, unless one before it uses the
// very same, and returns the number of its first vertex and how many there are.
func (b *meshBuilder) vertices(p primitive, pos int) (base, count int, pt part, err error) {
	for _, k := range sortedKeys(p.Attributes) {
		switch {
		case k == "NORMAL":
			pt.normals = true
		case k == "TANGENT":
			pt.tangents = true
		case k == "COLOR_0":
			pt.color = true
		case strings.HasPrefix(k, "TEXCOORD_"):
			var n int
			if _, err := fmt.Sscanf(k, "TEXCOORD_%d", &n); err == nil && n >= 0 && n < MaxUVSets {
				pt.uvs |= 1 << n
				continue
			}
			b.s.LeaveOut("UV set", k, fmt.Sprintf("the first %d are read", MaxUVSets))
		case k == "POSITION" || strings.HasPrefix(k, "JOINTS_") || strings.HasPrefix(k, "WEIGHTS_"):
		default:
			b.s.LeaveOut("vertex attribute", k, "it says nothing about a static mesh")
		}
	}
	key, _ := json.Marshal(p.Attributes)
	if b.solidPart != nil {
		key = append(key, p.Extensions[extDraco]...)
	}
	if at, ok := b.shared[string(key)]; ok {
		return at, int(b.doc.Accessors[pos].Count), pt, nil
	}
	pts, err := b.points(pos)
	if err != nil {
		return 0, 0, pt, err
	}
	base, count = len(b.m.Points), len(pts)
	if base == 0 {
		b.m.Points = pts
	} else {
		b.m.Points = append(b.m.Points, pts...)
	}
	if b.shared == nil {
		b.shared = map[string]int{}
	}
	if err := b.layers(p, pt, base, count); err != nil {
		b.m.Points = b.m.Points[:base]
		return base, count, pt, err
	}
	b.shared[string(key)] = base
	return base, count, pt, nil
}

// layers reads the other attributes; their values stand in step with the points.
func (b *meshBuilder) layers(p primitive, pt part, base, count int) error {
	check := func(attr string, n int) error {
		if n != count {
			return b.fail(p.Attributes[attr], "has %d elements for %s and there are %d positions", n, attr, count)
		}
		return nil
	}
	var wrong error
	if pt.normals {
		l := &b.m.Normals
		err := b.vectors(p.Attributes["NORMAL"], "VEC3", func(n int) {
			wrong = check("NORMAL", n)
			l.Values = grown(l.Values, base+n)
		}, func(k int, v *[4]float64) {
			l.Values[base+k] = [3]float32{finite32(v[0]), finite32(v[1]), finite32(v[2])}
		})
		if err := errors.Join(err, wrong); err != nil {
			return firstOf(err, wrong)
		}
	}
	if pt.tangents {
		l := &b.m.Tangents
		err := b.vectors(p.Attributes["TANGENT"], "VEC4", func(n int) {
			wrong = check("TANGENT", n)
			l.Values = grown(l.Values, base+n)
		}, func(k int, v *[4]float64) {
			l.Values[base+k] = [4]float32{finite32(v[0]), finite32(v[1]), finite32(v[2]), finite32(v[3])}
		})
		if err := errors.Join(err, wrong); err != nil {
			return firstOf(err, wrong)
		}
	}
	if pt.color {
		acc := p.Attributes["COLOR_0"]
		kind := "VEC4"
		if acc >= 0 && acc < len(b.doc.Accessors) && b.doc.Accessors[acc].Type == "VEC3" {
			kind = "VEC3"
		}
		l := &b.m.Colors
		err := b.vectors(acc, kind, func(n int) {
			wrong = check("COLOR_0", n)
			l.Values = grown(l.Values, base+n)
		}, func(k int, v *[4]float64) {
			if kind == "VEC3" {
				v[3] = 1
			}
			l.Values[base+k] = [4]float32{finite32(v[0]), finite32(v[1]), finite32(v[2]), finite32(v[3])}
		})
		if err := errors.Join(err, wrong); err != nil {
			return firstOf(err, wrong)
		}
	}
	for set := range MaxUVSets {
		if pt.uvs&(1<<set) == 0 {
			continue
		}
		for len(b.m.UVs) <= set {
			b.m.UVs = append(b.m.UVs, scene.UVSet{Name: fmt.Sprintf("UV %d", len(b.m.UVs)+1)})
		}
		l := &b.m.UVs[set].Layer
		attr := fmt.Sprintf("TEXCOORD_%d", set)
		err := b.vectors(p.Attributes[attr], "VEC2", func(n int) {
			wrong = check(attr, n)
			l.Values = grown(l.Values, base+n)
		}, func(k int, v *[4]float64) {
			if !finiteAll(v[0], v[1]) {
				v[0], v[1] = 0, 0
			}
			l.Values[base+k] = [2]float64{v[0], 1 - v[1]}
		})
		if err := errors.Join(err, wrong); err != nil {
			return firstOf(err, wrong)
		}
	}
	return nil
}

// firstOf is err unless it is nil.
func firstOf(err, wrong error) error {
	if wrong != nil {
		return wrong
	}
	return err
}

// grown is s with room for n more, doubled when it grows.
func grown[T any](s []T, n int) []T {
	if len(s) >= n {
		return s
	}
	if s == nil {
		return make([]T, n)
	}
	return append(s, make([]T, n-len(s))...)
}

// finite32 narrows a number; what 32 bits can’t hold becomes 0.
func finite32(v float64) float32 {
	if !finiteAll(v) {
		return 0
	}
	return float32(v)
}

// triangles gives the corners of a primitive as plain triangles (section 3.7.2.1).
func (b *meshBuilder) triangles(p primitive, mode, count int) ([]int32, error) {
	var idx []int32
	if b.solidPart != nil {
		if count != b.solidPart.Points {
			return nil, fault.AtByte(b.name, -1, "has %d positions beside a compressed mesh of %d points", count,
				b.solidPart.Points)
		}
		return b.solidPart.Corners, nil
	}
	if p.Indices != nil {
		var err error
		if idx, err = b.indices(*p.Indices, count); err != nil {
			return nil, err
		}
	} else {
		idx = make([]int32, count)
		for i := range idx {
			idx[i] = int32(i)
		}
	}
	if mode == modeTriangles {
		if len(idx)%3 != 0 {
			return nil, fault.AtByte(b.name, -1, "has %d corners, which is no whole number of triangles", len(idx)).
				Advise("The file may be cut short; export the mesh again")
		}
		return idx, nil
	}
	if len(idx) < 3 {
		b.s.LeaveOut("strip of fewer than three corners", b.m.Name, "it has no area")
		return nil, nil
	}
	out := make([]int32, 0, 3*(len(idx)-2))
	for i := range len(idx) - 2 {
		a, c, d := idx[i], idx[i+1], idx[i+2]
		switch {
		case mode == modeTriangleFan:
			a, c, d = idx[i+1], idx[i+2], idx[0]
		case i%2 == 1:
			c, d = d, c
		}
		if mode == modeTriangleStrip && (a == c || c == d || a == d) {
			b.s.LeaveOut("stitch of a triangle strip", b.m.Name, "it has no area and only joins two strips")
			continue
		}
		out = append(out, a, c, d)
	}
	return out, nil
}

// finish closes the face table and points each layer's corners at its values.
func (b *meshBuilder) finish() {
	m := b.m
	n := len(m.Corners) / 3
	m.FaceStart = make([]int32, n+1)
	for i := range m.FaceStart {
		m.FaceStart[i] = int32(3 * i)
	}
	if len(m.Slots) < 2 {
		m.Slot = nil
	}
	m.Normals = whole(m, m.Normals, b.parts, func(p part) bool { return p.normals })
	m.Tangents = whole(m, m.Tangents, b.parts, func(p part) bool { return p.tangents })
	m.Colors = whole(m, m.Colors, b.parts, func(p part) bool { return p.color })
	for i := range m.UVs {
		m.UVs[i].Layer = whole(m, m.UVs[i].Layer, b.parts, func(p part) bool { return p.uvs&(1<<i) != 0 })
		if !m.UVs[i].Has() {
			// A gap in the numbering keeps its place, empty, so that materials
			// still find their set.
			m.UVs[i].Index = make([]int32, len(m.Corners))
			for c := range m.UVs[i].Index {
				m.UVs[i].Index[c] = -1
			}
		}
	}
}

// whole shares the corner indices when every part has the layer.
func whole[T any](m *scene.Mesh, l scene.Layer[T], parts []part, has func(part) bool) scene.Layer[T] {
	with := 0
	for _, p := range parts {
		if has(p) {
			with++
		}
	}
	switch with {
	case 0:
		return scene.Layer[T]{}
	case len(parts):
		l.Values = grown(l.Values, len(m.Points))
		l.Index = m.Corners
		return l
	}
	l.Values = grown(l.Values, len(m.Points))
	l.Index = make([]int32, len(m.Corners))
	for _, p := range parts {
		for c := p.from; c < p.to; c++ {
			l.Index[c] = -1
			if has(p) {
				l.Index[c] = m.Corners[c]
			}
		}
	}
	return l
}

// nodes walks the tree from its roots, parents first. It is long because a node is read as the standard lists
// its properties.
func (r *reader) nodes(context.Context) error {
	n := len(r.doc.Nodes)
	parent := make([]int, n)
	for i := range parent {
		parent[i] = -1
	}
	for i, nd := range r.doc.Nodes {
		for _, c := range nd.Children {
			if c < 0 || c >= n {
				return fault.AtByte(r.name, -1, "node %d has the child %d, and there are %d nodes", i, c, n)
			}
			if parent[c] >= 0 || c == i {
				return fault.AtByte(r.name, -1, "node %d has two parents, or is its own",
					c).Advise("A tree of nodes can't be made of it; export the mesh again")
			}
			parent[c] = i
		}
	}
	roots, err := r.roots(parent)
	if err != nil {
		return err
	}
	if len(r.doc.Scenes) == 0 {
		listed := map[int]bool{}
		for i, nd := range r.doc.Nodes {
			levels, _ := r.levelsOf(i, nd, func(int) bool { return true })
			for _, k := range levels {
				listed[k] = true
			}
		}
		roots = slices.DeleteFunc(roots, func(i int) bool { return listed[i] })
	}
	placed, rooted := make([]bool, n), make([]bool, n)
	for _, i := range roots {
		rooted[i] = len(r.doc.Scenes) > 0
	}
	type item struct{ node, parent int }
	var stack []item
	for i := len(roots) - 1; i >= 0; i-- {
		stack = append(stack, item{roots[i], -1})
	}
	for len(stack) > 0 {
		it := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if placed[it.node] {
			return fault.AtByte(r.name, -1, "node %d stands in the scene twice, or within itself", it.node)
		}
		placed[it.node] = true
		nd := r.doc.Nodes[it.node]
		out, err := r.node(it.node, nd)
		if err != nil {
			return err
		}
		levels, coverage := r.levelsOf(it.node, nd, func(k int) bool { return parent[k] < 0 && !placed[k] && !rooted[k] })
		if len(levels) > 0 {
			// A group holds the node and those that take its place.
			r.s.Nodes = append(r.s.Nodes, scene.Node{Name: out.Name, Kind: scene.KindLOD, Parent: it.parent, Mesh: -1,
				Local:    geom.Identity,
				Coverage: coverage})
			it.parent = len(r.s.Nodes) - 1
			for k := len(levels) - 1; k >= 0; k-- {
				stack = append(stack, item{levels[k], it.parent})
				rooted[levels[k]] = true
			}
		}
		out.Parent = it.parent
		at := len(r.s.Nodes)
		r.s.Nodes = append(r.s.Nodes, out)
		if nd.Camera != nil || nd.Extensions[lightsExtension] != nil {
			r.seen = append(r.seen, [2]int{at, it.node})
		}
		if raw, ok := nd.Extensions[extInstances]; ok && out.Mesh >= 0 {
			if err := r.instances(at, raw); err != nil {
				return err
			}
		}
		for c := len(nd.Children) - 1; c >= 0; c-- {
			stack = append(stack, item{nd.Children[c], at})
		}
	}
	for i, p := range placed {
		if !p {
			r.s.LeaveOut("node outside the scene", orNumber(r.doc.Nodes[i].Name, "node", i),
				"the file's own scene does not show it")
		}
	}
	return nil
}

// roots are the nodes the default scene begins with, all without a parent when there is
// none.
func (r *reader) roots(parent []int) ([]int, error) {
	if len(r.doc.Scenes) == 0 {
		var roots []int
		for i, p := range parent {
			if p < 0 {
				roots = append(roots, i)
			}
		}
		if len(roots) == 0 && len(parent) > 0 {
			return nil, fault.AtByte(r.name, -1, "every node has a parent, so they form a ring")
		}
		return roots, nil
	}
	k := 0
	if r.doc.Scene != nil {
		k = *r.doc.Scene
	}
	if k < 0 || k >= len(r.doc.Scenes) {
		return nil, fault.AtByte(r.name, -1, "names scene %d of %d", k, len(r.doc.Scenes))
	}
	for _, i := range r.doc.Scenes[k].Nodes {
		if i < 0 || i >= len(parent) {
			return nil, fault.AtByte(r.name, -1, "the scene names node %d, and there are %d", i, len(parent))
		}
		if parent[i] >= 0 {
			return nil, fault.AtByte(r.name, -1, "the scene names node %d, which is the child of node %d", i, parent[i])
		}
	}
	return r.doc.Scenes[k].Nodes, nil
}

// node is a node of the scene without its parent and mesh.
func (r *reader) node(i int, nd node) (scene.Node, error) {
	out := scene.Node{Name: orNumber(nd.Name, "node", i), Kind: scene.KindEmpty, Mesh: -1, Local: geom.Identity}
	switch {
	case nd.Mesh != nil:
		if *nd.Mesh < 0 || *nd.Mesh >= len(r.s.Meshes) {
			return out, fault.AtByte(r.name, -1, "node %d refers to mesh %d of %d", i, *nd.Mesh, len(r.s.Meshes))
		}
		out.Kind, out.Mesh = scene.KindMesh, *nd.Mesh
		if len(r.s.Meshes[*nd.Mesh].Corners) == 0 {
			out.Kind, out.Mesh = scene.KindEmpty, -1
			if r.wires(*nd.Mesh) {
				out.Kind = scene.KindGuide
			}
		}
	case nd.Camera != nil:
		out.Kind = scene.KindCamera
	case nd.Extensions["KHR_lights_punctual"] != nil:
		out.Kind = scene.KindLight
	}
	out.Hidden = hidden(nd)
	if nd.Matrix != nil {
		m := nd.Matrix
		out.Local = geom.Affine{M: geom.Mat3{{m[0], m[4], m[8]}, {m[1], m[5], m[9]}, {m[2], m[6], m[10]}},
			T: geom.Vec3{m[12], m[13], m[14]}}
	} else if nd.Translation != nil || nd.Rotation != nil || nd.Scale != nil {
		t, q, s := [3]float64{}, [4]float64{0, 0, 0, 1}, [3]float64{1, 1, 1}
		setTo(&t, nd.Translation)
		setTo(&q, nd.Rotation)
		setTo(&s, nd.Scale)
		if !finiteAll(q[:]...) {
			return out, fault.AtByte(r.name, -1, "node %d has a rotation that is out of all bounds", i)
		}
		out.Local = geom.FromTRS(t, q, s)
	}
	l := out.Local
	if !finiteAll(l.T[:]...) || !finiteAll(l.M[0][:]...) || !finiteAll(l.M[1][:]...) || !finiteAll(l.M[2][:]...) {
		return out, fault.AtByte(r.name, -1, "node %d “%s” has a transform that is out of all bounds", i,
			fault.Shown(out.Name)).
			Advise("Reset its transform in the modelling program")
	}
	return out, nil
}
