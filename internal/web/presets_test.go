package web

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/station/export"
	"yarvek/internal/work"
)

// next takes another mesh into the first kit.
func (c *client) next(name string) int64 {
	c.t.Helper()
	u := c.desk.NewUpload()
	require.NoError(c.t, u.Add(name, strings.NewReader(quayText)))
	job, err := c.desk.TakeIn(c.t.Context(), 1, u)
	require.NoError(c.t, err)
	<-job.Done()
	in, ok := job.State().Outcome.(*work.Intake)
	require.True(c.t, ok, "%v", job.State().Err)
	require.Len(c.t, in.Came, 1)
	return in.Came[0].Asset.ID
}

// file sends a form with one file and a way back.
func (c *client) file(path, text, back string) *httptest.ResponseRecorder {
	c.t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	require.NoError(c.t, m.WriteField("back", back))
	w, err := m.CreateFormFile("file", "quay.preset.json")
	require.NoError(c.t, err)
	_, err = w.Write([]byte(text))
	require.NoError(c.t, err)
	require.NoError(c.t, m.Close())
	r := httptest.NewRequest(http.MethodPost, path, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	return c.send(r)
}

// A way to send is kept under a name, used on another asset without its name, given as a file and taken in again,
// begun with by new assets, and gone back from to the target's own; none of it moves the artist elsewhere.
func TestPresets(t *testing.T) {
	c := newClient(t)
	first := c.bring("bollard.obj", quayText)
	back := assetPath(first) + "/export"
	c.decide("export", "act", "entries", "section", "leaves", "format", "fbx", "folder", "props/{class}", "name",
		"a bollard", "triangles", "yes")
	require.Equal(t, "fbx", c.prepNow().Export.Format)
	own, err := decisionsJSON(c.prepNow().Export)
	require.NoError(t, err)
	w := c.post("/kits/1/presets", url.Values{"name": {"Quay props"}, "decisions": {own}, "back": {back}})
	require.Equal(t, back, w.Header().Get("Location"), w.Body.String())
	want := export.Decisions{Format: "fbx", Folder: "props/{class}", Triangles: true}
	list, err := c.desk.Presets(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, want, list[0].Export, "one asset's own name is none of it")
	page := c.get(back)
	has(t, page, `aria-pressed="true" title="Export as FBX`)

	c.decide("export", "act", "as", "decisions", "{}")
	assert.Equal(t, export.Decisions{}, c.prepNow().Export, "back to the target's own by one press")

	file := c.get("/kits/1/presets/1.json")
	assert.Contains(t, file.Header().Get("Content-Disposition"), "Quay_props.preset.json")
	name, by, err := export.ParsePreset(file.Body.Bytes())
	require.NoError(t, err)
	assert.Equal(t, "Quay props", name)
	assert.Equal(t, want, by)

	require.Less(t, c.post("/kits/1/presets/1/standard", url.Values{"back": {back}}).Code, 400)
	second := c.next("cleat.obj")
	p, err := c.desk.Prep(t.Context(), second)
	require.NoError(t, err)
	assert.Equal(t, want, p.Export, "a new asset begins with the standard one")
	step, err := c.desk.Step(t.Context(), second)
	require.NoError(t, err)
	assert.Equal(t, "Send with “Quay props”", step.Label)
	require.Less(t, c.post("/kits/1/presets/0/standard", url.Values{"back": {back}}).Code, 400)
	third := c.next("ring.obj")
	p, err = c.desk.Prep(t.Context(), third)
	require.NoError(t, err)
	assert.Equal(t, export.Decisions{}, p.Export, "nothing was sent yet, so there is no last one")

	require.Less(t, c.post("/kits/1/presets/1/remove", url.Values{"back": {back}}).Code, 400)
	list, err = c.desk.Presets(t.Context(), 1)
	require.NoError(t, err)
	assert.Empty(t, list)
	assert.Equal(t, http.StatusNotFound, c.get("/kits/1/presets/1.json").Code)
	w = c.file("/kits/1/presets/file", file.Body.String(), back)
	require.Less(t, w.Code, 400, w.Body.String())
	list, err = c.desk.Presets(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, want, list[0].Export)
}

// A preset file that can't be meant is refused by name, and nothing is kept of it.
func TestPresetsThatCannotBeMeant(t *testing.T) {
	c := newClient(t)
	c.bring("bollard.obj", quayText)
	for _, f := range []struct{ text, says string }{
		{`{"yarvekPreset":2,"name":"x","export":{"later":1}}`, "newer than this program"},
		{`{"yarvekPreset":1,"name":"x","export":{"format":"stone"}}`, "stone"},
		{`{"yarvekPreset":1,"name":"x","export":{"folder":"{mesh}"}}`, "placeholder"},
		{`{"yarvekPreset":1,"name":"x","export":{"lods":"none","lods":""}}`, "lods"},
		{`{"name":"x"}`, "yarvekPreset"},
		{`{"yarvekPreset":1,"name":"","export":{}}`, "name"},
		{"not JSON", "line 1"},
	} {
		w := c.file("/kits/1/presets/file", f.text, "/assets/1/export")
		assert.GreaterOrEqual(t, w.Code, 400, f.text)
		assert.Contains(t, strings.ToLower(w.Body.String()), strings.ToLower(f.says), f.text)
	}
	list, err := c.desk.Presets(t.Context(), 1)
	require.NoError(t, err)
	assert.Empty(t, list)
	w := c.post("/kits/1/presets", url.Values{"name": {"x"}, "decisions": {`{"format":"stone"}`}, "back": {""}})
	assert.GreaterOrEqual(t, w.Code, 400)
}
