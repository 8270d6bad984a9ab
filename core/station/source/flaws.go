package source

import (
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// Flaw is the least there is to say of a broken mesh until Surface looks at it closely.
type Flaw struct {
	Flat      int  // faces without area
	All       bool // all of them
	InsideOut bool // closed, and its faces look inward
	NoUVs     bool
}

// flaws looks at every mesh once.
func (v *looker) flaws(s *scene.Scene) {
	v.Flaws = map[int]Flaw{}
	for k, m := range s.Meshes {
		if m.Faces() == 0 || v.ctx.Err() != nil {
			continue
		}
		f := Flaw{NoUVs: len(m.UVs) == 0}
		box := geom.EmptyBox()
		for _, p := range m.Corners {
			box = box.Add(m.Points[p])
		}
		// What rounding leaves of a face that has shrunk to a line.
		tiny := 1e-14 * box.Size().Len() * box.Size().Len()
		for face := range m.Faces() {
			if m.FaceNormal(face).Len() <= tiny {
				f.Flat++
			}
		}
		f.All = f.Flat == m.Faces()
		if fig := extents.OfMesh(v.ctx, m); fig.Closed && fig.Volume < 0 {
			f.InsideOut = true
		}
		if f != (Flaw{}) {
			v.Flaws[k] = f
		}
	}
}

// broken says what is broken, so that nothing of it is ticked.
func (r *run) broken() {
	type told struct {
		names []string
		count int
		at    geom.Vec3
	}
	var flat, void, inside, bare told
	for i, n := range r.s.Nodes {
		f, ok := r.survey.Flaws[n.Mesh]
		if n.Mesh < 0 || !ok || !r.rep.Nodes[i].Kept {
			continue
		}
		add := func(t *told, count int) {
			if len(t.names) == 0 {
				t.at = r.survey.Boxes[i].Center()
			}
			t.names = append(t.names, r.rep.Nodes[i].Name)
			t.count += count
		}
		switch {
		case f.All:
			add(&void, f.Flat)
		case f.Flat > 0:
			add(&flat, f.Flat)
		}
		if f.InsideOut {
			add(&inside, 1)
		}
		if f.NoUVs && r.textured(n.Mesh) {
			add(&bare, 1)
		}
	}
	say := func(t told, sev finding.Severity, code, title, text string) *finding.Finding {
		if len(t.names) == 0 {
			return &finding.Finding{}
		}
		f := r.say(sev, code, title, station.Some(t.names)+". "+text)
		f.Place = r.place(t.at, t.names[0])
		return f
	}
	say(void, finding.MustFix, "source/no-surface", figure.Plural(len(void.names), "mesh has no surface",
		"meshes have no surface"),
		"Every face of it has shrunk to a line or a point; nothing will be seen.").Brief = "no surface"
	say(flat, finding.Look, "source/flat-faces", figure.Plural(flat.count, "face has no area", "faces have no area"),
		"They have shrunk to lines: they cost and show nothing, and spoil normals about them.")
	say(inside, finding.Look, "source/inside-out", figure.Plural(len(inside.names), "mesh is inside out",
		"meshes are inside out"),
		"It is closed and all its faces look inward: a receiver that draws front sides only shows its far wall. Turn its "+
			"faces round in "+
			"the modelling program.").Brief = "inside out"
	say(bare, finding.Look, "source/no-uvs", fmt.Sprintf("%s UVs and a textured material",
		figure.Plural(len(bare.names), "mesh has no",
			"meshes have no")), "The picture has no place on it; it shows one colour of it all over.")
}

// textured tells whether a mesh uses a material with a picture.
func (r *run) textured(mesh int) bool {
	for _, k := range r.s.Meshes[mesh].UsedSlots() {
		if k < 0 {
			continue
		}
		for _, m := range r.s.Materials[k].Maps {
			if m.Has() {
				return true
			}
		}
	}
	return false
}
