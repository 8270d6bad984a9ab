// Package format is the list of formats: which file is which, and one way to read
// and to write them all.
package format

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/collada"
	"yarvek/core/format/fbx"
	"yarvek/core/format/gltf"
	"yarvek/core/format/obj"
	"yarvek/core/format/pack"
	"yarvek/core/format/ply"
	"yarvek/core/format/stl"
	"yarvek/core/format/usd"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Format is one that can be written, and what it can hold. What a format can do is
// asked of these fields, never of its ID.
type Format struct {
	ID     string // "glb", "gltf", "fbx", ...
	Name   string
	About  string // what it gives, in a sentence
	Suffix string
	// Variant is the format it holds the same as, in other bytes; "" for those that most receivers read.
	Variant string

	// Fixed is the frame every file of the format is in, nil when a file is written in
	// the target's.
	Fixed *Frame
	// Ups are the bases that a file can say it is in, where it says no more than which way is up: the first is for all
	// targets whose own up is none of them. Nil for formats that say more or nothing.
	Ups      []geom.Basis
	Declares bool // a file says what frame it is in
	Righted  bool // in the target's up and forward axes, and right-handed whatever the target is
	Polygons bool // faces of more than three corners stay
	BySlot   bool // faces stand slot by slot, not in their order
	Tangents bool
	Tree     bool // nodes keep their tree; without it objects stand side by side
	Bakes    bool // node transforms can be left out on request, since they are kept otherwise
	Groups   bool // LODs can be a group, with where each takes over
	Several  bool // more than one mesh
	// Calls is what a file calls what has a name, nil where that is the name; the reader of the house has it back.
	Calls    func(name string) string
	Slots    bool // faces can have materials of their own
	Normals  bool
	Colours  bool // of corners
	Empties  bool // nodes without a mesh
	Sights   bool // cameras and lights
	Physical bool // materials whole: metallic, roughness, and all their pictures with what is over them
	Drawn    bool // how materials are drawn: cut-offs, sides, lighting, strength of a glow
	Hides    bool // nodes that are not shown
	Fades    bool // opacity of the colours of corners
	Points   bool // clouds of points, with what they carry
	Bare     bool // corners can be without normals; without it they get those of their faces
	UVSets   int  // how many of a mesh it holds, [AnyUVSets] or none

	options pack.Options
	write   func(context.Context, *scene.Scene, pack.Options) (*pack.Package, error)
}

// AnyUVSets stands for any number of UV sets.
const AnyUVSets = math.MaxInt

// Frame is the axes and the unit of a file.
type Frame struct {
	Basis      geom.Basis
	UnitMetres float64 // metres one unit stands for
}

// Frame is that in which the numbers of a file of the format are written for a target: the one a standard
// fixes, else the target's own; what its receiver does not honour is written as it assumes it, also where a
// standard would have it otherwise.
func (f Format) Frame(t target.Target) Frame {
	r := f.Reading(t)
	at := Frame{t.Basis, t.Unit.Metres}
	if f.Fixed != nil {
		at = *f.Fixed
	}
	if f.Righted {
		at.Basis.Left = false
	}
	if len(f.Ups) > 0 {
		i := slices.IndexFunc(f.Ups, func(b geom.Basis) bool { return b.Up == at.Basis.Up })
		at.Basis = f.Ups[max(0, i)]
	}
	if !f.Declares || !r.HonoursAxes {
		at.Basis = r.Basis
	}
	if !f.Declares || !r.HonoursUnit {
		at.UnitMetres = r.Unit.Metres
	}
	return at
}

// Reading is what a target's receiver does with files of the format.
func (f Format) Reading(t target.Target) target.Reading {
	return kinds[kindBySuffix(f.Suffix)].reading(t)
}

// Taken is the frame in which the receiver takes the numbers of a file that says it is in a
// frame: what it honours as the file says, the rest as it assumes.
func (f Format) Taken(t target.Target, said Frame) Frame {
	r := f.Reading(t)
	taken := said
	switch {
	case !f.Declares || !r.HonoursAxes:
		taken.Basis = r.Basis
	case !r.HonoursHand:
		taken.Basis.Left = false
	}
	if !f.Declares || !r.HonoursUnit {
		taken.UnitMetres = r.Unit.Metres
	}
	return taken
}

// khronos is the frame of glTF 2.0 (section 3.4).
var khronos = &Frame{geom.GLTF, 1}

