package fbx

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the scene as FBX 7.4, binary or text, in the basis and unit asked for, which
// GlobalSettings declares; node transforms are those of that basis. Pictures go
// beside the file, or with opt.Parts false inside it. The error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	w := &writer{ctx: ctx, opt: opt, next: 1_000_000}
	if s.Shears() {
		w.out.SayFlattened(s, "FBX")
		s = s.Flattened()
	}
	w.s = s.Carried(geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres)))
	w.objects = rec("Objects")
	w.links = rec("Connections")
	w.pictures()
	w.materials()
	w.nodes()
	w.sights()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	data, err := w.encode()
	if err != nil {
		return nil, err
	}
	name := bundle.Safe(opt.Name)
	w.out.Files = append([]bundle.File{{Name: name + ".fbx", Data: data}}, w.beside...)
	return &w.out, nil
}

// encode writes the tree as the options ask; a binary file too long for the offsets
// of version 7.4 becomes one of 7.5.
func (w *writer) encode() ([]byte, error) {
	if w.opt.Text {
		return encodeText(w.ctx, w.tree(7400))
	}
	version := 7400
	if w.opt.Wide || w.size() > math.MaxUint32 {
		version = 7500
	}
	return encodeBinary(w.ctx, w.tree(int32(version)), version)
}

// size bounds the file from above: its arrays unpacked.
func (w *writer) size() int64 {
	var n func(r *record) int64
	n = func(r *record) int64 {
		total := int64(64 + len(r.name))
		for _, p := range r.props {
			switch v := p.(type) {
			case []int32:
				total += int64(4 * len(v))
			case []float64:
				total += int64(8 * len(v))
			case []byte:
				total += int64(len(v))
			case string:
				total += int64(len(v))
			}
		}
		for _, s := range r.subs {
			total += n(s)
		}
		return total
	}
	return n(w.objects) + n(w.links)
}

// writer makes a tree of a scene. Numbers of objects are given in the order they are
// made, so equal scenes give equal trees.
type writer struct {
	ctx     context.Context
	s       *scene.Scene
	opt     pack.Options
	out     pack.Package
	beside  []bundle.File
	objects *record
	links   *record
	counts  [6]int32 // of kinds, see tree
	next    int64

	videos   []int64 // of each image, 0 when it is missing
	files    []string
	material []int64
	meshOf   map[int]*scene.Mesh // the first that uses a material; nil before it is needed
	bare     int64               // the material of faces without one, 0 before it is needed
	geometry map[int]int64
}

const (
	countGeometry = iota
	countModel
	countMaterial
	countTexture
	countVideo
	countAttribute
)

// id gives the next object’s number, which is above zero.
func (w *writer) id() int64 {
	w.next++
	return w.next
}

// link connects a child to a parent, to one of its properties when prop is not "".
func (w *writer) link(child, parent int64, prop string) {
	if prop == "" {
		w.links.add(rec("C", "OO", child, parent))
		return
	}
	w.links.add(rec("C", "OP", child, parent, prop))
}

// tree is the file's top-level records in their usual order.
func (w *writer) tree(version int32) []*record {
	b := w.opt.Basis
	axis := func(name string, a geom.Axis) []*record {
		return []*record{prop70(name, "int", "Integer", "", int32(a.Index())),
			prop70(name+"Sign", "int", "Integer", "", int32(a.Sign()))}
	}
	set := rec("Properties70").add(axis("UpAxis", b.Up)...).add(axis("FrontAxis", b.Forward)...).add(
		axis("CoordAxis", b.Right().Neg())...).
		add(axis("OriginalUpAxis", b.Up)...).add(
		prop70("UnitScaleFactor", "double", "Number", "", w.opt.UnitMetres*100),
		prop70("OriginalUnitScaleFactor", "double", "Number", "", w.opt.UnitMetres*100))
	stamp := rec("CreationTimeStamp").add(rec("Version", int32(1000)), rec("Year", int32(1970)), rec("Month", int32(1)),
		rec("Day", int32(1)),
		rec("Hour", int32(10)), rec("Minute", int32(0)), rec("Second", int32(0)), rec("Millisecond", int32(0)))
	defs := rec("Definitions").add(rec("Version", int32(100)))
	total := int32(1)
	types := []*record{rec("ObjectType", "GlobalSettings").add(rec("Count", int32(1)))}
	for i, t := range templates {
		if n := w.counts[i]; n > 0 {
			total += n
			types = append(types, rec("ObjectType", t.kind).add(rec("Count", n),
				rec("PropertyTemplate", t.name).add(rec("Properties70").add(t.defaults()...))))
		}
	}
	defs.add(rec("Count", total)).add(types...)
	return []*record{
		rec("FBXHeaderExtension").add(rec("FBXHeaderVersion", int32(1003)), rec("FBXVersion", version),
			rec("EncryptionType", int32(0)),
			stamp, rec("Creator", "Yarvek"), sceneInfo()),
		rec("FileId", fileID), rec("CreationTime", createTime), rec("Creator", "Yarvek"),
		rec("GlobalSettings").add(rec("Version", int32(1000)), set),
		rec("Documents").add(rec("Count", int32(1)),
			rec("Document", w.id(), "Scene", "Scene").add(rec("RootNode", int64(0)))),
		rec("References"), defs, w.objects, w.links,
		rec("Takes").add(rec("Current", "")),
	}
}

