package format

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"yarvek/core/fault"
	"yarvek/core/picture"
)

// Sort is what kind of thing a file's content is that is no mesh.
type Sort struct {
	What string // as “a picture (PNG)”
	Try  string // what to do about it
}

// sign is what files of a sort begin with; at is where, in bytes.
type sign struct {
	at    int
	bytes string
	Sort
}

// What is to be done about some sorts.
const (
	tryMesh    = "Open it in the program it is of, and export the mesh as glTF, FBX or OBJ"
	tryZip     = "Pack the files as a zip"
	tryPicture = "Drop it together with the mesh that uses it, or onto its Slots"
)

// signs are looked for in this order. Scenes of modelling programs are told by their bytes; which program that is does
// not matter.
var signs = []sign{
	{0, "PK\x03\x04", Sort{"a zip by its content", "Give it the suffix .zip"}},
	{0, "PK\x05\x06", Sort{"a zip with nothing in it", tryZip}},
	{0, "\x1f\x8b", Sort{"packed data (gzip)",
		"Unpack it first. If it is a modelling program’s own scene, export the mesh"}},
	{0, "\x28\xb5\x2f\xfd", Sort{"packed data (Zstandard)",
		"Unpack it first. If it is a modelling program’s own scene, export the mesh"}},
	{0, "7z\xbc\xaf\x27\x1c", Sort{"a 7z archive", tryZip}},
	{0, "Rar!\x1a\x07", Sort{"a RAR archive", tryZip}},
	{0, "\xfd7zXZ\x00", Sort{"packed data (xz)", "Unpack it first"}},
	{0, "BZh", Sort{"packed data (bzip2)", "Unpack it first"}},
	{257, "ustar", Sort{"a tar archive", tryZip}},
	{0, "%PDF", Sort{"a PDF", "Export the mesh, not its pages"}},
	{0, "\x7fELF", Sort{"a program", "Check which file you dropped"}},
	{0, "MZ", Sort{"a program", "Check which file you dropped"}},
	{0, "\x42\x4c\x45\x4e\x44\x45\x52", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "\x2f\x2f\x4d\x61\x79\x61", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "FOR4", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "FOR8", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", Sort{"a program’s own document", tryMesh}},
	{8, "\x4c\x57\x4f", Sort{"a modelling program’s own object", tryMesh}},
	{8, "\x4c\x58\x4f", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "\x51\x43\x34\x44", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "\xff\xfe\xff\x0e\x53\x00\x6b\x00", Sort{"a modelling program’s own scene", tryMesh}},
	{0, "\x4d\x4d", Sort{"a mesh of a kind that is not read", tryMesh}},
	{4, "ftyp", Sort{"a film", "Check which file you dropped"}},
	{0, "RIFF", Sort{"sound or film", "Check which file you dropped"}},
}

// headRead is how much of a file is looked at.
const headRead = 4096

// SortOf tells what a file is that is no mesh, by its first kilobytes; ok is false where that can't be told.
func SortOf(head []byte) (s Sort, ok bool) {
	head = head[:min(len(head), headRead)]
	if len(head) == 0 {
		return s, false
	}
	if mime, w, h := picture.Probe(head); mime != "" {
		kind := strings.ToUpper(strings.TrimPrefix(strings.TrimPrefix(mime, "image/"), "x-"))
		if w > 0 && h > 0 {
			kind = fmt.Sprintf("%s, %d × %d", kind, w, h)
		}
		return Sort{"a picture (" + kind + ")", tryPicture}, true
	}
	for _, x := range signs {
		if len(head) >= x.at+len(x.bytes) && string(head[x.at:x.at+len(x.bytes)]) == x.bytes {
			return x.Sort, true
		}
	}
	if len(bytes.Trim(head, "\x00")) == 0 {
		return Sort{"nothing but zero bytes", "The copy or the disk was broken; export the mesh again"}, true
	}
	return textOf(head)
}

// textOf tells sorts of texts.
func textOf(head []byte) (s Sort, ok bool) {
	trimmed := head
	for len(head) == headRead && len(trimmed) > headRead-utf8.UTFMax && !utf8.Valid(trimmed) { // cut within a letter
		trimmed = trimmed[:len(trimmed)-1]
	}
	control := func(r rune) bool { return r < ' ' && r != '\n' && r != '\r' && r != '\t' }
	if !utf8.Valid(trimmed) || bytes.IndexFunc(trimmed, control) >= 0 {
		return s, false
	}
	text := opening(head)
	lower := strings.ToLower(string(text[:min(len(text), 64)]))
	switch {
	case strings.HasPrefix(lower, "<!doctype html") || strings.HasPrefix(lower, "<html"):
		return Sort{"a web page", "The download was a page about the file, and not the file. Download it again"}, true
	case strings.HasPrefix(lower, "version https://git-lfs"):
		return Sort{"a pointer to a large file, and not the file", "Fetch the large files of the repository first"}, true
	case strings.HasPrefix(lower, "<"):
		return Sort{"XML of a kind that is not read", tryMesh}, true
	case strings.HasPrefix(lower, "{"), strings.HasPrefix(lower, "["):
		return Sort{"JSON of a kind that is not read", tryMesh}, true
	case len(text) == 0:
		return Sort{"a text without a letter", tryMesh}, true
	}
	return Sort{"a text that begins with " + fault.Quote(text[:min(len(text), 24)]), tryMesh}, true
}
