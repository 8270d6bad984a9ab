// Package stand tells how a body can stand on the ground: the poses in which it
// comes to rest, how firmly it stands in a given one, how evenly it is built about
// an upright plane, and by how much it is askew.
//
// A pose is a side of the convex hull over which the middle of mass lies; its margin is how far the middle is from
// the side's nearest edge, in lengths of the scene. What is uneven is measured on a sample of the surface, spread by
// area and the same each time. Nothing is turned here: what comes out are angles and axes in the scene's basis.
// The hull is given, and bins and samples bound the rest whatever the mesh.
package stand

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Pose is a way to lie at rest.
type Pose struct {
	Down   geom.Vec3 // the direction that points down
	Share  float64   // of all throws that end so, 0 to 1
	Area   float64   // of the convex outline it rests on; square metres
	Height float64   // of the middle of mass above the ground; metres
	Margin float64   // from below the middle of mass to the nearest side of the outline
}

// Poses lists the poses a body can rest in, the likeliest first. A facet of the
// convex hull catches the throws whose downward direction falls into it, seen from
// the middle of mass; when the middle is not above the facet the body rolls on over
// the side it is farthest beyond (Wiegley, Rao and Goldberg 1992, "Computing a
// statistical distribution of stable poses for a polyhedron").
func Poses(h *geom.Hull, centre geom.Vec3) []Pose {
	facets := h.Facets()
	next := make([]int, len(facets))
	poses := make([]Pose, len(facets))
	for i, f := range facets {
		p := &poses[i]
		*p = Pose{Down: f.Normal, Area: f.Area, Share: solid(f.Ring, centre) / (4 * math.Pi)}
		p.Height = f.Ring[0].Sub(centre).Dot(f.Normal)
		margin, beyond := math.Inf(1), geom.Vec3{}
		for k, a := range f.Ring {
			b := f.Ring[(k+1)%len(f.Ring)]
			inward := f.Normal.Cross(b.Sub(a)).Unit()
			if d := centre.Sub(a).Dot(inward); d < margin {
				margin, beyond = d, inward.Mul(-1)
			}
		}
		p.Margin = margin
		next[i] = i
		if margin >= 0 {
			continue
		}
		most := -2.0
		for _, k := range f.Around {
			height := facets[k].Ring[0].Sub(centre).Dot(facets[k].Normal)
			if d := facets[k].Normal.Dot(beyond); d > most && height < p.Height {
				most, next[i] = d, k
			}
		}
	}
	// Facets joined of many leave a few that no lower one borders on.
	var resting []int
	for i, p := range poses {
		if p.Margin >= 0 {
			resting = append(resting, i)
		}
	}
	known := map[int]int{}
	settle := func(k int) int {
		best, found := known[k]
		if found {
			return best
		}
		best = k
		most := -2.0
		for _, i := range resting {
			if d := poses[i].Down.Dot(poses[k].Down); d > most {
				best, most = i, d
			}
		}
		known[k] = best
		return best
	}
	share := make([]float64, len(facets))
	for i := range facets {
		// Every roll lowers the middle of mass, so the walk ends.
		k := i
		for next[k] != k {
			k = next[k]
		}
		if poses[k].Margin < 0 {
			k = settle(k)
		}
		share[k] += poses[i].Share
	}
	var out []Pose
	for i, p := range poses {
		if p.Margin >= 0 {
			p.Share = share[i]
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Pose) int { return cmp.Compare(b.Share, a.Share) })
	return out
}

// solid is the solid angle of a convex ring seen from c (Van Oosterom and Strackee
// 1983, "The solid angle of a plane triangle").
func solid(ring []geom.Vec3, c geom.Vec3) float64 {
	sum := 0.0
	for i := 1; i+1 < len(ring); i++ {
		a, b, d := ring[0].Sub(c), ring[i].Sub(c), ring[i+1].Sub(c)
		la, lb, ld := a.Len(), b.Len(), d.Len()
		num := a.Dot(b.Cross(d))
		sum += 2 * math.Atan2(num, la*lb*ld+a.Dot(b)*ld+a.Dot(d)*lb+b.Dot(d)*la)
	}
	return math.Abs(sum)
}

// manyFaces is up to how many faces of a mesh are all looked at; of more, an even
// share stands for the rest.
const manyFaces = 150_000

// placedFaces is likewise for all nodes together.
const placedFaces = 1_500_000

// stride is how many faces are passed over between two that are looked at: 1 for all but
// the largest meshes.
func stride(m *scene.Mesh) int { return 1 + m.Faces()/manyFaces }

