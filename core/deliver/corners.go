package deliver

import (
	"context"
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// How far a corner may be off and still be as it was sent.
var (
	normalNear = math.Cos(0.5 * math.Pi / 180)
	uvNear     = 1. / 4096 // a texel of a large texture
	colorNear  = 1. / 255
	shownNear  = 0.51 / 255 // half of a step
)

// off counts the corners that arrived otherwise, by what differs.
type off struct {
	corners                                int // compared
	normals, uvs, colors, slots            int
	stripped                               int // corners that were sent with a normal and arrived without
	faded                                  []difference
	places                                 int     // whose position is another
	apart                                  int     // parts whose faces can't be set side by side
	far2                                   float64 // the square of the largest distance between two corners
	normal0, uv0, color0, slot0, stripped0 string  // the first part of each
}

// corners compares what stands at each corner of each face: its place, normal, the UV sets
// the format holds, its colour, and the slot of its face, part by part in their order.
// What was not sent is not compared: a corner that was given a normal on the way out has
// lost nothing.
func (c *Certificate) corners(ctx context.Context, sent, got *scene.Scene, f format.Format, t target.Target) error {
	// In the frame of the file: a polygon is cut there, and cut otherwise when it is mirrored.
	if at := f.Frame(t).Basis; at != t.Basis {
		to := geom.Linear(t.Basis.To(at))
		sent, got = sent.CarriedIn(ctx, to), got.CarriedIn(ctx, to)
	}
	meshes := colored(sent)
	if sent.Shears() { // which is written as it stands, and cut as it stands
		sent = sent.Flattened()
	}
	a, b, _, ok := paired(sent, got)
	if !ok {
		return nil // Parts says so already
	}
	o := &off{}
	tol := tolerance(sent.Bounds())
	wa, wb := sent.Worlds(), got.Worlds()
	for i := range a {
		if err := ctx.Err(); err != nil {
			return err
		}
		x, y := sent.Meshes[sent.Nodes[a[i]].Mesh], got.Meshes[got.Nodes[b[i]].Mesh]
		if !f.Polygons {
			x, y = x.Triangulated(), y.Triangulated()
		}
		o.compare(ctx, placed{sent, x.MappedIn(ctx, wa[a[i]]), faceOrder(x, f.BySlot)},
			placed{got, y.MappedIn(ctx, wb[b[i]]),
				faceOrder(y, false)}, sent.Nodes[a[i]].Name, tol, f.UVSets)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	r := Row{Code: "corners", What: "Corners, one by one", Sent: figure.Count(o.corners), Arrived: figure.Count(o.corners),
		Equal: o.places+o.normals+o.stripped+o.uvs+o.colors+o.slots+o.apart == 0}
	if !r.Equal {
		r.Arrived = o.words()
	}
	c.Rows = append(c.Rows, r)
	if far := math.Sqrt(o.far2); o.apart == 0 && !math.IsNaN(far) {
		c.Apart = &far
	}
	if meshes > 0 {
		c.differences("fading", "Opacity of corner colours", meshes, "mesh", "meshes", o.faded)
	}
	return nil
}

// colored counts the meshes with colours at corners.
func colored(s *scene.Scene) (n int) {
	for _, m := range s.Meshes {
		if m.Colors.Has() {
			n++
		}
	}
	return n
}

// words says what differs.
func (o *off) words() string {
	var list []string
	say := func(n int, one, many, where string) {
		if n > 0 {
			list = append(list, fmt.Sprintf("%s, first at “%s”", figure.Plural(n, one, many), where))
		}
	}
	say(o.normals, "normal is off by more than 0.5°", "normals are off by more than 0.5°", o.normal0)
	say(o.stripped, "corner arrived without its normal", "corners arrived without their normals", o.stripped0)
	say(o.uvs, "UV coordinate is off", "UV coordinates are off", o.uv0)
	say(o.colors, "colour is off", "colours are off", o.color0)
	say(o.slots, "corner has another slot", "corners have another slot", o.slot0)
	if o.places > 0 {
		list = append(list, figure.Plural(o.places, "corner stands elsewhere", "corners stand elsewhere"))
	}
	if o.apart > 0 {
		list = append(list, figure.Plural(o.apart, "part has", "parts have")+" other faces")
	}
	return strings.Join(list, "; ")
}

// placed is a mesh where it stands, with the order its faces are compared in.
type placed struct {
	s     *scene.Scene
	m     *scene.Mesh
	order []int32
}

// faceOrder is the faces slot by slot where a format writes them so, else as they are.
func faceOrder(m *scene.Mesh, bySlot bool) []int32 {
	order := make([]int32, 0, m.Faces())
	if !bySlot || m.Slot == nil {
		for f := range m.Faces() {
			order = append(order, int32(f))
		}
		return order
	}
	start := make([]int, len(m.Slots)+1)
	for _, k := range m.Slot {
		start[k+1]++
	}
	for k := range m.Slots {
		start[k+1] += start[k]
	}
	order = order[:m.Faces()]
	for f, k := range m.Slot {
		order[start[k]] = int32(f)
		start[k]++
	}
	return order
}

// slotName is what the slot of a face is called.
func (p placed) slotName(f int32) string {
	if k := p.m.Material(int(f)); k >= 0 {
		return p.s.Materials[k].Name
	}
	return scene.NoSlot
}

// compare sets two meshes side by side. When ctx ends it returns early, and what it
// counted means nothing.
func (o *off) compare(ctx context.Context, a, b placed, name string, tol float64, sets int) {
	if len(a.order) != len(b.order) || len(a.m.Corners) != len(b.m.Corners) {
		o.apart++
		return
	}
	count := func(n *int, first *string) {
		if *n++; *n == 1 {
			*first = name
		}
	}
	uvs := min(len(a.m.UVs), len(b.m.UVs))
	uvs = min(uvs, sets)
	faded := false
	for i, fa := range a.order {
		if i&0xfff == 0 && ctx.Err() != nil {
			return
		}
		fb := b.order[i]
		sa, sb := a.m.FaceStart[fa], b.m.FaceStart[fb]
		n := a.m.FaceStart[fa+1] - sa
		if b.m.FaceStart[fb+1]-sb != n {
			o.apart++
			return
		}
		slot := a.slotName(fa) != b.slotName(fb)
		for k := range n {
			ca, cb := sa+k, sb+k
			o.corners++
			from, to := a.m.Points[a.m.Corners[ca]], b.m.Points[b.m.Corners[cb]]
			if d := to.Sub(from); !(d.Dot(d) <= o.far2) {
				o.far2 = d.Dot(d)
			}
			if !from.Near(to, 2*tol) {
				o.places++
			}
			if x, ok := normal(a.m, ca); ok {
				switch y, ok := normal(b.m, cb); {
				case !ok:
					count(&o.stripped, &o.stripped0)
				case x.Dot(y) < normalNear:
					count(&o.normals, &o.normal0)
				}
			}
			for u := range uvs {
				x, ok := value(a.m.UVs[u].Layer, ca)
				y, there := value(b.m.UVs[u].Layer, cb)
				if ok && (!there || math.Abs(x[0]-y[0]) > uvNear || math.Abs(x[1]-y[1]) > uvNear) {
					count(&o.uvs, &o.uv0)
				}
			}
			if x, ok := value(a.m.Colors, ca); ok {
				y, there := value(b.m.Colors, cb)
				if !there || otherColor(x, y) {
					count(&o.colors, &o.color0)
				}
				if there && math.Abs(float64(x[3]-y[3])) > colorNear && !faded {
					faded = true
					o.faded = append(o.faded, difference{pack.CornerFade, a.m.Name,
						fmt.Sprintf("corners of “%s” let other light through", name)})
				}
			}
			if slot {
				count(&o.slots, &o.slot0)
			}
		}
	}
}

// otherColor tells colours apart: as light, and as eight bits on a screen.
func otherColor(x, y [4]float32) bool {
	for k := range 3 {
		a, b := float64(x[k]), float64(y[k])
		if math.Abs(a-b) > colorNear && math.Abs(scene.Shown(a)-scene.Shown(b)) > shownNear {
			return true
		}
	}
	return false
}

// value is what a layer has for a corner, and whether it has anything.
func value[T any](l scene.Layer[T], c int32) (v T, ok bool) {
	if !l.Has() || l.Index[c] < 0 {
		return v, false
	}
	return l.Values[l.Index[c]], true
}

// normal is that of a corner, a unit, and whether it has one with a direction.
func normal(m *scene.Mesh, c int32) (geom.Vec3, bool) {
	v, ok := value(m.Normals, c)
	n := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
	return n.Unit(), ok && n.Len() > 0.5
}
