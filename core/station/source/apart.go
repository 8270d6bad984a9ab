package source

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Splitting and cropping come before keeping: what they make are nodes of the tree like
// any other, which rules match and decisions name.

// Crop keeps of every mesh what lies within a box drawn on a view, or what does not. The
// box reaches through the scene along the direction of the view.
type Crop struct {
	View CropView `json:"view"`
	// Seen takes directions of the scene as read to the frame of the paper the box was
	// drawn on: x to the viewer's right, y up, z toward the viewer of the front. Zero means
	// as the file's own basis stands.
	Seen geom.Mat3 `json:"seen,omitzero"`
	// Area is the box in that frame, lower and upper: x and z on the plan, x and y on the
	// front, z and y on the side; metres.
	Area    [4]float64 `json:"area"`
	Outside bool       `json:"outside,omitempty"` // what lies outside stays
	Whole   bool       `json:"whole,omitempty"`   // faces stay whole, or go
}

// CropView is a view of the drawing.
type CropView string

// The views a box can be drawn on.
const (
	OnPlan  CropView = "plan"
	OnFront CropView = "front"
	OnSide  CropView = "side"
)

// Axes are the axes of the paper's frame that lie in the view, across and up.
func (v CropView) Axes() [2]int { return cropAxes[v] }

// cropAxes are the axes of the paper's frame that lie in each view.
var cropAxes = map[CropView][2]int{OnPlan: {0, 2}, OnFront: {0, 1}, OnSide: {2, 1}}

// maxCrops bounds the list of boxes.
const maxCrops = 32

// Validate checks a box.
func (c Crop) Validate() error {
	if _, ok := cropAxes[c.View]; !ok {
		return fmt.Errorf("%q is no view to draw a box on: expected plan, front or side", c.View)
	}
	for _, v := range c.Area {
		if !(math.Abs(v) <= 1e12) {
			return errors.New("the box is out of bounds")
		}
	}
	if c.Area[0] >= c.Area[2] || c.Area[1] >= c.Area[3] {
		return errors.New("the box has no extent: draw it from one corner to the other")
	}
	return validSeen(c.Seen)
}

// validSeen checks a frame that a box was drawn in.
func validSeen(m geom.Mat3) error {
	if m == (geom.Mat3{}) {
		return nil
	}
	if d := math.Abs(m.Det()); !(math.Abs(d-1) < 1e-6) {
		return fmt.Errorf("the frame a box was drawn in has a determinant of %g: expected 1 or -1", d)
	}
	return nil
}

// String says the box in words.
func (c Crop) String() string {
	side, how := "inside", "cut at its edge"
	if c.Outside {
		side = "outside"
	}
	if c.Whole {
		how = "whole faces"
	}
	return fmt.Sprintf("Keep what lies %s a box of %s by %s on the %s, %s", side, figure.Length(c.Area[2]-c.Area[0]),
		figure.Length(c.Area[3]-c.Area[1]), c.View, how)
}

// cropping is the box as planes of the scene as read.
func (c Crop) cropping(read geom.Basis) scene.Cropping {
	seen := c.Seen
	if seen == (geom.Mat3{}) {
		seen = read.To(geom.GLTF)
	}
	out := scene.Cropping{Outside: c.Outside, Whole: c.Whole}
	for k, axis := range cropAxes[c.View] {
		n := geom.Vec3(seen[axis])
		out.Within = append(out.Within, scene.Plane{N: n.Mul(-1), D: -c.Area[k]}, scene.Plane{N: n, D: c.Area[2+k]})
	}
	return out
}

// Came is the scene as it came, cropped and taken apart as decided: what Source has before
// it. Its nodes are those that decisions name.
type Came struct {
	*scene.Scene
	hub   []bool // nodes that only hold the parts of one that was taken apart
	hubOf []int  // of a part, its hub; -1 for other nodes
	said  []finding.Finding
}

// TakeApart crops a scene and takes nodes apart. When ctx ends it returns early, and what it
// returns means nothing.
func TakeApart(ctx context.Context, s *scene.Scene, d Decisions) *Came {
	c := &Came{Scene: s, hub: make([]bool, len(s.Nodes)), hubOf: slices.Repeat([]int{-1}, len(s.Nodes))}
	for _, crop := range d.Crop {
		c.crop(ctx, crop.cropping(s.Basis))
	}
	// A part can be taken apart in its turn; each pass takes those that are there.
	rest := slices.Clone(d.Split)
	for range 4 {
		if len(rest) > 0 && ctx.Err() == nil {
			rest = c.split(ctx, rest)
		}
	}
	return c
}

