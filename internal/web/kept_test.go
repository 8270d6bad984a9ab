package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/target"
)

// What is kept of a page is what the page is: after every kind of change, each page that was shown before is as a
// server shows it that never showed one.
func TestAKeptPageIsAsAFreshOne(t *testing.T) {
	c := newDemo(t)
	c.desk.Jobs.Wait()
	paths := []string{"/", "/kits/1", "/kits/1?find=a", "/kits/1/exports", "/assets/1/turntable?station=size",
		"/assets/3/uvs.png?station=surface", "/assets/1/revisions", "/assets/3/revisions/1", "/exports/1/everywhere"}
	for _, in := range prep.Stations() {
		paths = append(paths, "/assets/1/"+in.ID, "/assets/2/"+in.ID, "/assets/5/"+in.ID)
	}
	same := func(after string) {
		t.Helper()
		fresh := *c
		fresh.h = New(c.desk, slog.New(slog.DiscardHandler)).Handler()
		for _, p := range paths {
			was, is := c.get(p), fresh.get(p)
			require.Equal(t, is.Code, was.Code, "%s after %s", p, after)
			require.Equal(t, is.Body.String(), was.Body.String(), "%s after %s", p, after)
		}
	}
	changes := func(asset int) string {
		m := regexp.MustCompile(`data-changes="(\d+)"`).FindStringSubmatch(c.get(fmt.Sprintf("/assets/%d/size", asset)).
			Body.String())
		return m[1]
	}
	kit, err := c.desk.Kit(context.Background(), 1)
	require.NoError(t, err)
	same("nothing")
	for _, x := range []struct {
		path string
		form url.Values
	}{
		{"/assets/1/size", url.Values{"act": {"entries"}, "section": {"fit"}, "factor": {"2"}}},
		{"/assets/1/undo", url.Values{"station": {"size"}}},
		{"/assets/1/redo", url.Values{"station": {"size"}}},
		{"/assets/1/name", url.Values{"name": {"another name"}}},
		{"/assets/2/export/send", url.Values{"reason": {"for a trial"}}},
		{"/kits/1/grid", url.Values{"grid": {"50 cm"}}},
		{"/assets/4/size", url.Values{"act": {"entries"}, "section": {"fit"}, "factor": {"2"}}},
		{"/kits/1/name", url.Values{"was": {kit.Name}, "name": {"North"}}},
		{"/kits/1/target", url.Values{"target": {target.Shipped[2].ID}}},
		{"/assets/1/remove", nil},
		{"/assets/1/restore", nil},
		{"/targets/" + target.Shipped[0].ID + "/copy", url.Values{"name": {"Mine"}}},
		{"/targets/mine/remove", nil},
		{"/targets/mine/restore", nil},
		{"/assets/3/join", url.Values{"into": {"2"}}},
		{"/kits", url.Values{"name": {"Another"}, "target": {target.Shipped[0].ID}}},
		{"/kits/1/remove", nil},
	} {
		if x.form == nil {
			x.form = url.Values{}
		}
		if m := regexp.MustCompile(`^/assets/(\d)/(size|undo|redo|export/send)$`).FindStringSubmatch(x.path); m != nil {
			x.form.Set("base", changes(int(m[1][0]-'0')))
		}
		w := c.post(x.path, x.form)
		require.Equal(t, http.StatusSeeOther, w.Code, "%s: %s", x.path, c.log)
		same(fmt.Sprint(x.path, x.form))
	}
	c.upload("/kits/1/files", map[string]string{"quay.obj": quayText})
	c.desk.Jobs.Wait()
	same("an upload")
}

