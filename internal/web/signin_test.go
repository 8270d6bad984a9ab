package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/scs/v2"
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

// from asks as somebody else's machine does.
func (c *client) from(address string, form url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader(form.Encode()))
	r.Host, r.RemoteAddr = "10.1.2.3", net.JoinHostPort(address, "5555")
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	c.h.ServeHTTP(w, r)
	return w
}

func TestWrongPassphrasesAreSlowedDown(t *testing.T) {
	c, st := guarded(t)
	wrong, right := entryForm("Ana", "wrong", ""), entryForm("Ana", "nine small boats at dawn", "")
	for range freeTries {
		w := c.from("10.1.2.77", wrong)
		assert.Equal(t, http.StatusUnauthorized, w.Code)
		has(t, w, "The name or the passphrase is not right.")
	}
	for range 6 { // so many more that no machine is so slow as to outwait it
		require.NoError(t, st.CountTry(t.Context(), time.Now(), time.Now().Add(-forgetAfter), pairKey("10.1.2.77", "Ana")))
	}
	w := c.from("10.1.2.77", right)
	assert.Equal(t, http.StatusTooManyRequests, w.Code, "even the right one waits now")
	assert.NotEmpty(t, w.Header().Get("Retry-After"))
	assert.Equal(t, http.StatusTooManyRequests, c.from("10.1.2.77", entryForm("ＡＮＡ\u200b", "wrong", "")).Code,
		"it is the same name")
	assert.Equal(t, http.StatusSeeOther, c.from("10.1.2.78", right).Code, "nobody is locked out by somebody elsewhere")

	// A new start of the server forgets nothing.
	again := New(c.desk, slog.New(slog.DiscardHandler), "10.1.2.3")
	again.Guard(st, st.Sessions(), true)
	c = &client{t: t, h: again.Handler(), desk: c.desk}
	assert.Equal(t, http.StatusTooManyRequests, c.from("10.1.2.77", right).Code)

	for times, want := range map[int]time.Duration{0: 0, 2: 0, 3: time.Second, 5: 4 * time.Second, 40: longestWait} {
		assert.Equal(t, want, waitOf(work.Tries{Times: times}, freeTries), times)
	}
	assert.Equal(t, Network("2001:db8:1:2:3::4"), Network("2001:db8:1:2:ffff::9"), "a line has 64 bits of addresses")
	assert.NotEqual(t, Network("2001:db8:1:2::4"), Network("2001:db8:1:3::4"))
	assert.Equal(t, "10.1.2.77", Network("::ffff:10.1.2.77"))
}

// A name that is tried from everywhere can still be signed in by, later.
func TestANameUnderAttackIsSlowAndNotLocked(t *testing.T) {
	was := slowly
	slowly = 300 * time.Millisecond
	t.Cleanup(func() { slowly = was })
	c, _ := guarded(t)
	for i := range freeOfName {
		require.Equal(t, http.StatusUnauthorized, c.from(fmt.Sprintf("10.9.0.%d", i), entryForm("ana", "wrong", "")).Code)
	}
	begun := time.Now()
	assert.Equal(t, http.StatusSeeOther, c.from("10.1.2.3", entryForm("Ana", "nine small boats at dawn", "")).Code)
	assert.GreaterOrEqual(t, time.Since(begun), slowly)
	for i := range freeSpread {
		c.from("10.7.0.1", entryForm(fmt.Sprint("made up ", i), "wrong", ""))
	}
	assert.Equal(t, http.StatusTooManyRequests, c.from("10.7.0.1", entryForm("another", "wrong", "")).Code,
		"an address that tries many names waits")
}