// template is what an object of a kind has unless it says otherwise. Receivers look here
// for what an object leaves out.
type template struct {
	kind, name string
	defaults   func() []*record
}

// templates are in the order of the counts.
var templates = [...]template{
	{"Geometry", "FbxMesh", func() []*record {
		return []*record{prop70("Color", "ColorRGB", "Color", "", 0.8, 0.8, 0.8),
			prop70("BBoxMin", "Vector3D", "Vector", "", 0.0, 0.0, 0.0),
			prop70("BBoxMax", "Vector3D", "Vector", "", 0.0, 0.0, 0.0), prop70("Primary Visibility", "bool", "", "", int32(1)),
			prop70("Casts Shadows", "bool", "", "", int32(1)), prop70("Receive Shadows", "bool", "", "", int32(1))}
	}},
	{"Model", "FbxNode", func() []*record {
		zero := func(name string) *record { return prop70(name, "Vector3D", "Vector", "", 0.0, 0.0, 0.0) }
		return []*record{prop70("RotationOrder", "enum", "", "", int32(0)),
			prop70("RotationActive", "bool", "", "", int32(0)),
			zero("RotationOffset"), zero("RotationPivot"), zero("ScalingOffset"), zero("ScalingPivot"), zero("PreRotation"),
			zero("PostRotation"), zero("GeometricTranslation"), zero("GeometricRotation"),
			prop70("GeometricScaling", "Vector3D", "Vector", "", 1.0, 1.0, 1.0), prop70("InheritType", "enum", "", "", int32(0)),
			prop70("Lcl Translation", "Lcl Translation", "", "A", 0.0, 0.0, 0.0),
			prop70("Lcl Rotation", "Lcl Rotation", "", "A", 0.0, 0.0, 0.0), prop70("Lcl Scaling", "Lcl Scaling", "", "A", 1.0,
				1.0, 1.0),
			prop70("Visibility", "Visibility", "", "A", 1.0), prop70("Visibility Inheritance", "Visibility Inheritance", "", "",
				int32(1))}
	}},
	{"Material", "FbxSurfacePhong", func() []*record {
		colour := func(name string, v float64) *record { return prop70(name, "Color", "", "A", v, v, v) }
		number := func(name string, v float64) *record { return prop70(name, "Number", "", "A", v) }
		return []*record{prop70("ShadingModel", "KString", "", "", "Phong"), prop70("MultiLayer", "bool", "", "", int32(0)),
			colour("EmissiveColor", 0), number("EmissiveFactor", 1), colour("AmbientColor", 0.2), number("AmbientFactor", 1),
			colour("DiffuseColor", 0.8), number("DiffuseFactor", 1), colour("TransparentColor", 0),
			number("TransparencyFactor", 0),
			number("Opacity", 1), colour("SpecularColor", 0.2), number("SpecularFactor", 1), number("ShininessExponent", 20)}
	}},
	{"Texture", "FbxFileTexture", func() []*record {
		return []*record{prop70("TextureTypeUse", "enum", "", "", int32(0)), prop70("Texture alpha", "Number", "", "A", 1.0),
			prop70("WrapModeU", "enum", "", "", int32(0)), prop70("WrapModeV", "enum", "", "", int32(0)),
			prop70("UVSwap", "bool", "", "", int32(0)), prop70("Translation", "Vector", "", "A", 0.0, 0.0, 0.0),
			prop70("Rotation", "Vector", "", "A", 0.0, 0.0, 0.0), prop70("Scaling", "Vector", "", "A", 1.0, 1.0, 1.0),
			prop70("UVSet", "KString", "", "", "default"), prop70("UseMaterial", "bool", "", "", int32(0)),
			prop70("UseMipMap", "bool", "", "", int32(0))}
	}},
	{"Video", "FbxVideo", func() []*record {
		return []*record{prop70("ImageSequence", "bool", "", "", int32(0)), prop70("Path", "KString", "XRefUrl", "", "")}
	}},
	{"NodeAttribute", "FbxLODGroup", func() []*record {
		return []*record{prop70("ThresholdsUsedAsPercentage", "bool", "", "", int32(0)),
			prop70("MinMaxDistance", "bool", "", "", int32(0))}
	}},
}

