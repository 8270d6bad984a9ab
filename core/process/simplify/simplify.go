// Package simplify makes a mesh of fewer triangles that looks the same from afar, by collapsing
// edges in the order of what each would cost (Garland and Heckbert 1997, "Surface simplification
// using quadric error metrics"). Borders, seams of UVs, colours and normals, and borders of slots
// stay lines: they are collapsed along themselves alone, and held by planes of their own.
package simplify

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/union"
)

// Options say where to stop; the first that is reached stops.
type Options struct {
	Triangles  int     // not below so many
	Deviation  float64 // no collapse that leaves the surface by more, in the mesh's lengths; 0 for any
	KeepPoints bool    // points stay where points were, so that vertex data can be shared
	// Detail is how much normals, UVs and colours count beside the shape: 0 not at all, 1 as usual.
	Detail float64
	// Mirrored keeps halves that mirror one another across the middle of an axis mirrored.
	Mirrored bool
	// Borders holds the places of open borders. Without, a border that lies on one line or in one plane keeps
	// to it, with its ends where they are, and any other is collapsed along itself.
	Borders bool
	Locked  func(face int) bool
	// Weight is how much a face counts when edges are put in order; nil for 1 everywhere.
	Weight func(face int) float64

	sweepFrom int // of small meshes in tests, instead of the constant of that name
}

// Usual are the options of those who ask for nothing in particular.
var Usual = Options{Detail: 1}

// Result is the mesh that came out.
type Result struct {
	Mesh    *scene.Mesh
	In, Out int    // triangles
	By      Holder // what holds what is left, where it stopped before the triangles that were asked for
	Why     string // it stopped before the triangles that were asked for; "" when it did not
	// Mirrored tells that the halves were mirrored and still are; only of those who asked for it.
	Mirrored bool
}

// Of simplifies a mesh, whose polygons are cut into triangles first. Nothing is done to a mesh
// that has few enough. It takes n log n steps, and the outcome does not depend on processors. When
// ctx ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, m *scene.Mesh, o Options) Result {
	return Steps(ctx, m, o, []int{o.Triangles})[0]
}

// Steps is Of on the way down: the mesh as it is when it has no more than each of the goals, which
// descend. All of them come of one descent, each in the order of what the whole way has cost.
func Steps(ctx context.Context, m *scene.Mesh, o Options, goals []int) []Result {
	n := m.Triangles()
	out := make([]Result, len(goals))
	var w *work
	var h *hand
	for i, goal := range goals {
		if out[i] = (Result{Mesh: m, In: n, Out: n}); n <= goal || n == 0 {
			continue
		}
		if w == nil {
			if w = newWork(ctx, m, o); ctx.Err() != nil {
				return out
			}
			w.sweep(ctx, goal)
		}
		if h == nil && ctx.Err() == nil {
			h = &hand{work: w}
			h.fill(ctx)
		}
		if ctx.Err() != nil {
			return out
		}
		h.goal, h.gone = w.left-goal, 0
		h.descend(ctx)
		w.left -= h.gone
		w.held = h.held
		if ctx.Err() != nil {
			return out
		}
		if w.left > goal {
			w.specks(goal)
		}
		if i > 0 && w.left == out[i-1].Out {
			out[i] = out[i-1] // it came no farther
		} else {
			out[i] = Result{Mesh: w.mesh(), In: n, Out: w.left, Mirrored: w.mate != nil}
		}
		if w.left > goal {
			out[i].By = w.holder()
			out[i].Why = "what is left is held by " + out[i].By.Words()
		}
	}
	return out
}

// class is what a place is for collapsing.
type class uint8

const (
	free   class = iota // amid one surface
	line                // on a border or a seam that runs through
	corner              // where such lines meet or end, or that is locked
)

// quadric is the sum of squared distances to planes, weighted: a symmetric 4 by 4 matrix.
type quadric struct {
	xx, xy, xz, xw, yy, yz, yw, zz, zw, ww float64
}

// plane adds n·x + d, squared, times k.
func (q *quadric) plane(n geom.Vec3, d, k float64) {
	q.xx += k * n[0] * n[0]
	q.xy += k * n[0] * n[1]
	q.xz += k * n[0] * n[2]
	q.xw += k * n[0] * d
	q.yy += k * n[1] * n[1]
	q.yz += k * n[1] * n[2]
	q.yw += k * n[1] * d
	q.zz += k * n[2] * n[2]
	q.zw += k * n[2] * d
	q.ww += k * d * d
}

func (q *quadric) add(o *quadric) {
	q.xx += o.xx
	q.xy += o.xy
	q.xz += o.xz
	q.xw += o.xw
	q.yy += o.yy
	q.yz += o.yz
	q.yw += o.yw
	q.zz += o.zz
	q.zw += o.zw
	q.ww += o.ww
}

