package round

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/process/tangent"
	"yarvek/core/scene"
)

// after is the corner that follows one in its face.
func after(m *scene.Mesh, f int, c int32) int32 {
	if c+1 < m.FaceStart[f+1] {
		return c + 1
	}
	return m.FaceStart[f]
}

// Again gives the round parts of a mesh so many sides, and tells how many parts got them and how many could not:
// those with seams of UVs, or borders of slots, where no new side begins. Each keeps its rings; points of a new ring
// stand at even angles from a seam on. What corners carry is followed along each old side. The mesh itself comes back
// where nothing changes.
func Again(ctx context.Context, m *scene.Mesh, sides int) (out *scene.Mesh, made, held int) {
	list := pieces(ctx, m)
	for i, piece := range list {
		p := Of(ctx, piece)
		if p == nil || p.Sides == sides || ctx.Err() != nil {
			continue
		}
		if to := p.with(sides); to != nil {
			list[i] = to
			made++
		} else {
			held++
		}
	}
	if made == 0 || ctx.Err() != nil {
		return m, 0, held
	}
	out = scene.Joined(m.Name, list)
	if m.Tangents.Has() {
		out.Tangents = scene.Layer[[4]float32]{}
		out = tangent.Of(ctx, out)
	}
	return out, made, held
}

// parting are the sides before which something parts: UVs, colours or slots differ across them.
func (p *Part) parting() []bool {
	m := p.mesh
	list := make([]bool, p.Sides)
	face := faces(m)
	for _, b := range p.bands {
		for s := range b.sectors {
			left := (s + p.Sides - 1) % p.Sides
			for end := range 2 {
				x, y := b.sectors[left].corner[end][1], b.sectors[s].corner[end][0]
				pole := p.rings[[2]int{b.low, b.high}[end]].radius == 0
				for _, u := range m.UVs {
					if u.Has() && !pole && !alike(valueOf(u.Layer, x), valueOf(u.Layer, y), 1e-5) {
						list[s] = true
					}
				}
				if m.Slot != nil && m.Slot[face[x]] != m.Slot[face[y]] {
					list[s] = true
				}
			}
		}
	}
	return list
}

// faces are the faces of all corners.
func faces(m *scene.Mesh) []int32 {
	list := make([]int32, len(m.Corners))
	for f := range m.Faces() {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			list[c] = int32(f)
		}
	}
	return list
}

func valueOf[T any](l scene.Layer[T], c int32) (v T) {
	if i := l.Index[c]; i >= 0 {
		v = l.Values[i]
	}
	return v
}

func alike(a, b [2]float64, tol float64) bool {
	return math.Abs(a[0]-b[0]) <= tol && math.Abs(a[1]-b[1]) <= tol
}

// maker builds the part anew.
type maker struct {
	*Part
	sides int
	start int // the old side from which new ones begin
	face  []int32
	out   *scene.Mesh
	at    []int32 // of each ring, its first point
}

// with is the part with so many sides; nil where its seams don't allow them.
func (p *Part) with(sides int) *scene.Mesh {
	w := &maker{Part: p, sides: sides, face: faces(p.mesh)}
	parting := p.parting()
	for s, is := range parting {
		if is {
			w.start = s
			break
		}
	}
	for s, is := range parting {
		if is && (s-w.start)*sides%p.Sides != 0 {
			return nil
		}
	}
	m := p.mesh
	w.out = &scene.Mesh{Name: m.Name, FaceStart: []int32{0}, Slots: m.Slots}
	if m.Slot != nil {
		w.out.Slot = []int32{}
	}
	if m.Smooth != nil {
		w.out.Smooth = []uint32{}
	}
	if m.Hard != nil {
		w.out.Hard = []bool{}
	}
	if m.Normals.Has() {
		w.out.Normals.Index = []int32{}
	}
	if m.Colors.Has() {
		w.out.Colors.Index = []int32{}
	}
	for _, u := range m.UVs {
		own := scene.UVSet{Name: u.Name}
		if u.Has() {
			own.Index = []int32{}
		}
		w.out.UVs = append(w.out.UVs, own)
	}
	for _, r := range p.rings {
		w.at = append(w.at, int32(len(w.out.Points)))
		n := sides
		if r.radius == 0 {
			n = 1
		}
		for i := range n {
			w.out.Points = append(w.out.Points, p.Middle.Add(p.Axis.Mul(r.height)).Add(w.across(w.angle(i)).Mul(r.radius)))
		}
	}
	for _, b := range p.bands {
		for i := range sides {
			w.side(b, i)
		}
	}
	for _, d := range p.caps {
		w.cap(d)
	}
	return w.out
}

