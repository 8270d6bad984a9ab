package web

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/demo"
	"yarvek/internal/kittest"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// client asks a server without a network.
type client struct {
	t    *testing.T
	h    http.Handler
	desk *work.Desk
	log  *bytes.Buffer
}

// newClient is a client of an empty house.
func newClient(t *testing.T) *client {
	t.Helper()
	return clientOf(t, t.TempDir())
}

// newDemo is a client of a house with the demo kit.
func newDemo(t *testing.T) *client {
	t.Helper()
	return clientOf(t, kittest.Demo(t))
}

func clientOf(t *testing.T, dir string) *client {
	t.Helper()
	kittest.SideBySide(t)
	st, err := store.Open(dir)
	require.NoError(t, err)
	var log bytes.Buffer
	logger := slog.New(slog.NewTextHandler(&log, nil))
	d := work.New(st, work.DefaultLimits, logger)
	d.Fillers = demo.Fillers()
	t.Cleanup(func() { d.Close(); _ = st.Close() })
	s := New(d, logger)
	s.patience = time.Minute // pages of kits are whole
	s.recent = time.Hour     // however slow the machine
	return &client{t, s.Handler(), d, &log}
}

func (c *client) send(r *http.Request) *httptest.ResponseRecorder {
	if r.Host == "example.com" { // what httptest puts there
		r.Host = "127.0.0.1:7340"
	}
	w := httptest.NewRecorder()
	c.h.ServeHTTP(w, r)
	if b := w.Body.Bytes(); bytes.Contains(b, []byte("trade-word")) {
		w.Body = bytes.NewBuffer(tradeWord.ReplaceAll(b, []byte("$1")))
	}
	return w
}

// tradeWord is one that a worksheet marks: what it means is tried by itself (package guide), and all other tests read
// pages as they are without.
var tradeWord = regexp.MustCompile(`<dfn class="trade-word"[^>]*>([^<]*)</dfn>`)

func (c *client) get(path string) *httptest.ResponseRecorder {
	return c.send(httptest.NewRequest(http.MethodGet, path, nil))
}

func (c *client) post(path string, values url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(values.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return c.watched(r, path, values)
}

func TestOnlyOurOwnHostIsServed(t *testing.T) {
	c := newClient(t)
	for host, want := range map[string]int{"127.0.0.1:7340": 200, "localhost": 200, "[::1]:7340": 200,
		"evil.example":                421,
		"127.0.0.1.evil.example:7340": 421, "": 421} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Host = host
		w := httptest.NewRecorder()
		c.h.ServeHTTP(w, r)
		assert.Equal(t, want, w.Code, host)
	}
}

func TestAForeignPageCanChangeNothing(t *testing.T) {
	c := newClient(t)
	r := httptest.NewRequest(http.MethodPost, "/kits", strings.NewReader("name=x&target=y-up-metres-right"))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Origin", "http://evil.example")
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, c.send(r).Code)
	kits, err := c.desk.Kits(context.Background())
	require.NoError(t, err)
	assert.Empty(t, kits)
}

// Every page carries the policy and asks nobody else for anything: no address with
// a host in any template, style sheet or script of our own.
func TestNoPageAsksAnotherHost(t *testing.T) {
	c := newDemo(t)
	foreign := regexp.MustCompile(`(?:src|href|action)\s*=\s*["']?(?:https?:)?//`)
	inline := regexp.MustCompile(`<script>|<style|\sstyle=|\son[a-z]+=`)
	for _, path := range []string{"/", "/kits/1/", "/kits/1/exports", "/parts", "/assets/2/source", "/assets/2/size",
		"/assets/2/axes",
		"/assets/2/pivot", "/assets/1/export", "/nowhere"} {
		w := c.get(path)
		assert.Contains(t, w.Header().Get("Content-Security-Policy"), "default-src 'none'", path)
		assert.NotRegexp(t, foreign, w.Body.String(), path)
		assert.NotRegexp(t, inline, w.Body.String(), path)
	}
	err := fs.WalkDir(static, "static", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.Contains(p, "/vendor/") {
			return err
		}
		b, err := static.ReadFile(p)
		text := strings.ReplaceAll(string(b), "http://www.w3.org/", "")
		assert.NotContains(t, text, "http://", p)
		assert.NotContains(t, text, "https://", p)
		return err
	})
	require.NoError(t, err)
}