// A script that asks again for what has not changed is told so; a page that a browser goes to by itself is never
// shown again unasked, as it would be on the way back.
func TestWhatHasNotChangedIsNotSentAgain(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	ask := func(path, tag string, htmx bool) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		if htmx {
			r.Header.Set("HX-Request", "true")
		}
		if tag != "" {
			r.Header.Set("If-None-Match", tag)
		}
		return c.send(r)
	}
	for path, htmx := range map[string]bool{"/assets/1/size": true, "/assets/1/turntable?station=size": false} {
		first := ask(path, "", htmx)
		tag := first.Header().Get("ETag")
		require.NotEmpty(t, tag, path)
		assert.Equal(t, "private, no-cache", first.Header().Get("Cache-Control"))
		again := ask(path, tag, htmx)
		assert.Equal(t, http.StatusNotModified, again.Code)
		assert.Zero(t, again.Body.Len())
		require.NoError(t, c.desk.Rename(context.Background(), 1, "renamed "+strings.Trim(tag, `"`)[:4]))
		assert.Equal(t, http.StatusOK, ask(path, tag, htmx).Code)
	}
	page := ask("/assets/1/size", "", false)
	assert.Equal(t, "no-store", page.Header().Get("Cache-Control"))
	assert.Empty(t, page.Header().Get("ETag"))
}

// A page that takes long is put together all the same: the browser is told to ask again, and has it then. What breaks
// off meanwhile is told in the page's place.
func TestAPageThatTakesLongComesByItself(t *testing.T) {
	was := longestWithin
	longestWithin = 20 * time.Millisecond
	t.Cleanup(func() { longestWithin = was })
	s := New(nil, nil)
	go_, made := make(chan struct{}), 0
	h := s.keep(func(*http.Request) (string, error) { return "same", nil },
		func(w http.ResponseWriter, r *http.Request) error {
			<-go_
			if r.URL.Path == "/broken" {
				return assert.AnError
			}
			made++
			_ = s.fragment(w, "waiting", "body", waitingPage{Path: "/the-page-itself"})
			return r.Context().Err()
		})
	ask := func(path, accept string) (*httptest.ResponseRecorder, error) {
		ctx, cancel := context.WithCancel(context.Background())
		r := httptest.NewRequest(http.MethodGet, path, nil).WithContext(ctx)
		r.Header.Set("Accept", accept)
		w := httptest.NewRecorder()
		err := h(w, r)
		cancel() // the request is over, what it began is not
		return w, err
	}
	for range 3 {
		w, err := ask("/x", "text/html")
		require.NoError(t, err)
		assert.Equal(t, http.StatusAccepted, w.Code)
		has(t, w, "the page comes by itself")
	}
	_, err := ask("/broken", "text/html")
	require.NoError(t, err)
	close(go_)
	for range 3 {
		w, err := ask("/x", "*/*") // waits
		require.NoError(t, err)
		assert.Equal(t, http.StatusOK, w.Code)
		has(t, w, "/the-page-itself")
	}
	assert.Equal(t, 1, made)
	_, err = ask("/broken", "*/*")
	assert.ErrorIs(t, err, assert.AnError)
	assert.Empty(t, s.answers.flights)
}

// What is being made goes on as long as anybody waits, however long that is, and ends when nobody has for a while.
func TestAFlightLastsAsLongAsSomebodyWaits(t *testing.T) {
	was := longestAlone
	longestAlone = 30 * time.Millisecond
	t.Cleanup(func() { longestAlone = was })
	a := newAnswers()
	r := httptest.NewRequest(http.MethodGet, "/x", nil)
	ended := make(chan error, 1)
	h := func(_ http.ResponseWriter, r *http.Request) error {
		<-r.Context().Done()
		ended <- r.Context().Err()
		return r.Context().Err()
	}
	f := a.flight("k", r, h)
	again := a.flight("k", r, h)
	assert.Same(t, f, again)
	a.leave("k", f)
	time.Sleep(4 * longestAlone)
	assert.Empty(t, ended, "one still waits")
	a.leave("k", again)
	assert.ErrorIs(t, <-ended, context.Canceled)
	assert.Eventually(t, func() bool { a.mu.Lock(); defer a.mu.Unlock(); return len(a.flights) == 0 }, time.Minute,
		time.Millisecond)
}