// Written lists the formats an export can have.
var Written = []Format{
	{ID: "glb", Name: "GLB", About: "glTF 2.0 in one file, pictures inside", Suffix: ".glb",
		Fixed: khronos, Declares: true, BySlot: true, Tangents: true, Tree: true, Groups: true, UVSets: gltf.MaxUVSets,
		Several: true, Slots: true, Physical: true, Normals: true, Colours: true, Empties: true, Sights: true,
		Drawn: true, Hides: true,
		Fades: true, write: gltf.Write},
	{ID: "gltf", Name: "glTF with parts", About: "a document with its buffer and pictures beside it", Suffix: ".gltf",
		Variant: "glb",
		Fixed:   khronos, Declares: true, BySlot: true, Tangents: true, Tree: true, Groups: true, UVSets: gltf.MaxUVSets,
		Several: true, Slots: true, Physical: true, Normals: true, Colours: true, Empties: true, Sights: true,
		Drawn: true, Hides: true,
		Fades: true, write: gltf.Write,
		options: pack.Options{Parts: true}},
	{ID: "gltf-one", Name: "glTF in one text file", About: "a document with its buffer and pictures inside, as text",
		Suffix: ".gltf", Variant: "glb",
		Fixed: khronos, Declares: true, BySlot: true, Tangents: true, Tree: true, Groups: true, UVSets: gltf.MaxUVSets,
		Several: true, Slots: true, Physical: true, Normals: true, Colours: true, Empties: true, Sights: true,
		Drawn: true, Hides: true,
		Fades: true, write: gltf.Write,
		options: pack.Options{Text: true}},
	fbxAs("fbx", "FBX", "binary 7.4, polygons stay polygons; pictures beside it", pack.Options{Parts: true}),
	fbxAs("fbx-one", "FBX in one file", "the same with the pictures inside", pack.Options{}),
	fbxAs("fbx-75", "FBX 7.5", "binary with 64-bit offsets; pictures beside it", pack.Options{Parts: true, Wide: true}),
	fbxAs("fbx-text", "FBX as text", "ASCII 7.4, for tools that read nothing else; pictures beside it",
		pack.Options{Parts: true, Text: true}),
	signed(fbxAs("fbx-signed", "FBX in the target’s own handedness",
		"as the first, but for a left-handed target its third axis is "+
			"declared turned round; most receivers overlook that and show the asset mirrored", pack.Options{Parts: true})),
	{ID: "obj", Name: "OBJ + MTL", About: "polygons stay polygons; pictures beside it", Suffix: ".obj",
		Polygons: true, Several: true, Slots: true, Physical: true, Normals: true, Colours: true, Bare: true, UVSets: 1,
		write: obj.Write},
	usdWriter("usdz", "USD package", "a zip of a crate and its pictures, as devices open it", ".usdz",
		pack.Options{Wrapped: true}),
	usdWriter("usdc", "USD crate", "binary, pictures beside it", ".usdc", pack.Options{}),
	usdWriter("usda", "USD as text", "a layer of text, pictures beside it", ".usda", pack.Options{Text: true}),
	{ID: "dae", Name: "COLLADA", About: "1.4.1, polygons stay polygons; pictures beside it", Suffix: ".dae",
		Ups: collada.Ups, Declares: true, Righted: true, Polygons: true, BySlot: true, Tree: true, Bakes: true,
		Several: true, Slots: true, Normals: true, Colours: true, Empties: true, Fades: true, Bare: true,
		UVSets: AnyUVSets, write: collada.Write},
	plyAs("ply", "PLY", "binary; one surface with normals, one UV set and colours", pack.Options{}),
	plyAs("ply-text", "PLY as text", "the same in letters", pack.Options{Text: true}),
	stlAs("stl", "STL", "binary; triangles and nothing else, as printers take them", pack.Options{}),
	stlAs("stl-text", "STL as text", "the same in letters", pack.Options{Text: true}),
}

// plyAs and stlAs are variants of formats of one surface.
func plyAs(id, name, about string, opt pack.Options) Format {
	f := Format{ID: id, Name: name, About: about, Suffix: ".ply", Polygons: true, Points: true, Normals: true,
		Colours: true,
		Fades:   true, Bare: true, UVSets: 1, options: opt, write: ply.Write}
	if id != "ply" {
		f.Variant = "ply"
	}
	return f
}

func stlAs(id, name, about string, opt pack.Options) Format {
	f := Format{ID: id, Name: name, About: about, Suffix: ".stl", Bare: true, options: opt, write: stl.Write}
	if id != "stl" {
		f.Variant = "stl"
	}
	return f
}

