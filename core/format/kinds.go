package format

import (
	"bytes"
	"context"
	"path"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/collada"
	"yarvek/core/format/fbx"
	"yarvek/core/format/gltf"
	"yarvek/core/format/obj"
	"yarvek/core/format/ply"
	"yarvek/core/format/stl"
	"yarvek/core/format/usd"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// kind is a sort of file that meshes come in. What is told of kinds anywhere, their names, suffixes and media
// types, comes from the one list of them.
type kind struct {
	name   string
	suffix string // with its dot, in small letters
	media  string // type, "" where none is registered
	begins string // what a file begins with, as an error says it; "" where anything may
	// is tells a file by its content; nil where only the suffix tells.
	is func(data []byte) bool
	// says is whether the reader says better what is wrong with a file of the suffix than that it begins otherwise.
	says bool
	// layers is whether files of the kind are put together of others of it.
	layers bool
	read   func(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
		[]finding.Finding, error)
	// brief is read without what faces carry; nil where that would take as long.
	brief func(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
		[]finding.Finding, error)
	refs func(ctx context.Context, name string, data []byte) []string // the files that one names, as it names them
	// the key of what a target says of its receiver and them
	rule  string
	one   string // as “an FBX”
	usual bool   // receivers take it as a rule, so that it is offered first
}

// kinds are told by their content in this order, then by their suffix.
var kinds = []kind{
	{name: "FBX", suffix: ".fbx", begins: "an FBX, binary or text,", is: fbx.IsFBX, read: fbx.Read,
		brief: fbx.ReadBrief, refs: fbx.References,
		rule: "fbx", one: "an FBX", usual: true},
	{name: "OBJ", suffix: ".obj", media: "model/obj", read: obj.Read,
		refs: func(_ context.Context, _ string, data []byte) []string { return statements(data, isLibrary) },
		rule: "obj", one: "an OBJ", usual: true},
	{name: "GLB", suffix: ".glb", media: "model/gltf-binary", begins: "a GLB (“glTF”)", is: gltf.IsGLB, read: gltf.Read,
		refs: documentRefs, rule: "gltf", one: "a glTF", usual: true},
	{name: "glTF", suffix: ".gltf", media: "model/gltf+json", begins: "a glTF document (“{”)", is: isDocument,
		read: gltf.Read, refs: documentRefs, rule: "gltf", one: "a glTF", usual: true},
	{name: "COLLADA", suffix: ".dae", media: "model/vnd.collada+xml", begins: "a COLLADA document (“<COLLADA”)",
		is: collada.Is, says: true, read: collada.Read, refs: collada.References, rule: "collada",
		one: "a COLLADA"},
	{name: "COLLADA", suffix: ".zae", says: true, read: collada.Read, refs: noRefs, rule: "collada", one: "a COLLADA"},
	{name: "PLY", suffix: ".ply", begins: "a PLY (“ply”)", is: ply.Is, read: ply.Read, refs: ply.References,
		rule: "ply", one: "a PLY"},
	usdAs(".usd"), usdAs(".usda"), usdAs(".usdc"), usdAs(".usdz"),
	{name: "STL", suffix: ".stl", media: "model/stl", is: stl.Is, says: true, read: stl.Read, refs: noRefs,
		rule: "stl", one: "an STL"},
}

// usdAs is USD under one of its suffixes; which of its codings a file has is told by its content.
func usdAs(suffix string) kind {
	return kind{name: "USD", suffix: suffix, begins: "a USD scene (“#usda” or “PXR-USDC”)", is: usd.Is, says: true,
		layers: true, read: usd.Read, refs: usd.References, rule: "usd", one: "a USD"}
}

// reading is what a target says of its receiver and files of the kind.
func (k kind) reading(t target.Target) target.Reading {
	i := slices.IndexFunc(target.Families, func(f target.Family) bool { return f.Key == k.rule })
	return *target.Families[i].Of(&t.Reads)
}

// Of is the format a scene was read from: the first that is written of its kind.
func Of(s *scene.Scene) (Format, error) {
	if f, err := BySuffix("." + s.Format); err == nil {
		return f, nil
	}
	for _, f := range Written {
		if strings.EqualFold(f.kindName(), s.Format) {
			return f, nil
		}
	}
	return Format{}, fault.Input("%q is no format that is read", fault.Shown(s.Format))
}

// noRefs are those of a file that names no others.
func noRefs(context.Context, string, []byte) []string { return nil }

// isDocument tells JSON by its first letter.
func isDocument(data []byte) bool { return bytes.HasPrefix(opening(data), []byte("{")) }

// opening is how a text begins, without what has no ink.
func opening(data []byte) []byte {
	return bytes.TrimLeft(bytes.TrimPrefix(data[:min(len(data), 512)], []byte("\xef\xbb\xbf")), " \t\r\n")
}

// kindBySuffix is the number of the kind with a suffix, or -1.
func kindBySuffix(suffix string) int {
	return slices.IndexFunc(kinds, func(k kind) bool { return strings.EqualFold(k.suffix, suffix) })
}

// IsMesh tells by its suffix whether a file is one that assets are made of.
func IsMesh(name string) bool { return kindBySuffix(path.Ext(name)) >= 0 }

// Layered tells by its suffix a file of a kind that is put together of others of it.
func Layered(name string) bool {
	i := kindBySuffix(path.Ext(name))
	return i >= 0 && kinds[i].layers
}

// Parts are those of some mesh files that others of them are put together of: they are no assets by themselves. Where
// all are parts of one another, none is.
func Parts(ctx context.Context, set *bundle.Bundle, meshes []string) map[string]bool {
	parts := map[string]bool{}
	for _, m := range meshes {
		if !Layered(m) {
			continue
		}
		for _, c := range Companions(ctx, set, m) {
			if c != m && Layered(c) {
				parts[c] = true
			}
		}
	}
	if len(parts) == len(meshes) {
		return nil
	}
	return parts
}

// MediaType is that of files with a suffix, "" where none is registered.
func MediaType(suffix string) string {
	if i := kindBySuffix(suffix); i >= 0 {
		return kinds[i].media
	}
	return ""
}

// Suffixes are those of the files that are read, each once, in the order of their kinds.
func Suffixes() (list []string) {
	for _, k := range kinds {
		if !slices.Contains(list, k.suffix) {
			list = append(list, k.suffix)
		}
	}
	return list
}

// Names are those of all kinds that are read, as “FBX, OBJ or glTF”.
func Names() string {
	var list []string
	for _, k := range kinds {
		if !slices.Contains(list, k.name) {
			list = append(list, k.name)
		}
	}
	return row(list, "or")
}

// Rule is what a target can say of its receiver and files of one sort.
type Rule struct {
	Key  string // in a target, below "reads"
	Name string
	One  string // as “an FBX”
	Says bool   // a file says what frame it is in, which a receiver may honour
	As   Format // the first that is written
	// Usual tells those that receivers take as a rule.
	Usual bool
}

// Rules lists what targets say of files, each once, in the order of the kinds of files.
func Rules() (list []Rule) {
	for _, k := range kinds {
		i := slices.IndexFunc(Written, func(f Format) bool { return kinds[kindBySuffix(f.Suffix)].one == k.one })
		if i >= 0 && !slices.ContainsFunc(list, func(r Rule) bool { return r.One == k.one }) {
			_, name, _ := strings.Cut(k.one, " ")
			list = append(list, Rule{k.rule, name, k.one, Written[i].Declares, Written[i], k.usual})
		}
	}
	return list
}

// Keeping names those whose files hold something, and those whose files don't, each as “FBX and glTF”.
func Keeping(it func(Format) bool) (those, others string) {
	var lists [2][]string
	for _, r := range Rules() {
		i := 0
		if !it(r.As) {
			i = 1
		}
		lists[i] = append(lists[i], r.Name)
	}
	return row(lists[0], "and"), row(lists[1], "and")
}

// row puts words in a row, with another one before the last.
func row(list []string, word string) string {
	last := len(list) - 1
	if last < 1 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:last], ", ") + " " + word + " " + list[last]
}

