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
// box reaches through the scene along the direction of the view. Drawn round by hand it does so too, as a ball it does
// not; faces stay whole at either.
type Crop struct {
	View  CropView  `json:"view"`
	Shape CropShape `json:"shape,omitempty"`
	// Deep is where the middle of a ball is along the direction of the view, in the frame of Area; its other middle is
	// that of Area, its radius half of the longer side.
	Deep float64 `json:"deep,omitempty"`
	// Round is what was drawn round, in the view's two coordinates; Area is the box round it.
	Round [][2]float64 `json:"round,omitempty"`
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

// CropShape is what is drawn to crop by.
type CropShape string

// The shapes to crop by.
const (
	AsBox   CropShape = ""
	AsBall  CropShape = "ball"
	ByHand  CropShape = "lasso" // drawn round
	maxHand           = 400     // corners of one
)

// Depth is the axis of the paper's frame that the view looks along.
func (v CropView) Depth() int { return 3 - v.Axes()[0] - v.Axes()[1] }

// maxCrops bounds the list of boxes.
const maxCrops = 32

// Validate checks a box.
func (c Crop) Validate() error {
	if _, ok := cropAxes[c.View]; !ok {
		return fmt.Errorf("%q is no view to draw a box on: expected plan, front or side", c.View)
	}
	for _, v := range append([]float64{c.Deep}, c.Area[:]...) {
		if !(math.Abs(v) <= 1e12) {
			return errors.New("the box is out of bounds")
		}
	}
	if err := c.validShape(); err != nil {
		return err
	}
	if c.Area[0] >= c.Area[2] || c.Area[1] >= c.Area[3] {
		return errors.New("the box has no extent: draw it from one corner to the other")
	}
	return validSeen(c.Seen)
}

// validShape checks what is drawn besides a box.
func (c Crop) validShape() error {
	switch n := len(c.Round); {
	case c.Shape != AsBox && c.Shape != AsBall && c.Shape != ByHand:
		return fmt.Errorf("%q is no shape to crop by: expected a box, ball or lasso", c.Shape)
	case c.Shape != AsBall && c.Deep != 0, c.Shape != ByHand && n > 0:
		return errors.New("a crop says more than its shape has")
	case c.Shape == ByHand && (n < 3 || n > maxHand):
		return fmt.Errorf("%d corners can't be what was drawn round: expected 3 to %d", n, maxHand)
	}
	for _, p := range c.Round {
		if !(p[0] >= c.Area[0] && p[0] <= c.Area[2] && p[1] >= c.Area[1] && p[1] <= c.Area[3]) {
			return errors.New("what was drawn round leaves the box round it")
		}
	}
	return nil
}

// Drawn is a crop by what is drawn round, with the box round it.
func Drawn(round [][2]float64) (c Crop) {
	c.Shape, c.Round = ByHand, round
	c.Area = [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	for _, p := range round {
		for k := range 2 {
			c.Area[k], c.Area[2+k] = min(c.Area[k], p[k]), max(c.Area[2+k], p[k])
		}
	}
	return c
}

// radius is that of a ball.
func (c Crop) radius() float64 { return max(c.Area[2]-c.Area[0], c.Area[3]-c.Area[1]) / 2 }

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
	if c.Whole || c.Shape != AsBox {
		how = "whole faces"
	}
	switch c.Shape {
	case AsBall:
		return fmt.Sprintf("Keep what lies %s a ball of %s radius, %s", side, figure.Length(c.radius()), how)
	case ByHand:
		return fmt.Sprintf("Keep what lies %s what is drawn round on the %s, %s by %s, %s", side, c.View,
			figure.Length(c.Area[2]-c.Area[0]), figure.Length(c.Area[3]-c.Area[1]), how)
	}
	return fmt.Sprintf("Keep what lies %s a box of %s by %s on the %s, %s", side, figure.Length(c.Area[2]-c.Area[0]),
		figure.Length(c.Area[3]-c.Area[1]), c.View, how)
}

// cropping is the box as planes of the scene as read, or the region that is drawn.
func (c Crop) cropping(read geom.Basis) scene.Cropping {
	seen := c.Seen
	if seen == (geom.Mat3{}) {
		seen = read.To(geom.GLTF)
	}
	out := scene.Cropping{Outside: c.Outside, Whole: c.Whole}
	axes, deep := c.View.Axes(), c.View.Depth()
	switch c.Shape {
	case AsBall:
		var middle geom.Vec3
		middle[axes[0]], middle[axes[1]], middle[deep] = (c.Area[0]+c.Area[2])/2, (c.Area[1]+c.Area[3])/2, c.Deep
		k := 1 / c.radius()
		out.Region = &scene.Region{To: geom.Affine{M: seen.Scaled(k), T: middle.Mul(-k)}}
		return out
	case ByHand:
		out.Region = &scene.Region{To: geom.Linear(geom.Mat3{seen[axes[0]], seen[axes[1]], seen[deep]}), Outline: c.Round}
		return out
	}
	for k, axis := range axes {
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
	laid  []bool // nodes of pieces of a grid: each about a place of its own; nil for none
	said  []finding.Finding
}

// TakeApart crops a scene and takes nodes apart. When ctx ends it returns early, and what it
// returns means nothing.
func TakeApart(ctx context.Context, s *scene.Scene, d Decisions) *Came {
	c := &Came{Scene: s, hub: make([]bool, len(s.Nodes)), hubOf: slices.Repeat([]int{-1}, len(s.Nodes))}
	if d.Divide > 0 {
		c.divide(ctx, d.Divide)
	}
	for _, crop := range d.Crop {
		c.crop(ctx, crop.cropping(s.Basis))
	}
	if d.Grid > 0 && ctx.Err() == nil {
		c.grid(ctx, d.Grid)
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
			m := c.Meshes[n.Mesh].Cropped(ctx, by.Carried(worlds[i]))
			if at = -1; !m.Empty() {
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