// at is the sum at a point.
func (q *quadric) at(p geom.Vec3) float64 {
	x, y, z := p[0], p[1], p[2]
	return q.xx*x*x + q.yy*y*y + q.zz*z*z + q.ww + 2*(q.xy*x*y+q.xz*x*z+q.yz*y*z+q.xw*x+q.yw*y+q.zw*z)
}

// least is where the sum is least; false where that is no one place.
func (q *quadric) least() (geom.Vec3, bool) {
	a := q.yy*q.zz - q.yz*q.yz
	b := q.xz*q.yz - q.xy*q.zz
	c := q.xy*q.yz - q.xz*q.yy
	det := q.xx*a + q.xy*b + q.xz*c
	scale := q.xx + q.yy + q.zz
	if !(math.Abs(det) > 1e-7*scale*scale*scale) {
		return geom.Vec3{}, false
	}
	d := q.xx*q.zz - q.xz*q.xz
	e := q.xy*q.xz - q.xx*q.yz
	f := q.xx*q.yy - q.xy*q.xy
	k := -1 / det
	return geom.Vec3{k * (a*q.xw + b*q.yw + c*q.zw), k * (b*q.xw + d*q.yw + e*q.zw), k * (c*q.xw + e*q.yw + f*q.zw)}, true
}

// work is a mesh on the way down. Corner c is that of triangle c/3. Places are numbered anew, and
// so are wedges: corners of one place that agree in all they carry.
type work struct {
	m *scene.Mesh
	o Options

	at     []geom.Vec3 // of each place, about origin
	origin geom.Vec3
	// branched tells that edges of more than two faces were parted: what hangs together how is chance in such a mesh.
	branched bool
	q        []quadric
	weight   []float64 // of each place: the area its quadric is of
	class    []class
	alive    []bool // of each place

	place  []int32 // of each corner; -1 of a triangle that is gone
	wedge  []int32 // of each corner
	next   []int32 // of each corner, the next one at its place, in a ring
	first  []int32 // of each place, a corner; -1 for none
	face   []int32 // of each triangle, that of m
	left   int
	values wedges
	// crease tells of each corner whether the edge from it to the next is a border or a seam;
	// one of both sides may say so alone.
	crease []bool

	stamp []uint32 // of each place: it changes with the place
	held  Holder

	run     []int32 // of each place, the stretch of an open border it is bound to; 0 for none, nil for none at all
	runList []run

	carried *carried // nil when what is carried does not count
	mirror
}

// entry is an edge that may be collapsed.
type entry struct {
	cost   float32
	a, b   int32
	sa, sb uint32 // stamps it was made at
}

// wedges are what corners carry, by wedge: normals, UVs of all sets, colours, one after the other.
type wedges struct {
	width  int
	data   []float64
	normal bool // the first three are a normal
	// chart is, of each wedge, the chart it is in: what hangs together without a seam. low and high bound what
	// each chart held of each value: a function that is followed beyond them means nothing there.
	chart     []int32
	low, high []float64
}

// charts finds the charts of the wedges, and what they hold.
func (w *work) charts() {
	v := &w.values
	n := len(v.data) / max(1, v.width)
	all := union.New(n)
	for t := 0; t < len(w.place); t += 3 {
		if w.place[t] >= 0 {
			all.Join(w.wedge[t], w.wedge[t+1])
			all.Join(w.wedge[t], w.wedge[t+2])
		}
	}
	v.chart = make([]int32, n)
	number := make([]int32, n) // of each root, plus one
	count := int32(0)
	for i := range n {
		r := all.Find(int32(i))
		if number[r] == 0 {
			count++
			number[r] = count
			for range v.width {
				v.low, v.high = append(v.low, math.Inf(1)), append(v.high, math.Inf(-1))
			}
		}
		v.chart[i] = number[r] - 1
		at := int(v.chart[i]) * v.width
		for k, x := range v.of(int32(i)) {
			v.low[at+k], v.high[at+k] = min(v.low[at+k], x), max(v.high[at+k], x)
		}
	}
}

// within keeps values of a wedge within what its chart held.
func (v *wedges) within(wedge int32, values []float64) {
	at := int(v.chart[wedge]) * v.width
	for k := range values {
		values[k] = min(v.high[at+k], max(v.low[at+k], values[k]))
	}
}

func (v *wedges) of(w int32) []float64 { return v.data[int(w)*v.width : (int(w)+1)*v.width] }

// lineWeight is how much more a plane along a border or a seam weighs than a face of the square
// of its length.
const lineWeight = 20
