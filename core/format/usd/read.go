// Package usd reads scenes of Universal Scene Description: layers of text (.usda) and in binary (.usdc), and packages
// (.usdz), put together from what they refer to within the files that came.
//
// The format is described in the Universal Scene Description documentation and the AOUSD Core Specification 1.0;
// materials by "UsdPreviewSurface Specification" 2.6. A file says its unit and its up axis; without them they are a
// centimetre and +Y, by the standard. Values that change over time come in as they are at first.
package usd

import (
	"bytes"
	"context"
	"path"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pictures"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Bounds of a package: its files, the bytes of one, and how often larger than packed they may be, which they are not.
const (
	mostPacked = 10_000
	mostFile   = 2 << 30
)

// Is tells a layer or package by how it begins.
func Is(data []byte) bool { return isText(data) || bytes.HasPrefix(data, []byte(crateMagic)) }

// References are the files that a layer of text names in its metadata and attributes, whatever for.
func References(_ context.Context, name string, data []byte) (refs []string) {
	l, err := parseLayer(name, data)
	if err != nil {
		return nil
	}
	var look func(v any, depth int)
	look = func(v any, depth int) {
		if depth > mostDeep {
			return
		}
		switch x := v.(type) {
		case asset:
			refs = append(refs, string(x))
		case arc:
			if x.file != "" {
				refs = append(refs, x.file)
			}
		case list:
			for _, y := range x {
				look(y, depth+1)
			}
		case map[string]any:
			for _, y := range x {
				look(y, depth+1)
			}
		case *edits:
			look(list(items(x)), depth+1)
		}
	}
	var walk func(s *spec)
	walk = func(s *spec) {
		look(s.meta, 0)
		for _, p := range s.props {
			look(p.value, 0)
		}
		for _, set := range s.sets {
			for _, v := range set.of {
				walk(v)
			}
		}
		for _, k := range s.kids {
			walk(k)
		}
	}
	walk(l.root)
	return refs
}

// Read reads the USD file name of the set, with the layers and pictures it refers to. What is missing or had to be left
// is a finding; a *fault.Error tells the line of what can't be read. progress may be nil.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	file := name
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		chosen := set.Chosen
		if set, name, err = packed(name, data); err != nil {
			return nil, nil, err
		}
		set.Chosen = chosen
	}
	st := &stage{ctx: ctx, file: file, set: set, layers: map[string]*layer{}, said: map[string]bool{}}
	first, err := st.read(name)
	if err != nil {
		return nil, nil, err
	}
	st.layers[name] = first
	st.root = st.stackOf(first, nil)
	root, err := st.compose()
	if err != nil {
		return nil, nil, err
	}
	if progress != nil {
		progress(int64(len(data)), int64(len(data)))
	}
	s := &scene.Scene{Name: strings.TrimSuffix(path.Base(file), path.Ext(file)), Format: "usd", Basis: geom.GLTF,
		BasisHow: scene.ByStandard, UnitMetres: 0.01, UnitHow: scene.ByStandard}
	r := &reader{stage: st, s: s, top: root, pictures: map[string]*pictures.Finder{}, materials: map[string]int{},
		looks:  map[string][]int{},
		meshes: map[string]int{}}
	r.stageMeta(first)
	for _, k := range r.tops(root.kids) {
		if err := r.prim(k, at0); err != nil {
			return nil, nil, err
		}
	}
	r.spare(root, 0)
	s.Variants = st.variants
	if len(s.Meshes) == 0 {
		return nil, nil, fault.AtLine(file, 1, "shows no mesh").
			Advise("Check that what you exported is visible and has faces")
	}
	return s, st.found, ctx.Err()
}

// packed is the set of a package's files, and the first of them, which is the scene.
func packed(name string, data []byte) (*bundle.Bundle, string, error) {
	set, err := bundle.Archive(name, bytes.NewReader(data), int64(len(data)), mostPacked, mostFile, 1000)
	if err != nil {
		return nil, "", err
	}
	for _, n := range set.Order() {
		switch strings.ToLower(path.Ext(n)) {
		case ".usd", ".usda", ".usdc":
			return set, n, nil
		}
	}
	return nil, "", fault.AtByte(name, -1, "is a package without a scene").Advise("Export it again")
}

// reader makes a scene of a stage.
type reader struct {
	*stage
	s         *scene.Scene
	top       *prim
	pictures  map[string]*pictures.Finder // by the layer that names them
	materials map[string]int              // by their path and the UV sets of the mesh
	looks     map[string][]int            // those of a path
	meshes    map[string]int
	deep      int
}

// tops are the prims that are nodes without a parent. Where all is below one model that is not placed anywhere, that is
// the asset itself, whose name the scene has then, and no node of it.
func (r *reader) tops(kids []*prim) []*prim {
	if len(kids) != 1 || kids[0].typ() != "Xform" || word(kids[0].meta("kind")) == "" || !kids[0].active() ||
		kids[0].has("xformOpOrder") || kids[0].has("visibility") || kids[0].has("purpose") {
		return kids
	}
	r.s.Name = kids[0].shown()
	return kids[0].kids
}

// spare brings the materials that no face uses.
func (r *reader) spare(p *prim, depth int) {
	for _, k := range p.kids {
		if k.typ() == "Material" && k.active() && r.looks[k.path] == nil {
			r.materialOf(k.path, nil)
		}
		if depth < mostDeep {
			r.spare(k, depth+1)
		}
	}
}

// shown is the name that a prim is to be shown by, its own where it says no other that it could stand for.
func (p *prim) shown() string {
	if name := word(p.meta("displayName")); name != "" && strings.HasPrefix(p.name, Identifier(name)) {
		return name
	}
	return p.name
}

