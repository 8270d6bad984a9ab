// Package inspect says in one record what a mesh file holds.
package inspect

import (
	"context"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Record is what is found in one file. Counts of polygons, triangles and points are
// of every instance; bounds are the world bounds of all faces in the file's own
// unit and axes.
type Record struct {
	File          string            `json:"file"`
	Error         string            `json:"error,omitempty"`
	Format        string            `json:"format,omitempty"`
	FormatVersion string            `json:"formatVersion,omitempty"`
	UnitMetres    float64           `json:"unitMetres,omitempty"`
	UnitHow       scene.How         `json:"unitHow,omitempty"`
	Up            string            `json:"up,omitempty"`
	Forward       string            `json:"forward,omitempty"`
	Handedness    string            `json:"handedness,omitempty"`
	AxesHow       scene.How         `json:"axesHow,omitempty"`
	Nodes         int               `json:"nodes"`
	Meshes        int               `json:"meshes"`
	Instances     int               `json:"instances"`
	Polygons      int               `json:"polygons"`
	Triangles     int               `json:"triangles"`
	Points        int               `json:"points"`
	Slots         []string          `json:"slots"`
	Unused        []string          `json:"unusedMaterials"`
	Textures      []Texture         `json:"textures"`
	UVSets        []string          `json:"uvSets"`
	Lights        int               `json:"lights"`
	Cameras       int               `json:"cameras"`
	Skins         int               `json:"skins"`
	Animations    int               `json:"animations"`
	Bounds        *Bounds           `json:"bounds,omitempty"`
	Findings      []finding.Finding `json:"findings"`
}

// Texture is a picture the file refers to or holds.
type Texture struct {
	Name   string `json:"name"`
	Found  bool   `json:"found"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
}

// Bounds are two corners of a box.
type Bounds struct {
	Min geom.Vec3 `json:"min"`
	Max geom.Vec3 `json:"max"`
}

// File reads one file of the set. A file that can't be read gives a Record with
// only its name and the error.
func File(ctx context.Context, set *bundle.Bundle, name string) Record {
	s, found, err := format.Read(ctx, set, name, nil)
	if err != nil {
		return Record{File: name, Error: err.Error()}
	}
	c := s.Count()
	r := Record{File: name, Format: s.Format, FormatVersion: s.FormatVersion,
		UnitMetres: s.UnitMetres, UnitHow: s.UnitHow, Up: s.Basis.Up.String(), Forward: s.Basis.Forward.String(),
		Handedness: s.Basis.Handedness(), AxesHow: s.BasisHow,
		Nodes: c.Nodes, Meshes: c.Meshes, Instances: c.Instances, Polygons: c.Polygons, Triangles: c.Triangles, Points: c.Points,
		Slots: []string{}, Unused: []string{}, Textures: []Texture{}, UVSets: []string{},
		Lights: s.CountLeft("light"), Cameras: s.CountLeft("camera"), Skins: s.CountLeft("skin"), Animations: s.CountLeft("animation"),
		Findings: findings(s, found)}
	for _, n := range s.UsedMaterials() {
		if n >= 0 {
			r.Slots = append(r.Slots, s.Materials[n].Name)
		}
	}
	r.Unused = append(r.Unused, s.UnusedMaterials()...)
	r.UVSets = append(r.UVSets, s.UVSetNames()...)
	for _, im := range s.Images {
		r.Textures = append(r.Textures, Texture{im.Name, im.Found(), im.Width, im.Height})
	}
	if b := s.Bounds(); !b.IsEmpty() {
		k := 1 / s.UnitMetres
		r.Bounds = &Bounds{b.Min.Mul(k), b.Max.Mul(k)}
	}
	return r
}

// findings are the reader's, and what was left out as notes.
func findings(s *scene.Scene, found []finding.Finding) []finding.Finding {
	list := append([]finding.Finding{}, found...)
	for _, l := range s.Left {
		list = append(list, finding.Finding{Code: "source/left", Severity: finding.Note, Title: l.What, Text: l.Why})
	}
	return list
}
