package source

import (
	"fmt"
	"math"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/scene"
)

// Straying is what of the points hangs together with most of them, and what does not.
type Straying struct {
	Points int     // all that came
	Piece  int     // in the largest piece
	Cell   float64 // metres: the edge of the cubes that pieces are told by
}

// straying looks at the clouds of a scene.
func (r *run) straying(c *cloud.Cloud) (Straying, []bool) {
	s := Straying{Points: len(c.Points), Piece: len(c.Points), Cell: cloud.Together * c.Spacing()}
	if s.Cell == 0 {
		return s, nil
	}
	keep, err := c.Piece(r.ctx, s.Cell)
	if err != nil {
		return s, nil // too far apart to be told, or ctx ended
	}
	s.Piece = 0
	for _, k := range keep {
		if k {
			s.Piece++
		}
	}
	return s, keep
}

// points leaves of clouds what is decided, and looks at what strays.
func (r *run) points(out *scene.Scene) {
	for i, m := range out.Meshes {
		if m.Cloud == nil || r.ctx.Err() != nil {
			continue
		}
		s, keep := r.straying(m.Cloud)
		r.rep.Straying = append(r.rep.Straying, s)
		now := m.Cloud
		if r.d.Piece && keep != nil && s.Piece < s.Points {
			now = now.Only(keep)
		}
		if r.d.Thin > 0 {
			thin, err := now.Thinned(r.ctx, r.d.Thin)
			if err != nil {
				r.say(finding.Look, "source/thin", "The points were not thinned", err.Error())
			} else {
				now = thin
			}
		}
		if now != m.Cloud {
			less := *m
			less.Cloud = now
			out.Meshes[i] = &less
		}
	}
}

// leastStray is from which part of all points on those that lie apart are told.
const leastStray = 0.001

// strays says that points lie apart from the largest piece.
func (r *run) strays() {
	for _, s := range r.rep.Straying {
		apart := s.Points - s.Piece
		if r.d.Piece || float64(apart) < leastStray*float64(s.Points) {
			continue
		}
		to := r.d
		to.Piece = true
		share := figure.Significant(100*float64(apart)/float64(s.Points), 2)
		f := r.say(finding.Look, "source/stray-points", fmt.Sprintf("%s %% of the points lie apart", share),
			fmt.Sprintf("The largest piece holds %s of %s; a piece is what lies within %s of it.", figure.Count(s.Piece),
				figure.Count(s.Points), figure.Length(s.Cell)))
		f.Brief = share + " % apart"
		f.Remedies = []finding.Remedy{{Label: "Keep the largest piece",
			Effect: fmt.Sprintf("%s points go on.", figure.Count(s.Piece)), Decision: to}}
	}
}

// thinBounds are those of the cubes of which one point stays, in metres.
const (
	leastThin = 1e-6
	mostThin  = 1e6
)

func (d Decisions) validThin() error {
	if d.Thin != 0 && !(d.Thin >= leastThin && d.Thin <= mostThin) || math.IsNaN(d.Thin) {
		return fmt.Errorf("points can't be thinned to one in %g m: expected %g to %g", d.Thin, leastThin, mostThin)
	}
	return nil
}
