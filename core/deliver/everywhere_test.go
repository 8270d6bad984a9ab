package deliver

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// signpost is four small blocks: one at the origin, one up, one ahead and one to the right of it.
func signpost(b geom.Basis) *scene.Scene {
	block := func(name string, at geom.Vec3) *scene.Mesh {
		d := geom.Vec3{0.05, 0.05, 0.05}
		return new(shape.Builder).Slot(0).Box(at.Sub(d), at.Add(d)).Mesh(name)
	}
	s := shape.Scene("signpost", []scene.Material{scene.NewMaterial("paint")}, block("origin", geom.Vec3{}),
		block("up", b.Up.Vec().Mul(3)), block("ahead", b.Forward.Vec().Mul(2)), block("right", b.Right().Vec()))
	s.Basis = b
	return s
}

// What is said of a file at a target is what its points do there: each format written for each shipped target, and for
// some that honour nothing, turn, scale or move, is read by all of them.
func TestWhatIsSaidIsWhereThePointsAre(t *testing.T) {
	odd := target.Shipped[0].Copy()
	odd.Reads.FBX = target.Reading{Unit: target.Shipped[1].Unit, Basis: target.Shipped[1].Basis}
	odd.Arrival = target.Offset{Scale: 2, Turn: 90, Move: geom.Vec3{0, 1, 0}}
	half := target.Shipped[3].Copy()
	half.Reads.FBX.HonoursHand, half.Reads.FBX.HonoursUnit = false, false
	all := append(append([]target.Target{}, target.Shipped...), odd, half)
	equal, other := 0, 0
	for _, from := range target.Shipped {
		for _, f := range format.Written {
			if !f.Several {
				continue // the posts are one mesh then
			}
			pk, err := format.Write(t.Context(), scene.Delivery{Scene: signpost(from.Basis)}, f, "signpost", from)
			require.NoError(t, err)
			s, _, err := format.Read(t.Context(), bundle.New(pk.Files), pk.Files[0].Name, nil)
			require.NoError(t, err)
			for _, to := range all {
				got := received(s, format.Frame{Basis: s.Basis, UnitMetres: s.UnitMetres}, f, to)
				meant := s.Carried(geom.Linear(s.Basis.To(to.Basis)))
				place := func(s *scene.Scene, name string) geom.Vec3 {
					boxes := s.NodeBounds()
					for i, n := range s.Nodes {
						if n.Mesh >= 0 && n.Name == name {
							return boxes[i].Center()
						}
					}
					require.Fail(t, "no node", name)
					return geom.Vec3{}
				}
				dir := func(s *scene.Scene, name string) geom.Vec3 { return place(s, name).Sub(place(s, "origin")) }
				st := Stand(s, f, to, nil)
				what := []any{"%s for %s at %s: %+v", f.ID, from.Name, to.Name, st}
				same := func(name string) bool {
					return dir(got, name).Unit().Dot(dir(meant, name).Unit()) > 0.999
				}
				if s.Basis.Up == from.Basis.Up { // a file without a frame is read in the one its reader assumes
					assert.Equal(t, same("up"), st.Stands.OK, what...)
					assert.Equal(t, same("ahead"), st.Front.OK, what...)
				}
				hand := func(s *scene.Scene) float64 {
					return dir(s, "up").Dot(dir(s, "ahead").Cross(dir(s, "right")))
				}
				assert.Equal(t, hand(got)*hand(meant) > 0, st.Faces.OK, what...)
				assert.Equal(t, math.Abs(dir(got, "up").Len()/dir(meant, "up").Len()-1) < 1e-5, st.Size.OK, what...)
				assert.InDelta(t, math.Abs(got.Bounds().Size().Dot(to.Basis.Up.Vec())), st.Height, 1e-9, what...)
				assert.Equal(t, to.Arrival.Move.Len() == 0, st.Pivot.OK, what...)
				if st.Equal() {
					equal++
				} else {
					other++
				}
			}
		}
	}
	assert.Greater(t, equal, 50)
	assert.Greater(t, other, 50)
}

// LODs, shapes and pictures that a target does not know are told.
func TestWhatATargetDoesNotKnowIsSaid(t *testing.T) {
	s := signpost(geom.GLTF)
	for i, n := range []string{"hut", "hut lod 1", "hut_LOD2", "Collider_hut"} {
		s.Nodes[i].Name = n
	}
	s.Images = []scene.Image{{Name: "a.webp", MIME: "image/webp", Data: []byte{1}, Width: 4, Height: 4},
		{Name: "b.png", MIME: "image/png", Data: []byte{1}, Width: 8192, Height: 4},
		{Name: "c.png", MIME: "image/png", Data: []byte{1}, Width: 64, Height: 64}, {Name: "d.png"}}
	f, err := format.ByID("glb")
	require.NoError(t, err)
	st := Stand(s, f, target.Shipped[0], nil)
	assert.Equal(t, Cell{"1, 1 as meshes", false}, st.LODs)
	assert.Equal(t, Cell{"0, 1 as meshes", false}, st.Collision)
	assert.Equal(t, Cell{"1, 1 missing, 1 in a format it does not read, 1 too large", false}, st.Pictures)
	assert.False(t, st.Equal())
	to := target.Shipped[0].Copy()
	to.Reads.GLTF.KeepsNodes = false
	s.Nodes[0].Local = geom.Translation(geom.Vec3{1, 0, 0})
	assert.Equal(t, Cell{"1 node falls to the origin", false}, Stand(s, f, to, nil).Nodes)
}
