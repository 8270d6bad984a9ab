package format

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// nested is a glTF of a triangle under two nodes of the same scale.
func nested(scale float64) []byte {
	var b []byte
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0} {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
	}
	return fmt.Appendf(nil, `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
		"nodes":[{"name":"hull","scale":[%[1]g,%[1]g,%[1]g],"children":[1]},{"name":"rib","scale":[%[1]g,%[1]g,%[1]g],
			"mesh":0}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
		"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,%[2]s"}],"bufferViews":[{"buffer":0,
			"byteLength":36}],
		"accessors":[{"bufferView":0,"componentType":5126,"count":3,
			"type":"VEC3"}]}`, scale, base64.StdEncoding.EncodeToString(b))
}

// Nested scales multiply: what they come to is refused by the name of the node when no
// receiver could hold it, though each number alone is fine.
func TestNestedScalesBeyondAnyReceiver(t *testing.T) {
	read := func(scale float64) (*scene.Scene, error) {
		s, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.gltf", Data: nested(scale)}}), "a.gltf",
			nil)
		return s, err
	}
	s, err := read(1e14)
	require.NoError(t, err)
	assert.InEpsilon(t, 1e28, s.Bounds().Max[0], 1e-6)
	_, err = read(1e29)
	assert.ErrorContains(t, err, "a.gltf: node “hull/rib” reaches 1e+58 m far")
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	for _, scale := range []float64{1e200, 1e308} {
		_, err = read(scale)
		assert.ErrorContains(t, err, "hull", "%g", scale)
		assert.NotContains(t, err.Error(), "Inf")
		assert.NotContains(t, err.Error(), "NaN")
	}
}

// A size that grew beyond 32 bits in the target's unit is refused, and nothing infinite
// is written.
func TestNothingInfiniteIsWritten(t *testing.T) {
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("x"))
	s.Nodes[0].Local = geom.Linear(geom.Identity3.Scaled(1e37))
	for _, f := range Written {
		for _, to := range target.Shipped {
			sent := s.Carried(geom.Linear(s.Basis.To(to.Basis)))
			sent.Basis = to.Basis
			_, err := Write(context.Background(), scene.Delivery{Scene: sent}, f, "x", to)
			if f.Frame(to).UnitMetres < 1 { // 1e39 of them
				assert.Equal(t, fault.Limit, fault.KindOf(err), "%s for %s: %v", f.ID, to.ID, err)
			} else {
				assert.NoError(t, err, "%s for %s", f.ID, to.ID)
			}
		}
	}
}

// Twenty thousand nodes one in another would need gigabytes for their paths: they are
// counted before they are made, and refused in a sentence. A thousand are fine.
func TestTreesTooDeepAreRefusedBeforeTheyFillTheMemory(t *testing.T) {
	deep := func(n int) []byte {
		var b bytes.Buffer
		b.WriteString(`{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[`)
		for i := range n - 1 {
			fmt.Fprintf(&b, `{"name":"joint of the long crane %d","children":[%d]},`, i, i+1)
		}
		b.WriteString(`{"name":"hook"}]}`)
		return b.Bytes()
	}
	read := func(n int) (*scene.Scene, error) {
		s, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.gltf", Data: deep(n)}}), "a.gltf", nil)
		return s, err
	}
	s, err := read(1000)
	require.NoError(t, err)
	sum := int64(0)
	for _, k := range s.Keys() {
		sum += int64(len(k))
	}
	assert.Equal(t, sum, s.KeyBytes())

	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err = read(20_000)
	runtime.ReadMemStats(&after)
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	assert.ErrorContains(t, err, "a.gltf: has nodes up to 19\u202f999 deep one in another")
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(256<<20))
}

// Instances cost a file nothing and everything else much: too many of them are refused,
// with the mesh that is placed most often named. A mesh that stands once may be as large
// as it likes.
func TestInstancesBeyondCountingAreRefused(t *testing.T) {
	m := &scene.Mesh{Name: "shingle", Points: make([]geom.Vec3, 3), FaceStart: make([]int32, 1, 1001)}
	for i := range 1000 {
		m.Corners = append(m.Corners, 0, 1, 2)
		m.FaceStart = append(m.FaceStart, int32(3*i+3))
	}
	s := &scene.Scene{Meshes: []*scene.Mesh{m}}
	for range placedMost/1000 + 1 {
		s.Nodes = append(s.Nodes, scene.Node{Mesh: 0, Parent: -1})
	}
	require.NoError(t, placed(s, "roof.glb"), "one is the file's own")
	s.Nodes = append(s.Nodes, scene.Node{Mesh: 0, Parent: -1})
	err := placed(s, "roof.glb")
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	for _, part := range []string{"roof.glb", "4 002 instances of “shingle”, which has 1 000",
		"expected at most 4 000 000"} {
		assert.ErrorContains(t, err, strings.ReplaceAll(part, " 0", "\u202f0"))
	}
}

func TestNodesBeyondCountingAreRefused(t *testing.T) {
	assert.NoError(t, counted(&scene.Scene{Nodes: make([]scene.Node, scene.MaxNodes)}, "a.fbx"))
	err := counted(&scene.Scene{Nodes: make([]scene.Node, scene.MaxNodes+1)}, "a.fbx")
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	assert.ErrorContains(t, err, "a.fbx")
}

func TestNodesWithoutANameGetOne(t *testing.T) {
	s := &scene.Scene{Meshes: []*scene.Mesh{{Name: "oar"}, {}}, Nodes: []scene.Node{{Mesh: 0}, {Mesh: 0}, {Mesh: 1},
		{Mesh: -1},
		{Mesh: -1, Name: "oar 1"}}}
	was := s.Nodes
	assert.Equal(t, 4, unnamed(s))
	var names []string
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	assert.Equal(t, []string{"oar 2", "oar 3", "mesh 1", "node 1", "oar 1"}, names)
	assert.Empty(t, was[0].Name, "the scene that came stays as it was")
	assert.Zero(t, unnamed(s))
}
