package collision

import (
	"context"
	"errors"
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Round is what was drawn round on a view of the drawing: the surface within its convex outline, as deep as the asset
// is, with faces cut where the outline crosses them.
type Round struct {
	View    string      `json:"view"`    // its name: "front", "side" or "plan"
	Outline []geom.Vec2 `json:"outline"` // across and up in the view, convex, anticlockwise; metres
	// To takes coordinates as Source leaves the scene to across, up and depth in the view.
	To geom.Affine `json:"to"`
}

// mostDrawn bounds the corners of what is drawn round.
const mostDrawn = 400

// DrawnRound is what was drawn round by places in a view, which to takes coordinates as Source leaves the scene to.
func DrawnRound(view string, places []geom.Vec2, to geom.Affine) (Round, error) {
	r := Round{view, geom.OutlineOf(places), to}
	return r, r.Validate()
}

// Validate checks what was drawn.
func (r Round) Validate() error {
	if len(r.Outline) < 3 || len(r.Outline) > mostDrawn {
		return fmt.Errorf("what is drawn round has %d corners: expected 3 to %d", len(r.Outline), mostDrawn)
	}
	for i, p := range r.Outline {
		q, s := r.Outline[(i+1)%len(r.Outline)], r.Outline[(i+2)%len(r.Outline)]
		if !(math.Abs(p[0]) <= 1e9 && math.Abs(p[1]) <= 1e9) {
			return errors.New("what is drawn round has a corner that is none")
		}
		if q.Sub(p).Cross(s.Sub(q)) < 0 {
			return errors.New("what is drawn round is not its own convex outline, anticlockwise")
		}
	}
	if _, ok := r.To.Inverse(); !ok || !r.To.IsFinite() {
		return errors.New("the view it was drawn on has no extent")
	}
	return nil
}

// String says where it was drawn.
func (r Round) String() string {
	low, high := r.Outline[0], r.Outline[0]
	for _, p := range r.Outline {
		for k := range 2 {
			low[k], high[k] = min(low[k], p[k]), max(high[k], p[k])
		}
	}
	return fmt.Sprintf("what is drawn round on the %s, %s by %s", r.View, figure.Length(high[0]-low[0]),
		figure.Length(high[1]-low[1]))
}

// drawnOf is what of a scene, in coordinates as Source leaves it, was drawn round.
func drawnOf(ctx context.Context, s *scene.Scene, r Round) *scene.Scene {
	var by scene.Cropping
	for i, p := range r.Outline {
		e := r.Outline[(i+1)%len(r.Outline)].Sub(p)
		n := geom.Vec3{e[1], -e[0]}.Unit() // out of it
		by.Within = append(by.Within, scene.Plane{N: n, D: n[0]*p[0] + n[1]*p[1]})
	}
	by = by.Carried(r.To)
	whole := s.Flattened()
	out := *whole
	out.Nodes, out.Meshes = nil, nil
	for i, m := range whole.Meshes {
		cut := m.Cropped(ctx, by)
		if cut.Empty() {
			continue
		}
		out.Nodes = append(out.Nodes, scene.Node{Name: whole.Nodes[i].Name, Kind: scene.KindMesh, Parent: -1,
			Mesh: len(out.Meshes), Local: geom.Identity})
		out.Meshes = append(out.Meshes, cut)
	}
	return &out
}
