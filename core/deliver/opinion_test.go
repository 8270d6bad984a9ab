package deliver

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// lettered is a flag on a post, of two slots, that is no mirror image of itself, with everything a corner can have.
func lettered() *scene.Scene {
	m := new(shape.Builder).Slot(0).Prism([][2]float64{{0, 0}, {2, 0}, {2, 1}, {1, 2}, {0, 1}}, 0, 1).
		Slot(1).Prism([][2]float64{{3, 0}, {5, 0}, {5, 1}, {3, 3}}, 0, 2).Mesh("flag")
	s := shape.Scene("flag", []scene.Material{scene.NewMaterial("cloth"), scene.NewMaterial("post")}, m)
	m.Colors.Index = make([]int32, len(m.Corners))
	for c := range m.Corners {
		p := m.Points[m.Corners[c]]
		m.Colors.Index[c] = int32(len(m.Colors.Values))
		m.Colors.Values = append(m.Colors.Values, [4]float32{float32(p[0]) / 5, float32(p[1]) / 3, 0.25, 1})
	}
	if len(m.UVs) == 0 {
		m.UVs = append(m.UVs, scene.UVSet{Name: "uv"})
	}
	m.UVs[0].Index, m.UVs[0].Values = make([]int32, len(m.Corners)), nil
	for c := range m.Corners {
		p := m.Points[m.Corners[c]]
		m.UVs[0].Index[c] = int32(c)
		m.UVs[0].Values = append(m.UVs[0].Values, [2]float64{p[0]/5 + 0.01*p[2], p[1]/4 + 0.02*p[2]})
	}
	return s
}

// Figures tell apart what a reader may get wrong, each by its own row, and take what is only cut or ordered another
// way for the same.
func TestFiguresTellReadingsApart(t *testing.T) {
	f, err := format.ByID("fbx")
	require.NoError(t, err)
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	of := func(s *scene.Scene) Figures {
		got, err := figuresOf(context.Background(), s, f, to)
		require.NoError(t, err)
		return *got
	}
	s := lettered()
	s.UnitMetres = 1
	ours := of(s)
	for _, c := range []struct {
		name  string
		spoil func(s *scene.Scene, m *scene.Mesh)
		rows  []string
	}{
		{"nothing", func(*scene.Scene, *scene.Mesh) {}, nil},
		{"all cut into triangles", func(s *scene.Scene, m *scene.Mesh) { *s = *s.Triangulated() }, nil},
		{"a face left out", func(s *scene.Scene, m *scene.Mesh) {
			n := m.Faces() - 1
			m.FaceStart, m.Corners = m.FaceStart[:n+1], m.Corners[:m.FaceStart[n]]
			m.Slot = m.Slot[:n]
		}, []string{"triangles"}},
		{"a hundredth of the size", func(s *scene.Scene, _ *scene.Mesh) {
			*s = *s.Carried(geom.Linear(geom.Identity.M.Scaled(0.01)))
		}, []string{"extents", "points"}},
		{"moved by a thousandth", func(s *scene.Scene, m *scene.Mesh) {
			for i := range m.Points {
				m.Points[i][0] += 0.005
			}
		}, []string{"extents"}},
		{"inside out", func(s *scene.Scene, m *scene.Mesh) { *s = *s.TurnedRound() }, []string{"facing"}},
		{"mirrored", func(s *scene.Scene, _ *scene.Mesh) {
			*s = *s.Carried(geom.Linear(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}))
		}, []string{"extents", "points"}},
		{"slots changed", func(s *scene.Scene, m *scene.Mesh) {
			s.Materials[0], s.Materials[1] = s.Materials[1], s.Materials[0]
		}, []string{"slots"}},
		{"normals turned", func(s *scene.Scene, m *scene.Mesh) {
			for i, v := range m.Normals.Values {
				m.Normals.Values[i] = [3]float32{-v[0], -v[1], -v[2]}
			}
		}, []string{"normals"}},
		{"rows of pictures from the other end", func(s *scene.Scene, m *scene.Mesh) {
			for i := range m.UVs[0].Values {
				m.UVs[0].Values[i][1] = 1 - m.UVs[0].Values[i][1]
			}
		}, []string{"uvs"}},
		{"u and v changed", func(s *scene.Scene, m *scene.Mesh) {
			for i, v := range m.UVs[0].Values {
				m.UVs[0].Values[i] = [2]float64{v[1], v[0]}
			}
		}, []string{"uvs"}},
		{"red and green changed", func(s *scene.Scene, m *scene.Mesh) {
			for i, v := range m.Colors.Values {
				m.Colors.Values[i] = [4]float32{v[1], v[0], v[2], v[3]}
			}
		}, []string{"colors"}},
		{"colours lost", func(s *scene.Scene, m *scene.Mesh) { m.Colors = scene.Layer[[4]float32]{} }, []string{"colors"}},
		{"a node lost", func(s *scene.Scene, _ *scene.Mesh) { s.Nodes[0].Name = "?" }, []string{"nodes"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := lettered()
			s.UnitMetres = 1
			c.spoil(s, s.Meshes[0])
			differ := map[string]bool{}
			for _, v := range ours.Against(of(s), f) {
				if !v.Equal {
					differ[v.Code] = true
					assert.NotEmpty(t, v.Why)
				}
			}
			assert.Equal(t, len(c.rows) > 0, len(differ) > 0, "%v", differ)
			for _, r := range c.rows {
				assert.True(t, differ[r], "%s among %v", r, differ)
			}
		})
	}
}

