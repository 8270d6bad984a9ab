package collada

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// nodes reads the visual scene that the document shows, or the first where it names none.
func (r *reader) nodes() error {
	shown := r.doc.find(r.doc.root.first("scene", "instance_visual_scene").get("url"))
	if shown == nil {
		shown = r.doc.root.first("library_visual_scenes", "visual_scene")
	}
	for _, n := range shown.all("node") {
		if err := r.node(n, -1); err != nil {
			return err
		}
	}
	if shown != nil || len(r.s.Nodes) > 0 {
		return nil
	}
	// A library of geometries alone: each stands by itself.
	for _, lib := range r.doc.root.all("library_geometries") {
		for _, g := range lib.all("geometry") {
			if err := r.add(scene.Node{Name: nameOf(g), Kind: scene.KindMesh, Parent: -1, Mesh: r.meshOf(g, nil, nil),
				Local: geom.Identity}, g); err != nil {
				return err
			}
		}
	}
	return nil
}

// add adds a node, of which a scene has so many at most.
func (r *reader) add(n scene.Node, e *element) error {
	if n.Mesh < 0 && n.Kind == scene.KindMesh {
		n.Kind = scene.KindEmpty
	}
	if r.s.Nodes = append(r.s.Nodes, n); len(r.s.Nodes) > scene.MaxNodes {
		return fault.AtLine(r.file, e.line, "places more than %s nodes", figure.Count(scene.MaxNodes)).Beyond().
			Advise("Join them in the modelling program, or export fewer at once")
	}
	return r.ctx.Err()
}

// node reads one with all below it.
func (r *reader) node(e *element, parent int) error {
	if slices.Contains(r.path, e) {
		r.note(finding.Look, "source/within-itself", fmt.Sprintf("Node “%s” stands within itself", nameOf(e)),
			"The inner one was left out.", e)
		return nil
	}
	r.path = append(r.path, e)
	defer func() { r.path = r.path[:len(r.path)-1] }()
	shapes := e.all("instance_geometry", "instance_controller")
	own := scene.Node{Name: nameOf(e), Kind: scene.KindEmpty, Parent: parent, Mesh: -1, Local: r.local(e)}
	if e.get("type") == "JOINT" {
		own.Kind = scene.KindJoint
	}
	if len(shapes) == 1 {
		own.Kind, own.Mesh = scene.KindMesh, r.placed(shapes[0])
	}
	at := len(r.s.Nodes)
	if err := r.add(own, e); err != nil {
		return err
	}
	if len(shapes) > 1 {
		for _, in := range shapes {
			mesh := r.placed(in)
			name := own.Name
			if mesh >= 0 {
				name = r.s.Meshes[mesh].Name
			}
			err := r.add(scene.Node{Name: name, Kind: scene.KindMesh, Parent: at, Mesh: mesh, Local: geom.Identity}, in)
			if err != nil {
				return err
			}
		}
	}
	for _, in := range e.all("instance_camera", "instance_light") {
		what := strings.TrimPrefix(in.name, "instance_")
		r.s.LeaveOut(what, nameOf(e), "it is no mesh")
		if own.Mesh < 0 && len(e.all("node")) == 0 {
			r.s.Nodes[at].Kind = map[string]scene.Kind{"camera": scene.KindCamera, "light": scene.KindLight}[what]
		}
	}
	for _, k := range e.kids {
		switch k.name {
		case "node":
			if err := r.node(k, at); err != nil {
				return err
			}
		case "instance_node":
			to := r.doc.find(k.get("url"))
			if to == nil || to.name != "node" {
				r.elsewhere(k)
				continue
			}
			if err := r.node(to, at); err != nil {
				return err
			}
		}
	}
	return nil
}

// elsewhere says that an instance leads out of the document, or nowhere.
func (r *reader) elsewhere(e *element) {
	r.note(finding.Look, "source/elsewhere", fmt.Sprintf("%s is not in this file", fault.Quote([]byte(e.get("url")))),
		"What stands there was left out. Export it within one file.", e)
}

// placed is the mesh of an instance of a geometry or controller, -1 for none.
func (r *reader) placed(in *element) int {
	to := r.doc.find(in.get("url"))
	var bind *geom.Affine
	for range 16 { // a controller may control another
		if to == nil || to.name != "controller" {
			break
		}
		skin, morph := to.first("skin"), to.first("morph")
		if skin != nil {
			r.s.LeaveOut("skin", nameOf(to), "the mesh comes in in its bind pose")
			if m := skin.first("bind_shape_matrix").floats(); len(m) == 16 {
				a := r.matrix(m)
				if bind != nil {
					a = bind.Mul(a)
				}
				bind = &a
			}
			to = r.doc.find(skin.get("source"))
			continue
		}
		r.s.LeaveOut("morph", nameOf(to), "the mesh comes in as its base")
		to = r.doc.find(morph.get("source"))
	}
	if to == nil || to.name != "geometry" {
		r.elsewhere(in)
		return -1
	}
	return r.meshOf(to, in.first("bind_material", "technique_common"), bind)
}

