package budget

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/measure/flaw"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target/class"
)

var ctx = context.Background()

// seen looks at every mesh of a scene.
func seen(s *scene.Scene, pixel float64) *Seen {
	meshes := make([]*MeshCost, len(s.Meshes))
	for i, m := range s.Meshes {
		meshes[i] = LookAt(ctx, m)
	}
	return Gathered(s, meshes, pixel)
}

func looked(s *scene.Scene, c class.Class) *Report {
	return Run(ctx, seen(s, Pixel(c, 1080, 50)), Decisions{}, Ask{Class: c, Onto: geom.Identity, Scale: 1})
}

func TestABoxIsWhatIsWorkedOutByHand(t *testing.T) {
	b := (&shape.Builder{}).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	c := cost.Of(ctx, b)
	assert.Equal(t, cost.Cost{Triangles: 12, Quads: 6, Points: 8, Vertices: 24, Splits: cost.Splits{Normals: 16},
		DrawCalls: 1, Misses: 24,
		Bytes: cost.Bytes{Vertices: 24 * (12 + 12 + 8), Indices: 72}}, c)
	// Of one smooth group its points are split by UVs alone.
	for f := range b.Smooth {
		b.Smooth[f] = 1
	}
	b.Normals = b.SmoothNormals()
	c = cost.Of(ctx, b)
	assert.Zero(t, c.Splits.Normals)
	assert.Equal(t, c.Vertices-8, c.Splits.UVs)
	// Two slots meet at six points at most; what meets is split.
	b.UVs = nil
	b.Slots, b.Slot = []int{0, 1}, []int32{0, 0, 0, 0, 0, 1}
	c = cost.Of(ctx, b)
	assert.Equal(t, cost.Splits{Slots: 4}, c.Splits)
	assert.Equal(t, 2, c.DrawCalls)
}

func TestInstancesCostTrianglesEachAndMemoryOnce(t *testing.T) {
	s := shape.Scene("two", nil, (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
	one := seen(s, 0).Cost
	s.Nodes = append(s.Nodes, scene.Node{Name: "again", Kind: scene.KindMesh, Parent: -1, Mesh: 0,
		Local: geom.Translation(geom.Vec3{3, 0, 0})})
	two := seen(s, 0)
	assert.Equal(t, 2*one.Triangles, two.Cost.Triangles)
	assert.Equal(t, 2*one.DrawCalls, two.Cost.DrawCalls)
	assert.Equal(t, one.Bytes, two.Cost.Bytes)
	assert.InDelta(t, 6, two.Nodes[1].Area, 1e-12)
}

func TestWhatIsOverTheBudgetIsSaid(t *testing.T) {
	s := shape.Scene("ball", nil, shapetest.Boulder(20))
	c := class.Usual[0]
	c.Budget.Triangles, c.Budget.DrawCalls = 1000, 0
	r := looked(s, c)
	require.Len(t, r.Over(), 1)
	f := r.Findings()[0]
	assert.Equal(t, "budget/over-triangles", f.Code)
	assert.Equal(t, finding.Look, f.Severity)
	assert.Equal(t, "1.52k of 1k", r.Figure())
	assert.Empty(t, looked(s, class.Unsorted).Over())
	wide := shape.Scene("sheet", nil,
		(&shape.Builder{}).Grid(260, 260, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, v} }).Mesh("sheet"))
	x := seen(wide, 0)
	assert.Equal(t, 1, x.Cost.Wide)
	assert.EqualValues(t, 4*3*2*260*260, x.Cost.Bytes.Indices)
	assert.Contains(t, Run(ctx, x, Decisions{}, Ask{Index: 16, Scale: 1}).Findings()[0].Code, "budget/wide")
}

func TestWasteAndOrderAreTakenAsDecided(t *testing.T) {
	s := shape.Scene("sheet", nil,
		(&shape.Builder{}).Grid(40, 40, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, v} }).Mesh("sheet"),
		shapetest.Boulder(24))
	r := looked(s, class.Unsorted)
	e, err := r.Extra(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2*40*40-2, e.Waste)
	out, went := Changed(ctx, s, Decisions{Waste: true})
	assert.Equal(t, e.Waste, went)
	assert.Equal(t, 2, out.Meshes[0].Triangles())
	assert.Same(t, s.Meshes[1], out.Meshes[1])
	same, _ := Changed(ctx, s, Decisions{})
	assert.Same(t, s, same)
	before, after := seen(s, 0).Cost, cost.Cost{}
	sorted, _ := Changed(ctx, s, Decisions{Order: true})
	after = seen(sorted, 0).Cost
	assert.Less(t, after.Misses, before.Misses)
	assert.Equal(t, before.Vertices, after.Vertices)
	assert.Equal(t, before.Triangles, after.Triangles)
	assert.GreaterOrEqual(t, after.MissesATriangle(), 0.5)
	assert.Equal(t, 16, cost.CacheSize)
}

// A cylinder of n sides and radius r turns by 2π/n at each edge, and its facets leave the circle
// by r(1 - cos(π/n)) in their middles.
func TestCylindersLookFacetedByTheirSides(t *testing.T) {
	for _, n := range []int{6, 8, 12, 24} {
		m := (&shape.Builder{}).Lathe([][2]float64{{0.5, 0}, {0.5, 2}}, n).Mesh("post")
		f := flaw.FacetsOf(ctx, m, 0.1)
		require.Len(t, f.Off, n)
		assert.InDelta(t, 2*math.Pi/float64(n), f.Turn, 1e-9)
		assert.InDelta(t, 0.5*(1-math.Cos(math.Pi/float64(n))), f.Off[0], 1e-9, "%d sides", n)
		assert.Empty(t, flaw.FacetsOf(ctx, m, 2*math.Pi/float64(n)+0.01).Off)
		assert.Zero(t, f.Beyond(f.Off[0]+1e-12))
		assert.Equal(t, n, f.Beyond(f.Off[0]-1e-9))
	}
	assert.Empty(t, flaw.FacetsOf(ctx, (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"), 0.1).Off,
		"hard edges are meant")
	r := looked(shape.Scene("post", nil, (&shape.Builder{}).Lathe([][2]float64{{0.5, 0}, {0.5, 2}}, 12).Mesh("post")),
		class.Usual[0])
	assert.Contains(t, r.Findings()[len(r.Findings())-1].Title, "12 sides of 30")
}

func BenchmarkLook(b *testing.B) {
	for _, rings := range []int{250, 353, 500} {
		s := shape.Scene("boulder", nil, shapetest.Boulder(rings))
		b.Run(fmt.Sprintf("%dTriangles", s.Meshes[0].Triangles()), func(b *testing.B) {
			for range b.N {
				LookAt(ctx, s.Meshes[0])
			}
		})
	}
}
