// Package pack is what a writer hands back: the files it wrote and what it had to
// leave behind or change, and why.
package pack

import (
	"fmt"
	"path"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// Options tell a writer what file to make.
type Options struct {
	Name       string // of the main file, without suffix
	Basis      geom.Basis
	UnitMetres float64 // metres one unit of the file stands for
	Wide       bool    // FBX: version 7.5, with 64-bit offsets
	Text       bool    // FBX, USD: as text, not binary; glTF without Parts: one document with everything in it
	Parts      bool    // pictures (and glTF's buffer) beside the file, not in it
	Wrapped    bool    // USD: a package with the pictures inside
	WebP       bool    // glTF: the receiver reads pictures in WebP
}

// Topic is what a change is about, for programs; the sentence is for people.
type Topic string

// The topics.
const (
	Nodes     Topic = "nodes" // their tree, transforms, names and instances
	Polygons  Topic = "polygons"
	Smoothing Topic = "smoothing"
	Tangents  Topic = "tangents"
	UVSets    Topic = "uvsets"
	Colors    Topic = "colors"
	Materials Topic = "materials"
	Textures  Topic = "textures" // how a material uses a picture
	Pictures  Topic = "pictures"
	LODs      Topic = "lods"
	Collision Topic = "collision"
)

// Change is one thing the file does not say the way the scene does.
type Change struct {
	About Topic  `json:"about,omitempty"`
	What  string `json:"what"`
	Why   string `json:"why"`
	// Property and Of name what of which thing arrives otherwise, for the certificate: it accepts that difference
	// and no other. Without a property nothing arrives otherwise, or nothing that is compared.
	Property Property `json:"property,omitempty"`
	Of       string   `json:"of,omitempty"`
}

// Property is what of a material, a node, a mesh or a picture a format can't hold.
type Property string

// The properties. Those of the use of a picture have the use behind them; see [Property.By].
const (
	Name       Property = "name"
	Hidden     Property = "hidden"
	Empty      Property = "empty node"
	Sides      Property = "sides"
	Colour     Property = "colour"
	Opacity    Property = "opacity"
	Metallic   Property = "metallic"
	Roughness  Property = "roughness"
	Strength   Property = "strength"
	Lighting   Property = "lighting"
	Glow       Property = "glow"
	CutOut     Property = "cut-out"
	Sets       Property = "uv sets"
	CornerFade Property = "opacity of corner colours"
	Texture    Property = "texture"
	Placing    Property = "placing"
	Content    Property = "picture"
	Openable   Property = "openable"
	Slotless   Property = "faces without a slot"
	Sight      Property = "camera or light"
)

// By is a property of the use of a picture.
func (p Property) By(use scene.Use) Property { return Property(string(p) + " " + use.String()) }

// Package is a set of written files; the first is the main one.
type Package struct {
	Files   []bundle.File
	Changes []Change // in the order they were met, the same for the same scene

	said map[Change]bool
}

// Say records a change once.
func (p *Package) Say(about Topic, what, why string) {
	p.say(Change{About: about, What: what, Why: why})
}

// SayOf records a change once that makes a property of a thing arrive otherwise.
func (p *Package) SayOf(about Topic, property Property, of, what, why string) {
	p.say(Change{about, what, why, property, of})
}

func (p *Package) say(c Change) {
	if p.said == nil {
		p.said = map[Change]bool{}
	}
	if !p.said[c] {
		p.said[c] = true
		p.Changes = append(p.Changes, c)
	}
}

// SayFlattened records what is lost of a tree that was written flat because a node shears:
// how nodes hang together, and those that place nothing.
func (p *Package) SayFlattened(s *scene.Scene, format string) {
	why := "a node shears, which " + format + " nodes can't; every point was written where it stands"
	p.Say(Nodes, "the tree of nodes and its instances", why)
	for _, n := range s.Nodes {
		if n.Mesh < 0 && n.Kind == scene.KindEmpty {
			p.SayOf(Nodes, Empty, n.Name, fmt.Sprintf("node “%s”, which places nothing", n.Name), why)
		}
	}
}

// Names hands out file names that are safe and differ from one another.
type Names struct {
	used map[string]bool
	next map[string]int // of a name, the number to try next
}

// Take makes base+suffix unique; upper and lower case count as the same.
func (n *Names) Take(base, suffix string) string {
	if n.used == nil {
		n.used, n.next = map[string]bool{}, map[string]int{}
	}
	base = bundle.Safe(base)
	name := base + suffix
	first := lower(name)
	for i := max(2, n.next[first]); n.used[lower(name)]; i++ {
		name = fmt.Sprintf("%s_%d%s", base, i, suffix)
		n.next[first] = i + 1
	}
	n.used[lower(name)] = true
	return name
}

// Picture makes the name of a picture's file, with the suffix of what it is.
func (n *Names) Picture(im scene.Image) string {
	suffix := picture.Suffix(im.MIME)
	if im.MIME == "" && path.Ext(im.Name) != "" {
		suffix = path.Ext(bundle.Safe(im.Name))
	}
	return n.Take(strings.TrimSuffix(im.Name, path.Ext(im.Name)), suffix)
}

// Beside gives every picture that is there a file of its own beside the main one: names are those of the files, by
// image, "" where there is none to refer to, which is said.
func (p *Package) Beside(images []scene.Image, taken *Names) (names []string, files []bundle.File) {
	names = make([]string, len(images))
	for i, im := range images {
		if !im.Found() {
			p.SayOf(Pictures, Content, im.Name, fmt.Sprintf("picture “%s”", im.Name), "its file was never uploaded")
			continue
		}
		names[i] = taken.Picture(im)
		files = append(files, bundle.File{Name: names[i], Data: im.Data})
	}
	return names, files
}

// lower makes small letters of the ASCII ones and leaves all others.
func lower(s string) string {
	b := []byte(s)
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 32
		}
	}
	return string(b)
}
