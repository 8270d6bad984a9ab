package web

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// A packing list says what every file is by its digest, what every thing in it was called, and what stayed behind and
// why; as a page and as JSON.
func TestAPackingListSaysEverything(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("one", 12), boulder("two", 9), boulder("spare", 5), boulder("touch", 5))
	c.decide("source", "act", "role", "key", "two", "as", "lod", "of", "one", "n", "", "kind", "")
	c.decide("source", "act", "role", "key", "touch", "as", "shape", "of", "one", "n", "", "kind", "hull")
	c.decide("source", "act", "leave", "key", "spare")
	c.decide("source", "act", "name", "key", "one", "name", "stone")
	w := c.post("/assets/1/export/send", c.form("target", ""))
	require.Less(t, w.Code, 400, w.Body.String())
	var sent work.Sent
	require.Eventually(t, func() bool {
		list, _, err := c.desk.Exports(t.Context(), 1, 1, 0, 10)
		if err == nil && len(list) == 1 {
			sent = list[0]
		}
		return len(list) == 1
	}, time.Minute, 20*time.Millisecond)
	file := c.get("/exports/1/file").Body.Bytes()
	sum := sha256.Sum256(file)
	var got struct {
		Packing work.Packing
		File    string
		Arrived bool
	}
	w = c.get("/exports/1/packing.json")
	require.Equal(t, http.StatusOK, w.Code)
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &got))
	assert.Equal(t, sent.Name, got.File)
	assert.True(t, got.Arrived)
	require.Len(t, got.Packing.Files, 1)
	assert.Equal(t, hex.EncodeToString(sum[:]), got.Packing.Files[0].SHA)
	by := map[string]string{}
	for _, x := range got.Packing.Contents {
		by[x.Sort] += x.Name + " was " + x.Was + "; " + x.Why + "; "
	}
	assert.Equal(t, "stone was one; named at Source; ", by["mesh"])
	assert.Contains(t, by["LOD"], "stone lod 1")
	assert.Contains(t, by["collision"], "stone solid hull 01")
	require.Len(t, got.Packing.Left, 1)
	assert.Equal(t, work.LeftBehind{Sort: "nodes", Count: 1, Names: []string{"spare"}, Why: "left out by you"},
		got.Packing.Left[0])
	page := c.get("/exports/1/packing")
	for _, want := range []string{"stone lod 1", "named at Source", "left out by you", hex.EncodeToString(sum[:])} {
		has(t, page, want)
	}
	table := c.get("/exports/1/everywhere")
	for _, target := range target.Shipped {
		has(t, table, target.Name)
	}
	has(t, table, "upright")
	has(t, table, "<strong>"+target.Shipped[0].Name+"</strong>")
	assert.NotContains(t, table.Body.String(), "mirrored", "a GLB says how it stands, and they honour it")
	assert.Equal(t, http.StatusNotFound, c.get("/exports/77/everywhere").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/exports/77/packing").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/exports/77/packing.json").Code)
}

// What must be fixed first leaves with a written reason alone, which stands on its list.
func TestHeldExportsLeaveWithAReason(t *testing.T) {
	c := newClient(t)
	big := shapetest.Boulder(6)
	big.Name = "cairn"
	for i := range big.Points {
		big.Points[i] = big.Points[i].Mul(100)
	}
	c.bringScene("cairn", big)
	c.decide("size", "act", "entries", "section", "class", "class", "hand-prop")
	has(t, c.get("/assets/1/export"), "Why it may leave all the same")
	w := c.post("/assets/1/export/send", c.form("target", "", "reason", " "))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	has(t, w, "must be fixed first, so nothing was sent")
	list, _, err := c.desk.Exports(t.Context(), 1, 1, 0, 10)
	require.NoError(t, err)
	assert.Empty(t, list)
	w = c.post("/assets/1/export/send", c.form("target", "", "reason", "It is meant to be a <hill>"))
	require.Less(t, w.Code, 400)
	require.Eventually(t, func() bool {
		list, _, err = c.desk.Exports(t.Context(), 1, 1, 0, 10)
		return err == nil && len(list) == 1
	}, time.Minute, 20*time.Millisecond)
	assert.Equal(t, "It is meant to be a <hill>", list[0].Packing.Released.Reason)
	assert.NotEmpty(t, list[0].Packing.Released.Findings)
	has(t, c.get("/exports/1/packing"), "It is meant to be a &lt;hill&gt;")
	assert.Equal(t, http.StatusUnprocessableEntity,
		c.post("/assets/1/export/send", c.form("target", "", "reason", strings.Repeat("x", 401))).Code)
}

// The same decisions on the same source give the same bytes, whatever was decided since; where they do not, that is
// said.
func TestAnExportIsMadeAgain(t *testing.T) {
	c := newClient(t)
	c.bringSlots("oak", "iron")
	c.decide("export", "act", "entries", "section", "leaves", "format", "obj")
	require.Less(t, c.post("/assets/1/export/send", c.form("target", "")).Code, 400)
	require.Eventually(t, func() bool {
		list, _, err := c.desk.Exports(t.Context(), 1, 1, 0, 10)
		return err == nil && len(list) == 1
	}, time.Minute, 20*time.Millisecond)
	again := func() string {
		t.Helper()
		w := c.post("/exports/1/again", nil)
		require.Equal(t, http.StatusSeeOther, w.Code)
		at := w.Header().Get("Location")
		body := ""
		require.Eventually(t, func() bool {
			body = c.get(at).Body.String()
			return strings.Contains(body, "just now") || strings.Contains(body, "be made again.")
		}, time.Minute, 20*time.Millisecond)
		return body
	}
	assert.Contains(t, again(), "the same bytes")
	has(t, c.get("/exports/1/everywhere"), "mirrored") // an OBJ says nothing, so that each takes it as its own
	c.decide("size", "act", "entries", "section", "fit", "factor", "3")
	before := c.get("/assets/1/size").Body.String()
	assert.Contains(t, again(), "the same bytes", "what was decided since does not count")
	assert.Equal(t, before, c.get("/assets/1/size").Body.String(), "and nothing of it is noted")
	// The kit's map of slots is another since.
	require.Less(t, c.post("/kits/1/slots", c.form("map", "oak => elm", "back", "/assets/1/slots")).Code, 400)
	w := c.post("/exports/1/again", nil)
	require.Eventually(t, func() bool {
		return strings.Contains(c.get(w.Header().Get("Location")).Body.String(), "comes out otherwise")
	}, time.Minute, 20*time.Millisecond)
	assert.Equal(t, http.StatusNotFound, c.post("/exports/77/again", nil).Code)
	assert.Equal(t, http.StatusNotFound, c.get("/exports/1/again/nothing").Code)
}
