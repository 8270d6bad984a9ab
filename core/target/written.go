package target

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Written says in sentences what is written otherwise, or judged otherwise at the stations, for one target than for
// another, besides frame, budgets, sizes and the names of nodes and slots; nothing where all of that is the same.
func Written(from, to Target) []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if from.Arrival != to.Arrival {
		say("Files are written %s", to.Arrival.against())
	}
	for _, f := range Families {
		if is, at := *f.Of(&from.Reads), *f.Of(&to.Reads); is != at {
			say("%s is written for a receiver that %s", f.Name, at.words())
		}
	}
	if from.Prefers != to.Prefers {
		say("What has no format decided leaves as %s, not as %s", to.Prefers, from.Prefers)
	}
	yes := func(is, at bool, on, off string) {
		if at && !is {
			say("%s", on)
		} else if is && !at {
			say("%s", off)
		}
	}
	a, b := from.Needs, to.Needs
	yes(a.Smoothing, b.Smoothing, "Normals or groups are needed", "Normals are not needed")
	yes(a.Tangents, b.Tangents, "Files carry tangents", "Files carry no tangents of their own accord")
	yes(a.Lightmap, b.Lightmap, "A second UV set is needed", "No second UV set is needed")
	yes(a.Triangles, b.Triangles, "Polygons leave as triangles", "Polygons may leave as they are")
	yes(a.OneMesh, b.OneMesh, "A file holds one mesh", "A file may hold many meshes")
	if a.IndexBits != b.IndexBits {
		say("Meshes are judged by indices of %d bits", b.IndexBits)
	}
	yes(from.Mixes, to.Mixes, "Opaque and translucent faces may share a mesh",
		"Opaque and translucent faces may not share a mesh")
	if from.View != to.View {
		say("LODs are judged on %d lines that show %s°, within %s px", to.View.Lines,
			figure.Significant(to.View.Angle, 4), figure.Significant(to.View.Tolerance, 3))
	}
	l = append(l, from.Textures.written(to.Textures)...)
	l = append(l, solidsWritten(from.Solids, to.Solids)...)
	if from.Pivot != to.Pivot {
		grid := ""
		if to.Pivot.Grid > 0 {
			grid = ", on a grid of " + figure.Length(to.Pivot.Grid)
		}
		say("Origins are judged by “%s”%s", to.Pivot.Place, grid)
	}
	for _, s := range subjects {
		if was, is := *s.of(&from.Names), *s.of(&to.Names); was != is && s.id != NodeName && s.id != SlotName {
			say("%s are named by “%s”", s.Label, is)
		}
	}
	if from.Names.Rules != to.Names.Rules {
		say("Names hold other letters, or are cut elsewhere")
	}
	return l
}

// against says how files are written so that they arrive in place in spite of the offset.
func (o Offset) against() string {
	var l []string
	if o.Scale != 1 && o.Scale > 0 {
		l = append(l, fmt.Sprintf("%s times as large", figure.Significant(1/o.Scale, 6)))
	}
	if o.Turn != 0 {
		l = append(l, fmt.Sprintf("turned by %s°", figure.Significant(-o.Turn, 6)))
	}
	if o.Move != (geom.Vec3{}) {
		l = append(l, fmt.Sprintf("moved by %s against the receiver's move", figure.Length(o.Move.Len())))
	}
	if len(l) == 0 {
		return "where the asset stands: the receiver moves nothing"
	}
	return strings.Join(l, ", ") + ", so that they arrive in place"
}

// words say what a receiver does with a format.
func (r Reading) words() string {
	var l []string
	say := func(is bool, on, off string) {
		if is {
			l = append(l, on)
		} else {
			l = append(l, off)
		}
	}
	say(r.HonoursUnit, "takes the unit of the file", "takes a unit for "+figure.Length(r.Unit.Metres))
	say(r.HonoursAxes, "the file's axes", fmt.Sprintf("%s for up and %s for the front", r.Basis.Up, r.Basis.Forward))
	say(r.HonoursHand, "its handedness", "it for right-handed")
	say(r.KeepsNodes, "and keeps its nodes' transforms", "and drops its nodes' transforms")
	return strings.Join(l, ", ")
}

// written says in what pictures leave otherwise.
func (t Textures) written(to Textures) (l []string) {
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if t.Largest != to.Largest {
		say("Pictures of more than %d pixels a side are too large", to.Largest)
	}
	if t.PowerOfTwo != to.PowerOfTwo {
		say("Sides of pictures %s", map[bool]string{true: "are powers of two", false: "may be any"}[to.PowerOfTwo])
	}
	if t.GreenUp != to.GreenUp {
		say("Green of normal maps is toward the %s", map[bool]string{true: "top", false: "bottom"}[to.GreenUp])
	}
	if t.Packing != to.Packing {
		say("Occlusion, roughness and metallic are packed as “%s”", to.Packing)
	}
	if !maps.Equal(t.Formats, to.Formats) {
		var list []string
		for _, role := range slices.Sorted(maps.Keys(to.Formats)) {
			if to.Formats[role] != t.Formats[role] {
				list = append(list, role+" as "+to.Formats[role])
			}
		}
		for _, role := range slices.Sorted(maps.Keys(t.Formats)) {
			if to.Formats[role] == "" {
				list = append(list, role+" as they are")
			}
		}
		say("Pictures leave in other formats: %s", strings.Join(list, ", "))
	}
	return l
}

// solidsWritten says which kinds of collision are taken and which are not any more.
func solidsWritten(from, to []Solid) (l []string) {
	for _, s := range to {
		i := slices.IndexFunc(from, func(x Solid) bool { return x.Kind == s.Kind })
		switch {
		case i < 0:
			l = append(l, fmt.Sprintf("It takes a %s as collision", s.Kind))
		case from[i].For != s.For:
			l = append(l, fmt.Sprintf("It uses a %s for %s", s.Kind, s.For))
		}
		if i >= 0 && from[i].Word != s.Word {
			l = append(l, fmt.Sprintf("In names “%s” stands for a %s", cmp.Or(s.Word, s.Kind), s.Kind))
		}
	}
	for _, s := range from {
		if !slices.ContainsFunc(to, func(x Solid) bool { return x.Kind == s.Kind }) {
			l = append(l, fmt.Sprintf("It takes no %s as collision", s.Kind))
		}
	}
	return l
}
