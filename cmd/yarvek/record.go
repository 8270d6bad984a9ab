package main

import (
	"context"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// record is what is found in one file. Counts of polygons, triangles and points are
// of every instance; bounds are the world bounds of all faces in the file's own
// unit and axes.
type record struct {
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
	Materials     []materialRecord  `json:"materials"`
	Textures      []textureRecord   `json:"textures"`
	UVSets        []string          `json:"uvSets"`
	Lights        int               `json:"lights"`
	Cameras       int               `json:"cameras"`
	Skins         int               `json:"skins"`
	Animations    int               `json:"animations"`
	Left          []leftRecord      `json:"left"`
	Bounds        *boundsRecord     `json:"bounds,omitempty"`
	Surface       *surfaceRecord    `json:"surface,omitempty"`
	Budget        *budgetRecord     `json:"budget,omitempty"`
	Findings      []finding.Finding `json:"findings"`
}

// textureRecord is a picture the file refers to or holds.
type textureRecord struct {
	Name   string `json:"name"`
	Found  bool   `json:"found"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
}

// materialRecord is one of the file's, used or not; colours are linear.
type materialRecord struct {
	Name      string            `json:"name"`
	BaseColor [4]float64        `json:"baseColor"`
	Metallic  float64           `json:"metallic"`
	Roughness float64           `json:"roughness"`
	Alpha     string            `json:"alpha"` // OPAQUE, MASK or BLEND
	TwoSided  bool              `json:"twoSided"`
	Textures  map[string]string `json:"textures,omitempty"` // by use, the name of the picture
}

// leftRecord is something of the file that does not come in.
type leftRecord struct {
	What  string   `json:"what"`
	Count int      `json:"count"`
	Names []string `json:"names,omitempty"` // the first of them
	Why   string   `json:"why"`
}

// boundsRecord are two corners of a box.
type boundsRecord struct {
	Min geom.Vec3 `json:"min"`
	Max geom.Vec3 `json:"max"`
}

// recordOf reads one file of the set. A file that can't be read gives a Record with
// only its name and the error. A brief one says nothing that has to be measured over the surface.
func recordOf(ctx context.Context, set *bundle.Bundle, name string, brief bool, l *live) record {
	read := format.Read
	if brief {
		read = format.ReadBrief
	}
	s, found, err := read(ctx, set, name, func(done, total int64) {
		l.say("reading %s: %s of %s", name, figure.Bytes(done), figure.Bytes(total))
	})
	if err != nil {
		return record{File: name, Error: err.Error()}
	}
	c := s.Count()
	r := record{File: name, Format: s.Format, FormatVersion: s.FormatVersion,
		UnitMetres: s.UnitMetres, UnitHow: s.UnitHow, Up: s.Basis.Up.String(), Forward: s.Basis.Forward.String(),
		Handedness: s.Basis.Handedness(), AxesHow: s.BasisHow,
		Nodes: c.Nodes, Meshes: c.Meshes, Instances: c.Instances, Polygons: c.Polygons, Triangles: c.Triangles,
		Points: c.Points,
		Slots:  []string{}, Unused: []string{}, Materials: []materialRecord{}, Textures: []textureRecord{},
		Left:   []leftRecord{},
		UVSets: []string{},
		Lights: s.CountLeft("light"), Cameras: s.CountLeft("camera"), Skins: s.CountLeft("skin"),
		Animations: s.CountLeft("animation"),
		Findings:   findings(s, found)}
	for _, n := range s.UsedMaterials() {
		if n >= 0 {
			r.Slots = append(r.Slots, s.Materials[n].Name)
		}
	}
	r.Unused = append(r.Unused, s.UnusedMaterials()...)
	r.UVSets = append(r.UVSets, s.UVSetNames()...)
	for _, m := range s.Materials {
		out := materialRecord{Name: m.Name, BaseColor: m.BaseColor, Metallic: m.Metallic, Roughness: m.Roughness,
			Alpha:    string(m.AlphaMode),
			TwoSided: m.TwoSided}
		for use, mp := range m.Maps {
			if !mp.Has() || s.Textures[mp.Texture-1].Image < 0 {
				continue
			}
			if out.Textures == nil {
				out.Textures = map[string]string{}
			}
			out.Textures[scene.Use(use).String()] = s.Images[s.Textures[mp.Texture-1].Image].Name
		}
		r.Materials = append(r.Materials, out)
	}
	for _, l := range s.Left {
		r.Left = append(r.Left, leftRecord{l.What, l.Count, l.Names, l.Why})
	}
	for _, im := range s.Images {
		r.Textures = append(r.Textures, textureRecord{im.Name, im.Found(), im.Width, im.Height})
	}
	if b := s.Bounds(); !b.IsEmpty() {
		k := 1 / s.UnitMetres
		r.Bounds = &boundsRecord{b.Min.Mul(k), b.Max.Mul(k)}
	}
	if !brief && c.Triangles <= mostMeasured {
		l.say("measuring %s: %s triangles", name, figure.Count(c.Triangles))
		r.Surface, r.Budget = measured(ctx, s)
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
