package deliver

import (
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/scene"
)

// Item is one thing that left.
type Item struct {
	// Sort is "mesh", "empty node", "slot", "picture", "LOD", "collision", "marker", "camera" or "light".
	Sort  string `json:"sort"`
	Name  string `json:"name"`            // as it left
	Was   string `json:"was,omitempty"`   // as it came, where that is another
	Why   string `json:"why,omitempty"`   // it is called otherwise
	Holds string `json:"holds,omitempty"` // what it is, in a few words
	LOD   int    `json:"lod,omitempty"`   // of which LOD, from 1 on
	Made  bool   `json:"made,omitempty"`  // it did not come: it was made
}

// contents lists what a delivery holds: as it was before the target's patterns named it, and as it leaves.
func contents(was, is scene.Delivery) (list []Item) {
	add := func(sort, name, before, holds string) {
		x := Item{Sort: sort, Name: name, Holds: holds}
		if before != "" && before != name {
			x.Was, x.Why = before, "by the target's pattern"
		}
		list = append(list, x)
	}
	triangles := func(n int) string { return figure.Plural(n, "triangle", "triangles") }
	for i, n := range is.Scene.Nodes {
		before := ""
		if i < len(was.Scene.Nodes) {
			before = was.Scene.Nodes[i].Name
		}
		if n.Mesh >= 0 {
			add("mesh", n.Name, before, triangles(is.Scene.Meshes[n.Mesh].Triangles()))
		} else {
			add("empty node", n.Name, before, "")
		}
	}
	for k, l := range is.LODs {
		from := ""
		if l.From > 0 {
			from = ", from " + figure.Length(l.From)
		}
		for _, n := range l.Scene.Nodes {
			if n.Mesh >= 0 {
				add("LOD", n.Name, "", fmt.Sprintf("LOD %d, %s%s", k+1, triangles(l.Scene.Meshes[n.Mesh].Triangles()), from))
				list[len(list)-1].LOD = k + 1
			}
		}
	}
	for _, s := range is.Collision {
		add("collision", s.Name, "", fmt.Sprintf("%s of %s, %s", s.Kind, s.Of, figure.Plural(len(s.Mesh.Points), "point",
			"points")))
	}
	for _, m := range is.Markers {
		add("marker", m.Name, "", "")
	}
	for _, s := range is.Sights {
		if s.Camera != nil {
			add("camera", s.Name, "", "")
		} else {
			add("light", s.Name, "", string(s.Light.Kind))
		}
	}
	for i, m := range is.Scene.Materials {
		before := ""
		if i < len(was.Scene.Materials) {
			before = was.Scene.Materials[i].Name
		}
		add("slot", m.Name, before, "")
	}
	for i, im := range is.Scene.Images {
		before := ""
		if i < len(was.Scene.Images) {
			before = was.Scene.Images[i].Name
		}
		holds := "not there"
		if im.Found() {
			holds = fmt.Sprintf("%d × %d, %s", im.Width, im.Height, figure.Bytes(int64(len(im.Data))))
		}
		add("picture", im.Name, before, holds)
	}
	return list
}
