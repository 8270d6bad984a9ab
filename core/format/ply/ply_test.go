package ply

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
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
)

func read(files ...string) (*scene.Scene, []finding.Finding, error) {
	var list []bundle.File
	for i := 0; i < len(files); i += 2 {
		list = append(list, bundle.File{Name: files[i], Data: []byte(files[i+1])})
	}
	return Read(context.Background(), bundle.New(list), files[0], nil)
}

// recoded is an ascii file in a binary coding, number by number, by the types its header says.
func recoded(t testing.TB, file string, order binary.AppendByteOrder, name string) string {
	t.Helper()
	h, err := parse("a.ply", []byte(file))
	require.NoError(t, err)
	head := strings.Replace(file[:h.body], "format ascii", "format "+name, 1)
	out := []byte(head)
	put := func(of number, v float64) {
		switch of {
		case int8s, uint8s:
			out = append(out, byte(int64(v)))
		case int16s, uint16s:
			out = order.AppendUint16(out, uint16(int64(v)))
		case int32s, uint32s:
			out = order.AppendUint32(out, uint32(int64(v)))
		case float32s:
			out = order.AppendUint32(out, math.Float32bits(float32(v)))
		default:
			out = order.AppendUint64(out, math.Float64bits(v))
		}
	}
	b := newBody(context.Background(), "a.ply", h, []byte(file), func(_, _ int64) {})
	for _, e := range h.elements {
		require.NoError(t, b.each(e, func(_ int, r *row) error {
			for k, p := range e.props {
				if !p.list {
					put(p.of, r.value[k])
					continue
				}
				put(p.count, float64(len(r.list[k])))
				for _, v := range r.list[k] {
					put(p.of, v)
				}
			}
			return nil
		}))
	}
	return string(out)
}

// roof is two triangles and a quad, with properties in an odd order and of odd types, a table nobody knows, and
// colours.
const roof = `ply
format ascii 1.0
comment made by hand
element rafter 2
property list uchar float lengths
property short kind
element vertex 5
property uchar red
property double z
property float nx
property uchar green
property float y
property float ny
property uchar blue
property float confidence
property float nz
property float x
element face 3
property int flags
property list uchar uint vertex_indices
element edge 1
property int vertex1
property int vertex2
end_header
2 0.5 1.5 7
0 3
255 0 0 128 0 1 0 0.5 0 0
255 0 0 128 0 1 0 0.5 0 2
255 1 0 128 0 1 0 0.5 0 2
255 1 0 128 0 1 0 0.5 0 0
0 0.5 0 0 1 1 255 1 0 1
1 3 0 1 4
2 3 1 2 4
3 4 3 2 1 0
0 1
`

// A file comes in the same from all codings: properties are found by name, whatever their order and type.
func TestCodingsAgree(t *testing.T) {
	crlf := strings.ReplaceAll(roof, "\n", "\r\n")
	for name, file := range map[string]string{
		"ascii": roof, "ascii of another system": crlf,
		"little":       recoded(t, roof, binary.LittleEndian, "binary_little_endian"),
		"big":          recoded(t, roof, binary.BigEndian, "binary_big_endian"),
		"one long row": strings.Replace(roof, "0 3\n255 0", "0 3 255 0", 1),
	} {
		t.Run(name, func(t *testing.T) {
			require.True(t, Is([]byte(file)))
			s, found, err := read("roof.ply", file)
			require.NoError(t, err)
			assert.Empty(t, found)
			require.Len(t, s.Meshes, 1)
			m := s.Meshes[0]
			require.NoError(t, m.Validate())
			assert.Equal(t, []geom.Vec3{{0, 0, 0}, {2, 0, 0}, {2, 0, 1}, {0, 0, 1}, {1, 1, .5}}, m.Points)
			assert.Equal(t, []int32{0, 3, 6, 10}, m.FaceStart)
			assert.Equal(t, []int32{0, 1, 4, 1, 2, 4, 3, 2, 1, 0}, m.Corners)
			assert.Equal(t, m.Corners, m.Normals.Index)
			assert.Equal(t, [3]float32{0, 1, 0}, m.Normals.Values[4])
			assert.Equal(t, [4]float32{1, float32(scene.Linear(128.0 / 255)), 0, 1}, m.Colors.Values[0])
			assert.Equal(t, [4]float32{0, 0, 1, 1}, m.Colors.Values[4])
			left := map[string][]string{}
			for _, l := range s.Left {
				left[l.What] = l.Names
			}
			assert.Equal(t, map[string][]string{"table of the file": {"rafter"}, "edge": nil,
				"property of points": {"confidence"}}, left)
			assert.Equal(t, scene.Assumed, s.UnitHow)
		})
	}
}

