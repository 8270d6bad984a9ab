package fbx

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// object is a thing of the file: a model, a geometry, a material, ...
type object struct {
	key   string // how connections name it
	kind  string // record name: "Model", "Geometry", ...
	class string // "Mesh", "Null", ...
	name  string
	rec   *record
	props properties
}

// link is a connection from a child to a parent, or to one of its properties.
type link struct {
	child, parent string
	prop          string
}

// document is a file's objects and how they are joined, alike for both layouts.
type document struct {
	file     string
	tree     *record
	version  int
	text     bool // ASCII: places are lines
	objects  map[string]*object
	order    []*object
	children map[string][]link
	parents  map[string][]link
}

// rootKey is what top-level objects are joined to.
const rootKey = "0"

// newDocument indexes the objects and connections of a tree. Objects that nothing
// connects to the scene stay in it, and are found by nobody.
func newDocument(file string, tree *record, version int, text bool) *document {
	d := &document{file: file, tree: tree, version: version, text: text, objects: map[string]*object{},
		children: map[string][]link{},
		parents:  map[string][]link{}}
	templates := d.templates()
	if objs := tree.sub("Objects"); objs != nil {
		for _, r := range objs.subs {
			o := &object{kind: r.name, rec: r}
			if id, ok := r.id(0); ok && len(r.props) >= 2 {
				o.key, o.name, o.class = fmt.Sprint(id), objectName(r.str(1)), r.str(2)
			} else {
				// The older layout: objects are known by their whole name.
				o.key, o.name, o.class = r.str(0), objectName(r.str(0)), r.str(1)
			}
			o.props = templates[r.name]
			o.props.own = ownProperties(r)
			if _, twice := d.objects[o.key]; twice || o.key == "" {
				continue
			}
			d.objects[o.key] = o
			d.order = append(d.order, o)
		}
	}
	if cons := tree.sub("Connections"); cons != nil {
		for _, c := range cons.subs {
			d.connect(c)
		}
	}
	return d
}

// connect reads C: "OO", child, parent of the newer layout and Connect: "OO",
// "child", "parent" of the older.
func (d *document) connect(c *record) {
	if c.name != "C" && c.name != "Connect" || len(c.props) < 3 {
		return
	}
	key := func(i int) string {
		if id, ok := c.id(i); ok {
			return fmt.Sprint(id)
		}
		s := c.str(i)
		if strings.HasPrefix(s, "Model::Scene") || s == "Scene\x00\x01Model" {
			return rootKey
		}
		return s
	}
	l := link{child: key(1), parent: key(2)}
	if strings.HasSuffix(c.str(0), "P") && len(c.props) > 3 {
		l.prop = c.str(3)
	}
	d.children[l.parent] = append(d.children[l.parent], l)
	d.parents[l.child] = append(d.parents[l.child], l)
}

// templates reads the defaults of Definitions, by kind of object.
func (d *document) templates() map[string]properties {
	out := map[string]properties{}
	defs := d.tree.sub("Definitions")
	if defs == nil {
		return out
	}
	for _, t := range defs.subs {
		if t.name == "ObjectType" {
			if pt := t.sub("PropertyTemplate"); pt != nil {
				p := properties{template: ownProperties(pt)}
				for name := range p.template {
					if values[bare(name)] != nil {
						p.valued = append(p.valued, name)
					}
				}
				out[t.str(0)] = p
			}
		}
	}
	return out
}

// below lists the objects of a kind joined to a parent, in the order of the links.
func (d *document) below(parent, kind string) []*object {
	var list []*object
	for _, l := range d.children[parent] {
		if o := d.objects[l.child]; o != nil && o.kind == kind {
			list = append(list, o)
		}
	}
	return list
}

// settings is what GlobalSettings declares.
type settings struct {
	basis    geom.Basis
	metres   float64
	basisHow scene.How
	unitHow  scene.How
	findings []finding.Finding
}