// label is the name that it is shown by, whatever its own.
func (p *prim) label() string {
	if name := word(p.meta("displayName")); name != "" {
		return name
	}
	return p.name
}

// shelf tells a scope with nothing in it but what others use.
func (p *prim) shelf() bool {
	return p.typ() == "Scope" && !slices.ContainsFunc(p.kids, func(k *prim) bool { return !passed[k.typ()] && !k.shelf() })
}

// body is the mesh of a prim that places nothing else by itself: one that is below it, where it is no placed thing of
// its own; nil for none.
func (p *prim) body() (mesh *prim) {
	if p.typ() != "Xform" {
		return nil
	}
	for _, k := range p.kids {
		if k.typ() != "Mesh" {
			continue
		}
		if mesh != nil || !k.active() || k.has("xformOpOrder") || k.has("visibility") || k.has("purpose") ||
			slices.ContainsFunc(k.kids, func(k *prim) bool { return !passed[k.typ()] }) {
			return nil
		}
		mesh = k
	}
	return mesh
}

// touched tells a mesh that others collide with (Universal Scene Description, physics schemas).
func (p *prim) touched() bool {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if slices.Contains(words(s.meta["apiSchemas"]), "PhysicsCollisionAPI") {
				return true
			}
		}
	}
	return false
}

// where is what a prim inherits of those above it.
type where struct {
	parent  int // node, -1 for none
	purpose string
	bound   string // path of the material
}

var at0 = where{parent: -1, purpose: "default"}

// Ups are the bases that a stage can be in; the standard knows two axes as up, and takes none as the front.
var Ups = []geom.Basis{geom.GLTF, {Up: geom.PosZ, Forward: geom.NegY}}

// stageMeta reads unit and up axis.
func (r *reader) stageMeta(l *layer) {
	if m := number(l.root.meta["metersPerUnit"], 0); m > 1e-9 && m < 1e9 {
		r.s.UnitMetres, r.s.UnitHow = m, scene.Declared
	}
	switch word(l.root.meta["upAxis"]) {
	case "Z":
		r.s.Basis, r.s.BasisHow = Ups[1], scene.Declared
	case "Y":
		r.s.BasisHow = scene.Declared
	case "X":
		r.s.Basis, r.s.BasisHow = geom.Basis{Up: geom.PosX, Forward: geom.PosZ}, scene.Declared
	}
}

// leftTypes are sorts of prims that do not go on, with what they are called.
var leftTypes = map[string]string{"Camera": "camera", "Points": "points", "BasisCurves": "curve",
	"NurbsCurves": "curve", "HermiteCurves": "curve", "NurbsPatch": "patch", "Sphere": "ball without faces",
	"Cube":     "box without faces",
	"Cylinder": "cylinder without faces", "Cone": "cone without faces", "Capsule": "capsule without faces",
	"Plane": "plane without faces", "Volume": "volume", "SkelAnimation": "animation", "Skeleton": "skeleton",
	"BlendShape": "morph", "TetMesh": "volume mesh"}

// passed are sorts of prims that are no nodes: what they say is asked for by those that use them.
var passed = map[string]bool{"Material": true, "Shader": true, "NodeGraph": true, "GeomSubset": true,
	"SkelAnimation": true, "Skeleton": true, "BlendShape": true, "PhysicsScene": true, "RenderSettings": true}

// prim reads one with all below it.
func (r *reader) prim(p *prim, w where) error {
	if !p.active() {
		return nil
	}
	typ := p.typ()
	if what, ok := leftTypes[typ]; ok || strings.HasSuffix(typ, "Light") {
		if !ok {
			what = "light"
		}
		r.s.LeaveOut(what, p.name, "only polygons go on")
	}
	if passed[typ] || p.shelf() {
		return nil
	}
	if v := word(p.attr("purpose")); v != "" && v != "default" {
		w.purpose = v
	}
	if t := p.targets("material:binding"); len(t) > 0 {
		w.bound = t[0]
	}
	n := scene.Node{Name: p.shown(), Kind: scene.KindEmpty, Parent: w.parent, Mesh: -1,
		Hidden: word(p.attr("visibility")) == "invisible"}
	var reset bool
	if n.Local, reset = r.local(p); reset {
		n.Parent = -1
	}
	m := p.body()
	if typ == "Mesh" {
		m = p
	}
	if m != nil {
		if t := m.targets("material:binding"); len(t) > 0 {
			w.bound = t[0]
		}
		if w.purpose == "guide" && !m.touched() {
			r.s.LeaveOut("guide", p.name, "it is drawn for the eye alone")
			return nil
		}
		mesh, err := r.meshOf(m, w.bound)
		if err != nil {
			return err
		}
		if n.Mesh = mesh; mesh >= 0 {
			n.Kind = scene.KindMesh
		}
		if w.purpose == "proxy" {
			n.Proxy = true
		}
	}
	at := len(r.s.Nodes)
	if r.s.Nodes = append(r.s.Nodes, n); len(r.s.Nodes) > scene.MaxNodes {
		return fault.AtByte(r.file, -1, "places more than %d nodes", scene.MaxNodes).Beyond().
			Advise("Join them in the modelling program, or export fewer at once")
	}
	w.parent = at
	if typ == "PointInstancer" {
		return r.instancer(p, w)
	}
	if r.deep++; r.deep > mostDeep {
		return fault.AtByte(r.file, -1, "has prims more than %d deep in one another", mostDeep).Beyond().
			Advise("Flatten its tree in the modelling program")
	}
	defer func() { r.deep-- }()
	for _, k := range p.kids {
		if k == m {
			continue
		}
		if err := r.prim(k, w); err != nil {
			return err
		}
	}
	return nil
}