// What a session could do ends with the account, with its passphrase, and when somebody ends it.
func TestSessionsEndWithTheAccount(t *testing.T) {
	ctx := context.Background()
	enter := func(c *client) string {
		w := c.ask(http.MethodPost, "/sign-in", "", entryForm("Ana", "nine small boats at dawn", ""))
		require.Equal(t, http.StatusSeeOther, w.Code)
		return w.Result().Cookies()[0].Value
	}
	in := func(c *client, session string) bool {
		return c.ask(http.MethodGet, "/targets", session, nil).Code == http.StatusOK
	}
	other, err := HashPhrase("nine small boats at dawn")
	require.NoError(t, err)
	for name, end := range map[string]func(*store.Store) error{
		"removed":            func(st *store.Store) error { return st.RemovePerson(ctx, "Ana") },
		"another passphrase": func(st *store.Store) error { return st.SetPhrase(ctx, "Ana", other) },
		"ended from the command line": func(st *store.Store) error {
			_, err := st.Sessions().End(ctx, "Ana",
				"")
			return err
		},
		"removed and added again": func(st *store.Store) error {
			return errors.Join(st.RemovePerson(ctx, "ana"), st.AddPerson(ctx, "Ana", other))
		},
	} {
		t.Run(name, func(t *testing.T) {
			c, st := guarded(t)
			session := enter(c)
			require.True(t, in(c, session))
			require.NoError(t, end(st))
			assert.False(t, in(c, session))
		})
	}
	t.Run("a sign-in under way", func(t *testing.T) {
		c, st := guarded(t)
		_, kept, err := st.Phrase(ctx, "Ana")
		require.NoError(t, err)
		require.NoError(t, st.RemovePerson(ctx, "Ana"))
		// The passphrase was compared before; its session comes after.
		data, err := scs.GobCodec{}.Encode(time.Now().Add(time.Hour), map[string]any{sessionName: "Ana",
			sessionOpens: work.PhraseDigest(kept)})
		require.NoError(t, err)
		require.NoError(t, keeper{st.Sessions()}.Commit("late", data, time.Now().Add(time.Hour)))
		assert.False(t, in(c, "late"))
	})
	t.Run("by oneself", func(t *testing.T) {
		c, st := guarded(t)
		first, second := enter(c), enter(c)
		require.NoError(t, st.AddPerson(ctx, "Bo", other))
		w := c.ask(http.MethodGet, "/sessions", first, nil)
		for _, say := range []string{work.SessionID(second), "this one", "10.1.2.77"} {
			has(t, w, say)
		}
		assert.NotContains(t, w.Body.String(), second, "what opens a session is not on any page")
		bo := c.ask(http.MethodPost, "/sign-in", "", entryForm("Bo", "nine small boats at dawn",
			"")).Result().Cookies()[0].Value
		end := url.Values{"session": {work.SessionID(second)}}
		assert.Equal(t, http.StatusNotFound, c.ask(http.MethodPost, "/sessions/end", bo, end).Code, "another's own")
		assert.True(t, in(c, second))
		assert.Equal(t, http.StatusSeeOther, c.ask(http.MethodPost, "/sessions/end", first, end).Code)
		assert.False(t, in(c, second))
		assert.True(t, in(c, first))
	})
}

// Who signed in, who was refused, what was removed: kept in order, with a name that is cut.
func TestTheJournalTellsWhoWasThere(t *testing.T) {
	c, st := guarded(t)
	c.ask(http.MethodPost, "/sign-in", "", entryForm(strings.Repeat("x", 9000)+"\u202e\n", "wrong", ""))
	w := c.ask(http.MethodPost, "/sign-in", "", entryForm("ana", "nine small boats at dawn", ""))
	session := w.Result().Cookies()[0].Value
	c.ask(http.MethodPost, "/kits", session, url.Values{"name": {"Pier"}, "target": {target.Shipped[0].ID}})
	c.ask(http.MethodPost, "/kits/1/remove", session, nil)
	c.ask(http.MethodPost, "/sign-out", session, nil)
	lines, err := st.Journal(context.Background(), 10)
	require.NoError(t, err)
	var said []string
	for _, l := range lines {
		said = append(said, fmt.Sprintf("%s/%s/%s/%s", l.Person, l.Address, l.Did, l.What))
	}
	assert.Equal(t, []string{"Ana/10.1.2.77/signed out/", "Ana/10.1.2.77/removed/kit “Pier”", "Ana/10.1.2.77/signed in/",
		"/10.1.2.77/was refused/" + strings.Repeat("x", longestShown-1) + "…", "//added an account/Ana"}, said)
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
