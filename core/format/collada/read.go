// Package collada reads COLLADA 1.4 and 1.5: the meshes of its visual scene with their materials.
//
// The format is described in "COLLADA – Digital Asset Schema Release 1.4.1" and "1.5.0", The Khronos Group. A file
// says its unit and its up axis; without them they are metres and +Y by the standard. Skins come in in their bind pose
// and morphs as their base; what moves, lights or looks is named among what was left. What programs write besides the
// standard is taken where many do: bump pictures, sides, and how a texture lies.
package collada

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"encoding/xml"
	"fmt"
	"io"
	"net/url"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pictures"
	"yarvek/core/format/text"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Is tells a COLLADA document by its first element, which may stand behind a prologue and comments.
func Is(data []byte) bool {
	head := bytes.TrimPrefix(data[:min(len(data), 4096)], []byte("\xef\xbb\xbf"))
	if !bytes.HasPrefix(text.SkipSpace(head), []byte("<")) {
		return false
	}
	_, rest, ok := bytes.Cut(head, []byte("<COLLADA"))
	return ok && len(rest) > 0 && (text.IsSpace(rest[0]) || rest[0] == '>')
}

// References are the pictures a document names.
func References(_ context.Context, name string, data []byte) (refs []string) {
	doc, err := parse(name, data)
	if err != nil {
		return nil
	}
	for _, lib := range doc.root.all("library_images", "library_effects") {
		var look func(e *element)
		look = func(e *element) {
			if e.name == "image" {
				from := e.first("init_from")
				for _, s := range []string{from.words(), from.first("ref").words()} {
					if s != "" {
						refs = append(refs, plainRef(s))
					}
				}
			}
			for _, k := range e.kids {
				look(k)
			}
		}
		look(lib)
	}
	return refs
}

// plainRef is the file an address means: without its scheme and with its signs as they are.
func plainRef(s string) string {
	s = strings.TrimPrefix(s, "file://")
	if u, err := url.PathUnescape(s); err == nil {
		s = u
	}
	return s
}

// Bounds of a package: its files, and the bytes of one.
const (
	mostPacked = 10_000
	mostFile   = 2 << 30
	mostRatio  = 1000 // of an unpacked file to the package
)

// packed is the set of a package's files (.zae) and the document that its manifest names, the first of them where it
// has none that does.
func packed(name string, data []byte) (*bundle.Bundle, string, error) {
	set, err := bundle.Archive(name, bytes.NewReader(data), int64(len(data)), mostPacked, mostFile, mostRatio)
	if err != nil {
		return nil, "", err
	}
	var first string
	for _, n := range set.Order() {
		if strings.EqualFold(path.Ext(n), ".dae") {
			first = cmp.Or(first, n)
		}
	}
	if root := rootOf(data); root != "" {
		if found, _, err := set.Resolve("manifest.xml", root); err == nil {
			first = found
		}
	}
	if first == "" {
		return nil, "", fault.AtByte(name, -1, "is a package without a document").Advise("Export it again")
	}
	return set, first, nil
}

// rootOf is the document that the manifest of a package names, as it names it; "" for none.
func rootOf(data []byte) string {
	const most = 1 << 16
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return ""
	}
	f, err := z.Open("manifest.xml")
	if err != nil {
		return ""
	}
	defer f.Close()
	var root struct {
		Name string `xml:",chardata"`
	}
	if xml.NewDecoder(io.LimitReader(f, most)).Decode(&root) != nil {
		return ""
	}
	return strings.TrimSpace(root.Name)
}

