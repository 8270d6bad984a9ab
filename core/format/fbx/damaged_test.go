package fbx

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
)

// Indices of 64 bits whose lower 32 would be those of other points are refused, not cut.
func TestIndicesOf64BitsAreNotCut(t *testing.T) {
	for _, c := range []struct {
		at   int64
		fine bool
	}{{1, true}, {1 + 1<<32, false}, {1 << 62, false}, {-2 - 1<<32, false}} {
		w := &writer{ctx: context.Background(), opt: pack.Options{Name: "x", Basis: geom.GLTF, UnitMetres: 1}, s: hut(),
			objects: rec("Objects"), links: rec("Connections"), next: 1}
		w.pictures()
		w.materials()
		w.nodes()
		tree := w.tree(7500)
		wide := 0
		var widen func(rs []*record)
		widen = func(rs []*record) {
			for _, r := range rs {
				if r.name == "PolygonVertexIndex" {
					var b []float64 // their bits are written as they are, and named indices of 64 bits below
					for i, v := range r.props[0].([]int32) {
						if i == 1 {
							b = append(b, math.Float64frombits(uint64(c.at)))
							continue
						}
						b = append(b, math.Float64frombits(uint64(int64(v))))
					}
					r.props[0] = b
					wide++
				}
				widen(r.subs)
			}
		}
		widen(tree)
		require.Positive(t, wide)
		data, err := encodeBinary(context.Background(), tree, 7500)
		require.NoError(t, err)
		data = bytes.ReplaceAll(data, []byte("PolygonVertexIndexd"), []byte("PolygonVertexIndexl"))
		_, _, err = read(t, data)
		if c.fine {
			assert.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, "sits on point", "%d", c.at)
		}
	}
}

func TestBadFilesAreRefusedWithTheirPlace(t *testing.T) {
	p, err := Write(context.Background(), hut(), pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	good := p.Files[0].Data
	version := bytes.Clone(good)
	version[23], version[24] = 0x10, 0x27
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"header only":     {good[:20], "byte 20: the FBX ends within its header"},
		"unknown version": {version, "byte 23: is FBX version 10000"},
		"corner nowhere": {[]byte(strings.Replace(text7, "0,1,2,-4,0,-2", "0,1,2,-4,0,-9", 1)),
			"line 27: geometry “plank”: corner 5 sits on point 8, and there are 5"},
		"corner beyond 32 bits": {[]byte(strings.Replace(text7, "0,1,2,-4,0,-2", "0,1,2,-4,0,-4294967298", 1)),
			"line 27: geometry “plank”: corner 5 sits on point 2147483647, and there are 5"},
		"not whole":        {[]byte(strings.Replace(text7, "2,2,2", "2,2", 1)), "no whole number of points"},
		"locale":           {[]byte(strings.Replace(text6, "0,0,0,100", "0,0,x", 1)), ""},
		"open text":        {[]byte(text6[:300]), "line"},
		"unclosed quote":   {[]byte(text6 + `Takes: "x`), "not closed by a quotation mark"},
		"neither":          {[]byte("; FBX\nhello: 1\n"), "neither an FBX header nor objects"},
		"not finite":       {[]byte(strings.Replace(text6, "0,0,0,100", "0,0,1e999,100", 1)), "expected a number"},
		"a billion claims": {bytes.Replace(good, []byte("Vertices"), []byte("Vertices"), 1)[:200], "byte"},
	} {
		_, _, err := read(t, c.data)
		if name == "locale" && err == nil {
			continue
		}
		var e *fault.Error
		require.ErrorAs(t, err, &e, name)
		assert.ErrorContains(t, err, c.want, name)
	}
}

