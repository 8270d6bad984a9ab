package format

import (
	"bytes"
	"context"
	"encoding/json"
	"net/url"
	"path"
	"strings"

	"yarvek/core/format/bundle"
)

// Companions lists the files of the set that a mesh file refers to, directly or
// through a material library, by their names in the set. It only looks; a file
// that can't be understood has no companions, and reading it says why.
func Companions(ctx context.Context, set *bundle.Bundle, name string) []string {
	seen := map[string]bool{name: true}
	var list []string
	var follow func(from string)
	follow = func(from string) {
		data, err := set.Open(from)
		if err != nil {
			return // reading it says why
		}
		for _, ref := range references(ctx, from, data) {
			name, _, err := set.Resolve(from, ref)
			if err != nil || seen[name] || IsMesh(name) && !(Layered(from) && Layered(name)) {
				continue
			}
			seen[name] = true
			list = append(list, name)
			if strings.EqualFold(path.Ext(name), library) || Layered(name) {
				follow(name)
			}
		}
	}
	follow(name)
	return list
}

// references are the files that a mesh file names, as it names them; none when it can’t
// be read.
func references(ctx context.Context, name string, data []byte) []string {
	if strings.EqualFold(path.Ext(name), library) {
		return statements(data, isPicture)
	}
	k, err := kindOf(name, data)
	if err != nil {
		return nil
	}
	return k.refs(ctx, name, data)
}

// library is the suffix of what materials of an OBJ stand in.
const library = ".mtl"

// isLibrary tells the statement of an OBJ that names a library.
func isLibrary(key string) bool { return key == "mtllib" }

// isPicture tells the statements of a library that name pictures.
func isPicture(key string) bool {
	return strings.HasPrefix(key, "map_") || key == "norm" || key == "bump" || key == "disp" || key == "refl" ||
		key == "decal"
}

// documentRefs are the buffers and pictures of a glTF document, whether it is in a GLB or not.
func documentRefs(_ context.Context, _ string, data []byte) []string {
	var doc struct {
		Buffers []struct {
			URI string `json:"uri"`
		} `json:"buffers"`
		Images []struct {
			URI string `json:"uri"`
		} `json:"images"`
	}
	text := data
	if len(data) > 20 && bytes.HasPrefix(data, []byte("glTF")) {
		n := int(data[12]) | int(data[13])<<8 | int(data[14])<<16 | int(data[15])<<24
		if n < 0 || n > len(data)-20 {
			return nil
		}
		text = data[20 : 20+n]
	}
	if json.Unmarshal(text, &doc) != nil {
		return nil
	}
	var refs []string
	for _, l := range append(doc.Buffers, doc.Images...) {
		if l.URI == "" || strings.HasPrefix(l.URI, "data:") {
			continue
		}
		if u, err := url.PathUnescape(l.URI); err == nil {
			refs = append(refs, u)
		}
	}
	return refs
}

// statements collects what lines with a fitting first word may refer to: the whole
// rest of the line and, since names may follow options, every tail of it.
func statements(data []byte, fits func(key string) bool) []string {
	var refs []string
	for len(data) > 0 {
		var line []byte
		if i := bytes.IndexByte(data, '\n'); i >= 0 {
			line, data = data[:i], data[i+1:]
		} else {
			line, data = data, nil
		}
		// A look at the first letter spares the millions of points and faces.
		line = bytes.TrimLeft(line, " \t")
		if len(line) < 4 || line[0]|0x20 == 'v' || line[0]|0x20 == 'f' || len(line) > 4096 {
			continue
		}
		key, rest, ok := strings.Cut(strings.TrimSpace(strings.ReplaceAll(string(line), "\t", " ")), " ")
		if !ok || !fits(strings.ToLower(key)) {
			continue
		}
		words := strings.Fields(rest)
		words = words[:min(len(words), 32)]
		for i := range words {
			refs = append(refs, strings.Join(words[i:], " "))
		}
		refs = append(refs, words...)
	}
	return refs
}
