package fbx

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// reader makes a scene of a document. What it could not honour it notes, and goes on.
type reader struct {
	name     string
	set      *bundle.Bundle
	brief    bool
	doc      *document
	s        *scene.Scene
	findings []finding.Finding
	scale    geom.Mat3 // file units to metres

	bodies    map[string]*body
	meshes    map[string]int // by geometry, geometric map and materials
	materials map[string]int
	textures  map[string]int
	images    map[string]int
	contents  map[string][]byte // of embedded pictures, by what their Video is called; made when asked for
	sets      map[mapOf]string  // what a texture calls the UV set it lies on
	worst     *fault.Error      // why the first geometry that can't be read can't
}

// mapOf is one use of a texture by a material.
type mapOf struct {
	material int
	use      scene.Use
}

// IsFBX tells an FBX by its content.
func IsFBX(data []byte) bool {
	if bytes.HasPrefix(data, []byte(magic[:18])) {
		return true
	}
	head := data[:min(len(data), 4096)]
	return bytes.Contains(head, []byte("FBXHeaderExtension")) ||
		bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n"), []byte("; FBX"))
}

// Read reads the FBX file name of the set, with the pictures it refers to. A
// skinned mesh comes in as it rests. What is missing or left out is a finding or a
// scene.Left; a *fault.Error tells the byte or the line of what can't be read.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	return readAs(ctx, set, name, progress, false)
}

// ReadBrief is Read without what faces carry: meshes have no normals, tangents, colours and smoothing, and of UV sets
// the names alone, in a binary file.
func ReadBrief(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	return readAs(ctx, set, name, progress, true)
}

func readAs(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64), brief bool) (
	*scene.Scene, []finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	total := int64(len(data))
	if progress == nil {
		progress = func(int64, int64) {}
	}
	text := !bytes.HasPrefix(data, []byte(magic[:18]))
	brief = brief && !text
	var tree *record
	var version int
	if text {
		tree, version, err = parseASCII(ctx, name, data)
	} else {
		tree, version, err = parseBinary(ctx, name, data, brief)
	}
	if err != nil {
		return nil, nil, err
	}
	models := 0
	if objects := tree.sub("Objects"); objects != nil {
		for _, o := range objects.subs {
			if o.name == "Model" {
				models++
			}
		}
	}
	if models > scene.MaxNodes { // before anything is made of them
		return nil, nil, fault.AtByte(name, -1, "has %s models: expected at most %s", figure.Count(models),
			figure.Count(scene.MaxNodes)).
			Beyond().Advise("Join them in the modelling program, or export fewer at once")
	}
	progress(total/2, total)
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	r := &reader{name: name, set: set, brief: brief, doc: newDocument(name, tree, version, text),
		bodies: map[string]*body{}, meshes: map[string]int{}, materials: map[string]int{}, textures: map[string]int{},
		images: map[string]int{}, sets: map[mapOf]string{}}
	g := r.doc.settings()
	r.findings = g.findings
	r.scale = geom.Identity3.Scaled(g.metres)
	r.s = &scene.Scene{Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Format: "fbx",
		FormatVersion: fmt.Sprintf("%d.%d", version/1000, version/100%10),
		Basis:         g.basis, BasisHow: g.basisHow, UnitMetres: g.metres, UnitHow: g.unitHow}
	r.doc.leave(r.s)
	if err := r.models(ctx); err != nil {
		return nil, nil, err
	}
	r.orphans()
	if r.worst != nil && len(r.s.Meshes) == 0 {
		return nil, nil, r.worst // nothing is left of it
	}
	progress(total, total)
	return r.s, r.findings, nil
}

// note adds a finding about an object, at its place in the file; o may be nil.
func (r *reader) note(sev finding.Severity, code, title, text string, o *object) {
	f := finding.Finding{Code: code, Severity: sev, Title: title, Text: text, Place: finding.Place{File: r.name}}
	if o != nil {
		if r.doc.text {
			f.Place.Line = int(o.rec.at)
		} else {
			f.Place.Offset = o.rec.at
		}
	}
	r.findings = append(r.findings, f)
}

