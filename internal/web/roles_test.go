package web

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/source"
)

// boulder is one of a name.
func boulder(name string, rings int) *scene.Mesh {
	m := shapetest.Boulder(rings)
	m.Name = name
	return m
}

// Nodes are told by hand what they go on as, many at once; what makes no sense is refused in words.
func TestNodesAreGivenRoles(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("one", 12), boulder("two", 9), boulder("three", 6), boulder("four", 5))
	roles := func() map[string]source.Role { return c.prepNow().Source.Roles }
	c.decide("source", "act", "role", "key", "three", "key", "two", "as", "lod", "of", "one", "n", "", "kind", "")
	assert.Equal(t, map[string]source.Role{"two": {As: source.AsLOD, Of: "one", N: 1},
		"three": {As: source.AsLOD, Of: "one", N: 2}}, roles(), "the one with more triangles comes first")
	c.decide("source", "act", "role", "key", "four", "as", "shape", "of", "one", "n", "", "kind", "hull")
	w := c.get("/assets/1/source")
	has(t, w, "LOD 1 of one")
	has(t, w, "hull to collide with, of one")
	has(t, c.get("/assets/1/lods"), "LOD 2")
	c.decide("source", "act", "keep", "one", "keep two")
	assert.NotContains(t, roles(), "two", "it is a mesh again")
	assert.Contains(t, c.prepNow().Source.Keep, "two")
	c.decide("source", "act", "role", "key", "two", "as", "marker", "of", "", "n", "", "kind", "")
	assert.Equal(t, source.AsMarker, roles()["two"].As)
	for _, bad := range [][]string{
		{"act", "role", "as", "lod", "of", "one", "n", "", "kind", ""},
		{"act", "role", "key", "two", "as", "lod", "of", "", "n", "", "kind", ""},
		{"act", "role", "key", "two", "as", "lod", "of", "nobody", "n", "", "kind", ""},
		{"act", "role", "key", "two", "as", "lod", "of", "one", "n", "77", "kind", ""},
		{"act", "role", "key", "two", "as", "shape", "of", "one", "n", "", "kind", "moon"},
		{"act", "role", "key", "two", "as", "moon", "of", "one", "n", "", "kind", ""},
	} {
		w := c.post("/assets/1/source", c.form(bad...))
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, "%v", bad)
	}
	assert.Len(t, roles(), 3, "nothing of that was kept")
}
