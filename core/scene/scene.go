// Package scene is the neutral model that every format is read into and written
// from: nodes that place meshes, meshes of polygons in flat arrays, materials and
// pictures.
//
// Lengths are metres. Points, normals and transforms are in the scene's Basis,
// whatever its handedness, and winding is algebraic: for a face a, b, c the
// product (b-a)×(c-a) points outward in the coordinates of the basis. A map that
// mirrors coordinates therefore turns the order of the corners round. The origin
// of UV coordinates is the bottom left of the picture.
package scene

import (
	"context"
	"math"

	"yarvek/core/geom"
)

// How tells where a fact about a file comes from.
type How string

// A file may declare a fact, its format may fix it, or the reader has to assume.
const (
	Declared   How = "declared"
	ByStandard How = "by the standard"
	Assumed    How = "assumed"
)

// Scene is one file's content, or what a station made of it.
type Scene struct {
	Name          string
	Format        string // "obj", "gltf", ...
	FormatVersion string

	Basis      geom.Basis
	BasisHow   How
	UnitMetres float64 // metres one unit of the file stands for; points here are metres already
	UnitHow    How

	Nodes     []Node // a parent always comes before its children
	Meshes    []*Mesh
	Materials []Material
	Textures  []Texture
	Images    []Image

	// Sights are cameras and lights. The stations let them be; they leave where that is decided.
	Sights []Sight

	// Variants are what the file offers several of; what came in is one of each.
	Variants []Variants

	// Left counts what the file held and a static mesh can't keep.
	Left []Left
}

// Variants is a set of what the file offers one of.
type Variants struct {
	Key   string // stable through revisions of a file: the place in it and the set
	Of    string // what has them, by its name
	Set   string
	Names []string // in the order of the file
	Is    string   // which came in, "" for none
}

// Kind is what a node is for.
type Kind string

// The kinds of node.
const (
	KindMesh   Kind = "mesh"
	KindEmpty  Kind = "empty"
	KindCamera Kind = "camera"
	KindLight  Kind = "light"
	KindJoint  Kind = "joint"
	KindLOD    Kind = "LOD group"
	KindGuide  Kind = "guide"  // lines or points without any polygon
	KindPoints Kind = "points" // a cloud of them, which is the asset
)

// Node places a mesh, or nothing, in its parent's frame.
type Node struct {
	Name   string
	Kind   Kind
	Parent int // index into Nodes, -1 for a root
	Mesh   int // index into Meshes, -1 for none; two nodes with one mesh are instances
	Local  geom.Affine
	Hidden bool // the file says it is not to be seen
	Proxy  bool // the file says it stands in for something finer
	// Thresholds of a LOD group: the distances in metres beyond which its second,
	// third, ... child takes over from the one before.
	Thresholds []float64
	// Coverage of a LOD group: the shares of the screen down to which its first, second, ...
	// child stands, where the file tells those instead of distances.
	Coverage []float64
	// Touch says of a node that stands for another where things touch what it is, nil for all others.
	Touch *Touch
}

// Touch is what a shape of collision is and stands for.
type Touch struct {
	Kind string `json:"kind"` // by the target's words
	Mesh string `json:"mesh"` // name of the node it stands for
}

// Left is something of the file that does not go on, and why.
type Left struct {
	What  string // singular: "skin", "animation", "light", ...
	Count int
	Names []string // as far as they have names, at most a handful
	Why   string
}

// MaxNodes bounds the nodes of a file that is read. Each is looked at by itself, measured
// and listed.
const MaxNodes = 1 << 16

// MaxLeftNames bounds how many names a Left carries.
const MaxLeftNames = 8

// LeaveOut counts one thing that does not go on.
func (s *Scene) LeaveOut(what, name, why string) {
	for i := range s.Left {
		if l := &s.Left[i]; l.What == what && l.Why == why {
			l.Count++
			if name != "" && len(l.Names) < MaxLeftNames {
				l.Names = append(l.Names, name)
			}
			return
		}
	}
	l := Left{What: what, Count: 1, Why: why}
	if name != "" {
		l.Names = []string{name}
	}
	s.Left = append(s.Left, l)
}