// Read reads the COLLADA file name of the set, with the pictures it refers to. What is missing or had to be left is a
// finding; a *fault.Error tells the line of what can't be read. progress may be nil.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		if set, name, err = packed(name, data); err != nil {
			return nil, nil, err
		}
		if data, err = set.Open(name); err != nil {
			return nil, nil, err
		}
	}
	doc, err := parse(name, data)
	if err != nil {
		return nil, nil, err
	}
	if progress != nil {
		progress(int64(len(data)), int64(len(data)))
	}
	s := &scene.Scene{Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Format: "collada",
		FormatVersion: doc.root.get("version"), Basis: geom.GLTF, BasisHow: scene.ByStandard, UnitMetres: 1,
		UnitHow: scene.ByStandard}
	r := &reader{ctx: ctx, file: name, doc: doc, s: s, pictures: pictures.New(set, name, s),
		tables: map[string]*table{}, shapes: map[*element]*shape{}, meshes: map[string]int{},
		materials: map[string]int{}, looks: map[*element][]int{}, images: map[*element]int{}}
	r.asset()
	if err := r.nodes(); err != nil {
		return nil, nil, err
	}
	r.leave()
	if len(s.Meshes) == 0 {
		return nil, nil, fault.AtLine(name, doc.root.line, "shows no mesh").
			Advise("Check that what you exported is visible and has faces")
	}
	return s, r.found, ctx.Err()
}

// reader makes a scene of a document.
type reader struct {
	ctx       context.Context
	file      string
	doc       *document
	s         *scene.Scene
	found     []finding.Finding
	pictures  *pictures.Finder
	tables    map[string]*table   // by the address of their source
	shapes    map[*element]*shape // by their geometry
	meshes    map[string]int      // of the scene, by their geometry and what is bound to it
	materials map[string]int      // by their address and UV sets
	looks     map[*element][]int  // the materials that one of the document became
	images    map[*element]int
	path      []*element // nodes that are being gone through, so that none is within itself
}

// note adds a finding at an element.
func (r *reader) note(sev finding.Severity, code, title, text string, e *element) {
	f := finding.Finding{Code: code, Severity: sev, Title: title, Text: text, Place: finding.Place{File: r.file}}
	if e != nil {
		f.Place.Line = e.line
	}
	r.found = append(r.found, f)
}

// nameOf is what an element is called.
func nameOf(e *element) string {
	for _, a := range []string{"name", "id", "sid"} {
		if s := e.get(a); s != "" {
			return s
		}
	}
	return ""
}

// Ups are the bases that a document can be in: the standard takes no axis as the front.
var Ups = []geom.Basis{geom.GLTF, {Up: geom.PosZ, Forward: geom.NegY}, {Up: geom.PosX, Forward: geom.PosZ}}

// asset reads unit and up axis.
func (r *reader) asset() {
	a := r.doc.root.first("asset")
	if u := a.first("unit"); u != nil {
		var m float64
		if _, err := fmt.Sscan(u.get("meter"), &m); err == nil && m > 1e-9 && m < 1e9 {
			r.s.UnitMetres, r.s.UnitHow = m, scene.Declared
		} else if u.get("meter") != "" {
			r.note(finding.Look, "source/unit", fmt.Sprintf("The unit “%s” can't be meant", u.get("meter")),
				"It was taken for a metre.", u)
		}
	}
	axes := map[string]geom.Basis{"Y_UP": Ups[0], "Z_UP": Ups[1], "X_UP": Ups[2]}
	if up := a.first("up_axis"); up != nil {
		if b, ok := axes[strings.ToUpper(up.words())]; ok {
			r.s.Basis, r.s.BasisHow = b, scene.Declared
		} else {
			r.note(finding.Look, "source/axes", fmt.Sprintf("The up axis “%s” can't be meant", up.words()),
				"It was taken for Y_UP.", up)
		}
	}
}

// leave names what does not go on.
func (r *reader) leave() {
	for _, x := range []struct{ library, item, what, why string }{
		{"library_animations", "animation", "animation", "static meshes don't move"},
		{"library_animation_clips", "animation_clip", "animation clip", "static meshes don't move"},
		{"library_physics_scenes", "physics_scene", "physics scene", "collision is made at its station"},
		{"library_kinematics_scenes", "kinematics_scene", "kinematics scene", "static meshes don't move"},
	} {
		for _, lib := range r.doc.root.all(x.library) {
			for _, e := range lib.all(x.item) {
				r.s.LeaveOut(x.what, nameOf(e), x.why)
			}
		}
	}
}
