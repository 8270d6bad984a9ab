package shapetest

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Boulder is a bumpy closed ball of about a metre and 4·rings·(rings−1) triangles, for
// benchmarks and for whatever wants a body without a flat side.
func Boulder(rings int) *scene.Mesh {
	sides := 2 * rings
	m := &scene.Mesh{Name: "boulder", Slots: []int{-1}, FaceStart: []int32{0}}
	at := func(i, k int) geom.Vec3 {
		t, p := math.Pi*float64(i)/float64(rings), 2*math.Pi*float64(k)/float64(sides)
		d := geom.Vec3{math.Sin(t) * math.Sin(p), math.Cos(t), math.Sin(t) * math.Cos(p)}
		r := 0.5 + 0.06*math.Sin(5*d[0]+1)*math.Cos(4*d[1]) + 0.01*math.Sin(40*d[2])*math.Sin(37*d[0])
		return d.Mul(r)
	}
	m.Points = append(m.Points, at(0, 0))
	for i := 1; i < rings; i++ {
		for k := range sides {
			m.Points = append(m.Points, at(i, k))
		}
	}
	m.Points = append(m.Points, at(rings, 0))
	last := int32(len(m.Points) - 1)
	p := func(i, k int) int32 {
		switch i {
		case 0:
			return 0
		case rings:
			return last
		}
		return int32(1 + (i-1)*sides + k%sides)
	}
	tri := func(a, b, c int32) {
		m.Corners = append(m.Corners, a, b, c)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	for i := range rings {
		for k := range sides {
			if i > 0 {
				tri(p(i, k), p(i+1, k), p(i, k+1))
			}
			if i < rings-1 {
				tri(p(i, k+1), p(i+1, k), p(i+1, k+1))
			}
		}
	}
	return m
}
