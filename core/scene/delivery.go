package scene

import (
	"fmt"

	"yarvek/core/geom"
)

// Delivery is all that leaves for one asset: the mesh itself and what goes along with
// it. Everything is in the basis of Scene, in metres, in the same frame. What goes
// along comes with its names; who makes it takes them from the target's patterns.
//
// A Delivery is shared and not written to, as its scenes are.
type Delivery struct {
	Scene     *Scene   // the finest mesh
	LODs      []LOD    // coarser ones, the next finest first
	Vanish    float64  // metres from which on it is not drawn; 0 for never
	Fade      float64  // share of the distance over which one LOD fades into the next
	Collision []Shape  // what a body touches
	Markers   []Marker // named points
	Sights    []Sight  // cameras and lights
	// Grouped has the LODs leave as a group, for formats that know such.
	Grouped bool
	// NamePictures has pictures named by the target's pattern.
	NamePictures bool
}

// LOD is a coarser mesh that takes the place of the finer ones from a distance on.
type LOD struct {
	// Scene has the same lists of materials, textures and images as the delivery's.
	Scene  *Scene
	From   float64 // metres from the viewer
	Screen float64 // share of the screen's height that the asset has there
	Name   string  // of a node that holds several of its nodes, where one is needed
}

// Shape is one simple body that stands for the mesh where things touch.
type Shape struct {
	Name  string
	Of    string // name of the node with a mesh that it stands for
	Kind  string // by the target's words
	Mesh  *Mesh  // without materials
	Frame geom.Affine
}

// touch is what the shape says of itself, nil when it says nothing.
func (s Shape) touch() *Touch {
	if s.Kind == "" {
		return nil
	}
	return &Touch{Kind: s.Kind, Mesh: s.Of}
}

// Marker is a named point with a heading.
type Marker struct {
	Name  string
	Frame geom.Affine // its heading is the image of the basis's forward
}

// Validate checks what the delivery promises of its parts.
func (d Delivery) Validate() error {
	for i, l := range d.LODs {
		switch {
		case l.Scene.Basis != d.Scene.Basis:
			return fmt.Errorf("LOD %d is in another basis", i+1)
		case len(l.Scene.Materials) != len(d.Scene.Materials):
			return fmt.Errorf("LOD %d has %d materials and the mesh %d", i+1, len(l.Scene.Materials), len(d.Scene.Materials))
		case i > 0 && !(l.From > d.LODs[i-1].From):
			return fmt.Errorf("LOD %d takes over at %g m, not beyond the one before it", i+1, l.From)
		}
	}
	for _, s := range d.Collision {
		if err := s.Mesh.Validate(); err != nil {
			return fmt.Errorf("collision shape “%s”: %w", s.Name, err)
		}
	}
	return nil
}

// Assembled is the delivery as one scene, the way files hold it: the nodes of the mesh
// first, then those of each LOD, the collision shapes, and the markers as empty nodes.
// What comes after the mesh hangs below its root when it has one alone, and stands
// beside it otherwise. Without anything that goes along it is Scene itself.
func (d Delivery) Assembled() *Scene {
	if len(d.LODs)+len(d.Collision)+len(d.Markers)+len(d.Sights) == 0 {
		return d.Scene
	}
	out := d.Scene.Clone()
	parent, inv := -1, geom.Identity
	if d.Grouped && len(d.LODs) > 0 {
		out, d.LODs = d.group(), nil
		return d.along(out, -1, geom.Identity)
	}
	for i, n := range d.Scene.Nodes {
		if n.Parent >= 0 {
			continue
		}
		if i > 0 {
			parent, inv = -1, geom.Identity
			break
		}
		if v, ok := n.Local.Inverse(); ok {
			parent, inv = 0, v
		}
	}
	return d.along(out, parent, inv)
}

