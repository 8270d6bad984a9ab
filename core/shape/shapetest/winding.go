package shapetest

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// swept is a closed surface of rings that follow one another, each of as many points: a tube where they go round, and
// with caps of fans at both ends where it does not.
func swept(name string, rings [][]geom.Vec3, round bool) *scene.Mesh {
	m := &scene.Mesh{Name: name, Slots: []int{-1}, FaceStart: []int32{0}}
	n := len(rings[0])
	for _, r := range rings {
		m.Points = append(m.Points, r...)
	}
	face := func(list ...int) {
		for _, p := range list {
			m.Corners = append(m.Corners, int32(p))
		}
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	last := len(rings)
	if !round {
		last--
	}
	for i := range last {
		for k := range n {
			a, b := i*n, (i+1)%len(rings)*n
			face(b+k, b+(k+1)%n, a+(k+1)%n, a+k)
		}
	}
	if !round {
		first, end := make([]int, n), make([]int, n)
		for k := range n {
			first[k], end[k] = k, (len(rings)-1)*n+n-1-k
		}
		face(first...)
		face(end...)
	}
	return m
}

// SpiralStair is a post and steps round it, each a wedge of its own: as many bodies as steps and one more.
func SpiralStair(steps int) []*scene.Mesh {
	wedge := func(name string, from, to, inner, outer, low, high float64, cuts int) *scene.Mesh {
		var rings [][]geom.Vec3
		for i := range cuts + 1 {
			a := from + (to-from)*float64(i)/float64(cuts)
			s, c := math.Sincos(a)
			at := func(r, y float64) geom.Vec3 { return geom.Vec3{r * c, y, -r * s} }
			rings = append(rings, []geom.Vec3{at(inner, low), at(outer, low), at(outer, high), at(inner, high)})
		}
		return swept(name, rings, false)
	}
	list := []*scene.Mesh{Pillar(.12, 3.4, 16)}
	for i := range steps {
		a := 2 * math.Pi * 1.25 * float64(i) / float64(steps)
		list = append(list, wedge("step", a, a+.46, .115, 1, .2*float64(i)+.12, .2*float64(i)+.2, 4))
	}
	return list
}

// Pillar stands on the ground.
func Pillar(radius, height float64, sides int) *scene.Mesh {
	var rings [][]geom.Vec3
	for _, y := range []float64{height, 0} {
		var ring []geom.Vec3
		for k := range sides {
			s, c := math.Sincos(2 * math.Pi * float64(k) / float64(sides))
			ring = append(ring, geom.Vec3{radius * c, y, -radius * s})
		}
		rings = append(rings, ring)
	}
	return swept("pillar", rings, false)
}

// Tower is a round wall with two doors that face one another, as walls between and lintels above them: four bodies.
func Tower(inner, outer, height, door float64, cuts int) []*scene.Mesh {
	half := math.Asin(door / 2 / inner)
	arc := func(name string, from, to, low, high float64, n int) *scene.Mesh {
		var rings [][]geom.Vec3
		for i := range n + 1 {
			s, c := math.Sincos(from + (to-from)*float64(i)/float64(n))
			at := func(r, y float64) geom.Vec3 { return geom.Vec3{r * c, y, -r * s} }
			rings = append(rings, []geom.Vec3{at(inner, low), at(outer, low), at(outer, high), at(inner, high)})
		}
		return swept(name, rings, false)
	}
	return []*scene.Mesh{arc("wall", half, math.Pi-half, 0, height, cuts), arc("wall", math.Pi+half, 2*math.Pi-half, 0,
		height, cuts), arc("lintel", -half, half, 2.1, height, 4), arc("lintel", math.Pi-half, math.Pi+half, 2.1, height, 4)}
}

// TunnelBend is a quarter of a pipe's bend, open at both ends: the radius of its middle line, of its inside and of its
// outside.
func TunnelBend(bend, inner, outer float64, along, around int) *scene.Mesh {
	m := &scene.Mesh{Name: "tunnel bend", Slots: []int{-1}, FaceStart: []int32{0}}
	at := func(i, k int, r float64) geom.Vec3 {
		s, c := math.Sincos(math.Pi / 2 * float64(i) / float64(along))
		t, u := math.Sincos(2 * math.Pi * float64(k) / float64(around))
		d := bend + r*u
		return geom.Vec3{d * c, r * t, -d * s}
	}
	for _, r := range []float64{outer, inner} {
		for i := range along + 1 {
			for k := range around {
				m.Points = append(m.Points, at(i, k, r))
			}
		}
	}
	p := func(side, i, k int) int32 { return int32((side*(along+1)+i)*around + k%around) }
	quad := func(a, b, c, d int32) {
		m.Corners = append(m.Corners, a, b, c, d)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	for k := range around {
		for i := range along {
			quad(p(0, i+1, k), p(0, i+1, k+1), p(0, i, k+1), p(0, i, k))
			quad(p(1, i, k), p(1, i, k+1), p(1, i+1, k+1), p(1, i+1, k))
		}
		quad(p(0, 0, k), p(0, 0, k+1), p(1, 0, k+1), p(1, 0, k))
		quad(p(0, along, k+1), p(0, along, k), p(1, along, k), p(1, along, k+1))
	}
	return m
}

// Spring is a wire of so many turns about the upright axis.
func Spring(radius, wire, pitch, turns float64, along, around int) *scene.Mesh {
	var rings [][]geom.Vec3
	at := func(t float64) geom.Vec3 {
		s, c := math.Sincos(t)
		return geom.Vec3{radius * c, pitch * t / (2 * math.Pi), -radius * s}
	}
	for i := range along + 1 {
		t := 2 * math.Pi * turns * float64(i) / float64(along)
		ahead := at(t + 1e-4).Sub(at(t - 1e-4)).Unit()
		s, c := math.Sincos(t)
		out := geom.Vec3{c, 0, -s}
		up := ahead.Cross(out).Mul(-1)
		var ring []geom.Vec3
		for k := range around {
			a, b := math.Sincos(2 * math.Pi * float64(k) / float64(around))
			ring = append(ring, at(t).Add(out.Mul(wire*b)).Add(up.Mul(wire*a)))
		}
		rings = append(rings, ring)
	}
	return swept("spring", rings, false)
}
