// Package export is station 10: what leaves, and in what form. Writing it and reading
// it back is the work of package deliver.
package export

import (
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "export", Name: "Export", Number: 10, Question: "What leaves, and did it arrive?"}

// Decisions choose the file to write.
type Decisions struct {
	Format string `json:"format,omitempty"` // of format.Written; "" is the first of them
	Name   string `json:"name,omitempty"`   // of the file without suffix; "" is the asset's
	// Bake writes every point where it stands, so that all nodes are identity in the
	// file's axes; a receiver that drops node transforms then sees the same. It counts
	// in formats that leave the choice.
	Bake bool `json:"bake,omitempty"`
	// Triangles cuts polygons, so that no receiver cuts them another way. It counts in
	// formats that keep polygons.
	Triangles bool `json:"triangles,omitempty"`
	// Tangents makes them of normals and the first UV set where there are none. It
	// counts in formats that carry tangents.
	Tangents bool `json:"tangents,omitempty"`
}

// maxName bounds the name of a file, in bytes.
const maxName = 200

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if _, err := d.Chosen(); err != nil {
		return err
	}
	if len(d.Name) > maxName {
		return fmt.Errorf("a file name of %d bytes is too long: expected at most %d", len(d.Name), maxName)
	}
	return nil
}

// Chosen is the format to write; the error names those there are.
func (d Decisions) Chosen() (format.Format, error) {
	if d.Format == "" {
		return format.Written[0], nil
	}
	return format.ByID(d.Format)
}

// Refs lists nothing: no decision names a node.
func (d Decisions) Refs() []string { return nil }

// Repoint changes nothing.
func (d Decisions) Repoint(string, string) station.Decisions { return d }

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	if f, err := d.Chosen(); err != nil {
		l = append(l, "Export as "+d.Format) // Validate refuses it
	} else if d.Format != "" {
		l = append(l, "Export as "+f.Name)
	}
	if d.Name != "" {
		l = append(l, "Call the file "+d.Name)
	}
	for _, c := range []struct {
		on   bool
		line string
	}{{d.Bake, "Bake transforms into the file"}, {d.Triangles, "Cut polygons into triangles"}, {d.Tangents, "Make tangents"}} {
		if c.on {
			l = append(l, c.line)
		}
	}
	return l
}

// Report is how the export stands.
type Report struct {
	station.Account
	Held int // findings of the stations before that must be fixed
}

// Run tells whether anything stands in the way: mustFix is the number of findings
// before that must be fixed.
func Run(_ Decisions, mustFix int) *Report { return &Report{Held: mustFix} }

// Stands is what holds the export.
func (r *Report) Stands() (finding.Severity, int) {
	if r.Held > 0 {
		return finding.MustFix, r.Held
	}
	return r.Account.Stands()
}

// Figure says whether the asset is ready.
func (r *Report) Figure() string {
	if r.Held > 0 {
		return "held: " + figure.Count(r.Held)
	}
	return "ready"
}