func upload(t *testing.T, files map[string]string) (*bytes.Buffer, string) {
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for name, text := range files {
		w, err := m.CreateFormFile("file", name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, m.Close())
	return &b, m.FormDataContentType()
}

func (c *client) upload(path string, files map[string]string) *httptest.ResponseRecorder {
	b, kind := upload(c.t, files)
	r := httptest.NewRequest(http.MethodPost, path, b)
	r.Header.Set("Content-Type", kind)
	return c.send(r)
}

func TestNamesFromFilesAreShownNotObeyed(t *testing.T) {
	c := newClient(t)
	evil := `<img src=x onerror=alert(1)>`
	w := c.upload("/start", map[string]string{"a.obj": "mtllib a.mtl\no " + evil +
		"\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl " + evil +
		"\nf 1 2 3\n",
		"a.mtl": "newmtl " + evil + "\nmap_Kd " + evil + ".png\n"})
	require.Equal(t, http.StatusOK, w.Code)
	c.desk.Jobs.Wait()
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/export/send", url.Values{}).Code)
	for _, path := range []string{"/kits/1/", "/assets/1/source", "/assets/1/size", "/assets/1/pivot", "/assets/1/export",
		"/kits/1/exports"} {
		w := c.get(path)
		require.Equal(t, http.StatusOK, w.Code, path)
		assert.NotContains(t, w.Body.String(), "<img", path)
	}
}

func TestUploadsBeyondTheLimitAreRefusedWithTheLimit(t *testing.T) {
	c := newClient(t)
	c.desk.Limits.Upload = 1000
	w := c.upload("/start", map[string]string{"a.obj": strings.Repeat("v 0 0 0\n", 1000)})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "1000 bytes")
	b := strings.Repeat("x", maxForm+100)
	assert.Equal(t, http.StatusRequestEntityTooLarge, c.post("/kits", url.Values{"name": {b}}).Code)
}

