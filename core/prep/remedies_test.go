package prep

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/surface"
	"yarvek/core/target"
)

// spoilt is some bodies with all the flaws that hands and files make: points apart by rounding and by a little more,
// faces twice, without area, turned, bent, parts inside out, needles and short edges.
func spoilt(seed uint64) *scene.Scene {
	rnd := rand.New(rand.NewPCG(seed, 99))
	b := new(shape.Builder)
	b.Slot(0)
	for i := range 3 {
		lo := geom.Vec3{4 * float64(i), rnd.Float64(), rnd.Float64()}
		b.Box(lo, lo.Add(geom.Vec3{1 + rnd.Float64(), 1 + rnd.Float64(), 1 + rnd.Float64()}))
	}
	b.Grid(6, 6, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 5 + 0.1*rnd.Float64(), v} })
	m := b.Mesh("spoilt")
	own := *m
	own.Points = slices.Clone(m.Points)
	own.Normals, own.UVs, own.Colors, own.Smooth = scene.Layer[[3]float32]{}, nil, scene.Layer[[4]float32]{}, nil
	m = &own
	// Every face gets points of its own, some of them off by rounding or by a hair.
	corners := slices.Clone(m.Corners)
	for c, p := range corners {
		at := m.Points[p]
		switch rnd.IntN(6) {
		case 0:
			at[rnd.IntN(3)] *= 1 + 3e-16*float64(rnd.IntN(5)-2)
		case 1:
			if seed%2 == 1 {
				at[rnd.IntN(3)] += 4e-5 * rnd.Float64()
			}
		case 2:
			continue
		}
		m.Points = append(m.Points, at)
		corners[c] = int32(len(m.Points) - 1)
	}
	m.Corners, m.Slot = corners, nil
	face := func(list ...int32) {
		m.Corners = append(m.Corners, list...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	f := m.Corners[m.FaceStart[1]:m.FaceStart[2]]
	face(f...)             // twice
	face(f[0], f[1], f[0]) // a line
	face(f[0], f[1], f[1]) // a line
	slices.Reverse(m.Corners[m.FaceStart[2]:m.FaceStart[3]])
	for g := 6; g < 12; g++ { // a body inside out
		slices.Reverse(m.Corners[m.FaceStart[g]:m.FaceStart[g+1]])
	}
	n := int32(len(m.Points))
	m.Points = append(m.Points, geom.Vec3{0, 9, 0}, geom.Vec3{3, 9, 0}, geom.Vec3{1.5, 9.0001, 0}, geom.Vec3{3, 9, 5e-5},
		geom.Vec3{0, 12, 0})
	face(n, n+1, n+2) // a needle
	face(n, n+1, n+3, n+2)
	return shape.Scene("spoilt", []scene.Material{scene.NewMaterial("m")}, m)
}

// Every remedy settles its finding, whatever the scene, its size and its place.
func TestEveryRemedySettlesItsFinding(t *testing.T) {
	ctx := context.Background()
	tried := map[string]int{}
	for seed := range uint64(10) {
		for kind, s := range map[string]*scene.Scene{"whole": shapetest.Scene(seed), "ragged": shapetest.Ragged(seed),
			"spoilt": spoilt(seed)} {
			for _, by := range []geom.Affine{geom.Identity, geom.Linear(geom.Identity3.Scaled(0.003)),
				geom.Linear(geom.Identity3.Scaled(120)),
				geom.Translation(geom.Vec3{731.3, -12.7, 4410.9}), {M: geom.Identity3.Scaled(40), T: geom.Vec3{1e4, 0, 3}}} {
				at := s.Carried(by)
				in := Input{Key: fmt.Sprintf("%s %d %v", kind, seed, by), Scene: at, Target: target.Shipped[0], Upto: "budget"}
				m := NewMemo(1 << 28)
				r, err := Run(ctx, in, Prep{}, m)
				require.NoError(t, err)
				for _, f := range r.Findings() {
					for i, re := range f.Remedies {
						station, _, _ := strings.Cut(f.Code, "/")
						if station != "surface" && station != "budget" {
							continue
						}
						p, err := Prep{}.With(re.Decision)
						require.NoError(t, err, f.Code)
						after, err := Run(ctx, in, p, m)
						require.NoError(t, err)
						tried[f.Code]++
						for _, g := range after.Findings() {
							if g.Code == f.Code {
								assert.Fail(t, "a remedy does not settle its finding", "%s, remedy %d %q of %q: still %q", in.Key, i+1,
									re.Label, f.Title, g.Title)
							}
						}
					}
				}
			}
		}
	}
	t.Log(tried)
}

// A covering that lies on a floor is not within it, however far both are from the origin, and nodes that thickening
// put apart share no plane any more.
func TestWhatLiesOnAnotherIsSeen(t *testing.T) {
	for _, far := range []geom.Vec3{{}, {731.3, -12.7, 4410.9}, {1e5, 3, -2e5}} {
		floor := new(shape.Builder).Slot(0).Box(far, far.Add(geom.Vec3{4, 0.3, 4})).Mesh("floor")
		cover := new(shape.Builder).Slot(0).Grid(3, 3, func(u, v float64) geom.Vec3 {
			return far.Add(geom.Vec3{1 + u, 0.3, 2 - v})
		}).Mesh("cover")
		s := shape.Scene("room", []scene.Material{scene.NewMaterial("m")}, floor, cover)
		in := Input{Key: fmt.Sprint(far), Scene: s, Target: target.Shipped[0], Upto: "budget"}
		r, err := Run(context.Background(), in, Prep{}, nil)
		require.NoError(t, err)
		for _, f := range r.Findings() {
			assert.NotContains(t, f.Text, "wholly inside", "%v", far)
		}
		shared := func(r *Result) (n int) {
			for _, f := range r.Surface.Findings() {
				if strings.Contains(f.Title, "share a plane") {
					n++
				}
			}
			return n
		}
		assert.Equal(t, 1, shared(r), "%v", far)
		var p Prep
		p.Surface = p.Surface.Thickened(surface.Thick{Node: s.Keys()[1], By: 0.02, Side: mend.Front})
		r, err = Run(context.Background(), in, p, nil)
		require.NoError(t, err)
		assert.Zero(t, shared(r), "%v", far)
	}
}

// Areas of sheets and densities of texels count every instance.
func TestSurfaceCountsInstances(t *testing.T) {
	m := new(shape.Builder).Slot(0).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh("sheet")
	s := shape.Scene("roof", []scene.Material{scene.NewMaterial("m")}, m)
	for i := range 3 {
		n := s.Nodes[0]
		n.Name, n.Local = fmt.Sprint("again ", i),
			geom.Affine{M: geom.Identity3.Scaled(2), T: geom.Vec3{5 * float64(i+1), 0, 0}}
		s.Nodes = append(s.Nodes, n)
	}
	r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: target.Shipped[0], Upto: "budget"}, Prep{}, nil)
	require.NoError(t, err)
	assert.InDelta(t, 1+3*4, r.Surface.SheetArea, 1e-9)
	assert.InDelta(t, 1+3*4, r.Surface.Slots[0].Area, 1e-9)
}