// sceneInfo is what a receiver may show of a file. It tells no path, no person and no time.
func sceneInfo() *record {
	meta := rec("MetaData").add(rec("Version", int32(100)))
	for _, field := range []string{"Title", "Subject", "Author", "Keywords", "Revision", "Comment"} {
		meta.add(rec(field, ""))
	}
	return rec("SceneInfo", "GlobalInfo\x00\x01SceneInfo", "UserData").add(rec("Type", "UserData"),
		rec("Version", int32(100)), meta,
		rec("Properties70").add(prop70("DocumentUrl", "KString", "Url", "", ""),
			prop70("SrcDocumentUrl", "KString", "Url", "", ""),
			prop70("Original", "Compound", "", ""), prop70("Original|ApplicationVendor", "KString", "", "", "Yarvek"),
			prop70("Original|ApplicationName", "KString", "", "", "Yarvek")))
}

// nodes writes the models and the geometries they place.
func (w *writer) nodes() {
	w.geometry = map[int]int64{}
	ids := make([]int64, len(w.s.Nodes))
	taken, sent, next := map[string]bool{}, map[string]bool{}, map[string]int{}
	for _, n := range w.s.Nodes {
		sent[n.Name] = true
	}
	for i, n := range w.s.Nodes {
		ids[i] = w.id()
		// Receivers find models by their names, so that each has one of its own; the first keeps it.
		name := n.Name
		for k := max(2, next[n.Name]); taken[name]; k++ {
			if name = fmt.Sprintf("%s %d", n.Name, k); sent[name] {
				name = n.Name // which another has as it is
			}
			next[n.Name] = k + 1
		}
		if taken[name] = true; name != n.Name {
			w.out.SayOf(pack.Nodes, pack.Name, n.Name, fmt.Sprintf("the name of “%s” became “%s”", n.Name, name),
				"receivers find models by their names, and another has it")
		}
		class := "Null"
		if n.Kind == scene.KindLOD {
			class = "LodGroup"
		}
		if n.Mesh >= 0 {
			class = "Mesh"
		}
		t, r, s := decompose(n.Local)
		props := rec("Properties70").add(
			prop70("InheritType", "enum", "", "", int32(1)),
			prop70("DefaultAttributeIndex", "int", "Integer", "", int32(0)),
			prop70("Lcl Translation", "Lcl Translation", "", "A", t[0], t[1], t[2]),
			prop70("Lcl Rotation", "Lcl Rotation", "", "A", r[0], r[1], r[2]),
			prop70("Lcl Scaling", "Lcl Scaling", "", "A", s[0], s[1], s[2]))
		if n.Hidden {
			props.add(prop70("Visibility", "Visibility", "", "A", float64(0)))
		}
		w.objects.add(rec("Model", ids[i], name+"\x00\x01Model", class).add(rec("Version", int32(232)), props,
			rec("Shading", true),
			rec("Culling", "CullingOff")))
		w.counts[countModel]++
		parent := int64(0)
		if n.Parent >= 0 {
			parent = ids[n.Parent]
		}
		w.link(ids[i], parent, "")
		if n.Kind == scene.KindLOD {
			w.lodGroup(ids[i], n)
		}
		if n.Mesh < 0 {
			continue
		}
		m := w.s.Meshes[n.Mesh]
		g, seen := w.geometry[n.Mesh]
		if !seen {
			g = w.id()
			w.geometry[n.Mesh] = g
			if m.Name == "" { // a receiver that goes by it finds none
				own := *m
				own.Name = name
				m = &own
			}
			w.objects.add(w.mesh(g, m))
			w.counts[countGeometry]++
		}
		w.link(g, ids[i], "")
		if !assigned(m) {
			continue
		}
		for _, k := range m.Slots {
			if k >= 0 {
				w.link(w.material[k], ids[i], "")
			} else {
				w.link(w.unassigned(m), ids[i], "")
			}
		}
	}
}

