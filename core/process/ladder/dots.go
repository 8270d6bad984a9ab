package ladder

import (
	"context"
	"math"
	"slices"

	"yarvek/core/cloud"
	"yarvek/core/measure/deviation"
	"yarvek/core/scene"
)

// fewestDots is how many points a cloud is not brought below.
const fewestDots = 16

// dots is one of the clouds of a scene on its way down.
type dots struct {
	mesh  int
	uses  int     // how often it stands in the scene
	scale float64 // metres of its lengths, at the largest of its uses
}

// downDots makes the climb of a scene of clouds, by cubes of growing sizes, the same in all clouds as they stand: every
// step is thinned from all the points. Its counts are of points, and it shows by how far any point is from the one that
// stands for it.
func downDots(ctx context.Context, s *scene.Scene, shares []float64, progress func(float64)) (*Climb, [][]*scene.Mesh) {
	c := &Climb{Triangles: s.Count().Dots, Held: "points are as far apart as cubes tell them"}
	list, finest := cloudsOf(s)
	if !(finest > 0) {
		return c, nil
	}
	say := func(f float64) {
		if progress != nil {
			progress(f)
		}
	}
	var steps []dotStep
	for k, d := range list {
		coarser, err := s.Meshes[d.mesh].Cloud.Coarser(ctx, finest/d.scale, mostSteps)
		if err != nil {
			c.Held = "its points are too far apart to be told by cubes"
			return c, nil
		}
		if k == 0 {
			steps = make([]dotStep, len(coarser))
		}
		for i, l := range coarser {
			steps[i].add(d, l)
		}
		say(0.5 * float64(k+1) / float64(len(list)))
	}
	for i, share := range shares {
		steps = append(steps, wantedDots(ctx, s, list, steps[:mostSteps], share*float64(c.Triangles)))
		say(0.5 + 0.5*float64(i+1)/float64(len(shares)))
	}
	slices.SortStableFunc(steps, func(a, b dotStep) int { return b.count - a.count })
	last := c.Triangles
	var meshes [][]*scene.Mesh
	for _, step := range steps {
		if step.count >= last || step.count < min(fewestDots, c.Triangles) || ctx.Err() != nil {
			continue
		}
		last = step.count
		c.Steps = append(c.Steps, Step{Triangles: step.count, Visible: step.max, Off: step.figures()})
		meshes = append(meshes, step.meshes(s, list))
	}
	if len(c.Steps) > 0 {
		c.Held = ""
	}
	return c, meshes
}

// cloudsOf lists the clouds of a scene, and half of the least that points of one lie apart by, in metres.
func cloudsOf(s *scene.Scene) (list []dots, finest float64) {
	worlds := s.Worlds()
	for i, users := range s.Users() {
		if s.Meshes[i].Cloud == nil || len(users) == 0 {
			continue
		}
		d := dots{mesh: i, uses: len(users)}
		for _, n := range users {
			d.scale = max(d.scale, stretch(worlds[n].M))
		}
		apart := d.scale * s.Meshes[i].Cloud.Spacing() / 2
		if !(apart > 0) {
			continue // all in one place
		}
		list = append(list, d)
		if finest == 0 || apart < finest {
			finest = apart
		}
	}
	return list, finest
}

// dotStep is all clouds thinned by cubes of one size.
type dotStep struct {
	edge             float64 // metres
	keep             [][]int32
	count            int
	max, sum, square float64 // of how far points are from those that stay, in metres
	of               float64 // points
}

func (x *dotStep) add(d dots, l cloud.Coarse) {
	n := float64(d.uses)
	x.edge = l.Edge * d.scale
	x.keep = append(x.keep, l.Keep)
	x.count += d.uses * len(l.Keep)
	x.max = max(x.max, d.scale*l.Max)
	x.sum += n * d.scale * l.Mean
	x.square += n * d.scale * d.scale * l.RMS * l.RMS
	x.of += n
}

func (x *dotStep) figures() deviation.Figures {
	return deviation.Figures{Max: x.max, Mean: x.sum / x.of, RMS: math.Sqrt(x.square / x.of)}
}

// meshes are those of the scene, thinned.
func (x *dotStep) meshes(s *scene.Scene, list []dots) []*scene.Mesh {
	out := slices.Clone(s.Meshes)
	for k, d := range list {
		less := *s.Meshes[d.mesh]
		less.Cloud = less.Cloud.Taken(x.keep[k])
		out[d.mesh] = &less
	}
	return out
}

// wantedDots is a step of no more than n points, as near to it as a few tries come.
func wantedDots(ctx context.Context, s *scene.Scene, list []dots, steps []dotStep, n float64) (out dotStep) {
	const tries = 8
	finer, coarser := steps[0].edge/2, steps[len(steps)-1].edge
	for _, x := range steps {
		if float64(x.count) > n {
			finer = max(finer, x.edge)
		} else {
			coarser = min(coarser, x.edge)
		}
	}
	for range tries {
		x := dotStep{}
		edge := math.Sqrt(finer * coarser)
		for _, d := range list {
			got, err := s.Meshes[d.mesh].Cloud.Coarser(ctx, edge/d.scale, 1)
			if err != nil {
				return out
			}
			x.add(d, got[0])
		}
		if float64(x.count) > n {
			finer = edge
			continue
		}
		coarser = edge
		if x.count > out.count {
			out = x
		}
	}
	return out
}