// CountLeft is how many of a thing were left out.
func (s *Scene) CountLeft(what string) int {
	n := 0
	for _, l := range s.Left {
		if l.What == what {
			n += l.Count
		}
	}
	return n
}

// Unseen tells of each node whether it is hidden, by itself or with what it hangs from.
func (s *Scene) Unseen() []bool {
	out := make([]bool, len(s.Nodes))
	for i, n := range s.Nodes {
		out[i] = n.Hidden || n.Parent >= 0 && out[n.Parent]
	}
	return out
}

// Worlds is each node's map from its own frame to the scene's.
func (s *Scene) Worlds() []geom.Affine {
	w := make([]geom.Affine, len(s.Nodes))
	for i, n := range s.Nodes {
		if n.Parent >= 0 {
			w[i] = w[n.Parent].Mul(n.Local)
		} else {
			w[i] = n.Local
		}
	}
	return w
}

// NodeBounds is the world box of each node's own faces, empty for a node without.
func (s *Scene) NodeBounds() []geom.Box { return s.NodeBoundsUnder(geom.Identity3) }

// NodeBoundsUnder are the boxes of the nodes' faces once m has carried the whole scene: of
// their points, not of their boxes.
func (s *Scene) NodeBoundsUnder(m geom.Mat3) []geom.Box {
	worlds := s.Worlds()
	if m != geom.Identity3 {
		for i := range worlds {
			worlds[i] = geom.Linear(m).Mul(worlds[i])
		}
	}
	used := make([][]bool, len(s.Meshes))
	boxes := make([]geom.Box, len(s.Nodes))
	for i, n := range s.Nodes {
		boxes[i] = geom.EmptyBox()
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		if used[n.Mesh] == nil {
			used[n.Mesh] = m.Used()
		}
		w, u := worlds[i], used[n.Mesh]
		if c := m.Cloud; c != nil {
			boxes[i] = c.BoxBy(w)
			continue
		}
		if w.IsIdentity() {
			boxes[i] = boxOf(m.Points, u, nil)
		} else {
			boxes[i] = boxOf(m.Points, u, &w)
		}
	}
	return boxes
}

// boxOf collects the used points, mapped by w when it is not nil.
func boxOf(pts []geom.Vec3, used []bool, w *geom.Affine) geom.Box {
	parts := make([]geom.Box, chunks(len(pts)))
	parallel(len(pts), func(k, from, to int) {
		b := geom.EmptyBox()
		for i := from; i < to; i++ {
			if !used[i] {
				continue
			}
			p := pts[i]
			if w != nil {
				p = w.Apply(p)
			}
			// Plain comparisons: the built-in min and max spend most of their time
			// on numbers that a reader never lets in.
			for c, v := range p {
				if v < b.Min[c] {
					b.Min[c] = v
				}
				if v > b.Max[c] {
					b.Max[c] = v
				}
			}
		}
		parts[k] = b
	})
	b := geom.EmptyBox()
	for _, p := range parts {
		b = b.Union(p)
	}
	return b
}

// Union is the box round all boxes.
func Union(boxes []geom.Box) geom.Box {
	b := geom.EmptyBox()
	for _, n := range boxes {
		b = b.Union(n)
	}
	return b
}

// Bounds is the world box of all faces; points that no face uses don't count.
func (s *Scene) Bounds() geom.Box { return Union(s.NodeBounds()) }

// Counts are the figures people ask of a scene first.
type Counts struct {
	Nodes     int // all of them
	Meshes    int // distinct
	Instances int // nodes that place a mesh
	Polygons  int // of every instance
	Triangles int
	Points    int
	Slots     int
	Dots      int // points of clouds
}

// Count counts polygons, triangles and points once an instance.
func (s *Scene) Count() Counts {
	c := Counts{Nodes: len(s.Nodes)}
	seen := make([]bool, len(s.Meshes))
	for _, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		c.Instances++
		c.Polygons += m.Faces()
		c.Triangles += m.Triangles()
		c.Points += len(m.Points)
		if m.Cloud != nil {
			c.Dots += len(m.Cloud.Points)
		}
		if !seen[n.Mesh] {
			seen[n.Mesh] = true
			c.Meshes++
		}
	}
	c.Slots = len(s.UsedMaterials())
	return c
}

