package simplify

import (
	"context"
	"math"

	"yarvek/core/measure/deviation"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// SceneOptions say where to stop with all meshes of a scene; the first that is reached stops.
type SceneOptions struct {
	Ratio      float64 // of the triangles, each mesh by its share; 0 for none
	Triangles  int     // of the scene, every instance counted, likewise; 0 for none
	Deviation  float64 // metres that no point of either surface is off the other by, as far as sampled; 0 for any
	KeepPoints bool
	Detail     float64         // as of Options
	Mirrored   bool            // likewise
	Borders    bool            // likewise
	Locked     map[string]bool // slots whose faces stay as they are, by name
}

// Points that a deviation is measured by, on each surface: so many a triangle, within bounds.
const (
	samplesEach  = 500
	leastSamples = 10_000
	mostSamples  = 100_000
)

// Samples are the points by which surfaces of so many triangles are held against one another.
func Samples(triangles int) int { return min(mostSamples, max(leastSamples, samplesEach*triangles)) }

// Scene simplifies every mesh of a scene, and says why it stopped early, if it did. Instances stay
// instances. When ctx ends it returns early, and what it returns means nothing.
func Scene(ctx context.Context, s *scene.Scene, o SceneOptions) (*scene.Scene, string) {
	share := 0.0
	if o.Ratio > 0 {
		share = o.Ratio
	}
	if n := s.Count().Triangles; o.Triangles > 0 && n > 0 {
		share = max(share, float64(o.Triangles)/float64(n))
	}
	if o.Deviation <= 0 {
		return all(ctx, s, o, share, 0)
	}
	// A collapse knows how far it leaves the planes it came of, on the whole; how far the surfaces
	// are apart at worst is measured, and the limit set by it.
	limit := o.Deviation
	best, why := s, "the deviation that is allowed"
	fewest := s.Count().Triangles
	whole, samples := fewest, Samples(fewest)
	low, high := 0.0, 0.0 // a limit that was fine, and one that was not
	for range 7 {
		out, said := all(ctx, s, o, share, limit)
		if ctx.Err() != nil {
			return s, ""
		}
		is := 0.0 // where nothing went
		if out.Count().Triangles < whole {
			is = deviation.Of(ctx, s, out, samples).Worst().Max
		}
		switch {
		case is <= o.Deviation:
			if n := out.Count().Triangles; n <= fewest {
				best, fewest, why = out, n, said
			}
			if said == "" {
				return best, "" // the triangles that were asked for are reached
			}
			low = limit
			if is > 0.9*o.Deviation {
				return best, why
			}
			if high > 0 {
				limit = (low + high) / 2
			} else {
				limit *= min(4, max(1.2, o.Deviation/max(is, 1e-12)))
			}
		default:
			high = limit
			if low > 0 {
				limit = (low + high) / 2
			} else {
				limit *= max(0.1, math.Min(0.8, 0.95*o.Deviation/is))
			}
		}
	}
	return best, why
}

// all simplifies all meshes to a share of their triangles, or as far as a limit in metres allows.
func all(ctx context.Context, s *scene.Scene, o SceneOptions, share, limit float64) (*scene.Scene, string) {
	out := s.Clone()
	users, worlds := s.Users(), s.Worlds()
	whys := make([]string, len(s.Meshes))
	_ = split.Each(ctx, len(s.Meshes), func(i int) {
		m := s.Meshes[i]
		if len(users[i]) == 0 || m.Faces() == 0 {
			return
		}
		k := math.Cbrt(math.Abs(worlds[users[i][0]].M.Det()))
		if !(k > 0) {
			k = 1
		}
		opt := Options{Triangles: int(share * float64(m.Triangles())), Deviation: limit / k, KeepPoints: o.KeepPoints,
			Detail: o.Detail, Mirrored: o.Mirrored, Borders: o.Borders}
		if len(o.Locked) > 0 {
			opt.Locked = func(f int) bool {
				mat := m.Material(f)
				return mat >= 0 && o.Locked[s.Materials[mat].Name]
			}
		}
		r := Of(ctx, m, opt)
		out.Meshes[i], whys[i] = r.Mesh, r.Why
	})
	for _, w := range whys {
		if w != "" {
			return out, w
		}
	}
	return out, ""
}