// Corners have UVs of their own, faces a picture and a colour, as common tools write them.
func TestWedgesAndPictures(t *testing.T) {
	const file = `ply
format ascii 1.0
comment TextureFile wall.png
comment TextureFile maps/door.png
element vertex 4
property float x
property float y
property float z
property float s
property float t
element face 3
property list uchar int vertex_indices
property list uchar float texcoord
property int texnumber
property uchar red
property uchar green
property uchar blue
end_header
0 0 0 9 9
1 0 0 9 9
1 1 0 9 9
0 1 0 9 9
3 0 1 2 6 0 0 1 0 1 1 0 255 0 0
3 0 2 3 6 0 0 1 1 0 1 1 255 255 255
3 0 1 9 6 0 0 1 0 1 1 0 0 0 0
`
	wall := string(picturetest.PNG(t, picturetest.Painted(4, 2, picturetest.Plain(1, 2, 3, 255))))
	assert.Equal(t, []string{"wall.png", "maps/door.png"}, References(context.Background(), "a.ply", []byte(file)))
	s, found, err := read("a.ply", file, "wall.png", wall)
	require.NoError(t, err)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	require.Len(t, m.UVs, 1)
	assert.Equal(t, [][2]float64{{0, 0}, {1, 0}, {1, 1}, {0, 1}}, m.UVs[0].Values[:4])
	assert.Equal(t, []int32{0, 1, 2, 0, 2, 3}, m.UVs[0].Index)
	assert.Equal(t, []int32{0, 0, 0, 1, 1, 1}, m.Colors.Index)
	assert.Equal(t, []int{0, 1}, []int{m.Material(0), m.Material(1)})
	require.Len(t, s.Materials, 2)
	assert.Equal(t, "wall", s.Materials[0].Name)
	assert.Equal(t, 4, s.Images[0].Width)
	assert.False(t, s.Images[1].Found())
	var codes []string
	for _, f := range found {
		codes = append(codes, f.Code)
	}
	assert.Equal(t, []string{"source/bad-part", "source/missing-picture"}, codes)
}

// Strips turn every other triangle, and end at a negative number.
func TestStrips(t *testing.T) {
	s, _, err := read("a.ply", `ply
format ascii 1.0
element vertex 6
property float x
property float y
property float z
element tristrips 1
property list int int vertex_indices
end_header
0 0 0
0 1 0
1 0 0
1 1 0
2 0 0
2 1 0
9 0 2 1 3 -1 2 4 3 5
`)
	require.NoError(t, err)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	assert.Equal(t, []int32{0, 2, 1, 1, 2, 3, 2, 4, 3, 3, 4, 5}, m.Corners)
	area := 0.0
	for f := range m.Faces() {
		c := m.Corners[3*f:]
		area += m.Points[c[1]].Sub(m.Points[c[0]]).Cross(m.Points[c[2]].Sub(m.Points[c[0]]))[2] / 2
	}
	assert.Equal(t, 2.0, area, "all look up")
}

