package deliver

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// Where a point lies in the coordinates of each shipped target that is r metres to the asset's own right, u above it
// and f before it, worked out by hand from the axes that their names say.
var byHand = map[string]func(r, u, f float64) geom.Vec3{
	"y-up-metres-right":     func(r, u, f float64) geom.Vec3 { return geom.Vec3{-r, u, f} },
	"z-up-centimetres-left": func(r, u, f float64) geom.Vec3 { return geom.Vec3{f, r, u} },
	"y-up-metres-left":      func(r, u, f float64) geom.Vec3 { return geom.Vec3{r, u, f} },
	"z-up-metres-right":     func(r, u, f float64) geom.Vec3 { return geom.Vec3{-r, -f, u} },
}

// A letter that is no mirror image of itself, to the right of its asset, above and before it: its corners, as right, up
// and forward.
var letter = [][3]float64{{1, 0, 0}, {3, 0, 0}, {1, 5, 0}, {1, 0, 7}}

// lettering is the letter as a closed mesh in glTF's coordinates, so many times as large.
func lettering(name string, size float64) *scene.Mesh {
	m := &scene.Mesh{Name: name, FaceStart: []int32{0, 3, 6, 9, 12}}
	for _, p := range letter {
		m.Points = append(m.Points, byHand["y-up-metres-right"](size*p[0], size*p[1], size*p[2]))
	}
	m.Corners = []int32{0, 1, 2, 0, 2, 3, 0, 3, 1, 1, 3, 2}
	if volumeOf(m) < 0 { // faces look outward
		m.Corners = []int32{0, 2, 1, 0, 3, 2, 0, 1, 3, 1, 2, 3}
	}
	return m
}

// volumeOf is that of a mesh by the coordinates it is in.
func volumeOf(m *scene.Mesh) (v float64) {
	m.EachTriangle(func(_ int, a, b, c int32) {
		p := func(i int32) geom.Vec3 { return m.Points[m.Corners[i]] }
		v += p(a).Dot(p(b).Cross(p(c))) / 6
	})
	return v
}

// A letter, its two LODs and its shape arrive where they were worked out to be, and look outward, for every shipped
// target in every format; and by the rules of a target that they were not written for they do not, wherever these
// differ in what the file can't say.
func TestALetterArrivesAsWorkedOutByHand(t *testing.T) {
	ctx := context.Background()
	sizes := map[string]float64{"letter": 1, "letter lod 1": 1.25, "letter lod 2": 1.5, "letter solid hull 01": 2}
	for _, to := range target.Shipped {
		in := func(m *scene.Mesh) *scene.Scene {
			s := shape.Scene(m.Name, nil, m).Carried(geom.Linear(geom.GLTF.To(to.Basis)))
			s.Basis = to.Basis
			return s
		}
		d := scene.Delivery{Scene: in(lettering("letter", 1)),
			LODs: []scene.LOD{{Scene: in(lettering("letter", 1.25)), From: 10}, {Scene: in(lettering("letter", 1.5)), From: 30}},
			Collision: []scene.Shape{{Of: "letter", Kind: "hull", Mesh: in(lettering("touch", 2)).Meshes[0],
				Frame: geom.Identity}}}
		for _, f := range format.Written {
			where := f.ID + " for " + to.ID
			p, err := Make(ctx, Order{Delivery: d, Decisions: export.Decisions{Format: f.ID}, Asset: "letter", Target: to})
			require.NoError(t, err, where)
			assert.True(t, p.Certificate.Arrived(), "%s: %+v", where, p.Certificate.Rows)
			found := 0
			for k := range p.Package.Files { // the one, or where a format holds one mesh a file each
				if k > 0 && f.Several {
					break
				}
				got, err := Receive(ctx, p.Package.Files[k:], f, to)
				require.NoError(t, err)
				for i, w := range got.Worlds() {
					n := got.Nodes[i]
					size, ok := sizes[strings.ReplaceAll(n.Name, "_", " ")] // as files are called
					if n.Mesh < 0 || !ok {
						continue
					}
					found++
					m := got.Meshes[n.Mesh].Mapped(w)
					for _, q := range letter {
						at := byHand[to.ID](size*q[0], size*q[1], size*q[2])
						assert.True(t, stands(m, at), "%s: %s has no corner at %v", where, n.Name, at)
					}
					assert.InDelta(t, 2*5*7./6*size*size*size, volumeOf(m), 1e-4, "%s: %s looks outward", where, n.Name)
				}
			}
			assert.Equal(t, len(sizes), found, where)
			if f.ID == "obj" {
				bytesSay(t, p.Package.Files[0].Data, to, where)
			}
			for _, other := range target.Shipped {
				s, err := readBack(ctx, p.Package.Files)
				require.NoError(t, err)
				st := Stand(s, f, other, &to)
				says := f.Declares || other.Basis == to.Basis && other.Unit == to.Unit
				assert.Equal(t, says, st.Equal(), "%s at %s: %v", where, other.ID, st.Wrong())
			}
		}
	}
}