// NoMesh says of a file that is no mesh what it is, by its content, and what to do about it.
func NoMesh(name string, head []byte) *fault.Error {
	if s, ok := SortOf(head); ok {
		return fault.AtByte(name, -1, "is %s, and no %s file", s.What, Names()).Unsupported().Advise(s.Try)
	}
	return fault.AtByte(name, -1, "is no %s file", Names()).Unsupported().Advise("Export the mesh in one of these formats")
}

// kindOf tells the kind of a mesh file by its content, and by its suffix where that tells nothing.
func kindOf(name string, data []byte) (kind, error) {
	if len(data) == 0 {
		return kind{}, fault.AtByte(name, -1, "is empty").Advise("Export the mesh again, or check the disk it came from")
	}
	for _, k := range kinds {
		if k.is != nil && k.is(data) {
			return k, nil
		}
	}
	i := kindBySuffix(path.Ext(name))
	switch {
	case i < 0:
		return kind{}, NoMesh(name, data)
	case kinds[i].is == nil || kinds[i].says:
		return kinds[i], nil
	}
	if s, ok := SortOf(data); ok && !strings.HasPrefix(s.What, "a text") {
		return kind{}, fault.AtByte(name, 0, "is called %s and is %s", path.Ext(name), s.What).Unsupported().Advise(s.Try)
	}
	head := opening(data)
	return kind{}, fault.AtByte(name, 0, "does not begin like %s but with %s", kinds[i].begins,
		fault.Quote(head[:min(len(head), 12)])).
		Advise("The suffix may be wrong, or the upload damaged")
}