// Sample takes up to n places on the surface of a scene, spread over its area by an
// even stride, the same ones each time.
func Sample(s *scene.Scene, n int) []geom.Vec3 {
	worlds := s.Worlds()
	total := 0.0
	areas := make([][]float64, len(s.Nodes))
	for i, nd := range s.Nodes {
		if nd.Mesh < 0 {
			continue
		}
		m := s.Meshes[nd.Mesh]
		areas[i] = make([]float64, m.Faces())
		k := math.Pow(math.Abs(worlds[i].M.Det()), 2./3)
		step := stride(m)
		for f := 0; f < m.Faces(); f += step {
			areas[i][f] = m.FaceNormal(f).Len() * k / 2
			total += areas[i][f]
		}
	}
	if total == 0 || n == 0 {
		return nil
	}
	step := total / float64(n)
	at := step / 2
	out := make([]geom.Vec3, 0, n)
	sum := 0.0
	for i, nd := range s.Nodes {
		if nd.Mesh < 0 {
			continue
		}
		m := s.Meshes[nd.Mesh]
		for f, a := range areas[i] {
			sum += a
			for at < sum {
				// A place within the face, told by how many came before.
				c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
				k := len(out)
				u, v := frac(0.754877666*float64(k)), frac(0.569840291*float64(k)) // the R2 sequence
				if u+v > 1 {
					u, v = 1-u, 1-v
				}
				t := 1 + k%(len(c)-2)
				a, b, d := m.Points[c[0]], m.Points[c[t]], m.Points[c[t+1]]
				out = append(out, worlds[i].Apply(a.Add(b.Sub(a).Mul(u)).Add(d.Sub(a).Mul(v))))
				at += step
			}
		}
	}
	return out
}

// frac is x modulo 1.
func frac(x float64) float64 { return x - math.Floor(x) }

// Symmetry tells how evenly a body is built about a plane: the share of its places
// that have another place across the plane, on a grid of 1/24 of the extent, 0 to 1.
func Symmetry(places []geom.Vec3, at, normal geom.Vec3) float64 {
	if len(places) == 0 {
		return 0
	}
	b := geom.EmptyBox()
	for _, p := range places {
		b = b.Add(p)
	}
	cell := b.Size().Max() / 24
	if cell == 0 {
		return 1
	}
	type key [3]int16
	of := func(p geom.Vec3) (k key) {
		for i := range 3 {
			k[i] = int16(math.Floor((p[i] - b.Min[i]) / cell))
		}
		return k
	}
	has := map[key]bool{}
	for _, p := range places {
		has[of(p)] = true
	}
	n := 0
	for _, p := range places {
		k := of(p.Sub(normal.Mul(2 * p.Sub(at).Dot(normal))))
		found := has[k]
		for axis := 0; axis < 3 && !found; axis++ {
			for _, d := range []int16{-1, 1} {
				q := k
				q[axis] += d
				found = found || has[q]
			}
		}
		if found {
			n++
		}
	}
	return float64(n) / float64(len(places))
}

// Tilt is by how much a body is askew.
type Tilt struct {
	Turn  geom.Mat3 // the smallest rotation that turns it true
	Angle float64   // radians
	By    string    // what it was told by, in words
}

// Flat is the frame of the two largest directions at right angles that the flat faces of a
// body look in, and the share of the surface that lies along its three axes.
type Flat struct {
	Frame geom.Mat3
	Share float64 // 0 to 1
}

// Turned is the same after a rotation, or a rotation with a mirroring, of the body.
func (f Flat) Turned(by geom.Mat3) Flat {
	m := by.Mul(f.Frame)
	f.Frame = geom.Columns(m.Col(0), m.Col(1), m.Col(0).Cross(m.Col(1)))
	return f
}

// TiltOf finds what is askew by less than most radians: the frame of the largest
// flat faces when a third of the surface lies along three directions at right
// angles, or else the main directions of a body that is clearly longer one way. size is
// that of its box; own gives the main directions with its extents along them, the longest
// first, when they are needed.
func TiltOf(flat Flat, size geom.Vec3, own func() (frame geom.Mat3, size geom.Vec3), most float64) (Tilt, bool) {
	if flat.Share >= 0.34 {
		t := toAxes(flat.Frame)
		t.By = "its largest flat faces"
		return t, t.Angle > 1e-6 && t.Angle <= most
	}
	// Twice as long as wide and askew by no more than most, it is longer along an axis
	// as well; what is not need not be looked at closer.
	if b := size; b.Max() < 1.1*(b[0]+b[1]+b[2]-b.Max()-min(b[0], b[1], b[2])) {
		return Tilt{}, false
	}
	frame, along := own()
	if along[0] < 2*along[1] {
		return Tilt{}, false
	}
	// Only the long direction means anything.
	long := frame.Col(0)
	a := geom.AxisAlong(long)
	t := Tilt{Turn: geom.Turning(long, a.Vec()), By: "its long direction"}
	t.Angle = t.Turn.Angle()
	return t, t.Angle > 1e-6 && t.Angle <= most
}