// fbxAs is a variant of FBX: they hold the same and differ in their bytes.
func fbxAs(id, name, about string, opt pack.Options) Format {
	variant := "fbx"
	if id == variant {
		variant = ""
	}
	return Format{ID: id, Name: name, About: about, Suffix: ".fbx", Variant: variant,
		Declares: true, Righted: true, Polygons: true,
		Tangents: true,
		Tree:     true, Groups: true, Bakes: true, Several: true, Slots: true, Physical: true, Normals: true, Colours: true,
		Empties: true, Sights: true, Drawn: true, Hides: true, Fades: true, UVSets: AnyUVSets, options: opt, write: fbx.Write}
}

// usdWriter is a variant of USD.
func usdWriter(id, name, about, suffix string, opt pack.Options) Format {
	variant := "usdz"
	if id == variant {
		variant = ""
	}
	return Format{ID: id, Name: name, About: about, Suffix: suffix, Variant: variant, Ups: usd.Ups,
		Calls: usd.Identifier, Declares: true, Righted: true,
		Polygons: true, Tree: true, Bakes: true, Several: true, Slots: true, Physical: true, Normals: true, Colours: true,
		Empties: true,
		Hides:   true, Fades: true, Bare: true, UVSets: AnyUVSets, options: opt, write: usd.Write}
}

// signed is a format in the target's own handedness, which its files declare.
func signed(f Format) Format {
	f.Righted = false
	return f
}

// ByID finds a written format; the error names those there are.
func ByID(id string) (Format, error) {
	var ids []string
	for _, f := range Written {
		if f.ID == id {
			return f, nil
		}
		ids = append(ids, f.ID)
	}
	return Format{}, fault.Input("%q is no format that can be written: expected %s", id, strings.Join(ids, ", "))
}

// BySuffix finds the first written format of a file's suffix, such as ".glb".
func BySuffix(suffix string) (Format, error) {
	for _, f := range Written {
		if strings.EqualFold(f.Suffix, suffix) {
			return f, nil
		}
	}
	var list []string
	for _, f := range Written {
		if !slices.Contains(list, f.Suffix) {
			list = append(list, f.Suffix)
		}
	}
	return Format{}, fault.Input("no format is written with the suffix %q: expected %s", suffix, row(list, "or"))
}

// Version is that of the readers: raise it when one of them reads the same file
// otherwise, so that what was made of the old reading is not taken for the new.
const Version = 13

// Read reads the mesh file name of the set. What it had to leave, guess or repair
// is in the findings; an error is a *fault.Error unless ctx ended.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	return readAs(ctx, set, name, progress, false)
}

// ReadBrief is Read where counts, places, materials and pictures are all that is wanted: what faces carry besides, such
// as normals and coordinates on pictures, may be missing, with what is to be said of it.
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
	k, err := kindOf(name, data)
	if err != nil {
		return nil, nil, err
	}
	from := k.read
	if brief && k.brief != nil {
		from = k.brief
	}
	s, found, err := from(ctx, set, name, progress)
	if err != nil {
		return nil, nil, err
	}
	if err := counted(s, name); err != nil {
		return nil, nil, err
	}
	found = append(found, cleaned(s)...)
	if err := named(s, name); err != nil {
		return nil, nil, err
	}
	if err := placed(s, name); err != nil {
		return nil, nil, err
	}
	if err := held(ctx, s, name, Reach,
		"Reset scale and location of the node and of those above it in the modelling program"); err != nil {
		return nil, nil, err
	}
	return s, finding.Gathered(append(found, pictures(s, name)...)), nil
}

// pictures says which pictures that came can't be shown or turned into another kind.
func pictures(s *scene.Scene, file string) []finding.Finding {
	kinds := map[string]string{picture.PSD: "a layered PSD", picture.EXR: "an EXR", picture.DDS: "a DDS",
		picture.KTX2: "a KTX2"}
	var list []finding.Finding
	for _, im := range s.Images {
		kind, known := kinds[im.MIME]
		switch {
		case !im.Found() || picture.Decodes(im.MIME):
			continue
		case known:
			kind += ", which is measured and passed on where a format can carry it, and not turned into another"
		default:
			kind = "of no kind that is known"
		}
		list = append(list, finding.Finding{Code: "source/picture-kind", Severity: finding.Look,
			Title: fmt.Sprintf("Picture “%s” can’t be opened", fault.Shown(im.Name)),
			Text:  "It is " + kind + ". Save it as PNG for receivers that need one.", Place: finding.Place{File: file}})
	}
	return list
}