// stands tells whether a mesh has a corner at a place.
func stands(m *scene.Mesh, at geom.Vec3) bool {
	for _, p := range m.Points {
		if p.Near(at, 1e-5) {
			return true
		}
	}
	return false
}

// bytesSay holds that the first four points of an OBJ, read without any reader, are the letter in the target's axes and
// unit.
func bytesSay(t *testing.T, data []byte, to target.Target, where string) {
	t.Helper()
	var list []geom.Vec3
	for s := bufio.NewScanner(bytes.NewReader(data)); s.Scan(); {
		var p geom.Vec3
		if strings.HasPrefix(s.Text(), "v ") {
			_, err := fmt.Sscanf(s.Text(), "v %g %g %g", &p[0], &p[1], &p[2])
			require.NoError(t, err)
			list = append(list, p)
		}
	}
	require.GreaterOrEqual(t, len(list), 4)
	unit := map[string]float64{"z-up-centimetres-left": 100}[to.ID]
	if unit == 0 {
		unit = 1
	}
	for _, q := range letter {
		at, near := byHand[to.ID](q[0], q[1], q[2]).Mul(unit), math.Inf(1)
		for _, p := range list[:4] {
			near = min(near, p.Dist(at))
		}
		assert.Less(t, near, 1e-4*unit, "%s: %v is nowhere in the file: %v", where, at, list[:4])
	}
}

// What is chosen wrong on purpose is told by the certificate, by what of it arrives otherwise: transforms of nodes that
// the receiver drops, and a sign of the third axis that it overlooks.
func TestWrongChoicesAreTold(t *testing.T) {
	ctx := context.Background()
	for _, base := range target.Shipped {
		to := base.Copy()
		to.Reads.FBX.KeepsNodes = false
		s := shape.Scene("letter", nil, lettering("letter", 1))
		s.Nodes[0].Local = geom.Translation(geom.Vec3{0, 2, 0})
		s = s.Carried(geom.Linear(geom.GLTF.To(to.Basis)))
		s.Basis = to.Basis
		for _, bake := range []bool{false, true} {
			p, err := Make(ctx, Order{Delivery: scene.Delivery{Scene: s}, Asset: "letter", Target: to,
				Decisions: export.Decisions{Format: "fbx", Bake: bake}})
			require.NoError(t, err)
			assert.Equal(t, bake, p.Certificate.Arrived(), "%s, baked %v", to.ID, bake)
			row := rowOf(*p.Certificate, "box")
			require.NotNil(t, row)
			assert.Equal(t, bake, row.Equal)
			require.NotNil(t, p.Certificate.Apart)
			assert.InDelta(t, map[bool]float64{false: 2, true: 0}[bake], *p.Certificate.Apart, 1e-5, "how far it is off")
		}
		if !base.Basis.Left {
			continue
		}
		p, err := Make(ctx, Order{Delivery: scene.Delivery{Scene: s}, Asset: "letter", Target: base,
			Decisions: export.Decisions{Format: "fbx-signed"}})
		require.NoError(t, err)
		row := rowOf(*p.Certificate, "overlooked")
		require.NotNil(t, row, base.ID)
		assert.False(t, row.Equal)
		assert.Contains(t, row.Why, "right-handed", "the cure")
	}
}
