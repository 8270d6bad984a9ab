package size

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// Placed is a node whose transform is more than its place.
type Placed struct {
	Key, Name string
	scene.Transform
	Baked  bool   // decided to be
	What   string // in words: "turned by 30°, scaled by 2"
	Effect string // what it does in a receiver that bakes and in one that does not
}

// Off is an extent that misses the kit's grid.
type Off struct {
	Extent Extent
	Length float64 // metres
	By     float64 // metres it is too long; negative when too short
	Cells  int     // the number of cells it nearly is
}

// gridTol is what a piece may be off its grid: a fifth of a millimetre.
const gridTol = 0.0002

// Body is the outcome's surface, volume, hull and own extents, measured when first
// asked for and kept.
func (r *Report) Body() *memo.Once[extents.Body] { return r.body }

// Outline is the area of the convex outline of a body of this report seen from above,
// in square metres.
func (r *Report) Outline(b extents.Body) float64 {
	return extents.GroundOf(b.Hull.Points, geom.Vec3(r.stand[1])).Outline.Area()
}

// Lean is the angle of a body's longest own direction against the nearest axis, in
// radians.
func Lean(b extents.Body) float64 {
	if b.Own[0] == 0 {
		return 0
	}
	long := b.Frame.Col(0)
	return math.Acos(min(1, math.Abs(long[geom.AxisAlong(long).Index()])))
}

// measure fills in extents, parts and transforms, in metres after the station.
func (r *Report) measure(s *scene.Scene) {
	r.body = extents.Later(s)
	if r.Grid <= 0 {
		return
	}
	for i, e := range []Extent{Width, Height, Depth} {
		if cells, off := Cells(r.Now[i], r.Grid); cells > 0 && math.Abs(off) > gridTol {
			r.Off = append(r.Off, Off{e, r.Now[i], off, cells})
		}
	}
}

// Cells is the number of grid cells a length nearly is, to a tenth of a cell, and
// by how much it is longer; no cells when it is none.
func Cells(length, grid float64) (int, float64) {
	n := math.Round(length / grid)
	off := length - n*grid
	if n < 1 || math.Abs(off) > 0.1*grid {
		return 0, off
	}
	return int(n), off
}

// transforms lists what the nodes' own maps hold, before baking.
func (r *Report) transforms(s *scene.Scene, d Decisions) {
	keys, chosen := s.Keys(), d.chosen()
	for i, n := range s.Nodes {
		t := scene.TransformOf(n.Local.M)
		if t.Plain() {
			continue
		}
		p := Placed{Key: keys[i], Name: n.Name, Transform: t, Baked: d.Bake != BakeNone &&
			(len(d.Nodes) == 0 || chosen[keys[i]])}
		p.What, p.Effect = describe(t)
		r.Placed = append(r.Placed, p)
	}
}

// describe says what a transform is beside a move, and what receivers make of it.
func describe(t scene.Transform) (what, effect string) {
	var w []string
	if t.Rotated() {
		w = append(w, "turned by "+figure.Degrees(t.Rotation))
		effect = "Baked, its own axes lie true. Not baked, it turns and aligns about axes askew."
	}
	switch {
	case t.Uneven():
		w = append(w, fmt.Sprintf("scaled unevenly, %s to %s", figure.Significant(t.Scale[2], 4),
			figure.Significant(t.Scale[0], 4)))
		effect = "Baked, it is as it looks. Not baked, what is hung on it or turned within it is stretched, and its " +
			"normals go wrong " +
			"in receivers that scale them alike."
	case t.Scaled():
		w = append(w, "scaled by "+figure.Significant(t.Scale[0], 4))
		effect = "Baked, its size is its mesh’s. Not baked, a receiver that drops node scale shows it " + times(t.Scale[0]) +
			"."
	}
	if t.Mirrored {
		w = append(w, "mirrored")
		effect = "Baked, its faces are turned round with it. Not baked, receivers that don’t turn them show it inside out."
	}
	if t.Sheared {
		w = append(w, "sheared")
		effect = "Baked, it is as it looks. Not baked, most receivers can’t hold shear and show another shape."
	}
	return strings.Join(w, ", "), effect
}

// times says a factor.
func times(k float64) string {
	if k > 1 {
		return figure.Significant(k, 3) + " times too small"
	}
	return figure.Significant(1/k, 3) + " times too large"
}

// chosen are the nodes that are named to be baked.
func (d Decisions) chosen() map[string]bool {
	m := make(map[string]bool, len(d.Nodes))
	for _, k := range d.Nodes {
		m[k] = true
	}
	return m
}

// bake carries the decided part of the nodes’ transforms into their points.
func bake(s *scene.Scene, d Decisions) *scene.Scene {
	var chosen func(int) bool
	if len(d.Nodes) > 0 {
		keys, these := s.Keys(), d.chosen()
		chosen = func(i int) bool { return these[keys[i]] }
	}
	return s.Baked(d.Bake != BakeScale, d.Bake != BakeRotation, chosen)
}

// judgeTransforms says which transforms deserve a look, with baking as the remedy.
func (r *Report) judgeTransforms(d Decisions) {
	var names []string
	sev := finding.Note
	for _, p := range r.Placed {
		if p.Baked {
			continue
		}
		names = append(names, p.Name)
		if p.Uneven() || p.Mirrored || p.Sheared {
			sev = finding.Look
		}
	}
	if len(names) == 0 {
		return
	}
	all, scale := d, d
	all.Bake, all.Nodes = BakeAll, nil
	scale.Bake, scale.Nodes = BakeScale, nil
	text := station.Some(names)
	r.Say(finding.Finding{Code: "size/unbaked", Severity: sev,
		Title: figure.Plural(len(names), "node holds", "nodes hold") + " rotation or scale",
		Text:  text + ". Receivers treat these differently; baked, every one shows the same.",
		Remedies: []finding.Remedy{{Label: "Bake all",
			Effect: "Every point stays where it stands; the nodes keep only their places. Instances that stand differently " +
				"get meshes " +
				"of their own.", Decision: all},
			{Label: "Bake scale alone", Effect: "Rotations stay; sizes and mirrorings go into the meshes.", Decision: scale}}})
}

// judgeGrid speaks of modular pieces that nearly fit the kit's grid.
func (r *Report) judgeGrid(d Decisions) {
	if !r.Class.Module || len(r.Off) == 0 {
		return
	}
	f := finding.Finding{Code: "size/off-grid", Severity: finding.Look, Title: "Misses the kit’s grid of " +
		figure.Length(r.Grid)}
	var said []string
	for _, o := range r.Off {
		word := "short of"
		if o.By > 0 {
			word = "longer than"
		}
		said = append(said, fmt.Sprintf("%s %s is %s %s %s", o.Extent, figure.Length(o.Length),
			figure.Length(math.Abs(o.By)), word,
			figure.Plural(o.Cells, "cell", "cells")))
		fit := d.Fitted(o.Extent, r.Along(o.Extent), float64(o.Cells)*r.Grid)
		f.Remedies = append(f.Remedies,
			finding.Remedy{Label: fmt.Sprintf("Make the %s %s", o.Extent, figure.Length(fit.Length)),
				Effect: fmt.Sprintf("All of it is scaled by %s.", figure.Significant(fit.Length/o.Length, 5)), Decision: fit})
	}
	at := r.Box.Center()
	f.Text = capital(strings.Join(said, "; ")) + ". Beside other pieces it leaves a gap, or runs into them."
	f.Place = finding.Place{Point: &at}
	r.Say(f)
}

// capital begins with a capital; s is ASCII and not "".
func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