// Write writes a delivery in a format, in the frame of the target as far as the format
// allows. name is that of the main file, without suffix. The error is ctx's when it
// ended, and a *fault.Error of kind Limit for what no 32-bit number holds.
func Write(ctx context.Context, d scene.Delivery, f Format, name string, t target.Target) (*pack.Package, error) {
	if err := d.Validate(); err != nil {
		return nil, err
	}
	if !f.Points && d.Scene.Count().Dots > 0 {
		return nil, fault.Input("%s holds faces, and this asset is points without any", f.Name).Advise("Send it as PLY")
	}
	d, less := Less(d, f, name)
	opt, frame, all := f.options, f.Frame(t), d.Assembled()
	all, moved := before(all, t)
	opt.Name, opt.Basis, opt.UnitMetres, opt.WebP = name, frame.Basis, frame.UnitMetres, t.Textures.Reads("webp")
	if err := held(ctx, all, name+f.Suffix, math.MaxFloat32*frame.UnitMetres,
		"Read it in another unit at Size, or scale it by less"); err != nil {
		return nil, err
	}
	if f.Fixed != nil && frame != *f.Fixed {
		// The writer takes the numbers for those of the standard's frame.
		all = all.Carried(geom.Linear(t.Basis.To(frame.Basis).Scaled(1 / frame.UnitMetres)))
		all.Basis = f.Fixed.Basis
		moved = append(moved, pack.Change{About: pack.Nodes,
			What: fmt.Sprintf("the numbers are of %s up, %s forward, and a unit of %s",
				frame.Basis.Up, frame.Basis.Forward, figure.Length(frame.UnitMetres)),
			Why: "the target assumes so; a receiver that goes by the " +
				"standard sees another size or stance"})
	}
	all, mended := strict(all)
	p, err := f.write(ctx, all, opt)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if p != nil {
		p.Changes = slices.Concat(less, moved, mended, p.Changes)
	}
	return p, err
}

// before is the scene as it has to leave so that what the receiver does to it on arrival
// brings it to where it should stand.
func before(s *scene.Scene, t target.Target) (*scene.Scene, []pack.Change) {
	back, ok := t.Arrival.Map(t.Basis).Inverse()
	if !ok || back.IsIdentity() {
		return s, nil
	}
	return s.Carried(back), []pack.Change{{About: pack.Nodes, What: "all of it was moved, turned or scaled the other way",
		Why: "the target does so on arrival"}}
}

// Named is a scene whose nodes all have names, as files are written.
func Named(s *scene.Scene) *scene.Scene {
	out := *s
	unnamed(&out)
	return &out
}

// unnamed gives nodes without a name that of their mesh or of what they are, with a number,
// and counts them.
func unnamed(s *scene.Scene) int {
	if !slices.ContainsFunc(s.Nodes, func(n scene.Node) bool { return n.Name == "" }) {
		return 0
	}
	taken, n := map[string]bool{}, 0
	for _, d := range s.Nodes {
		taken[d.Name] = true
	}
	s.Nodes = slices.Clone(s.Nodes)
	next := map[string]int{}
	for i := range s.Nodes {
		d := &s.Nodes[i]
		if d.Name != "" {
			continue
		}
		base := "node"
		if d.Mesh >= 0 {
			if base = "mesh"; s.Meshes[d.Mesh].Name != "" {
				base = s.Meshes[d.Mesh].Name
			}
		}
		for d.Name == "" || taken[d.Name] {
			next[base]++
			d.Name = fmt.Sprintf("%s %d", base, next[base])
		}
		taken[d.Name] = true
		n++
	}
	return n
}

// strict is the scene as receivers that check nothing take it, with what was mended for
// the packing list.
func strict(s *scene.Scene) (*scene.Scene, []pack.Change) {
	var list []pack.Change
	out := *s
	if n := unnamed(&out); n > 0 {
		list = append(list, pack.Change{About: pack.Nodes, What: figure.Plural(n, "node", "nodes") +
			" without a name got one",
			Why: "receivers find parts by their names"})
	}
	out.Meshes = slices.Clone(s.Meshes)
	for i, m := range s.Meshes {
		var did scene.Mended
		out.Meshes[i], did = m.Strict()
		say := func(n int, about pack.Topic, what, why string) {
			if n > 0 {
				what = fmt.Sprintf("%s of “%s” %s", figure.Plural(n, "corner", "corners"), m.Name, what)
				list = append(list, pack.Change{About: about, What: what, Why: why})
			}
		}
		say(did.Normals, pack.Smoothing, "got a normal of unit length", "theirs was missing, zero or of another length")
		say(did.Unmapped, pack.UVSets, "got the UV coordinate 0, 0", "they had none in a set that others have")
		say(did.Blank, pack.Colors, "became white", "they had no colour where others have one")
	}
	return &out, list
}
