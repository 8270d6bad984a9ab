// Package format is the list of formats: which file is which, and one way to read
// and to write them all.
package format

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/fbx"
	"yarvek/core/format/gltf"
	"yarvek/core/format/obj"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Format is one that can be written.
type Format struct {
	ID     string // "glb", "gltf", "fbx", ...
	Name   string
	About  string // what it gives, in a sentence
	Suffix string
}

// Written lists the formats an export can have.
var Written = []Format{
	{"glb", "GLB", "glTF 2.0 in one file, pictures inside", ".glb"},
	{"gltf", "glTF with parts", "a document with its buffer and pictures beside it", ".gltf"},
	{"fbx", "FBX", "binary 7.4, polygons stay polygons; pictures beside it", ".fbx"},
	{"fbx-one", "FBX in one file", "the same with the pictures inside", ".fbx"},
	{"fbx-75", "FBX 7.5", "binary with 64-bit offsets; pictures beside it", ".fbx"},
	{"fbx-text", "FBX as text", "ASCII 7.4, for tools that read nothing else; pictures beside it", ".fbx"},
	{"obj", "OBJ + MTL", "polygons stay polygons; pictures beside it", ".obj"},
}

// ByID finds a written format.
func ByID(id string) (Format, bool) {
	for _, f := range Written {
		if f.ID == id {
			return f, true
		}
	}
	return Format{}, false
}

// IsMesh tells by its suffix whether a file is one that assets are made of.
func IsMesh(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".obj", ".glb", ".gltf", ".fbx":
		return true
	}
	return false
}

// Detect tells the format of a mesh file by its content, with the suffix as a
// tie-breaker: "glb", "gltf", "fbx" or "obj".
func Detect(name string, data []byte) (string, error) {
	if len(data) == 0 {
		return "", fault.AtByte(name, -1, "is empty").Advise("Export the mesh again, or check the disk it came from")
	}
	head := bytes.TrimLeft(bytes.TrimPrefix(data[:min(len(data), 512)], []byte("\xef\xbb\xbf")), " \t\r\n")
	switch {
	case gltf.IsGLB(data):
		return "glb", nil
	case fbx.IsFBX(data):
		return "fbx", nil
	case len(head) > 0 && head[0] == '{':
		return "gltf", nil
	}
	switch strings.ToLower(path.Ext(name)) {
	case ".obj":
		return "obj", nil
	case ".glb":
		return "", fault.AtByte(name, 0, "does not begin like a GLB (“glTF”) but with %s", fault.Quote(head[:min(len(head), 12)])).
			Advise("The suffix may be wrong, or the upload damaged")
	case ".gltf":
		return "", fault.AtByte(name, 0, "does not begin like a glTF document (“{”) but with %s", fault.Quote(head[:min(len(head), 12)])).
			Advise("The suffix may be wrong, or the upload damaged")
	}
	if strings.EqualFold(path.Ext(name), ".fbx") {
		return "", fault.AtByte(name, 0, "does not begin like an FBX, binary or text, but with %s", fault.Quote(head[:min(len(head), 12)])).
			Advise("The suffix may be wrong, or the upload damaged")
	}
	return "", fault.AtByte(name, -1, "is no FBX, OBJ, GLB or glTF file").Unsupported().Advise("Export the mesh in one of these formats")
}

// Read reads the mesh file name of the set. What it had to leave, guess or repair
// is in the findings; an error is a *fault.Error unless ctx ended.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene, []finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	id, err := Detect(name, data)
	if err != nil {
		return nil, nil, err
	}
	switch id {
	case "obj":
		return obj.Read(ctx, set, name, progress)
	case "fbx":
		return fbx.Read(ctx, set, name, progress)
	}
	return gltf.Read(ctx, set, name, progress)
}

// Write writes the scene in a format, in the basis and unit of the target as far
// as the format allows.
func Write(s *scene.Scene, id, name string, t target.Target) (*pack.Package, error) {
	basis, unit := t.FileFrame(id)
	opt := pack.Options{Name: name, Basis: basis, UnitMetres: unit}
	switch id {
	case "glb":
		return gltf.Write(s, opt)
	case "gltf":
		opt.Parts = true
		return gltf.Write(s, opt)
	case "fbx":
		opt.Parts = true
		return fbx.Write(s, opt)
	case "fbx-75":
		opt.Parts, opt.Wide = true, true
		return fbx.Write(s, opt)
	case "fbx-text":
		opt.Parts, opt.Text = true, true
		return fbx.Write(s, opt)
	case "fbx-one":
		return fbx.Write(s, opt)
	case "obj":
		return obj.Write(s, opt)
	}
	return nil, fmt.Errorf("%q is no format that can be written: expected glb, gltf, fbx, fbx-one, fbx-75, fbx-text or obj", id)
}