// The integrals are those of a rectangle that are known in closed form, however it is cut.
func TestFiguresOfARectangle(t *testing.T) {
	f, err := format.ByID("fbx")
	require.NoError(t, err)
	m := &scene.Mesh{Name: "r", Points: []geom.Vec3{{0, 0, 4}, {2, 0, 4}, {2, 3, 4}, {0, 3, 4}, {0, 1, 4}},
		Corners: []int32{0, 1, 2, 3, 4}, FaceStart: []int32{0, 5}}
	s := shape.Scene("r", nil, m)
	s.UnitMetres = 1
	got, err := figuresOf(context.Background(), s, f, target.Framed("own", "own", geom.GLTF, figure.Metre))
	require.NoError(t, err)
	assert.Equal(t, 3, got.Triangles)
	assert.True(t, got.Cut)
	assert.InDelta(t, 6, got.Area, 1e-12)
	want := []float64{6, 9, 24, 8, 18, 96} // of x over 0 to 2, y over 0 to 3, z of 4; and their squares
	for i, w := range want {
		assert.InDelta(t, w, got.Points[i], 1e-12, "%d", i)
	}
	assert.Empty(t, got.Normals)
	assert.Empty(t, got.UVs)
	assert.Empty(t, got.Colors)
}

// Of points without faces a lost one, another place, and colours of other channels or of other points are told.
func TestFiguresTellCloudsApart(t *testing.T) {
	f, err := format.ByID("ply")
	require.NoError(t, err)
	of := func(spoil func(c *cloud.Cloud)) Figures {
		c := &cloud.Cloud{Type: "float"}
		for _, name := range []string{"red", "green", "blue"} {
			c.Fields = append(c.Fields, cloud.Field{Name: name, Type: "uchar"})
		}
		for i := range 60 {
			c.Points = append(c.Points, geom.Vec3{float64(i), float64(i * i % 17), float64(i % 7)})
			for k := range c.Fields {
				c.Fields[k].Single = append(c.Fields[k].Single, float32((i*(k+3))%256))
			}
		}
		spoil(c)
		s := &scene.Scene{Basis: geom.GLTF, UnitMetres: 1,
			Meshes: []*scene.Mesh{{Name: "dots", FaceStart: []int32{0}, Cloud: c}},
			Nodes:  []scene.Node{{Name: "dots", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}}
		got, err := figuresOf(t.Context(), s, f, target.Shipped[0])
		require.NoError(t, err)
		return *got
	}
	ours := of(func(*cloud.Cloud) {})
	assert.Equal(t, 60, ours.Dots)
	for _, x := range []struct {
		row   string
		spoil func(c *cloud.Cloud)
	}{
		{"", func(*cloud.Cloud) {}},
		{"dots", func(c *cloud.Cloud) { *c = *c.Taken([]int32{1, 2, 3, 4, 59}) }},
		{"points", func(c *cloud.Cloud) { c.Points[20], c.Points[21][1] = c.Points[19], 9 }},
		{"colors", func(c *cloud.Cloud) { c.Fields[0].Name, c.Fields[2].Name = "blue", "red" }},
		{"colors", func(c *cloud.Cloud) {
			v := c.Fields[1].Single
			v[3], v[50] = v[50], v[3]
		}},
	} {
		var rows []string
		for _, v := range ours.Against(of(x.spoil), f) {
			if !v.Equal {
				rows = append(rows, v.Code)
			}
		}
		if x.row == "" {
			assert.Empty(t, rows)
		} else {
			assert.Contains(t, rows, x.row)
		}
	}
}
