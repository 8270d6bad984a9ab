// Package ladder makes coarser meshes of an asset, and finds from how far away each may take the
// place of the one before without anybody seeing it.
package ladder

import (
	"context"
	"math"

	"yarvek/core/cost"
	"yarvek/core/deviation"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/simplify"
	"yarvek/core/split"
)

// View is how a receiver looks at things.
type View struct {
	Lines int     // of its screen
	Angle float64 // it sees upright; degrees
}

// PixelsAt is how many pixels a metre has on the screen, seen from a distance in metres.
func (v View) PixelsAt(distance float64) float64 {
	return float64(v.Lines) / (2 * distance * math.Tan(v.Angle*math.Pi/360))
}

// DistanceOf is from how far a length in metres is so many pixels long.
func (v View) DistanceOf(length, pixels float64) float64 {
	return length * float64(v.Lines) / (2 * pixels * math.Tan(v.Angle*math.Pi/360))
}

// Options say what ladder is wanted.
type Options struct {
	Levels int     // besides the first
	Pixels float64 // by which a level may show where it takes over
	Share  float64 // of the triangles of the level before; 0 for half
	View   View
}

// Level is one mesh of a ladder.
type Level struct {
	Scene      *scene.Scene
	Cost       cost.Cost
	Share      float64           // of the triangles of the level before, 1 of the first
	Deviation  deviation.Between // from the first
	From       float64           // metres from which on it stands for the asset; 0 of the first
	Pixels     float64           // that its largest deviation is there
	Silhouette float64           // pixels that outlines are apart there, the worst of many directions
	Screen     float64           // share of the screen's height that the asset has there
}

// samples are the points that deviations are measured by, on each surface.
const samples = 60_000

// Of makes a ladder. The first level is the scene itself. A level takes over from where its
// largest deviation, which bounds that of its outline from any side, is as wide as the pixels
// allowed; one that would not be of fewer triangles than nine tenths of the one before ends it.
// When ctx ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, s *scene.Scene, o Options) []Level {
	if o.Share <= 0 || o.Share >= 1 {
		o.Share = 0.5
	}
	size := s.Bounds().Size()
	list := []Level{{Scene: s, Cost: costOf(ctx, s), Share: 1}}
	share := 1.0
	for range o.Levels {
		share *= o.Share
		less, _ := simplify.Scene(ctx, s, simplify.SceneOptions{Ratio: share})
		if ctx.Err() != nil {
			return list
		}
		before := list[len(list)-1]
		l := Level{Scene: less, Cost: costOf(ctx, less)}
		if l.Cost.Triangles == 0 || float64(l.Cost.Triangles) > 0.9*float64(before.Cost.Triangles) {
			return list
		}
		l.Share = float64(l.Cost.Triangles) / float64(before.Cost.Triangles)
		l.Deviation = deviation.Of(ctx, s, less, samples)
		worst := l.Deviation.Worst().Max
		// Beyond the one before in any case, if only by a hair: what takes nobody's place is of no use.
		l.From = max(o.View.DistanceOf(worst, o.Pixels), before.From*1.05, 0.01)
		l.Pixels = worst * o.View.PixelsAt(l.From)
		// Outlines are never farther apart than the surfaces; the cells of a raster may be coarser.
		l.Silhouette = min(l.Pixels, Silhouettes(ctx, s, less, o.View.PixelsAt(l.From)))
		l.Screen = min(1, size.Max()*o.View.PixelsAt(l.From)/float64(o.View.Lines))
		list = append(list, l)
	}
	return list
}

func costOf(ctx context.Context, s *scene.Scene) cost.Cost {
	var sum cost.Cost
	for i, users := range s.Users() {
		if len(users) > 0 && s.Meshes[i].Faces() > 0 {
			c := cost.Of(ctx, s.Meshes[i])
			for range users {
				sum = sum.Add(c)
			}
		}
	}
	return sum
}

// directions are those that outlines are looked at from: to the faces, edges and corners of a cube,
// one of each pair that look at one another.
var directions = func() []geom.Vec3 {
	var list []geom.Vec3
	for x := -1; x <= 1; x++ {
		for y := -1; y <= 1; y++ {
			for z := -1; z <= 1; z++ {
				if x > 0 || x == 0 && (y > 0 || y == 0 && z > 0) {
					list = append(list, geom.Vec3{float64(x), float64(y), float64(z)}.Unit())
				}
			}
		}
	}
	return list
}()

// Of the raster that outlines are compared on: cells a pixel, and at most so many a side.
const (
	finer   = 4
	mostRow = 1536
)

