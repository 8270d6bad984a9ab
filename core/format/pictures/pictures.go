// Package pictures finds the pictures that a mesh file names among the files that came with it.
package pictures

import (
	"fmt"
	"path"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// Finder adds the pictures that one file names to its scene, each once.
type Finder struct {
	set    *bundle.Bundle
	from   string // the file that names them
	s      *scene.Scene
	images map[string]int // by what they are named
}

// New makes one for a file of a set.
func New(set *bundle.Bundle, from string, s *scene.Scene) *Finder {
	return &Finder{set, from, s, map[string]int{}}
}

// Note is told of a picture that is not there, or not where it was said to be.
type Note func(sev finding.Severity, code, title, text string)

// Image is the number of a picture by how it is named, which is added the first time. used says in a clause what
// uses it, as “wall” uses it for base colour.
func (f *Finder) Image(ref, used string, note Note) int {
	if i, ok := f.images[ref]; ok {
		return i
	}
	img := scene.Image{Name: path.Base(strings.ReplaceAll(ref, `\`, "/")), Path: ref}
	file, match, err := f.set.Find(f.from, ref)
	if err != nil {
		note(finding.Look, "source/missing-picture", fmt.Sprintf("Picture “%s” %s", ref, bundle.Reason(err)),
			used+". The texture arrives nowhere until the picture is added.")
	} else {
		if match == bundle.ByBase {
			note(finding.Note, "source/picture-by-name", fmt.Sprintf("Picture “%s” was found by its name alone", img.Name),
				fmt.Sprintf("The file says %q; the upload has %q.", ref, file.Name))
		}
		img.Data = file.Data
		picture.Describe(&img)
	}
	i := len(f.s.Images)
	f.images[ref] = i
	f.s.Images = append(f.s.Images, img)
	return i
}
