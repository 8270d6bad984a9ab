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
	"yarvek/core/format/fbx"
	"yarvek/core/format/gltf"
	"yarvek/core/format/obj"
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
	is   func(data []byte) bool
	read func(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
		[]finding.Finding, error)
	refs func(ctx context.Context, name string, data []byte) []string // the files that one names, as it names them
	// the key of what a target says of its receiver and them
	rule  string
	one   string                             // as “an FBX”
	reads func(target.Target) target.Reading // what that is
}

// kinds are told by their content in this order, then by their suffix.
var kinds = []kind{
	{"FBX", ".fbx", "", "an FBX, binary or text,", fbx.IsFBX, fbx.Read, fbx.References, "fbx", "an FBX",
		func(t target.Target) target.Reading { return t.Reads.FBX }},
	{"OBJ", ".obj", "model/obj", "", nil, obj.Read,
		func(_ context.Context, _ string, data []byte) []string { return statements(data, isLibrary) }, "obj", "an OBJ",
		func(t target.Target) target.Reading { return t.Reads.OBJ }},
	{"GLB", ".glb", "model/gltf-binary", "a GLB (“glTF”)", gltf.IsGLB, gltf.Read, documentRefs, "gltf", "a glTF",
		func(t target.Target) target.Reading { return t.Reads.GLTF }},
	{"glTF", ".gltf", "model/gltf+json", "a glTF document (“{”)", isDocument, gltf.Read, documentRefs, "gltf", "a glTF",
		func(t target.Target) target.Reading { return t.Reads.GLTF }},
}

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

// MediaType is that of files with a suffix, "" where none is registered.
func MediaType(suffix string) string {
	if i := kindBySuffix(suffix); i >= 0 {
		return kinds[i].media
	}
	return ""
}

// Names are those of all kinds that are read, as “FBX, OBJ, GLB or glTF”.
func Names() string { return listed(func(k kind) string { return k.name }, "or") }

// Rule is what a target can say of its receiver and files of one sort.
type Rule struct {
	Key  string // in a target, below "reads"
	Name string
	One  string // as “an FBX”
	Says bool   // a file says what frame it is in, which a receiver may honour
	As   Format // the first that is written
}

// Rules lists what targets say of files, each once, in the order of the kinds of files.
func Rules() (list []Rule) {
	for _, k := range kinds {
		i := slices.IndexFunc(Written, func(f Format) bool { return kinds[kindBySuffix(f.Suffix)].rule == k.rule })
		if i >= 0 && !slices.ContainsFunc(list, func(r Rule) bool { return r.Key == k.rule }) {
			_, name, _ := strings.Cut(k.one, " ")
			list = append(list, Rule{k.rule, name, k.one, Written[i].Declares, Written[i]})
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

// listed puts something of each kind in a row, with a word before the last.
func listed(of func(kind) string, word string) string {
	var list []string
	for _, k := range kinds {
		list = append(list, of(k))
	}
	return row(list, word)
}

// row puts words in a row, with another one before the last.
func row(list []string, word string) string {
	last := len(list) - 1
	if last < 1 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:last], ", ") + " " + word + " " + list[last]
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
		return kind{}, fault.AtByte(name, -1, "is no %s file", Names()).Unsupported().Advise(
			"Export the mesh in one of these formats")
	case kinds[i].is == nil:
		return kinds[i], nil
	}
	head := opening(data)
	return kind{}, fault.AtByte(name, 0, "does not begin like %s but with %s", kinds[i].begins,
		fault.Quote(head[:min(len(head), 12)])).
		Advise("The suffix may be wrong, or the upload damaged")
}