// models walks the tree of models from the root, parents first. It is long because a model is read as the
// files list its properties.
func (r *reader) models(ctx context.Context) error {
	type item struct {
		o      *object
		parent int
		from   chain
	}
	seen := map[string]bool{}
	var stack []item
	push := func(list []*object, parent int, from chain) {
		for i := len(list) - 1; i >= 0; i-- {
			stack = append(stack, item{list[i], parent, from})
		}
	}
	roots := r.doc.below(rootKey, "Model")
	rooted := map[*object]bool{}
	for _, o := range roots {
		rooted[o] = true
	}
	for _, o := range r.doc.order {
		// Older files do not join every model to the scene.
		if o.kind == "Model" && !r.hasModelParent(o) && !rooted[o] {
			roots = append(roots, o)
		}
	}
	push(roots, -1, root)
	worlds := []geom.Affine{}
	for len(stack) > 0 {
		if err := ctx.Err(); err != nil {
			return err
		}
		it := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[it.o.key] {
			r.note(finding.Look, "source/fbx-twice", fmt.Sprintf("Model “%s” is joined twice", clean(it.o.name)),
				"It has more than one parent, or is its own; it stands where it was met first.", it.o)
			continue
		}
		seen[it.o.key] = true
		p := place(it.o.props)
		here := it.from.child(p)
		world := r.metric(here.world)
		local := world
		if it.parent >= 0 {
			if inv, ok := worlds[it.parent].Inverse(); ok {
				local = inv.Mul(world)
			} else {
				local = r.metric(p.local)
			}
		}
		if !finite(local.T) || !finite(local.M[0]) || !finite(local.M[1]) || !finite(local.M[2]) {
			return r.doc.broken(it.o, "has a transform that is out of all bounds")
		}
		n := scene.Node{Name: clean(it.o.name), Kind: scene.KindEmpty, Parent: it.parent, Mesh: -1, Local: local}
		switch it.o.class {
		case "Camera":
			n.Kind = scene.KindCamera
		case "Light":
			n.Kind = scene.KindLight
		case "LodGroup":
			n.Kind, n.Thresholds = scene.KindLOD, r.thresholds(it.o)
		case "LimbNode", "Limb", "Root":
			n.Kind = scene.KindJoint
		}
		n.Hidden = it.o.props.get("Visibility").float(1) == 0 || it.o.props.get("Show").float(1) == 0
		if err := r.attach(it.o, &n); err != nil {
			return err
		}
		if n.Mesh < 0 && n.Kind == scene.KindEmpty && r.wires(it.o) {
			n.Kind = scene.KindGuide
		}
		if n.Kind == scene.KindCamera || n.Kind == scene.KindLight {
			r.sight(it.o, n, world)
		}
		at := len(r.s.Nodes)
		r.s.Nodes = append(r.s.Nodes, n)
		worlds = append(worlds, world)
		push(r.doc.below(it.o.key, "Model"), at, here)
	}
	for _, o := range r.doc.order {
		if o.kind == "Model" && !seen[o.key] {
			r.note(finding.Look, "source/fbx-ring", fmt.Sprintf("Model “%s” is in a ring of parents", clean(o.name)),
				"It hangs on nothing, so it does not come in.", o)
		}
	}
	return nil
}

// thresholds reads the distances of a LOD group, from its attribute or its own
// properties. Percentages of the screen are no distances and are left out.
func (r *reader) thresholds(o *object) []float64 {
	p := o.props
	for _, a := range r.doc.below(o.key, "NodeAttribute") {
		p = a.props
	}
	if p.get("ThresholdsUsedAsPercentage").float(0) != 0 {
		return nil
	}
	var list []float64
	for i := 0; i < 64; i++ {
		t, ok := p.find(fmt.Sprintf("Thresholds|Level%d", i))
		v := t.float(-1)
		if !ok || v < 0 || v > 1e12 {
			break
		}
		list = append(list, v*r.scale[0][0])
	}
	return list
}

// metric carries a map of file units to metres: translations scale, the rest stays.
func (r *reader) metric(a geom.Affine) geom.Affine {
	a.T = r.scale.Apply(a.T)
	return a
}

// hasModelParent tells whether a model hangs from another model.
func (r *reader) hasModelParent(o *object) bool {
	for _, l := range r.doc.parents[o.key] {
		if p := r.doc.objects[l.parent]; p != nil && p.kind == "Model" {
			return true
		}
	}
	return false
}