// toAxes is the smallest rotation that carries the columns of a frame onto axes.
func toAxes(m geom.Mat3) Tilt {
	best := Tilt{Angle: math.Inf(1)}
	for _, x := range geom.Axes {
		for _, y := range geom.Axes {
			if x.Index() == y.Index() {
				continue
			}
			onto := geom.Columns(x.Vec(), y.Vec(), x.Vec().Cross(y.Vec()))
			r := onto.Mul(m.Transpose())
			if a := r.Angle(); a < best.Angle {
				best.Turn, best.Angle = r, a
			}
		}
	}
	return best
}

// FlatOf gathers the faces by direction, to a degree. When ctx ends it returns early, and
// what it returns means nothing. It is long because each step works on the bins of the one before.
func FlatOf(ctx context.Context, s *scene.Scene) Flat {
	type bin struct {
		sum  geom.Vec3
		area float64
	}
	const cell = 0.02
	bins := map[[3]int16]*bin{}
	var order [][3]int16
	total := 0.0
	placed := 0
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			placed += s.Meshes[n.Mesh].Faces() / stride(s.Meshes[n.Mesh])
		}
	}
	often := 1 + placed/placedFaces
	for i, w := range s.Worlds() {
		n := s.Nodes[i]
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		c := w.M.Cofactor()
		step := stride(m) * often
		for f := 0; f < m.Faces(); f += step {
			if f&0x7ff == 0 && ctx.Err() != nil {
				return Flat{Frame: geom.Identity3}
			}
			v := c.Apply(m.FaceNormal(f).Mul(float64(step)))
			a := v.Len()
			if a == 0 {
				continue
			}
			total += a
			u := v.Mul(1 / a)
			// Both sides of a wall count as one direction.
			k := 0
			for j := range 3 {
				if math.Abs(u[j]) > math.Abs(u[k])+1e-9 {
					k = j
				}
			}
			if u[k] < 0 {
				u, v = u.Mul(-1), v.Mul(-1)
			}
			key := [3]int16{int16(math.Round(u[0] / cell)), int16(math.Round(u[1] / cell)), int16(math.Round(u[2] / cell))}
			b := bins[key]
			if b == nil {
				b = &bin{}
				bins[key] = b
				order = append(order, key)
			}
			b.sum, b.area = b.sum.Add(v), b.area+a
		}
	}
	if total == 0 {
		return Flat{Frame: geom.Identity3}
	}
	slices.SortStableFunc(order, func(a, b [3]int16) int { return cmp.Compare(bins[b].area, bins[a].area) })
	// A rough body has its surface spread over thousands of directions; nothing of it is
	// flat, and there is no need to look closer.
	top := 0.0
	for _, k := range order[:min(len(order), 96)] {
		top += bins[k].area
	}
	if top < 0.25*total {
		return Flat{Frame: geom.Identity3}
	}
	// Neighbouring cells hold what rounding split.
	gather := func(d geom.Vec3) (geom.Vec3, float64) {
		sum, area := geom.Vec3{}, 0.0
		for _, k := range order {
			b := bins[k]
			u := b.sum.Unit()
			if c := u.Dot(d); math.Abs(c) > math.Cos(1.5*math.Pi/180) {
				sum = sum.Add(b.sum.Mul(math.Copysign(1, c)))
				area += b.area
			}
		}
		return sum.Unit(), area
	}
	if len(order) > 4096 {
		order = order[:4096]
	}
	x, ax := gather(bins[order[0]].sum.Unit())
	for _, k := range order[1:min(len(order), 64)] {
		d := bins[k].sum.Unit()
		if math.Abs(d.Dot(x)) > math.Sin(1.5*math.Pi/180) {
			continue
		}
		y, ay := gather(d)
		y = y.Sub(x.Mul(y.Dot(x))).Unit()
		m := geom.Columns(x, y, x.Cross(y))
		_, az := gather(m.Col(2))
		return Flat{m, (ax + ay + az) / total}
	}
	return Flat{Frame: geom.Identity3}
}