// angle is that of a new side's beginning, and across the way there from the axis.
func (w *maker) angle(i int) float64 {
	return w.first + 2*math.Pi*(float64(w.start)/float64(w.Sides)+float64(i)/float64(w.sides))
}

func (w *maker) across(angle float64) geom.Vec3 {
	s, c := math.Sincos(angle)
	return w.frame[0].Mul(c).Add(w.frame[1].Mul(s))
}

// old is the old sector that a place lies in, counted in new sides, and how far along it: of one that begins a face
// what follows it, of one that ends it what comes before.
func (w *maker) old(i float64, ends bool) (sector int, along float64) {
	x := i * float64(w.Sides) / float64(w.sides)
	k := math.Floor(x + 1e-9)
	if ends {
		k = math.Ceil(x-1e-9) - 1
	}
	return (int(k) + w.start) % w.Sides, x - k
}

// corner is one of a new face.
type corner struct {
	point int32
	ring  int
	x, y  int32   // the old corners it lies between
	along float64 // from x to y
	angle float64 // where it stands about the axis
	base  float64 // where x does
}

// side adds one new side of a band.
func (w *maker) side(b band, i int) {
	var list []corner
	for end, ringAt := range [2]int{b.low, b.high} {
		pole := w.rings[ringAt].radius == 0
		for right := range 2 {
			if pole && right == 1 {
				continue
			}
			at := float64(i + right)
			if pole {
				at = float64(i) + .5
			}
			s, t := w.old(at, right == 1)
			old := b.sectors[s].corner[end]
			c := corner{point: w.at[ringAt], ring: ringAt, x: old[0], y: old[1], along: t,
				angle: w.angle(0) + 2*math.Pi*at/float64(w.sides), base: w.first + 2*math.Pi*float64(s)/float64(w.Sides)}
			if !pole {
				c.point += int32((i + right) % w.sides)
			}
			list = append(list, c)
		}
	}
	// Low left, low right, high left, high right: once round.
	if len(list) == 4 {
		list[2], list[3] = list[3], list[2]
	}
	if !b.outward {
		for l, r := 0, len(list)-1; l < r; l, r = l+1, r-1 {
			list[l], list[r] = list[r], list[l]
		}
	}
	s, _ := w.old(float64(i)+.5, false)
	w.add(list, w.face[b.sectors[s].corner[0][0]])
}

// add is a face like an old one.
func (w *maker) add(list []corner, like int32) {
	m, out := w.mesh, w.out
	for k, c := range list {
		out.Corners = append(out.Corners, c.point)
		if out.Hard != nil {
			out.Hard = append(out.Hard, w.hard(c, list[(k+1)%len(list)]))
		}
		for k, u := range m.UVs {
			if u.Has() {
				a, b := valueOf(u.Layer, c.x), valueOf(u.Layer, c.y)
				into := &out.UVs[k].Layer
				into.Index = append(into.Index, int32(len(into.Values)))
				into.Values = append(into.Values, [2]float64{a[0] + c.along*(b[0]-a[0]), a[1] + c.along*(b[1]-a[1])})
			}
		}
		if m.Colors.Has() {
			a, b := valueOf(m.Colors, c.x), valueOf(m.Colors, c.y)
			for i := range a {
				a[i] += float32(c.along) * (b[i] - a[i])
			}
			out.Colors.Index = append(out.Colors.Index, int32(len(out.Colors.Values)))
			out.Colors.Values = append(out.Colors.Values, a)
		}
	}
	out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
	if out.Slot != nil {
		out.Slot = append(out.Slot, m.Slot[like])
	}
	if out.Smooth != nil {
		out.Smooth = append(out.Smooth, m.Smooth[like])
	}
	if !m.Normals.Has() {
		return
	}
	facet := out.FaceNormal(out.Faces() - 1).Unit()
	for _, c := range list {
		n := w.normal(c)
		if n == (geom.Vec3{}) {
			n = facet
		}
		out.Normals.Index = append(out.Normals.Index, int32(len(out.Normals.Values)))
		out.Normals.Values = append(out.Normals.Values, [3]float32{float32(n[0]), float32(n[1]), float32(n[2])})
	}
}

