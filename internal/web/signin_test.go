package web

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// guarded is a server that others reach, with one who may sign in.
func guarded(t *testing.T) (*client, *store.Store) {
	t.Helper()
	st, err := store.Open(t.TempDir())
	require.NoError(t, err)
	d := work.New(st, work.DefaultLimits, nil)
	t.Cleanup(func() { d.Close(); _ = st.Close() })
	kept, err := HashPhrase("nine small boats at dawn")
	require.NoError(t, err)
	assert.NotContains(t, kept, "boats")
	require.NoError(t, st.AddPerson(context.Background(), "Ana", kept))
	s := New(d, slog.New(slog.DiscardHandler), "10.1.2.3")
	s.Guard(st, st.Sessions(), true)
	return &client{t: t, h: s.Handler(), desk: d}, st
}

// ask sends a request from elsewhere on the network, with a session's cookie.
func (c *client) ask(method, path, session string, form url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
	r.Host, r.RemoteAddr = "10.1.2.3", "10.1.2.77:5555"
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if session != "" {
		r.AddCookie(&http.Cookie{Name: "yarvek", Value: session})
	}
	w := httptest.NewRecorder()
	c.h.ServeHTTP(w, r)
	return w
}

func entryForm(name, phrase, to string) url.Values {
	return url.Values{"name": {name}, "phrase": {phrase}, "to": {to}}
}

func TestNothingIsServedToWhoDidNotSignIn(t *testing.T) {
	c, _ := guarded(t)
	_, err := c.desk.NewKit(context.Background(), "secret kit", target.Shipped[0].ID)
	require.NoError(t, err)
	for _, path := range []string{"/", "/kits/1", "/assets/1/source", "/exports/1/file", "/jobs/x", "/nowhere"} {
		for _, method := range []string{http.MethodGet, http.MethodPost, http.MethodHead} {
			w := c.ask(method, path, "a made-up session", nil)
			assert.Equal(t, http.StatusSeeOther, w.Code, "%s %s", method, path)
			assert.True(t, strings.HasPrefix(w.Header().Get("Location"), "/sign-in"), path)
			assert.NotContains(t, w.Body.String(), "secret")
		}
	}
	assert.Equal(t, "/sign-in?to=%2Fkits%2F1%3Fa%3Db",
		c.ask(http.MethodGet, "/kits/1?a=b", "", nil).Header().Get("Location"))
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/static/app.css", "", nil).Code)

	// From elsewhere, a name of loopback opens nothing, signed in or not.
	r := httptest.NewRequest(http.MethodGet, "/sign-in", nil)
	r.Host, r.RemoteAddr = "localhost", "10.1.2.77:5555"
	w := httptest.NewRecorder()
	c.h.ServeHTTP(w, r)
	assert.Equal(t, http.StatusMisdirectedRequest, w.Code)
}

func TestWhoSignedInSignsWhatTheyChange(t *testing.T) {
	c, st := guarded(t)
	w := c.ask(http.MethodPost, "/sign-in", "", entryForm("ana", "nine small boats at dawn", "/kits/1"))
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, "/kits/1", w.Header().Get("Location"))
	cookie := w.Result().Cookies()[0]
	assert.True(t, cookie.HttpOnly && cookie.Secure && cookie.SameSite == http.SameSiteLaxMode)

	w = c.ask(http.MethodPost, "/kits", cookie.Value, url.Values{"name": {"quay"}, "target": {target.Shipped[0].ID}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	id := c.bring("quay.obj", quayText)
	assert.Equal(t, int64(1), id)
	w = c.ask(http.MethodPost, "/assets/1/source", cookie.Value, c.form("act", "leave", "key", "hook"))
	require.Equal(t, http.StatusSeeOther, w.Code)
	step, err := st.Step(context.Background(), 1)
	require.NoError(t, err)
	assert.Equal(t, "Ana", step.By, "as the account writes it")
	assert.Contains(t, c.ask(http.MethodGet, "/assets/1/source", cookie.Value, nil).Body.String(), "decision 1 by Ana")

	// Signing out, another passphrase and a removed account end the session.
	other := c.ask(http.MethodPost, "/sign-in", "",
		entryForm("Ana", "nine small boats at dawn", "")).Result().Cookies()[0].Value
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/", other, nil).Code)
	assert.Equal(t, http.StatusSeeOther, c.ask(http.MethodPost, "/sign-out", cookie.Value, nil).Code)
	assert.Equal(t, "/sign-in", c.ask(http.MethodGet, "/", cookie.Value, nil).Header().Get("Location"))
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/", other, nil).Code)
	require.NoError(t, st.RemovePerson(context.Background(), "Ana"))
	assert.Equal(t, "/sign-in", c.ask(http.MethodGet, "/", other, nil).Header().Get("Location"))
}

func TestWrongPassphrasesAreSlowedDown(t *testing.T) {
	c, _ := guarded(t)
	for i := range freeTries {
		w := c.ask(http.MethodPost, "/sign-in", "", entryForm([]string{"Ana", "Bo"}[i%2], "wrong", ""))
		assert.Equal(t, http.StatusUnauthorized, w.Code)
		has(t, w, "The name or the passphrase is not right.")
	}
	w := c.ask(http.MethodPost, "/sign-in", "", entryForm("Ana", "nine small boats at dawn", ""))
	assert.Equal(t, http.StatusTooManyRequests, w.Code, "even the right one waits now")
	assert.NotEmpty(t, w.Header().Get("Retry-After"))

	for times, want := range map[int]time.Duration{0: 0, 2: 0, 3: time.Second, 5: 4 * time.Second, 40: longestWait} {
		assert.Equal(t, want, waitOf(failed{times: times}), times)
	}
	var many waits
	many.at = map[string]failed{}
	now := time.Now()
	for i := range 30_000 {
		many.failed(now, "from here", "name "+strings.Repeat("x", i%97)+string(rune('a'+i%26)))
	}
	assert.LessOrEqual(t, len(many.at), 10_002, "somebody who makes up names does not fill the memory")
	assert.Equal(t, longestWait, many.left(now, "from here"))
	assert.Zero(t, many.left(now.Add(time.Hour), "from here"))
}

func TestSigningInLeadsNowhereElse(t *testing.T) {
	for to, want := range map[string]string{"/kits/1?a=b": "/kits/1?a=b", "": "/", "//evil.example": "/",
		"https://evil.example": "/",
		`/\evil.example`:       "/", "evil": "/", "javascript:alert(1)": "/"} {
		assert.Equal(t, want, local(to), to)
	}
	_, err := HashPhrase("short")
	assert.ErrorContains(t, err, "ten letters")
}
