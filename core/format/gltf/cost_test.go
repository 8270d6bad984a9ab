package gltf_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/measure/cost"
	"yarvek/core/shape/shapetest"
)

// What a mesh is said to cost is what is written: the judge counts in the file's own JSON.
func TestVerticesCountedAreThoseWritten(t *testing.T) {
	for seed := range uint64(25) {
		s := shapetest.Scene(seed)
		p, err := gltf.Write(context.Background(), s, pack.Options{Name: "x"})
		require.NoError(t, err)
		data := p.Files[0].Data
		n := binary.LittleEndian.Uint32(data[12:])
		var doc struct {
			Accessors []struct{ Count int }
			Meshes    []struct {
				Primitives []struct {
					Attributes map[string]int
					Indices    int
				}
			}
		}
		require.NoError(t, json.Unmarshal(data[20:20+n], &doc))
		var want cost.Cost
		for _, m := range s.Meshes {
			if m.Faces() > 0 {
				strict, _ := m.Strict()
				want = want.Add(cost.Of(context.Background(), strict))
			}
		}
		vertices, triangles, calls := 0, 0, 0
		for _, m := range doc.Meshes {
			for _, q := range m.Primitives {
				vertices += doc.Accessors[q.Attributes["POSITION"]].Count
				triangles += doc.Accessors[q.Indices].Count / 3
				calls++
			}
		}
		assert.Equal(t, vertices, want.Vertices, "scene %d", seed)
		assert.Equal(t, triangles, want.Triangles)
		assert.Equal(t, calls, want.DrawCalls)
		assert.Equal(t, want.Vertices, want.Points+want.Splits.All())
	}
}