// settings are axes and unit as GlobalSettings declare them, with what the format takes
// for granted where they say nothing.
func (d *document) settings() settings {
	s := settings{basis: geom.GLTF, metres: 0.01, basisHow: scene.Assumed, unitHow: scene.Assumed}
	rec := d.tree.sub("GlobalSettings")
	if rec == nil {
		rec = d.tree.sub("Objects").sub("GlobalSettings")
	}
	p := properties{own: ownProperties(rec)}
	axis := func(name string) geom.Axis {
		i := int(p.get(name).float(-1))
		if i < 0 || i > 2 {
			return geom.NoAxis
		}
		a := geom.Axes[2*i]
		if p.get(name+"Sign").float(1) < 0 {
			a = a.Neg()
		}
		return a
	}
	up, front, coord := axis("UpAxis"), axis("FrontAxis"), axis("CoordAxis")
	if b := (geom.Basis{Up: up, Forward: front}); b.Valid() && coord != geom.NoAxis && coord.Index() != up.Index() &&
		coord.Index() != front.Index() {
		// The third axis points to the right of somebody who looks at the front.
		b.Left = coord.Vec().Cross(up.Vec()).Dot(front.Vec()) < 0
		s.basis, s.basisHow = b, scene.Declared
	}
	if u := p.get("UnitScaleFactor").float(0); u > 1e-9 && u < 1e9 {
		s.metres, s.unitHow = u/100, scene.Declared
	}
	if o := int(p.get("OriginalUpAxis").float(-1)); s.basisHow == scene.Declared && o >= 0 && o <= 2 &&
		o != s.basis.Up.Index() {
		s.findings = append(s.findings, finding.Finding{Code: "source/fbx-up-changed", Severity: finding.Note,
			Title: fmt.Sprintf("Modelled with %s up, written with %s up", geom.Axes[2*o], s.basis.Up),
			Text:  "The program that wrote the file turned the axes on the way out.", Place: finding.Place{File: d.file}})
	}
	return s
}

// leave counts what a static mesh can't keep.
func (d *document) leave(s *scene.Scene) {
	counted := map[string]string{"AnimationStack": "animation", "Take": "animation"}
	for _, o := range d.order {
		switch {
		case o.kind == "AnimationStack" && !d.moves(o):
			// Programs write an empty one into every file.
		case counted[o.kind] != "":
			s.LeaveOut(counted[o.kind], o.name, "a static mesh does not move")
		case o.kind == "Deformer" && o.class == "Skin":
			s.LeaveOut("skin", o.name, "a static mesh does not bend; it comes in as it rests")
		case o.kind == "Deformer" && o.class == "BlendShape":
			s.LeaveOut("morph target", o.name, "a static mesh does not change shape; it comes in as it rests")
		case o.kind == "Geometry" && !slices.Contains([]string{"Mesh", "Shape", ""}, o.class):
			s.LeaveOut("geometry of class "+clean(o.class), o.name, "a static mesh is made of polygons")
		case o.kind == "Model" && o.class == "Camera":
			s.LeaveOut("camera", o.name, "a static mesh has none")
		case o.kind == "Model" && (o.class == "LimbNode" || o.class == "Limb"):
			s.LeaveOut("joint", clean(o.name), "a static mesh does not bend")
		case o.kind == "Model" && o.class == "Light":
			s.LeaveOut("light", o.name, "a static mesh has none")
		}
	}
}

// moves tells whether an animation stack has a curve in one of its layers.
func (d *document) moves(stack *object) bool {
	for _, l := range d.below(stack.key, "AnimationLayer") {
		for _, n := range d.below(l.key, "AnimationCurveNode") {
			if len(d.below(n.key, "AnimationCurve")) > 0 {
				return true
			}
		}
	}
	return false
}

// clean makes a name fit for pages and other files: valid UTF-8, at most 120 bytes.
func clean(s string) string { return strings.ToValidUTF8(s[:min(len(s), 120)], "�") }

// broken makes the error for an object that can't be used.
func (d *document) broken(o *object, format string, args ...any) *fault.Error {
	what := fmt.Sprintf("%s “%s”: ", strings.ToLower(o.kind), clean(o.name)) + fmt.Sprintf(format, args...)
	if d.text {
		return fault.AtLine(d.file, int(o.rec.at), "%s", what)
	}
	return fault.AtByte(d.file, o.rec.at, "%s", what)
}
