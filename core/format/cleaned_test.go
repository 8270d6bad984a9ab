package format

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/naming"
)

// Names of a file are what they look like, whichever list they stand in, and that is told.
func TestNamesOfFilesAreWhatTheyLookLike(t *testing.T) {
	obj := "o cr\u200bate\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl oak\u202egnp\nf 1 2 3\no \u200b\nusemtl oak\nf 1 2 3\n"
	set := bundle.New([]bundle.File{{Name: "a.obj", Data: []byte(obj)}})
	s, found, err := Read(context.Background(), set, "a.obj", nil)
	require.NoError(t, err)
	var names []string
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	for _, m := range s.Meshes {
		names = append(names, m.Name)
	}
	names = append(names, s.SlotNames()...)
	for _, n := range names {
		assert.NoError(t, naming.Plain(n), "%q", n)
		assert.NotEmpty(t, n)
	}
	assert.Contains(t, names, "crate")
	assert.Contains(t, names, "oakgnp")
	said := false
	for _, f := range found {
		said = said || f.Code == "source/unseen-letters"
	}
	assert.True(t, said)
}
