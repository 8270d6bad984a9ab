package web

import (
	"encoding/json"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// sent sends the first asset and gives the export.
func (c *client) sent() work.Sent {
	c.t.Helper()
	w := c.post("/assets/1/export/send", c.form("target", "", "reason", "a trial"))
	require.Less(c.t, w.Code, 400, w.Body.String())
	var got work.Sent
	require.Eventually(c.t, func() bool {
		list, _, err := c.desk.Exports(c.t.Context(), 1, 1, 0, 10)
		if err == nil && len(list) > 0 {
			got = list[0]
		}
		return len(list) > 0
	}, time.Minute, 20*time.Millisecond)
	return got
}

// later asks an address until its answer says something.
func (c *client) later(path, want string) string {
	c.t.Helper()
	var body string
	require.Eventually(c.t, func() bool {
		w := c.get(path)
		body = w.Body.String()
		return w.Code == http.StatusOK && strings.Contains(body, want)
	}, time.Minute, 20*time.Millisecond, "%s never said %q: %s", path, want, body[:min(len(body), 800)])
	return body
}

// The sheet of Export draws what came, what leaves and what arrived, here and at another target, and says there what
// would cure it; a cure is a decision of the station.
func TestArrivalsOnTheSheet(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("one", 6))
	page := c.get("/assets/1/export").Body.String()
	assert.Contains(t, page, "As it leaves<")
	assert.NotContains(t, page, "read-back\" transform", "nothing was sent")
	c.decide("export", "act", "as", "decisions", `{"format":"obj"}`)
	c.sent()
	page = c.get("/assets/1/export").Body.String()
	assert.Contains(t, page, "apart at most")
	assert.Contains(t, page, `class="read-back" transform`)
	assert.NotContains(t, page, `hx-post="/exports/1/cures"`, "it arrived")

	other := target.Shipped[3]
	page = c.get("/assets/1/export?at=" + other.ID).Body.String()
	assert.Contains(t, page, "must-text", "an OBJ lies on its side there")
	assert.Contains(t, page, "At "+other.Name)
	w := c.post("/exports/1/cures", url.Values{"at": {other.ID}})
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	body := w.Body.String()
	if at := regexp.MustCompile(`/exports/1/cures/[^"]+`).FindString(body); at != "" {
		body = c.later(at, "Send as")
	}
	assert.Contains(t, body, "Stands: on its side")
	how := regexp.MustCompile(`(?s)name="decisions"\s+value="([^"]+)"`).FindStringSubmatch(body)
	require.NotNil(t, how, body)
	c.decide("export", "act", "as", "decisions", strings.ReplaceAll(how[1], "&#34;", `"`))
	assert.Equal(t, "glb", c.prepNow().Export.Format)
	assert.GreaterOrEqual(t, c.get("/assets/1/export?at=nowhere").Code, 400, "a target that is not there is no page")
	has(t, c.get("/assets/1/came"), "as it is meant")
}

// What a browser's readers say is taken once, and stands on the sheet; files of an export are given one by one, by
// their names alone.
func TestASecondOpinionOnTheSheet(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("one", 6))
	c.decide("export", "act", "as", "decisions", `{"format":"obj"}`)
	e := c.sent()
	page := c.get("/assets/1/export").Body.String()
	main := regexp.MustCompile(`data-main="([^"]+)"`).FindStringSubmatch(page)
	require.NotNil(t, main)
	w := c.get(main[1])
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Body.String(), "\nv ")
	assert.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"))
	for _, name := range []string{"nothing.obj", "../1/packing", "%2e%2e/x"} {
		assert.Equal(t, http.StatusNotFound, c.get("/exports/1/files/"+name).Code, name)
	}
	figures, err := json.Marshal(e.Certificate.Figures)
	require.NoError(t, err)
	w = c.post("/exports/1/opinion", url.Values{"reader": {"loaders 1"}, "failed": {"no such <b>thing</b>"}})
	has(t, w, "No such &lt;b&gt;thing&lt;/b&gt;.")
	assert.GreaterOrEqual(t, c.post("/exports/1/opinion", url.Values{"reader": {"x"}, "figures": {"{"}}).Code, 400)
	w = c.post("/exports/1/opinion", url.Values{"reader": {"loaders 1"}, "figures": {string(figures)}})
	has(t, w, "two readers agree")
	has(t, c.get("/assets/1/export"), "two readers agree")
	var other deliver.Figures
	require.NoError(t, json.Unmarshal(figures, &other))
	other.Triangles++
	figures, err = json.Marshal(other)
	require.NoError(t, err)
	w = c.post("/exports/1/opinion", url.Values{"reader": {"loaders 1"}, "figures": {string(figures)}})
	has(t, w, "readers differ")
	has(t, c.get("/exports/1/packing"), "readers differ")
}

