package geom

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A fine hull holds every point to a billionth of its size, has corners of the points alone, and is
// closed, whatever lies in planes, on lines or twice.
func TestFineHullsHoldEveryPoint(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	turn := Rotation(Vec3{1, 2, 3}.Unit(), 0.4)
	sets := map[string][]Vec3{}
	for range 3000 {
		sets["ball"] = append(sets["ball"], Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit())
		sets["cloud"] = append(sets["cloud"], Vec3{r.Float64(), r.Float64(), r.Float64()})
		sets["far"] = append(sets["far"], Vec3{8000 + r.Float64(), r.Float64(), -300 + r.Float64()})
		a, b := 2*math.Pi*r.Float64(), r.Float64()
		sets["drum"] = append(sets["drum"], Vec3{math.Cos(a), math.Round(3 * b), math.Sin(a)})
		sets["nearly flat"] = append(sets["nearly flat"], turn.Apply(Vec3{r.Float64(), 1e-6 * r.Float64(), r.Float64()}))
	}
	for i := range 13 * 13 * 13 {
		p := Vec3{float64(i % 13), float64(i / 13 % 13), float64(i / 169)}
		sets["grid"] = append(sets["grid"], p, p)
		sets["turned grid"] = append(sets["turned grid"], turn.Apply(p))
	}
	for name, pts := range sets {
		h := HullWithin(context.Background(), pts, Finely)
		require.False(t, h.Flat, name)
		require.NotEmpty(t, h.Faces, name)
		box := EmptyBox()
		there := map[Vec3]bool{}
		for _, p := range pts {
			box = box.Add(p)
			there[p] = true
		}
		size := box.Size().Max()
		for _, p := range h.Points {
			near := there[p]
			for i := 0; i < len(pts) && !near; i++ {
				near = p.Dist(pts[i]) <= 1e-11*(size+p.Len())
			}
			assert.True(t, near, "%s: a corner is one of the points", name)
		}
		edges := map[[2]int32]int{}
		for _, f := range h.Faces {
			a, b, c := h.Points[f[0]], h.Points[f[1]], h.Points[f[2]]
			n := b.Sub(a).Cross(c.Sub(a))
			for k := range 3 {
				edges[[2]int32{f[k], f[(k+1)%3]}]++
			}
			if n.Len() < 1e-9*size*size { // a needle says nothing of its plane
				continue
			}
			n = n.Unit()
			most := 0.0
			for _, p := range pts {
				most = max(most, p.Sub(a).Dot(n))
			}
			assert.LessOrEqual(t, most, 1e-9*size, name)
		}
		for e, k := range edges {
			assert.Equal(t, 1, k, name)
			assert.Equal(t, 1, edges[[2]int32{e[1], e[0]}], name)
		}
	}
}

func BenchmarkFineHull(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	pts := make([]Vec3, 1_000_000)
	for i := range pts {
		d := Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit()
		pts[i] = d.Mul(0.5 + 0.06*math.Sin(5*d[0]+1)*math.Cos(4*d[1]) + 0.01*math.Sin(40*d[2])*math.Sin(37*d[0]))
	}
	for b.Loop() {
		h := HullWithin(context.Background(), pts, Finely)
		b.ReportMetric(float64(len(h.Points)), "corners")
	}
}