// lodGroup writes the attribute that makes a model a LOD group.
func (w *writer) lodGroup(model int64, n scene.Node) {
	id := w.id()
	p := rec("Properties70").add(prop70("MinMaxDistance", "bool", "", "", int32(0)),
		prop70("ThresholdsUsedAsPercentage", "bool", "", "", int32(0)),
		prop70("Thresholds", "Compound", "", ""))
	for i, t := range n.Thresholds {
		p.add(prop70(fmt.Sprintf("Thresholds|Level%d", i), "Distance", "", "", t, "cm"))
	}
	w.objects.add(rec("NodeAttribute", id, n.Name+"\x00\x01NodeAttribute", "LodGroup").add(p,
		rec("TypeFlags", "LodGroup")))
	w.counts[countAttribute]++
	w.link(id, model, "")
}

// decompose takes a map without shear apart into translation, Euler angles in
// degrees (X first, then Y, then Z) and scale.
func decompose(a geom.Affine) (t geom.Vec3, deg, s [3]float64) {
	x, y, z := a.M.Col(0), a.M.Col(1), a.M.Col(2)
	s = [3]float64{x.Len(), y.Len(), z.Len()}
	if a.M.Det() < 0 {
		s[0] = -s[0]
	}
	if s[0] == 0 || s[1] == 0 || s[2] == 0 {
		return a.T, deg, s
	}
	m := geom.Columns(x.Mul(1/s[0]), y.Mul(1/s[1]), z.Mul(1/s[2]))
	sy := min(max(-m[2][0], -1), 1)
	deg[1] = math.Asin(sy)
	if math.Abs(sy) < 1-1e-12 {
		deg[0], deg[2] = math.Atan2(m[2][1], m[2][2]), math.Atan2(m[1][0], m[0][0])
	} else {
		deg[0] = math.Atan2(-m[1][2], m[1][1])
	}
	for i := range deg {
		deg[i] *= 180 / math.Pi
		if math.Abs(s[i]-1) < 1e-12 {
			s[i] = 1
		}
	}
	return a.T, deg, s
}

// pictures stores the images as videos, inside the file or beside it.
func (w *writer) pictures() {
	var names pack.Names
	names.Take(w.opt.Name, ".fbx")
	w.videos = make([]int64, len(w.s.Images))
	w.files = make([]string, len(w.s.Images))
	used := make([]bool, len(w.s.Images))
	for _, m := range w.s.Materials {
		for _, mp := range m.Maps {
			if mp.Has() {
				used[w.s.Textures[mp.Texture-1].Image] = true
			}
		}
	}
	for i, im := range w.s.Images {
		if !used[i] {
			if im.Found() {
				w.out.Say(pack.Pictures, fmt.Sprintf("picture “%s”", im.Name), "no material uses it")
			}
			continue
		}
		if !im.Found() {
			w.out.SayOf(pack.Pictures, pack.Content, im.Name, fmt.Sprintf("picture “%s”", im.Name),
				"its file was never uploaded")
			continue
		}
		w.files[i] = names.Picture(im)
		w.videos[i] = w.id()
		v := rec("Video", w.videos[i], w.files[i]+"\x00\x01Video", "Clip").add(rec("Type", "Clip"),
			rec("Properties70").add(prop70("Path", "KString", "XRefUrl", "", w.files[i])),
			rec("UseMipMap", int32(0)), rec("Filename", w.files[i]), rec("RelativeFilename", w.files[i]))
		if w.opt.Parts {
			w.beside = append(w.beside, bundle.File{Name: w.files[i], Data: im.Data})
		} else {
			v.add(rec("Content", im.Data))
		}
		w.objects.add(v)
		w.counts[countVideo]++
	}
}