func TestBadFormsSayWhatIsWrongAndChangeNothing(t *testing.T) {
	c := newDemo(t)
	base := "1"
	for _, f := range []struct {
		station string
		values  url.Values
		want    string
	}{
		{"size", url.Values{"act": {"fit"}, "fit": {"height"}, "length": {"tall"}}, "is no length"},
		{"size", url.Values{"act": {"fit"}, "fit": {"height"}, "length": {"-3"}}, "give a length above zero"},
		{"size", url.Values{"act": {"entries"}, "section": {"unit"}, "unit": {"custom"}, "metres": {"0"}},
			"be meant: expected 0.000000001 to"},
		{"size", url.Values{"act": {"entries"}, "section": {"unit"}, "unit": {"furlong"}}, "is none of those there are"},
		{"size", url.Values{}, "nothing was chosen"},
		{"axes", url.Values{"act": {"stand"}, "axis": {"up"}}, "is no axis"},
		{"axes", url.Values{"act": {"turn"}, "about": {"up"}, "degrees": {"much"}}, "is no number"},
		{"axes", url.Values{"act": {"turn"}, "about": {"moon"}, "degrees": {"3"}}, "no axis to turn about"},
		{"pivot", url.Values{"act": {"seat"}, "place": {"box"}, "box": {"7,0,0"}}, "no side of a box"},
		{"pivot", url.Values{"act": {"seat"}, "place": {"picks"}, "pick": {"1,2"}}, "is no point"},
		{"pivot", url.Values{"act": {"along"}, "pick": {"1,2,3", "1,2,3"}}, "two different points"},
		{"pivot", url.Values{"act": {"marker-drop"}, "marker": {"nowhere"}}, "no marker called"},
		{"pivot", url.Values{"act": {"turn"}, "degrees": {"a lot"}}, "is no number"},
		{"size", url.Values{"act": {"between"}, "from": {"0,0,0"}, "to": {"0,0,0"}, "length": {"1"}},
			"two different points"},
		{"size", url.Values{"act": {"entries"}, "section": {"fit"}, "factor": {"0"}}, "be meant: expected 0.000000001 to"},
		{"size", url.Values{"act": {"bake"}, "bake": {"cake"}}, "be baked: expected"},
		{"axes", url.Values{"act": {"pose"}, "pose": {"1,2,NaN"}}, "is no point"},
		{"source", url.Values{"act": {"rule"}, "by": {"name"}, "what": {""}}, "the pattern is empty"},
		{"source", url.Values{"act": {"rule"}, "by": {"kind"}, "what": {"whale"}}, "no kind of node"},
		{"source", url.Values{"act": {"merge"}, "merge": {"group"}}, "no group yet"},
		{"source", url.Values{"act": {"rename"}, "match": {"x"}, "to": {"{y}"}}, "not known"},
		{"pivot", url.Values{"act": {"entries"}, "section": {"seat"}, "place": {"point"}, "point": {"1", "NaN", "2"}},
			"is no place"},
		{"export", url.Values{"act": {"entries"}, "section": {"leaves"}, "format": {"abc"}}, "is none of those there are"},
		{"source", url.Values{"act": {"leave"}}, "no node was ticked"},
	} {
		f.values.Set("base", base)
		w := c.post("/assets/2/"+f.station, f.values)
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, "%v", f.values)
		assert.Contains(t, strings.ToLower(w.Body.String()), strings.ToLower(f.want), "%v", f.values)
	}
	h, err := c.desk.Step(context.Background(), 2)
	require.NoError(t, err)
	assert.Equal(t, 1, h.Seq)
	assert.Equal(t, http.StatusNotFound, c.get("/assets/99/size").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/assets/2/unheard").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/assets/x/size").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/exports/99/file").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/static/").Code)
}

func TestTheDrawingStaysLight(t *testing.T) {
	c := newDemo(t)
	for _, path := range []string{"/assets/9/size", "/assets/5/pivot", "/assets/2/axes"} {
		assert.Less(t, c.get(path).Body.Len(), 400_000, path)
	}
}

// An asset whose kept file is gone is there, and its pages say what is wrong with it.
func TestAMissingBlobIsNoMissingPage(t *testing.T) {
	dir := t.TempDir()
	st, err := store.Open(dir)
	require.NoError(t, err)
	c := &client{t: t, desk: work.New(st, work.DefaultLimits, nil), log: new(bytes.Buffer)}
	id := c.bring("quay.obj", quayText)
	c.desk.Close()
	require.NoError(t, st.Close())
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "blobs")))

	st, err = store.Open(dir)
	require.NoError(t, err)
	c.desk = work.New(st, work.DefaultLimits, nil)
	t.Cleanup(func() { c.desk.Close(); _ = st.Close() })
	c.h = New(c.desk, slog.New(slog.DiscardHandler)).Handler()
	for _, path := range []string{"/assets/%d/source", "/assets/%d/export", "/assets/%d/turntable?station=size"} {
		w := c.get(fmt.Sprintf(path, id))
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, path)
		has(t, w, "is gone from the data folder since it came in")
		has(t, w, "Send the same file again")
		assert.NotContains(t, w.Body.String(), dir)
	}
	assert.Equal(t, http.StatusOK, c.get("/kits/1").Code)
}

func TestDownloadsCarryTheFileAndItsName(t *testing.T) {
	c := newDemo(t)
	w := c.get("/exports/1/file")
	require.Equal(t, http.StatusOK, w.Code)
	assert.Equal(t, "attachment; filename=mooring-bollard.glb", w.Header().Get("Content-Disposition"))
	assert.Equal(t, "model/gltf-binary", w.Header().Get("Content-Type"))
	assert.Equal(t, "glTF", w.Body.String()[:4])
	assert.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"))
}
