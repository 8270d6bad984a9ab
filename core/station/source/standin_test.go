package source

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// advised lists the labels of all remedies that leave something out, and of main ones.
func advised(r *Report) (leaving, main []string) {
	for _, f := range r.Findings() {
		for i, rem := range f.Remedies {
			if d, ok := rem.Decision.(Decisions); ok && (len(d.Leave) > 0 || len(d.Rules) > 0) {
				leaving = append(leaving, rem.Label)
				if i == 0 && !rem.Harsh {
					main = append(main, rem.Label)
				}
			}
		}
	}
	return leaving, main
}

func called(names ...string) *scene.Scene {
	var list []*scene.Mesh
	for _, n := range names {
		m := shapetest.Boulder(12)
		m.Name = n
		list = append(list, m)
	}
	s := shape.Scene("place", nil, list...)
	for i, n := range names {
		s.Nodes[i].Name = n
	}
	return s
}

// Levels and collision shapes are told as such and never advised away: by sure words, by
// numbers that count up, by being far simpler. Copies without such names are doubles.
func TestStandInsAreNeverAdvisedAway(t *testing.T) {
	for name, c := range map[string]struct {
		s    *scene.Scene
		want string
	}{
		"words":         {called("hut", "hut lod 1", "hut LOD2", "hut_collision"), "source/simpler-level"},
		"counted":       {called("hut0", "hut1", "hut2", "hut3"), "source/simpler-level"},
		"words alone":   {called("hut lod 0", "hut lod 1"), "source/lods"},
		"one collision": {called("hut", "hut collider"), "source/collision-shape"},
	} {
		_, r := do(t, c.s, Decisions{})
		leaving, _ := advised(r)
		assert.Empty(t, leaving, name)
		assert.NotNil(t, finding1(r, c.want), name)
		assert.Nil(t, finding1(r, "source/double"), name)
	}
	// A simple shell about a thing hides it from nobody.
	s := called("rock")
	s.Meshes = append(s.Meshes, new(shape.Builder).Box(geom.Vec3{-.6, -.6, -.6}, geom.Vec3{.6, .6, .6}).Mesh("shell"))
	s.Nodes = append(s.Nodes, scene.Node{Name: "rock shell", Kind: scene.KindMesh, Parent: -1, Mesh: 1,
		Local: geom.Identity})
	_, r := do(t, s, Decisions{})
	leaving, _ := advised(r)
	assert.Empty(t, leaving)
	assert.NotNil(t, finding1(r, "source/collision-shape"))
	// A boat's hull is a part of it, and two copies are doubles.
	_, r = do(t, shape.Scene("b", nil, box("boat hull", geom.Vec3{0, 0, 0}, geom.Vec3{4, 1, 1}),
		box("boat deck", geom.Vec3{0, 1, 0},
			geom.Vec3{4, 1.1, 1})), Decisions{})
	assert.Nil(t, finding1(r, "source/collision-shape"))
	_, r = do(t, called("hut", "hut 2"), Decisions{})
	f := finding1(r, "source/double")
	if assert.NotNil(t, f) {
		assert.Equal(t, "Leave out hut 2", f.Remedies[0].Label)
		assert.False(t, f.Remedies[0].Harsh, "half is not more than half")
	}
}

// The main button never takes more than half away, nor is it the rule.
func TestTheMainButtonIsTheMildest(t *testing.T) {
	s := called("a", "b", "c", "d", "e")
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/double")
	if assert.NotNil(t, f) {
		assert.Equal(t, []string{"Leave out b", "Leave out all 4", "Always leave such out"},
			[]string{f.Remedies[0].Label, f.Remedies[1].Label,
				f.Remedies[2].Label})
		assert.True(t, f.Remedies[1].Harsh && f.Remedies[2].Harsh)
	}
	far := shape.Scene("x", nil, box("stone", geom.Vec3{}, geom.Vec3{2, 2, 2}),
		shapetest.Boulder(9).Mapped(geom.Translation(geom.Vec3{200, 0, 0})))
	far.Nodes[1].Name = "rock"
	_, r = do(t, far, Decisions{})
	_, main := advised(r)
	assert.Empty(t, main, "almost all triangles are there")
}

// Things alike in a row are not strays; a speck or a lone one far off is.
func TestARowIsNoStray(t *testing.T) {
	row := func(n int, gap float64) *scene.Scene {
		var list []*scene.Mesh
		for i := range n {
			x := float64(i) * (1 + gap)
			list = append(list, box(fmt.Sprintf("crate no %d of the quay", i), geom.Vec3{x, 0, 0}, geom.Vec3{x + 1, 1, 1}))
		}
		return shape.Scene("row", nil, list...)
	}
	for _, n := range []int{2, 3, 4, 9} {
		for _, gap := range []float64{0.2, 1, 3, 8} {
			_, r := do(t, row(n, gap), Decisions{})
			assert.Nil(t, finding1(r, "source/far-node"), "%d boxes %g m apart", n, gap)
		}
	}
	s := row(3, 1)
	s.Meshes = append(s.Meshes, box("gull", geom.Vec3{80, 9, 0}, geom.Vec3{80.5, 9.4, .5}),
		box("crate far", geom.Vec3{0, 0, 50}, geom.Vec3{1, 1, 51}))
	for k, n := range []string{"gull", "crate far"} {
		s.Nodes = append(s.Nodes, scene.Node{Name: n, Kind: scene.KindMesh, Parent: -1, Mesh: 3 + k, Local: geom.Identity})
	}
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/far-node")
	if assert.NotNil(t, f) {
		assert.Contains(t, f.Title, "2 nodes")
	}
}

// The gap to the nearest box is what holding each against all others gives.
func TestNeighboursAreTheNearest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	for range 50 {
		var boxes []geom.Box
		for range 2 + rnd.IntN(60) {
			var b geom.Box
			for k := range 3 {
				b.Min[k] = 20 * rnd.NormFloat64() * float64(k*k)
				b.Max[k] = b.Min[k] + 3*rnd.ExpFloat64()
			}
			if rnd.IntN(9) == 0 {
				b = geom.EmptyBox()
			}
			boxes = append(boxes, b)
		}
		n := newNeighbours(boxes)
		for i, b := range boxes {
			if b.IsEmpty() {
				continue
			}
			best := math.Inf(1)
			for k, o := range boxes {
				if k != i && !o.IsEmpty() {
					best = min(best, o.Gap(b))
				}
			}
			require.Equal(t, best, n.gap(i))
		}
	}
}
