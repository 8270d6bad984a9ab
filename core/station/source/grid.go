package source

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// grid cuts what is wider than a step; see [scene.Scene.Gridded].
func (c *Came) grid(ctx context.Context, step float64) {
	l := c.Gridded(ctx, step)
	for _, k := range l.Whole {
		c.said = append(c.said, finding.Finding{Code: "source/grid-too-fine", Severity: finding.Look,
			Title: fmt.Sprintf("“%s” stays whole: %s", k.Name, k.Why),
			Text:  fmt.Sprintf("A grid makes up to %s pieces. Ask for a larger step.", figure.Count(scene.MostPieces))})
	}
	c.Scene, c.laid, c.hub, c.hubOf = l.Scene, l.Piece, make([]bool, len(l.Nodes)), l.Hub
}

// cure is the step of a grid that brings what is lost by 32-bit coordinates below a length: the largest of round ones
// that does; 0 where the smallest piece loses more by its own height.
func cure(size geom.Vec3, up int, accepted float64) float64 {
	wide := 0.0
	for k, v := range size {
		if k != up {
			wide = max(wide, v)
		}
	}
	for _, step := range []float64{50_000, 20_000, 10_000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10} {
		if step < wide && halfStep(math.Max(step/2, size[up])) <= accepted &&
			scene.Pieces(size, up, step) <= scene.MostPieces {
			return step
		}
	}
	return 0
}
