package gltf

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/draco"
	"yarvek/core/format/meshopt"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// stream finds one of the streams made by an independent encoder (tools/packed); how they
// decode is tried beside the decoders.
func stream(t testing.TB, pkg, name string) (data []byte) {
	all, err := os.ReadFile("../" + pkg)
	require.NoError(t, err)
	var streams []struct {
		Name string
		Data []byte
	}
	require.NoError(t, json.Unmarshal(all, &streams))
	for _, s := range streams {
		if s.Name == name {
			return s.Data
		}
	}
	require.Fail(t, "no such stream", name)
	return nil
}

// packedDoc is a document with a compressed mesh: accessors without bytes, and the stream.
func packedDoc(data []byte, m *draco.Mesh) []byte {
	names := map[draco.Kind]string{draco.Position: "POSITION", draco.Normal: "NORMAL", draco.TexCoord: "TEXCOORD_0",
		draco.Color: "COLOR_0"}
	kinds := [...]string{1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
	var attrs, packed, accs []string
	for i, a := range m.Attributes {
		component, norm := typeFloat32, false
		if a.Type == draco.Uint8 {
			component, norm = typeUint8, true
		}
		attrs = append(attrs, fmt.Sprintf(`"%s":%d`, names[a.Kind], i))
		packed = append(packed, fmt.Sprintf(`"%s":%d`, names[a.Kind], a.ID))
		accs = append(accs, fmt.Sprintf(`{"componentType":%d,"normalized":%v,"count":%d,"type":"%s"}`, component, norm,
			m.Points, kinds[a.Components]))
	}
	accs = append(accs, fmt.Sprintf(`{"componentType":5125,"count":%d,"type":"SCALAR"}`, len(m.Corners)))
	return withBuffer(data, oneNode+fmt.Sprintf(`"extensionsRequired":["KHR_draco_mesh_compression"],
		"bufferViews":[{"buffer":0,"byteLength":%d}],"accessors":[%s],"meshes":[{"primitives":[{"attributes":{%s},
			"indices":%d,
		"extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{%s}}}}]}]`,
		len(data), strings.Join(accs, ","), strings.Join(attrs, ","), len(m.Attributes), strings.Join(packed, ",")))
}

// A mesh compressed as a whole has in its layers what the decoder gives, with the wrapping
// of glTF about it: v from the other side, bytes as shares of one.
func TestCompressedMeshesComeIn(t *testing.T) {
	for _, name := range []string{"torus, edges, speed 1, layers pnu, 11 bits",
		"coloured, list, speed 0, layers pnu, 11 bits"} {
		data := stream(t, "draco/testdata/meshes.json", name)
		m, err := draco.Decode(context.Background(), data, 1<<20)
		require.NoError(t, err)
		s, found, err := readDocument(packedDoc(data, m))
		require.NoError(t, err)
		assert.Empty(t, found)
		assert.Empty(t, s.Left)
		got := s.Meshes[0]
		require.NoError(t, got.Validate())
		require.Equal(t, m.Corners, got.Corners, name)
		for _, a := range m.Attributes {
			for c, p := range m.Corners {
				v := a.Values[int(a.Entry[p])*a.Components : int(a.Entry[p]+1)*a.Components]
				switch a.Kind {
				case draco.Position:
					require.Equal(t, geom.Vec3(v), got.Points[got.Corners[c]])
				case draco.Normal:
					require.InDelta(t, v[2], float64(got.Normals.Values[got.Normals.Index[c]][2]), 1e-6)
				case draco.TexCoord:
					require.Equal(t, [2]float64{v[0], 1 - v[1]}, got.UVs[0].Values[got.UVs[0].Index[c]])
				case draco.Color:
					require.InDelta(t, v[1]/255, float64(got.Colors.Values[got.Colors.Index[c]][1]), 1e-6)
				}
			}
		}
	}
}

// A compressed mesh that is damaged, or whose accessors tell another size, is left out with
// its place; when nothing else is there the file is refused.
func TestDamagedCompressedMeshes(t *testing.T) {
	data := stream(t, "draco/testdata/meshes.json", "box, edges, speed 1, layers pnu, 11 bits")
	m, err := draco.Decode(context.Background(), data, 1<<20)
	require.NoError(t, err)
	_, _, err = readDocument(packedDoc(data[:len(data)-9], m))
	assert.ErrorContains(t, err, "compressed in buffer view 0")
	assert.ErrorContains(t, err, "export the mesh again")
	m.Points++
	_, _, err = readDocument(packedDoc(data, m))
	assert.ErrorContains(t, err, "its compressed mesh has")
	old := append([]byte(nil), data...)
	old[6] = 1
	_, _, err = readDocument(packedDoc(old, m))
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
}

// viewsDoc is a document whose points and triangles lie in compressed views; they
// name a second buffer, which has no bytes.
func viewsDoc(points, triangles []byte, count, corners int) []byte {
	view := `{"buffer":1,"byteLength":%d,"extensions":{"EXT_meshopt_compression":{"buffer":0,"byteOffset":%d,
		"byteLength":%d,"byteStride":%d,
		"count":%d,"mode":"%s"}}}`
	doc := withBuffer(append(append([]byte(nil), points...), triangles...),
		oneNode+`"extensionsRequired":["EXT_meshopt_compression"],
		"bufferViews":[`+fmt.Sprintf(view, 12*count, 0, len(points), 12, count, "ATTRIBUTES")+`,`+
			fmt.Sprintf(view, 4*corners, len(points), len(triangles), 4, corners, "TRIANGLES")+`],
		"accessors":[{"bufferView":0,"componentType":5126,"count":`+fmt.Sprint(count)+`,"type":"VEC3"},
		{"bufferView":1,"componentType":5125,"count":`+fmt.Sprint(corners)+`,"type":"SCALAR"}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}]`)
	return []byte(strings.Replace(string(doc), `"}],"scene"`,
		`"},{"byteLength":99999,"extensions":{"EXT_meshopt_compression":{"fallback":true}}}],"scene"`, 1))
}

func TestCompressedViewsComeIn(t *testing.T) {
	points := stream(t, "meshopt/testdata/streams.json", "floats v0 level 2")
	triangles := stream(t, "meshopt/testdata/streams.json", "triangles grid")
	const count, corners = 600, 12 * 12 * 6
	s, found, err := readDocument(viewsDoc(points, triangles, count, corners))
	require.NoError(t, err)
	assert.Empty(t, found)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	plain, err := meshopt.Decode(points, meshopt.Attributes, meshopt.None, count, 12)
	require.NoError(t, err)
	require.Len(t, m.Points, count)
	assert.Equal(t, component(plain[12*77+4:], typeFloat32, false), m.Points[77][1])
	assert.Equal(t, []int32{0, 1, 13, 13, 1, 14}, m.Corners[:6])

	bad := append([]byte(nil), points...)
	bad[0] = 7
	_, _, err = readDocument(viewsDoc(bad, triangles, count, corners))
	assert.ErrorContains(t, err, "does not begin with a0")
	_, _, err = readDocument(viewsDoc(points, triangles, 1<<29, corners))
	assert.ErrorContains(t, err, "far more than the file has bytes for")
}

// A buffer that is cut short leaves out the parts that lie beyond, not the file.
func TestACutBufferLeavesOutItsParts(t *testing.T) {
	b := le([]float32{0, 0, 0, 1, 0, 0, 0, 1, 0}, []float32{0, 0, 1, 1})
	doc := withBuffer(b, oneNode+`"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,
		"byteLength":36}],
		"images":[{"bufferView":1,"mimeType":"image/png"}],
		"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5126,
			"count":3,"type":"VEC3"}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":0}},{"attributes":{"POSITION":1}}]}]`)
	doc = []byte(strings.Replace(string(doc), fmt.Sprintf(`"byteLength":%d,"uri"`, len(b)), `"byteLength":72,"uri"`, 1))
	s, found, err := readDocument(doc)
	require.NoError(t, err)
	assert.Equal(t, 1, s.Count().Triangles)
	require.Len(t, found, 3)
	for _, f := range found {
		assert.Equal(t, finding.MustFix, f.Severity)
	}
	assert.Contains(t, found[0].Title, "cut short")
	assert.Contains(t, found[1].Title, "Picture 0")
	assert.Contains(t, found[2].Title, "Part 1")
	assert.Contains(t, found[2].Text, "bytes 36 to 72 of a buffer of 52")
}

// Compressed pictures go as they are, by the extension that carries them, and come back.
func TestCompressedPicturesAreCarried(t *testing.T) {
	ktx := append([]byte("\xabKTX 20\xbb\r\n\x1a\n"), le([]uint32{0, 1, 64, 32, 0, 0, 1, 1, 1})...)
	native := append([]byte(nil), ktx...)
	native[12] = 147 // a format of its own, which the extension has no place for
	dds := append([]byte("DDS "), le([]uint32{124, 0, 16, 8, 0, 0, 0})...)
	for name, c := range map[string]struct {
		data      []byte
		extension string
	}{"basis": {ktx, "KHR_texture_basisu"}, "dds": {dds, "MSFT_texture_dds"}, "native": {native, ""}} {
		s := lantern()
		s.Images[0] = scene.Image{Name: name, Data: c.data}
		picture.Describe(&s.Images[0])
		p, err := Write(context.Background(), s, pack.Options{Name: "x"})
		require.NoError(t, err)
		assert.Equal(t, c.extension != "", bytes.Contains(p.Files[0].Data, c.data), "%s: byte for byte", name)
		assert.Equal(t, c.extension != "",
			bytes.Contains(p.Files[0].Data, []byte(`"extensionsRequired":["`+c.extension+`"]`)), name)
		assert.NotEmpty(t, p.Changes, name)
		got, found, err := Read(context.Background(), bundle.New(p.Files), "x.glb", nil)
		require.NoError(t, err)
		assert.Empty(t, found)
		if c.extension == "" {
			continue
		}
		kept := false
		for _, im := range got.Images {
			kept = kept || bytes.Equal(im.Data, c.data) && im.Width == s.Images[0].Width
		}
		assert.True(t, kept, name)
	}
}