// crop cuts every mesh as its nodes stand; nodes that share a mesh and stand otherwise get
// meshes of their own.
func (c *Came) crop(ctx context.Context, by scene.Cropping) {
	out := *c.Scene
	out.Nodes, out.Meshes = slices.Clone(out.Nodes), nil
	worlds := c.Worlds()
	type place struct {
		mesh int
		at   geom.Affine
	}
	done := map[place]int{}
	for i, n := range c.Nodes {
		if n.Mesh < 0 {
			continue
		}
		key := place{n.Mesh, worlds[i]}
		at, ok := done[key]
		if !ok && ctx.Err() == nil {
			local := by
			local.Within = make([]scene.Plane, len(by.Within))
			for k, h := range by.Within {
				local.Within[k] = h.Carried(worlds[i])
			}
			m := c.Meshes[n.Mesh].Cropped(ctx, local)
			at = -1
			if m.Faces() > 0 || m.Cloud != nil && len(m.Cloud.Points) > 0 {
				at = len(out.Meshes)
				out.Meshes = append(out.Meshes, m)
			}
			done[key] = at
		}
		if out.Nodes[i].Mesh = at; at < 0 {
			out.Nodes[i].Kind = scene.KindEmpty
		}
	}
	c.Scene = &out
}

// parts are the meshes one is taken apart into, with what each is called.
type parts struct {
	meshes []int
	names  []string
}

// split takes nodes apart and returns the decisions that found none. A node that is taken
// apart stays as an empty one that holds its parts.
func (c *Came) split(ctx context.Context, list []Split) []Split {
	by := map[string]SplitBy{}
	for _, d := range list {
		by[d.Node] = d.By
	}
	s, keys := c.Scene, c.Keys()
	out := *s
	out.Nodes, out.Meshes = nil, slices.Clone(s.Meshes)
	next := &Came{Scene: &out, said: c.said}
	done := map[string]parts{}
	found := map[string]bool{}
	children := make([]bool, len(s.Nodes))
	for _, n := range s.Nodes {
		if n.Parent >= 0 {
			children[n.Parent] = true
		}
	}
	at := make([]int, len(s.Nodes))
	for i, n := range s.Nodes {
		if n.Parent >= 0 {
			n.Parent = at[n.Parent]
		}
		at[i] = len(out.Nodes)
		hub, hubOf := c.hub[i], c.hubOf[i]
		if hubOf >= 0 {
			hubOf = at[hubOf]
		}
		how, wanted := by[keys[i]]
		found[keys[i]] = found[keys[i]] || wanted
		var p parts
		if wanted && n.Mesh >= 0 {
			key := fmt.Sprint(n.Mesh, how)
			var ok bool
			if p, ok = done[key]; !ok {
				p = next.partsOf(ctx, s, n, how)
				done[key] = p
			}
		}
		if len(p.meshes) == 0 {
			out.Nodes, next.hub, next.hubOf = append(out.Nodes, n), append(next.hub, hub), append(next.hubOf, hubOf)
			continue
		}
		holder := n
		holder.Kind, holder.Mesh = scene.KindEmpty, -1
		out.Nodes, next.hub, next.hubOf = append(out.Nodes, holder), append(next.hub, !children[i]), append(next.hubOf, hubOf)
		for k, m := range p.meshes {
			piece := n
			piece.Parent, piece.Local, piece.Mesh, piece.Name = at[i], geom.Identity, m, n.Name+" "+p.names[k]
			out.Nodes, next.hub, next.hubOf = append(out.Nodes, piece), append(next.hub, false), append(next.hubOf, at[i])
		}
	}
	// Meshes that were taken apart and that nobody places any more go.
	next.Scene = out.Without(func(int) bool { return false })
	*c = *next
	return slices.DeleteFunc(list, func(d Split) bool { return found[d.Node] })
}

// partsOf takes the mesh of a node of s apart, into meshes of c; none when it is one part,
// or more than a split makes.
func (c *Came) partsOf(ctx context.Context, s *scene.Scene, n scene.Node, how SplitBy) (p parts) {
	m := s.Meshes[n.Mesh]
	var part []int32
	var mats []int
	k := 0
	if how == BySlot {
		part, mats = m.SlotParts()
		k = len(mats)
	} else {
		part, k = m.Bodies(ctx)
	}
	if k > maxParts {
		c.said = append(c.said, finding.Finding{Code: "source/split-too-fine", Severity: finding.Look,
			Title: fmt.Sprintf("“%s” has %s parts and stays whole", n.Name, figure.Count(k)),
			Text: fmt.Sprintf("A split makes up to %d nodes. Join what belongs together in the modelling program, or split by "+
				"slot.",
				maxParts)})
	}
	if k < 2 || k > maxParts {
		return p
	}
	for i, piece := range m.Cut(part, k) {
		name := fmt.Sprint(i + 1)
		if how == BySlot {
			name = scene.NoSlot
			if mats[i] >= 0 {
				name = s.Materials[mats[i]].Name
			}
		}
		piece.Name = m.Name + " " + name
		p.meshes = append(p.meshes, len(c.Meshes))
		p.names = append(p.names, name)
		c.Meshes = append(c.Meshes, piece)
	}
	return p
}