// hard tells whether a new edge is, by the old one it stands for.
func (w *maker) hard(a, b corner) bool {
	x, y := a.x, b.x
	switch {
	case a.ring == b.ring:
		x, y = a.x, a.y
	case a.along > .5:
		x, y = a.y, b.y
	}
	f := int(w.face[x])
	return w.face[y] == w.face[x] && (w.mesh.HardAfter(f, x, y) || w.mesh.HardAfter(f, y, x))
}

// flatFrom is the share of a normal across its radius from which on a side is shaded flat.
const flatFrom = 0.02

// normal is that of a corner, turned about the axis from where the old ones stand; none where the side was flat.
func (w *maker) normal(c corner) geom.Vec3 {
	turn := 2 * math.Pi / float64(w.Sides)
	var sum [2]float64 // outward, along the axis
	for k, x := range [2]int32{c.x, c.y} {
		v := valueOf(w.mesh.Normals, x)
		n := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
		stands := c.base + float64(k)*turn
		if w.rings[c.ring].radius == 0 {
			stands = c.base + turn/2
		}
		out, round := w.across(stands), w.across(stands+math.Pi/2)
		if math.Abs(n.Dot(round)) > flatFrom {
			return geom.Vec3{}
		}
		part := 1 - c.along
		if k == 1 {
			part = c.along
		}
		sum[0], sum[1] = sum[0]+part*n.Dot(out), sum[1]+part*n.Dot(w.Axis)
	}
	return w.across(c.angle).Mul(sum[0]).Add(w.Axis.Mul(sum[1])).Unit()
}

// cap adds a face that closes a ring.
func (w *maker) cap(d disc) {
	var list []corner
	for i := range w.sides {
		s, t := w.old(float64(i), false)
		list = append(list, corner{point: w.at[d.ring] + int32(i), ring: d.ring, x: d.corner[s],
			y: d.corner[(s+1)%w.Sides], along: t, angle: w.angle(i),
			base: w.first + 2*math.Pi*float64(s)/float64(w.Sides)})
	}
	if !d.up {
		for l, r := 0, len(list)-1; l < r; l, r = l+1, r-1 {
			list[l], list[r] = list[r], list[l]
		}
	}
	w.add(list, w.face[d.corner[0]])
	from := int(w.out.FaceStart[w.out.Faces()-1])
	for k, u := range w.mesh.UVs {
		if flat, ok := w.laid(u, d); u.Has() && ok {
			into := &w.out.UVs[k].Layer
			for i := range list {
				into.Values[into.Index[from+i]] = flat(list[i].angle)
			}
		}
	}
}

// laid gives UVs by the angle, where those of a disc lie as its points do, moved, turned, scaled or slanted.
func (w *maker) laid(u scene.UVSet, d disc) (at func(angle float64) [2]float64, ok bool) {
	if !u.Has() {
		return nil, false
	}
	// Over even angles about a middle, what is linear in the place is a sine wave: its first Fourier terms are it.
	var middle, cos, sin [2]float64
	n := float64(w.Sides)
	for s, c := range d.corner {
		v := valueOf(u.Layer, c)
		y, x := math.Sincos(2 * math.Pi * float64(s) / n)
		for k := range v {
			middle[k], cos[k], sin[k] = middle[k]+v[k]/n, cos[k]+2*v[k]*x/n, sin[k]+2*v[k]*y/n
		}
	}
	at = func(angle float64) (v [2]float64) {
		y, x := math.Sincos(angle - w.first)
		for k := range v {
			v[k] = middle[k] + cos[k]*x + sin[k]*y
		}
		return v
	}
	for s, c := range d.corner {
		if !alike(valueOf(u.Layer, c), at(w.first+2*math.Pi*float64(s)/n), 1e-4) {
			return nil, false
		}
	}
	return at, true
}