// Silhouettes is how far the outlines of two scenes are apart, in pixels of which there are so many
// to a metre, the worst of thirteen directions: the farthest that a place covered by one alone is
// from what the other covers. It is told to a quarter of a pixel, or as finely as 1 536 cells across
// the asset allow.
func Silhouettes(ctx context.Context, a, b *scene.Scene, perMetre float64) float64 {
	x, y := flat(a), flat(b)
	box := a.Bounds().Union(b.Bounds())
	if box.IsEmpty() {
		return 0
	}
	reach := box.Size().Len()
	k := min(finer*perMetre, (mostRow-4)/max(reach, 1e-12)) // cells a metre
	worst := make([]float64, len(directions))
	_ = split.Each(ctx, len(directions), func(i int) {
		u := directions[i].Across()
		v := directions[i].Cross(u)
		n := int(reach*k) + 4
		p, q := x.mask(u, v, box.Center(), k, n), y.mask(u, v, box.Center(), k, n)
		worst[i] = max(beyond(p, q, n), beyond(q, p, n))
	})
	most := 0.0
	for _, w := range worst {
		most = max(most, w)
	}
	return most / k * perMetre
}

// soup is triangles where they stand.
type soup struct {
	pts  []geom.Vec3
	tris []int32
}

func flat(s *scene.Scene) soup {
	var x soup
	for _, m := range s.Flattened().Meshes {
		base := int32(len(x.pts))
		x.pts = append(x.pts, m.Points...)
		m.EachTriangle(func(_ int, a, b, c int32) {
			x.tris = append(x.tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		})
	}
	return x
}

// mask is which cells of a raster of n by n the triangles cover, seen across u and v.
func (x soup) mask(u, v, centre geom.Vec3, k float64, n int) []bool {
	out := make([]bool, n*n)
	half := float64(n) / 2
	flat := make([][2]float64, len(x.pts))
	for i, p := range x.pts {
		d := p.Sub(centre)
		flat[i] = [2]float64{d.Dot(u)*k + half, d.Dot(v)*k + half}
	}
	for t := 0; t < len(x.tris); t += 3 {
		a, b, c := flat[x.tris[t]], flat[x.tris[t+1]], flat[x.tris[t+2]]
		low, high := min(a[1], b[1], c[1]), max(a[1], b[1], c[1])
		for row := max(0, int(math.Ceil(low-0.5))); row <= min(n-1, int(math.Floor(high-0.5))); row++ {
			y := float64(row) + 0.5
			l, r := math.Inf(1), math.Inf(-1)
			for _, e := range [3][2][2]float64{{a, b}, {b, c}, {c, a}} {
				p, q := e[0], e[1]
				if p[1] > q[1] {
					p, q = q, p
				}
				if p[1] <= y && y < q[1] {
					at := p[0] + (q[0]-p[0])*(y-p[1])/(q[1]-p[1])
					l, r = min(l, at), max(r, at)
				}
			}
			if !(r > l) {
				continue
			}
			for col := max(0, int(math.Ceil(l-0.5))); col <= min(n-1, int(math.Ceil(r-0.5))-1); col++ {
				out[row*n+col] = true
			}
		}
	}
	return out
}

// beyond is the farthest, in cells, that a cell of p is from one of q.
func beyond(p, q []bool, n int) float64 {
	alone, any := false, false
	for i := range p {
		alone = alone || p[i] && !q[i]
		any = any || q[i]
	}
	if !alone || !any {
		return 0
	}
	// Squared distances to q, along columns and then along rows (Felzenszwalb and Huttenlocher
	// 2012, "Distance transforms of sampled functions").
	far := float64(4 * n * n)
	d := make([]float64, n*n)
	line, out := make([]float64, n), make([]float64, n)
	at, edge := make([]int, n), make([]float64, n+1)
	for c := range n {
		for r := range n {
			if line[r] = far; q[r*n+c] {
				line[r] = 0
			}
		}
		lower(line, out, at, edge)
		for r := range n {
			d[r*n+c] = out[r]
		}
	}
	worst := 0.0
	for r := range n {
		copy(line, d[r*n:(r+1)*n])
		lower(line, out, at, edge)
		for c := range n {
			if p[r*n+c] {
				worst = max(worst, out[c])
			}
		}
	}
	return math.Sqrt(worst)
}

// lower is the lower envelope of parabolas that stand at f.
func lower(f, out []float64, at []int, edge []float64) {
	k := 0
	at[0], edge[0], edge[1] = 0, math.Inf(-1), math.Inf(1)
	for q := 1; q < len(f); q++ {
		cross := func() float64 {
			v := at[k]
			return (f[q] + float64(q*q) - f[v] - float64(v*v)) / float64(2*(q-v))
		}
		s := cross()
		for s <= edge[k] {
			k--
			s = cross()
		}
		k++
		at[k], edge[k], edge[k+1] = q, s, math.Inf(1)
	}
	k = 0
	for q := range f {
		for edge[k+1] < float64(q) {
			k++
		}
		v := at[k]
		out[q] = float64((q-v)*(q-v)) + f[v]
	}
}