// An export goes into the folder of its kit and comes back out by two presses; a file that is in the way is named, and
// written over by a press.
func TestAFolderOnTheSheet(t *testing.T) {
	c := newClient(t)
	c.bringScene("cairn", boulder("one", 6))
	c.decide("export", "act", "as", "decisions", `{"format":"glb","folder":"props","outbox":true}`)
	name := c.sent().Name
	has(t, c.get("/assets/1/export"), "--outbox")
	dir := t.TempDir()
	require.NoError(t, c.desk.Allow(t.Context(), "1", dir))
	c.decide("export", "act", "as", "decisions", `{"format":"glb","folder":"props","outbox":true,"triangles":true}`)
	has(t, c.get("/assets/1/export"), "Not written into")
	file := filepath.Join(dir, "props", name)
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte("by hand"), 0o644))
	w := c.post("/exports/1/place", nil)
	assert.Equal(t, http.StatusConflict, w.Code)
	has(t, w, "props/"+name)
	has(t, w, "Write over")
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "by hand", string(b))
	w = c.post("/exports/1/place", url.Values{"over": {"on"}})
	require.Equal(t, "/assets/1/export?sent=1", w.Header().Get("Location"), w.Body.String())
	page := c.get("/assets/1/export?sent=1").Body.String()
	placing := regexp.MustCompile(`(?s)name="placing"\s+value="(\d+)"`).FindStringSubmatch(page)
	require.NotNil(t, placing)
	assert.Equal(t, c.get("/exports/1/file").Body.String(), read(t, file))
	require.Less(t, c.post("/exports/1/unplace", url.Values{"placing": {placing[1]}}).Code, 400)
	assert.Equal(t, "by hand", read(t, file))
	has(t, c.get("/assets/1/export"), "Taken back from")
}

// A file that is dropped to be looked at arrives at every target, and nothing of it is kept.
func TestAFileThatIsOnlyLookedAt(t *testing.T) {
	c := newClient(t)
	has(t, c.get("/arrive"), "Drop a mesh")
	w := c.upload("/arrive", map[string]string{"quay.obj": quayText})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	body := c.later(w.Header().Get("Location"), "</svg>")
	for _, to := range target.Shipped {
		assert.Contains(t, body, to.Name)
	}
	assert.Contains(t, body, "on its side")
	kits, err := c.desk.Kits(t.Context())
	require.NoError(t, err)
	assert.Empty(t, kits)
	w = c.upload("/arrive", map[string]string{"a.obj": quayText, "b.obj": quayText})
	assert.GreaterOrEqual(t, w.Code, 400)
	assert.Contains(t, w.Body.String(), "one at a time")
	w = c.upload("/arrive", map[string]string{"note.txt": "no mesh"})
	assert.GreaterOrEqual(t, w.Code, 400)
	w = c.upload("/arrive", map[string]string{"broken.obj": "f 1 2 3\n"})
	require.Equal(t, http.StatusSeeOther, w.Code)
	c.later(w.Header().Get("Location"), "broken.obj, line 1")
	assert.Equal(t, http.StatusNotFound, c.get("/arrive/unheard").Code)
}

func read(t *testing.T, file string) string {
	t.Helper()
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	return string(b)
}
