package format

import (
	"fmt"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Less is what of a delivery the files of a format hold, and what not, by name: formats of a single surface have no
// nodes, no materials, and not always normals, colours and coordinates. name is what the one mesh is called. A
// delivery that is held as it is comes back untouched.
func Less(d scene.Delivery, f Format, name string) (scene.Delivery, []pack.Change) {
	l := &lesser{Format: f}
	if !f.Several && d.Scene != nil {
		d.Scene = l.single(d.Scene, name)
		for _, x := range []struct {
			what string
			n    int
		}{{"LOD", len(d.LODs)}, {"collision shape", len(d.Collision)}, {"marker", len(d.Markers)},
			{"camera or light", len(d.Sights)}} {
			if x.n > 0 {
				l.say(pack.Nodes, figure.Plural(x.n, x.what, strings.ReplaceAll(x.what, " or ", "s or ")+"s"),
					"it holds one mesh alone")
			}
		}
		d.LODs, d.Collision, d.Markers, d.Sights = nil, nil, nil, nil
	}
	return d, l.said
}

// lesser takes from a scene what a format does not hold.
type lesser struct {
	Format
	said []pack.Change
}

func (l *lesser) say(about pack.Topic, what, why string) {
	l.said = append(l.said, pack.Change{About: about, What: what + " stayed behind", Why: l.kindName() + ": " + why})
}

// kindName is what the sort of file is called.
func (f Format) kindName() string { return kinds[kindBySuffix(f.Suffix)].name }

// single is a scene of one mesh.
func (l *lesser) single(s *scene.Scene, name string) *scene.Scene {
	flat := s.Flattened()
	if len(s.Nodes) == 1 && len(flat.Nodes) == 1 && s.Nodes[0].Local.IsIdentity() && s.Nodes[0].Name == name &&
		s.Meshes[0].Name == name && !s.Nodes[0].Hidden && len(s.Materials) == 0 &&
		(&lesser{Format: l.Format}).bare(s.Meshes[0]) == s.Meshes[0] {
		return s // done before
	}
	if flat.Count().Dots > 0 && len(flat.Meshes) == 1 { // a cloud goes as it is
		out := *flat
		m := *flat.Meshes[0]
		m.Name = name
		out.Nodes = []scene.Node{{Name: name, Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}
		out.Meshes = []*scene.Mesh{&m}
		return &out
	}
	var empties, hidden []string
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			empties = append(empties, n.Name)
		} else if s.Unseen()[i] {
			hidden = append(hidden, n.Name)
		}
	}
	l.names(pack.Nodes, [2]string{"node that places nothing", "nodes that place nothing"}, empties,
		"it holds one mesh alone")
	if len(hidden) > 0 {
		l.say(pack.Nodes, "that hidden nodes are hidden ("+strings.Join(hidden[:min(len(hidden), scene.MaxLeftNames)], ", ")+
			")", "what it holds is seen")
	}
	if len(flat.Nodes) > 1 {
		l.said = append(l.said, pack.Change{About: pack.Nodes,
			What: fmt.Sprintf("%s became one, “%s”", figure.Plural(len(flat.Nodes), "mesh", "meshes"), name),
			Why:  l.kindName() + " holds one mesh, without nodes"})
	}
	if len(flat.Nodes) == 1 && flat.Nodes[0].Name != name {
		l.said = append(l.said, pack.Change{About: pack.Nodes,
			What: fmt.Sprintf("“%s” is called “%s”", flat.Nodes[0].Name, name),
			Why:  l.kindName() + " has no name but the file’s"})
	}
	mesh := scene.Joined(name, flat.Meshes)
	if len(flat.Meshes) == 1 {
		m := *flat.Meshes[0]
		mesh = &m
		mesh.Name = name
	}
	out := *s
	out.Nodes = []scene.Node{{Name: name, Kind: scene.KindMesh, Parent: -1, Local: geom.Identity}}
	out.Meshes = []*scene.Mesh{l.bare(mesh)}
	if used := s.SlotNames(); len(s.Materials) > 0 {
		if l.names(pack.Materials, [2]string{"material", "materials"}, used, "it has none"); len(s.Images) > 0 {
			var pictures []string
			for _, im := range s.Images {
				pictures = append(pictures, im.Name)
			}
			l.names(pack.Pictures, [2]string{"picture", "pictures"}, pictures, "it has no materials that would use them")
		}
	}
	out.Materials, out.Textures, out.Images = nil, nil, nil
	return &out
}

// names says that things stayed behind, some of them by name.
func (l *lesser) names(about pack.Topic, what [2]string, list []string, why string) {
	if len(list) == 0 {
		return
	}
	n := figure.Plural(len(list), what[0], what[1]) + ": "
	for i, name := range list[:min(len(list), scene.MaxLeftNames)] {
		if i > 0 {
			n += ", "
		}
		n += name
	}
	if more := len(list) - scene.MaxLeftNames; more > 0 {
		n += fmt.Sprintf(" and %d more", more)
	}
	l.say(about, n, why)
}

// bare is a mesh without what the format has no place for; the same where it has none of it.
func (l *lesser) bare(m *scene.Mesh) *scene.Mesh {
	out, why := *m, "points and faces are all it has"
	drop := func(there bool, about pack.Topic, what string) bool {
		if there {
			l.say(about, what, why)
		}
		return there
	}
	changed := false
	if !l.Normals && drop(m.Normals.Has() || m.Smooth != nil, pack.Smoothing, "normals of corners") {
		out.Normals, out.Smooth, out.Hard, changed = scene.Layer[[3]float32]{}, nil, nil, true
	}
	if !l.Colours && drop(m.Colors.Has(), pack.Colors, "colours of corners") {
		out.Colors, changed = scene.Layer[[4]float32]{}, true
	}
	if !l.Tangents && m.Tangents.Has() {
		out.Tangents, changed = scene.Layer[[4]float32]{}, true
		l.said = append(l.said, pack.Change{About: pack.Tangents, What: "tangents",
			Why: "a receiver makes them from normals and UVs"})
	}
	if why = "it holds " + figure.Plural(l.UVSets, "UV set", "UV sets"); len(m.UVs) > l.UVSets {
		drop(true, pack.UVSets, figure.Plural(len(m.UVs)-l.UVSets, "UV set", "UV sets"))
		out.UVs, changed = m.UVs[:l.UVSets], true
	}
	if m.Slot != nil || len(m.Slots) != 1 || m.Slots[0] >= 0 {
		out.Slot, out.Slots, changed = nil, []int{-1}, true
	}
	if !changed {
		return m
	}
	return &out
}
