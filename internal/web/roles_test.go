package web

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

// A target learns the names of an asset whose roles were decided; another asset with such names needs none decided.
func TestATargetLearnsNames(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("stone", 12), boulder("stone~1", 9), boulder("stone~2", 6), boulder("bump-stone-1", 5))
	c.decide("source", "act", "role", "key", "stone~1", "key", "stone~2", "as", "lod", "of", "stone", "n", "", "kind", "")
	c.decide("source", "act", "role", "key", "bump-stone-1", "as", "shape", "of", "stone", "n", "", "kind", "hull")
	w := c.post("/assets/1/learn", nil)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	id := strings.TrimPrefix(w.Header().Get("Location"), "/targets/")
	to, err := c.desk.Target(t.Context(), id, 0)
	require.NoError(t, err)
	assert.Equal(t, "{mesh}~{n}", to.Names.LOD)
	assert.Equal(t, "bump-{mesh}-{n}", to.Names.Solid)
	require.NoError(t, c.desk.SetTarget(t.Context(), 1, id, 0))
	for range 2 { // what was decided is not needed any more
		require.Less(t, c.post("/assets/1/undo", c.form("station", "source")).Code, 400)
	}
	o, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Empty(t, o.Prep.Source.Roles)
	assert.Len(t, o.Result.Source.Hand, 2, "its names say it now")
	require.Len(t, o.Result.Source.Solids, 1)
	assert.Equal(t, "hull", o.Result.Source.Solids[0].Kind)
}