// group is the mesh and its LODs below a LOD group, each below one node of its own.
func (d Delivery) group() *Scene {
	out := d.Scene.Clone()
	out.Nodes, out.Meshes = nil, nil
	g := Node{Name: d.groupName(), Kind: KindLOD, Parent: -1, Mesh: -1, Local: geom.Identity}
	for _, l := range d.LODs {
		g.Thresholds = append(g.Thresholds, l.From)
		g.Coverage = append(g.Coverage, l.Screen)
	}
	g.Coverage = append(g.Coverage, d.vanishes())
	if d.Vanish > 0 {
		g.Thresholds = append(g.Thresholds, d.Vanish)
	}
	out.Nodes = append(out.Nodes, g)
	add := func(s *Scene, name string) {
		roots := 0
		for _, n := range s.Nodes {
			if n.Parent < 0 {
				roots++
			}
		}
		parent := 0
		if roots != 1 {
			parent = len(out.Nodes)
			out.Nodes = append(out.Nodes, Node{Name: name, Kind: KindEmpty, Parent: 0, Mesh: -1, Local: geom.Identity})
		}
		node, mesh := len(out.Nodes), len(out.Meshes)
		out.Meshes = append(out.Meshes, s.Meshes...)
		for _, n := range s.Nodes {
			if n.Parent >= 0 {
				n.Parent += node
			} else {
				n.Parent = parent
			}
			if n.Mesh >= 0 {
				n.Mesh += mesh
			}
			out.Nodes = append(out.Nodes, n)
		}
	}
	add(d.Scene, g.Name+" finest")
	for _, l := range d.LODs {
		add(l.Scene, l.Name)
	}
	return out
}

// groupName is the scene's name, told apart from the names of what hangs below: receivers
// find what they look for by its name.
func (d Delivery) groupName() string {
	taken := map[string]bool{}
	for _, n := range d.Scene.Nodes {
		taken[n.Name] = true
	}
	for _, l := range d.LODs {
		taken[l.Name] = true
		for _, n := range l.Scene.Nodes {
			taken[n.Name] = true
		}
	}
	name := d.Scene.Name
	if name == "" && len(d.Scene.Nodes) > 0 {
		name = d.Scene.Nodes[0].Name
	}
	for k, first := 1, name; taken[name] || name == ""; k++ {
		if name = first + " LODs"; k > 1 {
			name = fmt.Sprintf("%s LODs %d", first, k)
		}
	}
	return name
}

// vanishes is the share of the screen's height below which nothing is drawn.
func (d Delivery) vanishes() float64 {
	last := d.LODs[len(d.LODs)-1]
	if !(d.Vanish > 0) || !(last.From > 0) {
		return 0
	}
	return min(last.Screen, last.Screen*last.From/d.Vanish)
}

// along adds what goes along, below a node whose inverse is given.
func (d Delivery) along(out *Scene, parent int, inv geom.Affine) *Scene {
	hang := func(n Node) {
		if n.Parent < 0 {
			n.Parent, n.Local = parent, inv.Mul(n.Local)
		}
		out.Nodes = append(out.Nodes, n)
	}
	for _, l := range d.LODs {
		node, mesh := len(out.Nodes), len(out.Meshes)
		out.Meshes = append(out.Meshes, l.Scene.Meshes...)
		for _, n := range l.Scene.Nodes {
			if n.Parent >= 0 {
				n.Parent += node
			}
			if n.Mesh >= 0 {
				n.Mesh += mesh
			}
			hang(n)
		}
	}
	for _, s := range d.Collision {
		hang(Node{Name: s.Name, Kind: KindMesh, Parent: -1, Mesh: len(out.Meshes), Local: s.Frame,
			Touch: s.touch()})
		out.Meshes = append(out.Meshes, s.Mesh)
	}
	out.Sights = d.Sights
	for _, m := range d.Markers {
		hang(Node{Name: m.Name, Kind: KindEmpty, Parent: -1, Mesh: -1, Local: m.Frame})
	}
	return out
}

// Each returns the delivery with the mesh and every LOD made anew by f.
func (d Delivery) Each(f func(*Scene) *Scene) Delivery {
	d.Scene = f(d.Scene)
	lods := make([]LOD, len(d.LODs))
	for i, l := range d.LODs {
		lods[i] = LOD{f(l.Scene), l.From, l.Screen, l.Name}
	}
	d.LODs = lods
	return d
}

// Bytes estimates what a scene holds on to: its meshes with all their layers and
// indices, its pictures and its nodes. A nil scene holds nothing.
func (s *Scene) Bytes() int64 {
	if s == nil {
		return 0
	}
	n := int64(256 * len(s.Nodes))
	for _, m := range s.Meshes {
		n += m.Bytes()
	}
	for _, im := range s.Images {
		n += int64(len(im.Data))
	}
	return n
}
