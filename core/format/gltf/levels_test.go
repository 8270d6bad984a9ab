package gltf

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/scene"
)

// Levels become a group that holds the node and those that take its place; what can't be meant is
// told, and the node comes in without them.
func TestLevelsBecomeAGroup(t *testing.T) {
	triangle := le(float32(0), float32(0), float32(0), float32(1), float32(0), float32(0), float32(0), float32(1),
		float32(0))
	doc := func(nodes, scenes string) []byte {
		return withBuffer(triangle,
			fmt.Sprintf(`"bufferViews":[{"buffer":0,"byteLength":36}],"accessors":[{"bufferView":0,"componentType":5126,
				"count":3,`+
				`"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
					"nodes":[%s]%s`, nodes, scenes))
	}
	const first = `{"name":"post","mesh":0,"extensions":{"MSFT_lod":{"ids":%s}},"extras":{"MSFT_screencoverage":%s}}`
	const rest = `,{"name":"post far","mesh":0,"translation":[0,2,0]},{"name":"post farther","mesh":0}`
	for _, c := range []struct {
		name, ids, coverage, scenes string
		levels                      int
		shares                      int
	}{
		{"as meant", "[1,2]", "[0.5,0.2,0.01]", `,"scene":0,"scenes":[{"nodes":[0]}]`, 3, 3},
		{"without a scene", "[1,2]", "[0.5]", "", 3, 1},
		{"shares beyond bounds", "[1,2]", "[5,0.2]", `,"scenes":[{"nodes":[0]}]`, 3, 0},
		{"a node that is not there", "[1,7]", "[0.5]", `,"scenes":[{"nodes":[0]}]`, 0, 0},
		{"itself", "[0]", "[0.5]", `,"scenes":[{"nodes":[0]}]`, 0, 0},
		{"twice", "[1,1]", "[0.5]", `,"scenes":[{"nodes":[0]}]`, 0, 0},
		{"one of the scene's own", "[1]", "[0.5]", `,"scenes":[{"nodes":[0,1]}]`, 0, 0},
		{"no list", `"many"`, "[0.5]", `,"scenes":[{"nodes":[0]}]`, 0, 0},
	} {
		s, found, err := read(t, "post.gltf", doc(fmt.Sprintf(first, c.ids, c.coverage)+rest, c.scenes))
		require.NoError(t, err, c.name)
		group, levels := -1, 0
		for i, n := range s.Nodes {
			if n.Kind == scene.KindLOD {
				group = i
				assert.Len(t, n.Coverage, c.shares, c.name)
			}
		}
		for _, n := range s.Nodes {
			if group >= 0 && n.Parent == group {
				levels++
				assert.Equal(t, []string{"post", "post far", "post farther"}[levels-1], n.Name, c.name)
			}
		}
		assert.Equal(t, c.levels, levels, c.name)
		told := false
		for _, f := range found {
			told = told || f.Code == "source/gltf-levels" && f.Severity == finding.Look
		}
		assert.Equal(t, c.levels == 0, told, "%s: %v", c.name, found)
	}
}