// NoSlot is the name shown for faces without a material.
const NoSlot = "(none)"

// SlotNames lists the materials that faces use, in order of first use by node,
// mesh and slot. Faces without any are called NoSlot.
func (s *Scene) SlotNames() []string {
	var names []string
	for _, m := range s.UsedMaterials() {
		if m < 0 {
			names = append(names, NoSlot)
		} else {
			names = append(names, s.Materials[m].Name)
		}
	}
	return names
}

// UsedMaterials lists the material indices that faces use, in order of first use;
// -1 stands for faces without one.
func (s *Scene) UsedMaterials() []int {
	var list []int
	seen := make([]bool, 1+len(s.Materials))
	use := func(material int) {
		if !seen[1+material] {
			seen[1+material] = true
			list = append(list, material)
		}
	}
	done := make([]bool, len(s.Meshes))
	for _, n := range s.Nodes {
		if n.Mesh < 0 || done[n.Mesh] {
			continue
		}
		done[n.Mesh] = true
		m := s.Meshes[n.Mesh]
		if m.Slot == nil && m.Faces() > 0 {
			use(m.Material(0))
			continue
		}
		for _, material := range m.UsedSlots() {
			use(material)
		}
	}
	return list
}

// UnusedMaterials names the materials no face uses.
func (s *Scene) UnusedMaterials() []string {
	used := map[int]bool{}
	for _, m := range s.UsedMaterials() {
		used[m] = true
	}
	var names []string
	for i, m := range s.Materials {
		if !used[i] {
			names = append(names, m.Name)
		}
	}
	return names
}

// UVSetNames lists the names of all UV sets, in order of first use.
func (s *Scene) UVSetNames() []string {
	var names []string
	seen := map[string]bool{}
	for _, m := range s.Meshes {
		for _, u := range m.UVs {
			if !seen[u.Name] {
				seen[u.Name] = true
				names = append(names, u.Name)
			}
		}
	}
	return names
}

// Clone copies the lists of nodes and meshes; the meshes themselves are shared
// and must be replaced, not written to.
func (s *Scene) Clone() *Scene {
	c := *s
	c.Nodes = append([]Node(nil), s.Nodes...)
	c.Meshes = append([]*Mesh(nil), s.Meshes...)
	return &c
}

// Carried applies c to everything: points, normals, tangents, and node frames by
// conjugation, so that a node that was identity stays identity and the whole
// scene moves, turns or scales about its origin. Instances stay instances.
func (s *Scene) Carried(c geom.Affine) *Scene { return s.CarriedIn(context.Background(), c) }

// CarriedIn is Carried for those who may leave: when ctx ends it returns early, and what
// it returns means nothing.
func (s *Scene) CarriedIn(ctx context.Context, c geom.Affine) *Scene {
	out := s.Clone()
	if c.IsIdentity() {
		return out
	}
	lin := geom.Linear(c.M)
	out.Sights = CarriedSights(s.Sights, c)
	if k := math.Cbrt(math.Abs(c.M.Det())); k != 1 {
		for i := range out.Nodes {
			if t := out.Nodes[i].Thresholds; t != nil {
				grown := make([]float64, len(t))
				for j := range t {
					grown[j] = t[j] * k
				}
				out.Nodes[i].Thresholds = grown
			}
		}
	}
	if isUniform(c.M) {
		// Conjugation by a plain scaling leaves the linear part alone; computing it
		// would only add rounding.
		for i := range out.Nodes {
			n := &out.Nodes[i]
			n.Local.T = n.Local.T.Mul(c.M[0][0])
			if n.Parent < 0 {
				n.Local.T = n.Local.T.Add(c.T)
			}
		}
		for i, m := range out.Meshes {
			out.Meshes[i] = m.MappedIn(ctx, lin)
		}
		return out
	}
	for i := range out.Nodes {
		n := &out.Nodes[i]
		if n.Parent < 0 && c.T != (geom.Vec3{}) {
			n.Local = geom.Translation(c.T).Mul(n.Local.Conjugate(lin))
		} else {
			n.Local = n.Local.Conjugate(lin)
		}
	}
	for i, m := range out.Meshes {
		out.Meshes[i] = m.MappedIn(ctx, lin)
	}
	return out
}
