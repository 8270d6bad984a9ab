package format

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// measure is what two readings of one scene have in common whatever order they give it in: triangles, surface, box and
// volume, where every node stands.
type measure struct {
	triangles    int
	area, volume float64
	box          geom.Box
}

func measureOf(s *scene.Scene) (m measure) {
	m.box = geom.EmptyBox()
	flat := s.Flattened().Carried(geom.Linear(s.Basis.To(geom.GLTF)))
	for _, n := range flat.Nodes {
		if n.Mesh < 0 {
			continue
		}
		x := flat.Meshes[n.Mesh]
		m.triangles += x.Triangles()
		for f := range x.Faces() {
			c := x.Corners[x.FaceStart[f]:x.FaceStart[f+1]]
			var turn geom.Vec3
			for i := range c {
				a, b := n.Local.Apply(x.Points[c[i]]), n.Local.Apply(x.Points[c[(i+1)%len(c)]])
				turn = turn.Add(a.Cross(b))
				m.box = m.box.Add(a)
			}
			m.area += turn.Len() / 2
			m.volume += n.Local.Apply(x.Points[c[0]]).Dot(turn) / 6
		}
	}
	return m
}

// yard is a scene with three meshes, turned and moved.
func yard() *scene.Scene {
	s := shape.Scene("yard", []scene.Material{scene.NewMaterial("oak"), scene.NewMaterial("iron")}, shapetest.Hut(),
		shapetest.Torus(1, .3, 12, 8), shapetest.Chair())
	s.Nodes[1].Local = geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), .7), T: geom.Vec3{4, 1, -2}}
	s.Nodes[2].Local = geom.Translation(geom.Vec3{-3, 0, 5})
	for i, m := range s.Meshes {
		m.Slots = []int{i % 2}
	}
	return s
}

// same holds that two measures are those of one scene.
func (m measure) same(t *testing.T, got measure) {
	t.Helper()
	assert.Equal(t, m.triangles, got.triangles)
	assert.InEpsilon(t, m.area, got.area, 1e-5)
	assert.InEpsilon(t, m.volume, got.volume, 1e-5)
	for k := range 3 {
		assert.InDelta(t, m.box.Min[k], got.box.Min[k], 1e-5)
		assert.InDelta(t, m.box.Max[k], got.box.Max[k], 1e-5)
	}
}

// What is written here is read by an independent program, which says the same of it: its triangles, surface, volume and
// box, and of COLLADA the slots and where it is up.
func TestWhatAForeignProgramReads(t *testing.T) {
	program, err := exec.LookPath("assimp")
	if err != nil {
		t.Skip("the foreign program is not installed")
	}
	s, dir := yard(), t.TempDir()
	want := measureOf(s)
	own := target.Framed("own", "own", s.Basis, figure.Metre)
	zUp := target.Shipped[1]
	for _, x := range []struct {
		id string
		to target.Target
	}{{"dae", own}, {"dae", zUp}, {"ply", own}, {"ply-text", own}, {"stl", own}, {"stl-text", own}} {
		t.Run(x.id+" "+x.to.ID, func(t *testing.T) {
			f, err := ByID(x.id)
			require.NoError(t, err)
			sent := s.Carried(geom.Linear(s.Basis.To(x.to.Basis)))
			sent.Basis = x.to.Basis
			pk, err := Write(context.Background(), scene.Delivery{Scene: sent}, f, x.id, x.to)
			require.NoError(t, err)
			from, to := filepath.Join(dir, pk.Files[0].Name), filepath.Join(dir, x.id+".glb")
			require.NoError(t, os.WriteFile(from, pk.Files[0].Data, 0o600))
			said, err := exec.Command(program, "export", from, to, "-fglb2").CombinedOutput()
			require.NoError(t, err, string(said))
			data, err := os.ReadFile(to)
			require.NoError(t, err)
			got, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.glb", Data: data}}), "a.glb", nil)
			require.NoError(t, err)
			if f.Declares {
				assert.ElementsMatch(t, s.SlotNames(), got.SlotNames())
			}
			want.same(t, measureOf(got))
		})
	}
}

// What an independent program writes of a scene comes in with the triangles, the surface, the volume and the box that
// the scene has: COLLADA, PLY and STL, as text and binary.
func TestWhatAForeignProgramWrites(t *testing.T) {
	program, err := exec.LookPath("assimp")
	if err != nil {
		t.Skip("the foreign program is not installed")
	}
	s := yard()
	out, err := gltf.Write(context.Background(), s, pack.Options{Name: "yard", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "yard.glb"), out.Files[0].Data, 0o600))
	want := measureOf(s)
	for as, file := range map[string]string{"collada": "yard.dae", "ply": "text.ply", "plyb": "binary.ply",
		"stl": "text.stl", "stlb": "binary.stl"} {
		t.Run(as, func(t *testing.T) {
			said, err := exec.Command(program, "export", filepath.Join(dir, "yard.glb"), filepath.Join(dir, file),
				"-f"+as).CombinedOutput()
			require.NoError(t, err, string(said))
			data, err := os.ReadFile(filepath.Join(dir, file))
			require.NoError(t, err)
			came, found, err := Read(context.Background(), bundle.New([]bundle.File{{Name: file, Data: data}}), file, nil)
			require.NoError(t, err)
			assert.Empty(t, found)
			if as[:3] == "stl" { // it writes the numbers of its own frame
				came.Basis = geom.GLTF
			}
			want.same(t, measureOf(came))
			if as == "collada" {
				n := came.Nodes
				assert.Equal(t, []string{"hut", "ring", "chair"}, []string{n[0].Name, n[1].Name, n[2].Name})
			}
		})
	}
}