// meshOf is the number of a geometry's mesh with what an instance binds to it, which is made the first time.
func (r *reader) meshOf(g, bound *element, bind *geom.Affine) int {
	s := r.shapeOf(g)
	if s == nil || s.mesh.Faces() == 0 {
		return -1
	}
	by := map[string]*element{}
	for _, m := range bound.all("instance_material") {
		by[m.get("symbol")] = m
	}
	slots := make([]int, len(s.symbols))
	for i, symbol := range s.symbols {
		m := by[symbol]
		target := m.get("target")
		if m == nil && symbol != "" { // some programs bind nothing and mean the name
			target = "#" + symbol
		}
		if slots[i] = r.materialOf(target, m, s.sets); slots[i] < 0 && symbol != "" {
			slots[i] = r.named(symbol)
		}
	}
	key := fmt.Sprintf("%p %v %v", g, slots, bind)
	if bind != nil {
		key = fmt.Sprintf("%p %v %v", g, slots, *bind)
	}
	if i, ok := r.meshes[key]; ok {
		return i
	}
	m := *s.mesh
	m.Slots = slots
	if len(slots) == 1 {
		m.Slot = nil
	}
	out := &m
	if bind != nil {
		out = m.MappedIn(r.ctx, *bind)
	}
	i := len(r.s.Meshes)
	r.meshes[key] = i
	r.s.Meshes = append(r.s.Meshes, out)
	return i
}

// named is a material that nothing but its name is known of.
func (r *reader) named(symbol string) int {
	i, ok := r.materials[symbol]
	if !ok {
		i = len(r.s.Materials)
		r.materials[symbol] = i
		r.s.Materials = append(r.s.Materials, scene.NewMaterial(symbol))
	}
	return i
}

// local is what a node's transform elements make together, each to what those behind it make.
func (r *reader) local(e *element) geom.Affine {
	out := geom.Identity
	for _, k := range e.kids {
		v := k.floats()
		need := map[string]int{"matrix": 16, "translate": 3, "rotate": 4, "scale": 3, "skew": 7, "lookat": 9}[k.name]
		if need == 0 {
			continue
		}
		if len(v) < need {
			r.note(finding.Look, "source/bad-transform", fmt.Sprintf("The %s of “%s” is not whole", k.name, nameOf(e)),
				"It was taken for none.", k)
			continue
		}
		switch k.name {
		case "matrix":
			out = out.Mul(r.matrix(v))
		case "translate":
			out = out.Mul(geom.Translation(geom.Vec3(v[:3]).Mul(r.s.UnitMetres)))
		case "rotate":
			if axis := geom.Vec3(v[:3]); axis.Len() > 0 {
				out = out.Mul(geom.Linear(geom.Rotation(axis, v[3]*math.Pi/180)))
			}
		case "scale":
			out = out.Mul(geom.Linear(geom.Columns(geom.Vec3{v[0], 0, 0}, geom.Vec3{0, v[1], 0}, geom.Vec3{0, 0, v[2]})))
		case "skew":
			out = out.Mul(geom.Linear(skew(v)))
		case "lookat":
			out = out.Mul(r.lookAt(v))
		}
	}
	if !out.IsFinite() {
		r.note(finding.Look, "source/bad-transform", fmt.Sprintf("“%s” is placed by numbers that are none", nameOf(e)),
			"It stands where its parent does.", e)
		return geom.Identity
	}
	return out
}

// matrix is one of the format: by rows, for columns.
func (r *reader) matrix(v []float64) geom.Affine {
	return geom.Affine{M: geom.Mat3{{v[0], v[1], v[2]}, {v[4], v[5], v[6]}, {v[8], v[9], v[10]}},
		T: geom.Vec3{v[3], v[7], v[11]}.Mul(r.s.UnitMetres)}
}

// skew moves points along the second axis so that the first axis turns toward it by an angle in degrees (the RenderMan
// Interface Specification, version 3.2, RiSkew, which the standard refers to).
func skew(v []float64) geom.Mat3 {
	first, second := geom.Vec3(v[1:4]), geom.Vec3(v[4:7]).Unit()
	across := first.Sub(second.Mul(first.Dot(second))).Unit() // what of the first is square to the second
	sin, cos := math.Sincos(v[0] * math.Pi / 180)
	a, b := first.Dot(across), first.Dot(second)
	if a == 0 {
		return geom.Identity3
	}
	k := (a*sin+b*cos)/(a*cos-b*sin) - b/a
	m := geom.Identity3
	for i := range 3 {
		for j := range 3 {
			m[i][j] += k * second[i] * across[j]
		}
	}
	return m
}

// lookAt stands at a point and looks along -Z at another, with a direction that is up.
func (r *reader) lookAt(v []float64) geom.Affine {
	eye, at, up := geom.Vec3(v[:3]), geom.Vec3(v[3:6]), geom.Vec3(v[6:9])
	z := eye.Sub(at).Unit()
	x := up.Cross(z).Unit()
	if x.Len() == 0 {
		return geom.Translation(eye.Mul(r.s.UnitMetres))
	}
	return geom.Affine{M: geom.Columns(x, z.Cross(x), z), T: eye.Mul(r.s.UnitMetres)}
}
