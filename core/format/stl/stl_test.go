package stl

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// wedge is the facets of a tetrahedron whose corners turn outward.
var wedge = [][3][3]float32{
	{{0, 0, 0}, {0, 1, 0}, {1, 0, 0}}, {{0, 0, 0}, {1, 0, 0}, {0, 0, 1}},
	{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, {{0, 1, 0}, {0, 0, 0}, {0, 0, 1}},
}

// normal is that of a facet by its corners.
func normal(f [3][3]float32) geom.Vec3 {
	v := func(p [3]float32) geom.Vec3 { return geom.Vec3{float64(p[0]), float64(p[1]), float64(p[2])} }
	return v(f[1]).Sub(v(f[0])).Cross(v(f[2]).Sub(v(f[0]))).Unit()
}

// packed is a binary file.
func packed(head string, facets [][3][3]float32, behind func(i int) uint16) []byte {
	b := make([]byte, 80)
	copy(b, head)
	b = binary.LittleEndian.AppendUint32(b, uint32(len(facets)))
	for i, f := range facets {
		n := normal(f)
		for _, v := range [][3]float32{{float32(n[0]), float32(n[1]), float32(n[2])}, f[0], f[1], f[2]} {
			for _, x := range v {
				b = binary.LittleEndian.AppendUint32(b, math.Float32bits(x))
			}
		}
		bits := uint16(0)
		if behind != nil {
			bits = behind(i)
		}
		b = binary.LittleEndian.AppendUint16(b, bits)
	}
	return b
}

// written is a text file of one solid.
func written(name string, facets [][3][3]float32) string {
	var b strings.Builder
	fmt.Fprintf(&b, "solid %s\n", name)
	for _, f := range facets {
		n := normal(f)
		fmt.Fprintf(&b, "  facet normal %g %g %g\n    outer loop\n", n[0], n[1], n[2])
		for _, p := range f {
			fmt.Fprintf(&b, "      vertex %g %g %g\n", p[0], p[1], p[2])
		}
		b.WriteString("    endloop\n  endfacet\n")
	}
	fmt.Fprintf(&b, "endsolid %s\n", name)
	return b.String()
}

func read(data []byte) (*scene.Scene, []finding.Finding, error) {
	return Read(context.Background(), bundle.New([]bundle.File{{Name: "wedge.stl", Data: data}}), "wedge.stl", nil)
}

// The same solid comes in from both sorts, whatever a header says: points are joined by their bits, corners keep their
// order, and the volume is that of the closed form.
func TestBothSortsAreRead(t *testing.T) {
	crlf := strings.ReplaceAll(written("wedge", wedge), "\n", "\r\n")
	for name, data := range map[string][]byte{
		"binary":                    packed("made by hand", wedge, nil),
		"binary that says solid":    packed("solid wedge", wedge, nil),
		"binary with facet in head": packed("solid facet normal endsolid", wedge, nil),
		"text":                      []byte(written("wedge", wedge)),
		"text of another system":    []byte(crlf),
		"text in capitals":          []byte(strings.ToUpper(written("wedge", wedge))),
		"text on one line":          []byte(strings.Join(strings.Fields(written("", wedge)), " ")[6:]),
	} {
		t.Run(name, func(t *testing.T) {
			if name == "text on one line" {
				data = append([]byte("solid wedge\n"), data...)
			}
			require.True(t, Is(data))
			s, found, err := read(data)
			require.NoError(t, err)
			assert.Empty(t, found)
			require.Len(t, s.Meshes, 1)
			m := s.Meshes[0]
			require.NoError(t, m.Validate())
			assert.Len(t, m.Points, 4)
			assert.Equal(t, 4, m.Triangles())
			assert.Equal(t, []int32{0, 1, 2, 0, 2, 3, 2, 1, 3, 1, 0, 3}, m.Corners)
			volume := 0.0
			for f := range m.Faces() {
				c := m.Corners[3*f:]
				volume += m.Points[c[0]].Dot(m.Points[c[1]].Cross(m.Points[c[2]])) / 6
			}
			assert.InDelta(t, 1.0/6, volume, 1e-12)
			assert.Equal(t, scene.Assumed, s.UnitHow)
			assert.Equal(t, geom.PosZ, s.Basis.Up)
			assert.False(t, m.Colors.Has())
		})
	}
}

// Only points of the same bits are one; 0 and -0 are the same number.
func TestPointsAreJoinedExactly(t *testing.T) {
	near := math.Nextafter32(1, 2)
	zero := float32(math.Copysign(0, -1))
	s, _, err := read(packed("", [][3][3]float32{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}},
		{{zero, 0, zero}, {0, 1, 0}, {near, 0, 0}}}, nil))
	require.NoError(t, err)
	assert.Len(t, s.Meshes[0].Points, 4)
	assert.Equal(t, []int32{0, 1, 2, 0, 2, 3}, s.Meshes[0].Corners)
}

