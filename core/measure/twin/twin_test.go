package twin

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// post has no symmetry at all.
func post() *scene.Mesh {
	return new(shape.Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{.3, 2, .2}).Box(geom.Vec3{.3, 1, 0},
		geom.Vec3{.8, 1.1, .1}).
		Slot(1).Box(geom.Vec3{0, .2, .2}, geom.Vec3{.1, .5, .7}).Mesh("post")
}

// shuffled lists points and faces in another order.
func shuffled(m *scene.Mesh, seed uint64) *scene.Mesh {
	r := rand.New(rand.NewPCG(seed, 0))
	out := *m
	to := r.Perm(len(m.Points))
	out.Points = make([]geom.Vec3, len(m.Points))
	for i, k := range to {
		out.Points[k] = m.Points[i]
	}
	moved := *m
	moved.Corners = make([]int32, len(m.Corners))
	for i, p := range m.Corners {
		moved.Corners[i] = int32(to[p])
	}
	moved.Points = out.Points
	// Faces in another order, by cutting each off and joining them again.
	n := moved.Faces()
	part := make([]int32, n)
	for i, k := range r.Perm(n) {
		part[i] = int32(k)
	}
	return scene.Joined(m.Name, moved.Cut(part, n))
}

func TestTwinsAreFound(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	turned := geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}, 2), T: geom.Vec3{30, -2, 8}}
	mirrored := turned
	mirrored.M = mirrored.M.Mul(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}})
	for name, m := range map[string]*scene.Mesh{"post": post(),
		"sheet": new(shape.Builder).Prism([][2]float64{{0, 0}, {2, 0}, {2, 1},
			{1, 3}}, 0, 0.002).Mesh("plate"), "boulder": shapetest.Boulder(9)} {
		for how, a := range map[string]geom.Affine{"turned": turned, "mirrored": mirrored} {
			for order, q := range map[string]*scene.Mesh{"in order": m.Mapped(a), "shuffled": shuffled(m, 9).Mapped(a)} {
				m := m
				if order == "shuffled" {
					// Splitting gives each face its own points; the first must be alike.
					m = shuffled(m, 2)
				}
				noisy := *q
				noisy.Points = append([]geom.Vec3(nil), q.Points...)
				for i, p := range q.Points {
					noisy.Points[i] = p.Add(geom.Vec3{1e-6, 0, 0}.Mul(r.Float64()))
				}
				if order == "shuffled" {
					noisy = *q
				}
				got := Find(context.Background(), []*scene.Mesh{m, &noisy}, 1e-5)
				require.Len(t, got, 1, "%s %s %s", name, how, order)
				g := got[0]
				assert.Equal(t, [2]int{1, 0}, [2]int{g.Mesh, g.First})
				back := m.Mapped(g.Map)
				b, c := geom.EmptyBox(), geom.EmptyBox()
				for i := range back.Points {
					b, c = b.Add(back.Points[i]), c.Add(q.Points[i])
				}
				assert.True(t, b.Min.Near(c.Min, 1e-5) && b.Max.Near(c.Max, 1e-5))
				if name == "post" {
					assert.Equal(t, a.Mirrors(), g.Map.Mirrors(), "a chiral mesh tells which")
				}
			}
		}
	}
}

func TestWhatDiffersIsNoTwin(t *testing.T) {
	m := post()
	other := func(change func(c *scene.Mesh)) *scene.Mesh {
		c := *m
		c.Points = append([]geom.Vec3(nil), m.Points...)
		c.Slots = append([]int(nil), m.Slots...)
		change(&c)
		return &c
	}
	for name, c := range map[string]*scene.Mesh{
		"a point moved": other(func(c *scene.Mesh) { c.Points[9][1] += .01 }),
		"scaled":        m.Mapped(geom.Linear(geom.Identity3.Scaled(1.01))),
		"another slot":  other(func(c *scene.Mesh) { c.Slots[1] = 3 }),
		"other UVs": other(func(c *scene.Mesh) {
			u := c.UVs[0]
			u.Values = append([][2]float64(nil), u.Values...)
			u.Values[3][0] += .1
			c.UVs = []scene.UVSet{u}
		}),
		"no normals": other(func(c *scene.Mesh) { c.Normals = scene.Layer[[3]float32]{} }),
	} {
		assert.Empty(t, Find(context.Background(), []*scene.Mesh{m, c}, 1e-4), name)
	}
	assert.Empty(t, Find(context.Background(), []*scene.Mesh{{}, {}}, 1e-4), "nothing equals nothing")
}

func BenchmarkTwoThousandNodes(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 7))
	var list []*scene.Mesh
	tris := 0
	for i := range 2000 {
		m := shapetest.Boulder(11)
		if i%2 == 0 { // a thousand of them differ from all others
			for k := range m.Points {
				m.Points[k] = m.Points[k].Mul(1 + 0.0001*float64(i) + 0.01*r.Float64())
			}
		}
		if i%4 == 1 {
			m = shuffled(m, uint64(i))
		}
		a := geom.Affine{M: geom.Rotation(geom.Vec3{r.NormFloat64(), 1, r.NormFloat64()}, r.Float64()*6),
			T: geom.Vec3{r.Float64() * 100, 0, r.Float64() * 100}}
		m = m.Mapped(a)
		tris += m.Triangles()
		list = append(list, m)
	}
	n := 0
	var took time.Duration
	for b.Loop() {
		t := time.Now()
		n = len(Find(context.Background(), list, 1e-4))
		took = time.Since(t)
	}
	b.Logf("2000 meshes, %d triangles: %d twins in %v", tris, n, took)
}

