package cloud

import (
	"math"
	"math/rand/v2"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Sort is what points of a scan can lie on.
type Sort string

// The sorts of features.
const (
	Plane  Sort = "plane"
	Ball   Sort = "ball"
	Circle Sort = "circle" // a rim, or the section of a pipe
	Edge   Sort = "edge"   // where two planes meet
)

// Sorts lists them in words.
var Sorts = [][2]string{{string(Circle), "a circle"}, {string(Ball), "a ball"}, {string(Plane), "a plane"},
	{string(Edge), "an edge"}}

// Feature is one that was found. Lengths are the cloud's.
type Feature struct {
	Sort   Sort
	Centre geom.Vec3 // of a ball and a circle; of the points on a plane, or near an edge
	Radius float64   // of a ball and a circle
	RMS    float64   // by which the points on it are off
	Points int       // on it
}

// mostFelt bounds how many points near a place are looked at, leastFelt how many make a feature.
const (
	mostFelt  = 20_000
	leastFelt = 20
)

// felt is how far points of a feature may be off it while it is looked for, as a part of the reach.
const felt = 0.02

// FeatureAt finds what the points near a place lie on: of many tries through a few of them the one that most are on,
// fitted to these by least squares (Fischler and Bolles 1981, "Random sample consensus"; balls and circles by the
// algebraic fit of Kåsa 1976, "A circle fitting procedure"). The tries are the same each time. Points are carried by a
// map, and place and reach stand where that leads. The error is a *fault.Error where a third of the points there, or
// fewer, are on it.
func (c *Cloud) FeatureAt(sort Sort, at geom.Vec3, reach float64, by geom.Affine) (f Feature, err error) {
	near := c.near(at, reach, by)
	if len(near) < leastFelt {
		return f, fault.Input("only %s within %s of that place", figure.Plural(len(near), "point lies", "points lie"),
			figure.Length(reach)).Advise("Look farther round it, or pick another")
	}
	tol := felt * reach
	rng := rand.New(rand.NewPCG(3, 5))
	switch sort {
	case Plane:
		n, p := somePlane(rng, near, tol)
		f = planeFeature(near, n, p, tol)
	case Ball:
		f = ballFeature(rng, near, tol)
	case Circle:
		f = circleFeature(rng, near, at, tol)
	case Edge:
		f = edgeFeature(rng, near, at, tol)
	default:
		return f, fault.Input("%q is nothing that points lie on", fault.Shown(string(sort)))
	}
	f.Sort = sort
	if least := leastOn(sort, len(near)); f.Points < least {
		return f, fault.Input("the points there lie on no %s: of %d it has %d", sort, len(near), f.Points).
			Advise("Pick nearer to it, or look less far round it")
	}
	return f, nil
}

// leastOn is how many of so many points have to lie on a feature: a third, but of a rim, which most lie beside, a few.
func leastOn(sort Sort, near int) int {
	if sort == Circle {
		return 12
	}
	return (near + 2) / 3
}

// near are the points within reach of a place, at most so many.
func (c *Cloud) near(at geom.Vec3, reach float64, by geom.Affine) (list []geom.Vec3) {
	for _, p := range c.Points {
		if p = by.Apply(p); p.Dist(at) <= reach {
			list = append(list, p)
		}
	}
	if step := 1 + len(list)/mostFelt; step > 1 {
		some := list[:0]
		for i := 0; i < len(list); i += step {
			some = append(some, list[i])
		}
		list = some
	}
	return list
}

// triesOf is how many sets of points are tried.
const triesOf = 300

// looked are some of the points, which tries are judged by.
func looked(list []geom.Vec3) []geom.Vec3 {
	const most = 1500
	step := 1 + len(list)/most
	some := make([]geom.Vec3, 0, most)
	for i := 0; i < len(list); i += step {
		some = append(some, list[i])
	}
	return some
}

// on counts the points that are no farther off than tol.
func on(list []geom.Vec3, off func(geom.Vec3) float64, tol float64) (n int) {
	for _, p := range list {
		if off(p) <= tol {
			n++
		}
	}
	return n
}

// those are the points that are no farther off than tol.
func those(list []geom.Vec3, off func(geom.Vec3) float64, tol float64) (out []geom.Vec3) {
	for _, p := range list {
		if off(p) <= tol {
			out = append(out, p)
		}
	}
	return out
}

// somePlane is the plane through three of the points that most are on, by its normal and a point.
func somePlane(rng *rand.Rand, near []geom.Vec3, tol float64) (normal, at geom.Vec3) {
	some, best := looked(near), -1
	for range triesOf {
		a, b, d := near[rng.IntN(len(near))], near[rng.IntN(len(near))], near[rng.IntN(len(near))]
		n := unit(b.Sub(a).Cross(d.Sub(a)))
		if n == (geom.Vec3{}) {
			continue
		}
		if k := on(some, func(p geom.Vec3) float64 { return math.Abs(p.Sub(a).Dot(n)) }, tol); k > best {
			best, normal, at = k, n, a
		}
	}
	return normal, at
}

// planeOf is the plane of least squares through points: its normal, the middle of them, and how far they are off.
func planeOf(list []geom.Vec3) (normal, middle geom.Vec3, rms float64) {
	for _, p := range list {
		middle = middle.Add(p.Mul(1 / float64(len(list))))
	}
	var m geom.Mat3
	for _, p := range list {
		d := p.Sub(middle)
		for i := range 3 {
			for j := range 3 {
				m[i][j] += d[i] * d[j] / float64(len(list))
			}
		}
	}
	values, vectors := m.Eigen()
	least := 0
	for i := range 3 {
		if values[i] < values[least] {
			least = i
		}
	}
	return unit(vectors.Col(least)), middle, math.Sqrt(max(0, values[least]))
}

func planeFeature(near []geom.Vec3, n, p geom.Vec3, tol float64) (f Feature) {
	for range 3 {
		list := those(near, func(q geom.Vec3) float64 { return math.Abs(q.Sub(p).Dot(n)) }, tol)
		if len(list) < 3 {
			break
		}
		n, p, f.RMS = planeOf(list)
		f.Points = len(list)
	}
	f.Centre = p
	return f
}

// roundOf is the ball through points by least squares of |p|² = 2 c·p + k, which for points of one plane is the
// circle's where the plane's own direction is left out: axes are the directions that count.
func roundOf(list []geom.Vec3, axes []geom.Vec3) (centre geom.Vec3, radius float64, ok bool) {
	var middle geom.Vec3
	for _, p := range list {
		middle = middle.Add(p.Mul(1 / float64(len(list))))
	}
	n := len(axes) + 1
	a, b := square(n), [][]float64{make([]float64, n)}
	row := make([]float64, n)
	for _, p := range list {
		d := p.Sub(middle)
		v := 0.0
		for i, e := range axes {
			x := d.Dot(e)
			row[i], v = 2*x, v+x*x
		}
		row[n-1] = 1
		for i := range n {
			for j := range n {
				a[i][j] += row[i] * row[j]
			}
			b[0][i] += row[i] * v
		}
	}
	x := solved(a, b)[0]
	r2 := x[n-1]
	for i, e := range axes {
		centre, r2 = centre.Add(e.Mul(x[i])), r2+x[i]*x[i]
	}
	if !(r2 > 0) || math.IsInf(r2, 0) {
		return centre, 0, false
	}
	return centre.Add(middle), math.Sqrt(r2), true
}

func ballFeature(rng *rand.Rand, near []geom.Vec3, tol float64) (f Feature) {
	axes := []geom.Vec3{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
	some, best := looked(near), -1
	off := func(p geom.Vec3) float64 { return math.Abs(p.Dist(f.Centre) - f.Radius) }
	var found Feature
	for range triesOf {
		four := make([]geom.Vec3, 4)
		for i := range four {
			four[i] = near[rng.IntN(len(near))]
		}
		var ok bool
		if f.Centre, f.Radius, ok = roundOf(four, axes); !ok {
			continue
		}
		if k := on(some, off, tol); k > best {
			best, found = k, f
		}
	}
	f = found
	for range 3 {
		list := those(near, off, tol)
		c, r, ok := roundOf(list, axes)
		if len(list) < 4 || !ok {
			break
		}
		f.Centre, f.Radius, f.Points = c, r, len(list)
	}
	f.RMS = rmsOf(those(near, off, tol), off)
	return f
}

func rmsOf(list []geom.Vec3, off func(geom.Vec3) float64) float64 {
	sum := 0.0
	for _, p := range list {
		sum += off(p) * off(p)
	}
	return math.Sqrt(sum / float64(max(1, len(list))))
}

// circleFeature is the circle through the point nearest to the place and two others that most are on.
func circleFeature(rng *rand.Rand, near []geom.Vec3, at geom.Vec3, tol float64) (f Feature) {
	var normal geom.Vec3
	off := func(p geom.Vec3) float64 {
		d := p.Sub(f.Centre)
		h := d.Dot(normal)
		return math.Hypot(h, d.Sub(normal.Mul(h)).Len()-f.Radius)
	}
	first := near[0]
	for _, p := range near {
		if p.Dist(at) < first.Dist(at) {
			first = p
		}
	}
	some, best := looked(near), -1
	var found Feature
	var foundNormal geom.Vec3
	for range 4 * triesOf {
		three := []geom.Vec3{first, near[rng.IntN(len(near))], near[rng.IntN(len(near))]}
		if normal = unit(three[1].Sub(three[0]).Cross(three[2].Sub(three[0]))); normal == (geom.Vec3{}) {
			continue
		}
		var ok bool
		if f.Centre, f.Radius, ok = roundOf(three, across(normal)); !ok {
			continue
		}
		f.Centre = f.Centre.Add(normal.Mul(first.Sub(f.Centre).Dot(normal)))
		if k := on(some, off, tol); k > best {
			best, found, foundNormal = k, f, normal
		}
	}
	f, normal = found, foundNormal
	for range 3 {
		list := those(near, off, tol)
		if len(list) < 4 {
			break
		}
		n, middle, _ := planeOf(list)
		c, r, ok := roundOf(list, across(n))
		if !ok {
			break
		}
		normal, f.Centre, f.Radius, f.Points = n, c.Add(n.Mul(middle.Sub(c).Dot(n))), r, len(list)
	}
	f.RMS = rmsOf(those(near, off, tol), off)
	return f
}

// across are two directions square to one and to one another.
func across(n geom.Vec3) []geom.Vec3 {
	e := geom.Vec3{1, 0, 0}
	if math.Abs(n[0]) > .7 {
		e = geom.Vec3{0, 1, 0}
	}
	u := unit(n.Cross(e))
	return []geom.Vec3{u, n.Cross(u)}
}

// leastTurn is the angle, in radians, below which two planes are one.
const leastTurn = 10 * math.Pi / 180

// edgeFeature is where the two planes meet that most points are on, in the middle of the points near that line.
func edgeFeature(rng *rand.Rand, near []geom.Vec3, at geom.Vec3, tol float64) (f Feature) {
	var normals, middles [2]geom.Vec3
	rest := near
	count := 0
	for k := range 2 {
		if len(rest) < 3 {
			return Feature{}
		}
		n, p := somePlane(rng, rest, tol)
		for range 3 {
			list := those(rest, func(q geom.Vec3) float64 { return math.Abs(q.Sub(p).Dot(n)) }, tol)
			if len(list) < 3 {
				return Feature{}
			}
			var rms float64
			n, p, rms = planeOf(list)
			f.RMS = max(f.RMS, rms)
		}
		normals[k], middles[k] = n, p
		before := len(rest)
		rest = those(rest, func(q geom.Vec3) float64 { return -math.Abs(q.Sub(p).Dot(n)) }, -tol)
		count += before - len(rest)
	}
	along := normals[0].Cross(normals[1])
	if along.Len() < math.Sin(leastTurn) {
		return Feature{}
	}
	along = unit(along)
	// The point of both planes and of the one square to them through the place.
	m := geom.Mat3{normals[0], normals[1], along}
	b := geom.Vec3{normals[0].Dot(middles[0]), normals[1].Dot(middles[1]), along.Dot(at)}
	inverse, ok := geom.Linear(m).Inverse()
	if !ok {
		return Feature{}
	}
	p := inverse.Apply(b)
	lo, hi := 0.0, 0.0
	for _, q := range near {
		d := q.Sub(p)
		if t := d.Dot(along); d.Sub(along.Mul(t)).Len() <= 3*tol {
			lo, hi = min(lo, t), max(hi, t)
		}
	}
	f.Centre, f.Points = p.Add(along.Mul((lo+hi)/2)), count
	return f
}