// A geometry that can't be read is left out and named; the rest comes in.
func TestOneBadGeometryIsNotABadFile(t *testing.T) {
	sheet := func(n int) *record {
		var pts []float64
		var corners []int32
		for i := range n {
			pts = append(pts, float64(i), 0, 0, float64(i), 1, 0, float64(i), 0, 1)
			corners = append(corners, int32(3*i), int32(3*i+1), ^int32(3*i+2))
		}
		return rec("Geometry", int64(n), fmt.Sprintf("sheet %d\x00\x01Geometry", n), "Mesh").
			add(rec("Vertices", pts), rec("PolygonVertexIndex", corners))
	}
	file := func(meshes ...*record) []byte {
		objects, joins := rec("Objects"), rec("Connections")
		for i, m := range meshes {
			objects.add(m, rec("Model", int64(100+i), fmt.Sprintf("node %d\x00\x01Model", i), "Mesh"))
			joins.add(rec("C", "OO", m.props[0], int64(100+i)), rec("C", "OO", int64(100+i), int64(0)))
		}
		data, err := encodeBinary(context.Background(), []*record{objects, joins}, 7400)
		require.NoError(t, err)
		return data
	}
	good, other := sheet(400), sheet(300)
	whole := file(good, other)
	s, found, err := read(t, whole)
	require.NoError(t, err)
	require.Equal(t, 700, s.Count().Triangles)
	clean := len(found)

	nowhere := sheet(50)
	nowhere.subs[1].props[0].([]int32)[4] = 999
	s, found, err = read(t, file(nowhere, good))
	require.NoError(t, err)
	assert.Equal(t, 400, s.Count().Triangles)
	require.Len(t, found, clean+1)
	bad := found[len(found)-1]
	assert.Equal(t, finding.MustFix, bad.Severity)
	assert.Equal(t, "The mesh of “node 0” can't be read and was left out", bad.Title)
	assert.Contains(t, bad.Text, "corner 4 sits on point 999")

	// Bytes of the first packed array are damaged, in every place of it in turn.
	at := bytes.Index(whole, []byte("Vertices")) + len("Vertices") + 13
	for k := 2; k < 60; k++ {
		damaged := bytes.Clone(whole)
		damaged[at+k] ^= 0x5a
		s, _, err := read(t, damaged)
		require.NoError(t, err)
		require.Equal(t, 300, s.Count().Triangles, "byte %d", k)
	}
	_, _, err = read(t, file(nowhere))
	assert.ErrorContains(t, err, "corner 4 sits on point 999")
}

// A small file of arrays that unpack a thousandfold is stopped, not unpacked.
func TestAFileMadeToFillMemoryIsStopped(t *testing.T) {
	zeros := make([]float64, 4<<20)
	objects := rec("Objects")
	for range 20 {
		objects.add(rec("Geometry", int64(1), "x", "Mesh").add(rec("Vertices", zeros)))
	}
	data, err := encodeBinary(context.Background(), []*record{objects}, 7400)
	require.NoError(t, err)
	require.Less(t, len(data), 8<<20)
	_, _, err = read(t, data)
	assert.ErrorContains(t, err, "an array claims 4194304 entries")
}

// A sample cut at any place is refused with its place, and never panics.
func TestCutAnywhere(t *testing.T) {
	p, err := Write(context.Background(), hut(), pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	good := p.Files[0].Data
	body := bytes.LastIndex(good, footID)
	r := rand.New(rand.NewPCG(1, 1))
	for range 400 {
		n := r.IntN(body - 13)
		_, _, err := read(t, good[:n])
		if n < 18 {
			continue // too little left to be told from anything
		}
		var e *fault.Error
		require.ErrorAs(t, err, &e, "cut at %d", n)
	}
	for i := range len(text7) - 1 {
		_, _, _ = read(t, []byte(text7[:i]))
	}
}

func FuzzRead(f *testing.F) {
	p, _ := Write(context.Background(), hut(), pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 1})
	f.Add(p.Files[0].Data)
	f.Add([]byte(text7))
	f.Add([]byte(text6))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			t.Skip()
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		start := time.Now()
		s, _, err := read(t, data)
		if time.Since(start) > 20*time.Second {
			t.Fatalf("took %v", time.Since(start))
		}
		if runtime.ReadMemStats(&after); after.TotalAlloc-before.TotalAlloc > 256<<20 {
			t.Fatalf("took %d MB for %d bytes", (after.TotalAlloc-before.TotalAlloc)>>20, len(data))
		}
		// A brief look may pass over damage, and never panics.
		brief, _, lookErr := ReadBrief(context.Background(), bundle.New([]bundle.File{{Name: "a.fbx", Data: data}}),
			"a.fbx", nil)
		if lookErr == nil {
			for _, m := range brief.Meshes {
				if err := m.Validate(); err != nil {
					t.Fatal(err)
				}
			}
		}
		if err != nil {
			return
		}
		for _, m := range s.Meshes {
			if err := m.Validate(); err != nil {
				t.Fatal(err)
			}
		}
		if s.Count().Triangles > 1<<20 {
			return
		}
		if _, err := Write(context.Background(), s,
			pack.Options{Name: "x", Basis: s.Basis, UnitMetres: s.UnitMetres}); err != nil {
			t.Fatal(err)
		}
	})
}