// Meshes that are alike but for one thing are no twins: slots, UVs, smoothing, hardness, colours.
func TestOneThingOtherIsNoTwin(t *testing.T) {
	ctx := context.Background()
	of := func() *scene.Mesh {
		m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Slot(1).Box(geom.Vec3{2, 0, 0},
			geom.Vec3{3, 1, 1}).Mesh("m")
		m.Smooth = make([]uint32, m.Faces())
		return m
	}
	require.Len(t, Find(ctx, []*scene.Mesh{of(), of()}, 1e-6), 1)
	for name, change := range map[string]func(m *scene.Mesh){
		"the slots":     func(m *scene.Mesh) { m.Slots = []int{2, 1} },
		"slots swapped": func(m *scene.Mesh) { m.Slots = []int{1, 0} },
		"a face's slot": func(m *scene.Mesh) { m.Slot[0] = 1 },
		"no UVs":        func(m *scene.Mesh) { m.UVs = nil },
		"a UV":          func(m *scene.Mesh) { m.UVs[0].Values[0][0] += .01 },
		"smoothing":     func(m *scene.Mesh) { m.Smooth[0] = 1 },
		"no smoothing":  func(m *scene.Mesh) { m.Smooth = nil },
		"a point":       func(m *scene.Mesh) { m.Points[0] = m.Points[0].Add(geom.Vec3{1e-3, 0, 0}) },
		"a face turned": func(m *scene.Mesh) { c := m.Corners[m.FaceStart[0]:m.FaceStart[1]]; c[1], c[3] = c[3], c[1] },
		"a face less": func(m *scene.Mesh) {
			m.FaceStart = m.FaceStart[:len(m.FaceStart)-1]
			m.Corners = m.Corners[:m.FaceStart[len(m.FaceStart)-1]]
			m.Slot = m.Slot[:m.Faces()]
			m.Smooth = m.Smooth[:m.Faces()]
		},
		"larger by a tenth": func(m *scene.Mesh) { *m = *m.Mapped(geom.Linear(geom.Identity3.Scaled(1.1))) },
	} {
		other := of()
		change(other)
		assert.Empty(t, Find(ctx, []*scene.Mesh{of(), other}, 1e-6), name)
	}
}

// The tolerances of textures and colours are what they are said to be; a corner without a place on the texture is
// like none that has one.
func TestHowMuchOtherIsStillTheSame(t *testing.T) {
	plain := func() *scene.Mesh { return new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box") }
	for what, c := range map[string]struct {
		change func(m *scene.Mesh)
		twin   bool
	}{
		"a texture by 0.9e-5":       {func(m *scene.Mesh) { m.UVs[0].Values[0][1] += 0.9e-5 }, true},
		"a texture by 1.5e-5":       {func(m *scene.Mesh) { m.UVs[0].Values[0][0] += 1.5e-5 }, false},
		"a corner without a place":  {func(m *scene.Mesh) { m.UVs[0].Index[3] = -1 }, false},
		"a colour by 0.0009":        {func(m *scene.Mesh) { colour(m, 0.0009) }, true},
		"a colour by 0.0015":        {func(m *scene.Mesh) { colour(m, 0.0015) }, false},
		"a normal by half a degree": {func(m *scene.Mesh) { tilt(m, 0.5) }, true},
		"a normal by two degrees":   {func(m *scene.Mesh) { tilt(m, 2) }, false},
	} {
		a, b := plain(), plain()
		c.change(b)
		if b.Normals.Has() {
			tilt(a, 0)
		}
		if b.Colors.Has() {
			colour(a, 0)
		}
		if c.twin {
			assert.NotEmpty(t, Find(context.Background(), []*scene.Mesh{a, b}, 1e-6), what)
		} else {
			assert.Empty(t, Find(context.Background(), []*scene.Mesh{a, b}, 1e-6), what)
			assert.Empty(t, Find(context.Background(), []*scene.Mesh{b, a}, 1e-6), what)
		}
	}
}

// colour gives a mesh a grey, a little beside.
func colour(m *scene.Mesh, by float32) {
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{.5, .5 + by, .5, 1}}, Index: make([]int32, len(m.Corners))}
}

// tilt gives a mesh the normals of its faces, each by some degrees beside.
func tilt(m *scene.Mesh, degrees float64) {
	m.Normals = scene.Layer[[3]float32]{}
	for f := range m.Faces() {
		n := m.FaceNormal(f).Unit()
		n = n.Mul(math.Cos(degrees * math.Pi / 180)).Add(n.Across().Unit().Mul(math.Sin(degrees * math.Pi / 180)))
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			m.Normals.Index = append(m.Normals.Index, int32(f))
		}
		m.Normals.Values = append(m.Normals.Values, [3]float32{float32(n[0]), float32(n[1]), float32(n[2])})
	}
}