// Elements may stand in any order; points alone come in as such.
func TestOrderAndPointsAlone(t *testing.T) {
	const points = "element vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
	const face = "element face 2\nproperty list uchar int vertex_index\n"
	const p, f = "0 0 0\n1 0 0\n0 1 0\n", "3 0 1 2\n3 0 1 7\n"
	s, found, err := read("a.ply", "ply\nformat ascii 1.0\n"+face+points+"end_header\n"+f+p)
	require.NoError(t, err)
	assert.Equal(t, []int32{0, 1, 2}, s.Meshes[0].Corners)
	require.NoError(t, s.Meshes[0].Validate())
	assert.Len(t, found, 1)
	s, found, err = read("a.ply", "ply\nformat ascii 1.0\n"+points+"end_header\n0 0 0\nnan 1 0\n1 inf 2\n")
	require.NoError(t, err)
	assert.Equal(t, scene.KindPoints, s.Nodes[0].Kind)
	assert.Len(t, s.Meshes[0].Cloud.Points, 1)
	assert.Equal(t, []string{"source/bad-part", "source/points"}, []string{found[0].Code, found[1].Code})
}

// What is cut short, counts what is not there or is no number is refused where it is, before memory is taken for it.
func TestWhatCantBeRead(t *testing.T) {
	little := recoded(t, roof, binary.LittleEndian, "binary_little_endian")
	head := func(rows string) string {
		return "ply\nformat binary_little_endian 1.0\nelement vertex " + rows +
			"\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
	}
	for name, x := range map[string]struct{ file, says string }{
		"cut":             {little[:len(little)-3], "room for at most 0"},
		"two thousand m":  {head("2000000000"), "room for at most 0"},
		"too many":        {head("99999999999"), "an element needs"},
		"no vertices":     {"ply\nformat ascii 1.0\nend_header\n", "has no element “vertex”"},
		"no end":          {"ply\nformat ascii 1.0\n", "does not end"},
		"version":         {"ply\nformat ascii 2.0\nend_header\n", "the format is ascii 2.0"},
		"unknown type":    {strings.Replace(roof, "property double z", "property fixed z", 1), "line 9"},
		"no number":       {strings.Replace(roof, "255 0 0 128", "255 0 0 half", 1), "green of row 1"},
		"list too long":   {strings.Replace(roof, "1 3 0 1 4", "1 9e9 0 1 4", 1), "can't have 9e+09 entries"},
		"corners no list": {strings.Replace(roof, "property list uchar uint v", "property int v", 1), "are a list"},
		"other line":      {"ply\nfarmat ascii 1.0\n", "is no line of a header"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := read("a.ply", x.file)
			var f *fault.Error
			require.ErrorAs(t, err, &f)
			assert.Contains(t, err.Error(), x.says)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(roof))
	f.Add([]byte(recoded(f, roof, binary.LittleEndian, "binary_little_endian")))
	f.Add([]byte(recoded(f, roof, binary.BigEndian, "binary_big_endian")))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, _, err := read("a.ply", string(data))
		if err != nil {
			require.NotZero(t, fault.KindOf(err), "%v", err)
			return
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	})
}

// BenchmarkRead prints how long a scan of two million triangles takes, in each coding.
func BenchmarkRead(b *testing.B) {
	const n = 1000
	var text strings.Builder
	fmt.Fprintf(&text, "ply\nformat ascii 1.0\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\n"+
		"property uchar red\nproperty uchar green\nproperty uchar blue\nelement face %d\n"+
		"property list uchar int vertex_indices\nend_header\n", n*n, 2*(n-1)*(n-1))
	for i := range n * n {
		x, y := i%n, i/n
		fmt.Fprintf(&text, "%.5f %.5f %.5f %d %d 90\n", float64(x)/100, math.Sin(float64(x*y)/1e5), float64(y)/100,
			x%256, y%256)
	}
	for i := range (n - 1) * (n - 1) {
		a := i/(n-1)*n + i%(n-1)
		fmt.Fprintf(&text, "3 %d %d %d\n3 %d %d %d\n", a, a+1, a+n+1, a, a+n+1, a+n)
	}
	for name, file := range map[string]string{"ascii": text.String(),
		"little": recoded(b, text.String(), binary.LittleEndian, "binary_little_endian")} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(file)))
			for b.Loop() {
				s, _, err := read("a.ply", file)
				require.NoError(b, err)
				require.Equal(b, 2*(n-1)*(n-1), s.Meshes[0].Triangles())
			}
		})
	}
}
