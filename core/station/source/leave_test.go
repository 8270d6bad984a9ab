package source_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/shape"
	"yarvek/core/station/source"
)

func TestLeavingNodesBehindByName(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post(), preptest.Post(), preptest.Post())
	s.Nodes[1].Parent, s.Nodes[2].Parent = 0, 1
	s.Nodes[2].Local = geom.Translation(geom.Vec3{0, 0, 9})
	keys := s.Keys()
	assert.Equal(t, []string{"post", "post/post", "post/post/post"}, keys)
	r := preptest.Run(t, s, prep.Prep{Source: source.Decisions{Leave: []string{"post", "post/post", "gone"}}},
		preptest.YUp)
	assert.Equal(t, 1, r.Source.Kept)
	assert.Equal(t, []string{"gone"}, r.Source.Lost())
	require.Len(t, preptest.After(t, r, "source").Nodes, 3,
		"those left stay as empty nodes, so that the third stands where it stood")
	assert.Equal(t, s.NodeBounds()[2], preptest.After(t, r, "source").NodeBounds()[2])
	r = preptest.Run(t, s, prep.Prep{Source: source.Decisions{Leave: keys}}, preptest.YUp)
	assert.Equal(t, finding.MustFix, preptest.Find(t, r.Source.Findings(), "source/nothing").Severity)
}
