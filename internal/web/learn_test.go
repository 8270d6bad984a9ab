package web

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

const rightBuoy = "o buoy\nv 0 0 0\nv 1 0 0\nv 0 0 2\nv 0 -1 0\nf 1 2 3\nf 1 2 4\no buoy lod 1\nv 0 0 0\nv 1 0 0\n" +
	"v 0 0 2\nf 5 6 7\n"

// A file that is right somewhere says what is expected there; what is confirmed becomes a target, and nothing else.
func TestATargetFromAFile(t *testing.T) {
	c := newClient(t)
	has(t, c.get("/"), `href="/learn"`)
	has(t, c.get("/learn"), "came out right")
	w := c.upload("/learn", map[string]string{"buoy.obj": rightBuoy})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	at := w.Header().Get("Location")
	page := c.later(at, "Make this target")
	assert.Contains(t, page, "{mesh} lod {n}")
	assert.Contains(t, page, "it says none", "an OBJ says no axes")
	assert.Contains(t, page, "centimetres: 10.0")
	confirmed := url.Values{"name": {"Buoy engine"}, "up": {"+Z"}, "front": {"-Y"}, "hand": {"right"}, "unit": {"cm"},
		"take": {"prefers", "names"}}
	for field, bad := range map[string]string{"up": "north", "unit": "furlong", "front": "-Z", "hand": "both",
		"name": ""} {
		v := url.Values{}
		for k, x := range confirmed {
			v[k] = x
		}
		v[field] = []string{bad}
		assert.GreaterOrEqual(t, c.post(at, v).Code, 400, field)
	}
	drawn := c.post(at+"/engine", url.Values{"up": {"+Z"}, "front": {"-Y"}, "hand": {"left"}, "unit": {"cm"}})
	has(t, drawn, `+Z is up, -Y the front, left-handed"`)
	has(t, c.post(at+"/engine", url.Values{"up": {"+Z"}, "front": {"-Z"}, "hand": {"left"}}), "Front can’t lie along up")
	assert.Equal(t, http.StatusUnprocessableEntity, c.post(at+"/engine", url.Values{"up": {"+Z"}, "front": {"+X"}}).Code)
	w = c.post(at, confirmed)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	assert.Equal(t, "/targets/buoy-engine", w.Header().Get("Location"))
	own, err := c.desk.Target(t.Context(), "buoy-engine", 0)
	require.NoError(t, err)
	assert.Equal(t, geom.Basis{Up: geom.PosZ, Forward: geom.NegY}, own.Basis)
	assert.Equal(t, "obj", own.Prefers)
	assert.Equal(t, "cm", own.Reads.OBJ.Unit.Symbol)
	w = c.post(at+"?begin=1", confirmed)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.True(t, strings.HasPrefix(w.Header().Get("Location"), "/kits/"))

	assert.Equal(t, http.StatusNotFound, c.get("/learn/unheard").Code)
	w = c.upload("/learn", map[string]string{"notes.txt": "no mesh"})
	assert.GreaterOrEqual(t, w.Code, 400)
	w = c.upload("/learn", map[string]string{"empty.obj": "v 0 0 0\n"})
	require.Equal(t, http.StatusSeeOther, w.Code)
	c.later(w.Header().Get("Location"), "Another file")
}

// The first kit gets the target that was chosen for it.
func TestTheFirstKitsTarget(t *testing.T) {
	c := newClient(t)
	page := c.get("/").Body.String()
	for _, id := range []string{"y-up-metres-right", "z-up-centimetres-left", "y-up-metres-left", "z-up-metres-right"} {
		assert.Contains(t, page, `name="first-target" value="`+id+`"`)
	}
	assert.Less(t, c.upload("/start?target=z-up-metres-right", map[string]string{"buoy.obj": rightBuoy}).Code, 400)
	k, err := c.desk.Kit(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "z-up-metres-right", k.Target.ID)
	assert.GreaterOrEqual(t, c.upload("/start?target=unheard", map[string]string{"buoy.obj": rightBuoy}).Code, 400)
}