// Colours come in by both ways that are in use, as light; what is no colour is none.
func TestColoursOfFacets(t *testing.T) {
	red := func(int) uint16 { return 0x8000 | 31<<10 }
	s, _, err := read(packed("", wedge, red))
	require.NoError(t, err)
	assert.Equal(t, [][4]float32{{1, 0, 0, 1}}, s.Meshes[0].Colors.Values)
	s, _, err = read(packed("COLOR=\x00\x00\xff\x80,more", wedge, func(i int) uint16 {
		if i == 0 {
			return 31 // red in the lowest bits
		}
		return 0x8000 // that of the whole
	}))
	require.NoError(t, err)
	c := s.Meshes[0].Colors
	require.Len(t, c.Values, 2)
	assert.Equal(t, [4]float32{1, 0, 0, 1}, c.Values[0])
	assert.InDelta(t, 128.0/255, c.Values[1][3], 1e-6)
	assert.Equal(t, float32(1), c.Values[1][2])
	assert.Equal(t, []int32{0, 0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1}, c.Index)
	half, _, err := read(packed("", wedge, func(i int) uint16 { return 0x8000 | 16<<5 }))
	require.NoError(t, err)
	assert.InDelta(t, scene.Linear(16.0/31), half.Meshes[0].Colors.Values[0][1], 1e-6)
	some, _, err := read(packed("", wedge, func(i int) uint16 { return uint16(min(i, 1)) * 0x8000 }))
	require.NoError(t, err)
	assert.Equal(t, [4]float32{1, 1, 1, 1}, some.Meshes[0].Colors.Values[0], "one without is white")
	lengths, _, err := read(packed("", wedge, func(i int) uint16 { return uint16(7 + i) }))
	require.NoError(t, err)
	assert.False(t, lengths.Meshes[0].Colors.Has())
}

// Several solids are several nodes, each with its name.
func TestSolidsAreNodes(t *testing.T) {
	s, _, err := read([]byte(written("bell frame", wedge) + written("", wedge[:1]) + "solid none\nendsolid none\n"))
	require.NoError(t, err)
	require.Len(t, s.Nodes, 2)
	assert.Equal(t, "bell frame", s.Nodes[0].Name)
	assert.Equal(t, "wedge", s.Nodes[1].Name)
	assert.Equal(t, 1, s.Meshes[1].Triangles())
}

// Normals that are none are passed over, and those that point the other way are told.
func TestNormalsAgainstCorners(t *testing.T) {
	data := packed("", wedge, nil)
	for i := range wedge[:2] {
		o := headerSize + i*facetSize
		for k := range 3 {
			data[o+4*k+3] ^= 0x80
		}
	}
	_, found, err := read(data)
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Contains(t, found[0].Title, "2 of 4")
	odd := strings.ReplaceAll(written("wedge", wedge), "facet normal 0 0 -1", "facet normal nan - 0")
	_, found, err = read([]byte(odd))
	require.NoError(t, err)
	assert.Empty(t, found)
}

// What is cut short or wrong is refused where it is.
func TestWhatCantBeRead(t *testing.T) {
	whole := packed("", wedge, nil)
	bad := packed("", wedge, nil)
	binary.LittleEndian.PutUint32(bad[headerSize+12:], math.Float32bits(float32(math.NaN())))
	for name, x := range map[string]struct {
		data []byte
		says string
	}{
		"cut":        {whole[:len(whole)-1], "counts 4 facets and has room for 3"},
		"short":      {whole[:20], "ends after 20 bytes"},
		"none":       {packed("", nil, nil), "holds no facets"},
		"no number":  {bad, "facet 1"},
		"text":       {[]byte("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 x\n"), "line 4"},
		"cut text":   {[]byte(written("a", wedge)[:200]), "ends where"},
		"no end":     {[]byte(strings.Replace(written("a", wedge), "endsolid a", "", 1)), "has no end"},
		"other word": {[]byte(strings.Replace(written("a", wedge), "outer", "inner", 1)), "expected “outer”"},
		"empty text": {[]byte("solid a\nendsolid a\n"), "no facets"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := read(x.data)
			var f *fault.Error
			require.ErrorAs(t, err, &f)
			assert.Contains(t, err.Error(), x.says)
		})
	}
	s, found, err := read(append(whole, "and a note"...))
	require.NoError(t, err)
	assert.Len(t, found, 1)
	assert.Equal(t, 4, s.Meshes[0].Triangles())
}

func FuzzRead(f *testing.F) {
	f.Add(packed("solid x", wedge, nil))
	f.Add([]byte(written("wedge", wedge)))
	f.Add(packed("COLOR=abcd", wedge, func(i int) uint16 { return uint16(i) << 13 }))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, _, err := read(data)
		if err != nil {
			require.NotZero(t, fault.KindOf(err), "%v", err)
			return
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	})
}