// wires tells whether a model places curves or lines.
func (r *reader) wires(o *object) bool {
	for _, g := range r.doc.below(o.key, "Geometry") {
		if g.class != "Mesh" && g.class != "Shape" && g.class != "" {
			return true
		}
	}
	return false
}

// attach gives a model its mesh, which other models may share.
func (r *reader) attach(o *object, n *scene.Node) error {
	var source *object
	for _, g := range r.doc.below(o.key, "Geometry") {
		if g.class == "Mesh" || g.class == "" && g.rec.sub("Vertices") != nil {
			source = g
			break
		}
	}
	if source == nil && o.rec.sub("Vertices") != nil {
		source = o // the older layout
	}
	if source == nil {
		return nil
	}
	n.Kind = scene.KindMesh
	sh := r.bodies[source.key]
	if sh == nil {
		var err error
		sh, err = r.geometry(source)
		var e *fault.Error
		switch {
		case errors.As(err, &e):
			r.leftOut(source, n.Name, e)
			sh = &body{mesh: &scene.Mesh{}}
		case err != nil:
			return err
		}
		r.bodies[source.key] = sh
	}
	if sh.mesh.Faces() == 0 {
		return nil
	}
	mats := r.slots(o)
	move := geometric(o.props)
	key := fmt.Sprint(source.key, move, mats)
	if i, ok := r.meshes[key]; ok {
		n.Mesh = i
		return nil
	}
	m := *sh.mesh
	m.Name = clean(source.name)
	if m.Name == "" {
		m.Name = n.Name
	}
	r.assign(&m, sh.material, mats, o)
	r.lay(&m)
	// Points go to metres; the geometric map applies first, in file units.
	to := geom.Linear(r.scale).Mul(move)
	n.Mesh = len(r.s.Meshes)
	r.meshes[key] = n.Mesh
	r.s.Meshes = append(r.s.Meshes, m.Mapped(to))
	return nil
}

// leftOut says that a geometry can't be read: one bad part is not a bad file.
func (r *reader) leftOut(o *object, node string, e *fault.Error) {
	r.worst = cmp.Or(r.worst, e)
	r.s.LeaveOut("mesh that can't be read", node, e.Plain())
	r.note(finding.MustFix, "source/bad-part", fmt.Sprintf("The mesh of “%s” can't be read and was left out", node),
		e.Plain()+". Everything else came in.", o)
	r.findings[len(r.findings)-1].Brief = "mesh left out"
}

// lay finds the UV sets that the textures of a mesh's materials name. A set of another
// name than the mesh has leaves the texture on the first.
func (r *reader) lay(m *scene.Mesh) {
	for _, k := range m.Slots {
		if k < 0 {
			continue
		}
		for use := range scene.Uses {
			key := mapOf{k, use}
			name, ok := r.sets[key]
			if !ok {
				continue
			}
			for i, u := range m.UVs {
				if u.Name == name {
					r.s.Materials[k].Maps[use].UVSet = i
					delete(r.sets, key)
					break
				}
			}
		}
	}
}

// assign turns material numbers of faces into slots: those that faces use, in the
// order of the model's materials.
func (r *reader) assign(m *scene.Mesh, of []int32, mats []int, o *object) {
	if of == nil {
		m.Slots = []int{-1}
		if len(mats) > 0 {
			m.Slots[0] = mats[0]
		}
		return
	}
	slot := map[int32]int32{}
	wrong := 0
	m.Slot = make([]int32, len(of))
	for _, v := range of {
		if _, seen := slot[v]; seen {
			continue
		}
		slot[v] = int32(len(m.Slots))
		mat := -1
		if v >= 0 && int(v) < len(mats) {
			mat = mats[v]
		} else if len(mats) > 0 {
			wrong++
		}
		m.Slots = append(m.Slots, mat)
	}
	for f, v := range of {
		m.Slot[f] = slot[v]
	}
	if len(m.Slots) < 2 {
		m.Slot = nil
	}
	if wrong > 0 {
		r.note(finding.Look, "source/fbx-material-number", fmt.Sprintf("Faces of “%s” ask for materials it does not have",
			clean(o.name)),
			fmt.Sprintf("It has %d; those faces come in without one.", len(mats)), o)
	}
}
