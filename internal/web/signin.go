package web

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/v2"

	"yarvek/core/fault"
	"yarvek/internal/work"
)

// People is where those who may sign in and their sessions are kept.
type People interface {
	// Phrase gives a person's name as they write it and their passphrase as it is kept;
	// the error is work.ErrNotFound when there is nobody of that name.
	Phrase(ctx context.Context, name string) (as, phrase string, err error)
}

// door lets in those who signed in, on an installation that others on the network can
// reach. Passphrases are kept as Argon2id (RFC 9106), sessions in the data folder; tries
// that fail make the next ones wait.
type door struct {
	people   People
	sessions *scs.SessionManager
	waits    waits
	compare  chan struct{} // holds as many as may be compared at once: each takes 64 MB
}

// sessionName is what a session holds: who signed in.
const sessionName = "name"

// newDoor makes one; secure is whether browsers reach the server by TLS alone.
func newDoor(people People, kept scs.Store, secure bool) *door {
	m := scs.New()
	m.Store = kept
	m.Lifetime = 14 * 24 * time.Hour // an idle timeout would write to the disk at each request
	m.Cookie.Name = "yarvek"
	m.Cookie.HttpOnly, m.Cookie.Secure, m.Cookie.SameSite = true, secure, http.SameSiteLaxMode
	return &door{people: people, sessions: m, waits: waits{at: map[string]failed{}},
		compare: make(chan struct{}, 2)}
}

// guard answers only those who signed in; others are sent to sign in, and come back to
// where they were. What they do is signed with their name.
func (d *door) guard(next http.Handler) http.Handler {
	return d.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := d.sessions.GetString(r.Context(), sessionName)
		if name != "" {
			next.ServeHTTP(w, r.WithContext(work.As(r.Context(), name)))
			return
		}
		if r.URL.Path == signInPath || strings.HasPrefix(r.URL.Path, "/static/") {
			next.ServeHTTP(w, r)
			return
		}
		to := signInPath
		if r.Method == http.MethodGet && r.Header.Get("HX-Request") == "" && r.URL.Path != "/" {
			to += "?to=" + url.QueryEscape(r.URL.RequestURI())
		}
		if r.Header.Get("HX-Request") != "" {
			w.Header().Set("HX-Redirect", to)
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		http.Redirect(w, r, to, http.StatusSeeOther)
	}))
}

const signInPath = "/sign-in"

// signInPage asks for a name and a passphrase.
type signInPage struct {
	Name, To, Say string
}

// askIn shows the page to sign in.
func (s *Server) askIn(w http.ResponseWriter, r *http.Request) error {
	s.render(w, http.StatusOK, "sign-in", "Sign in · Yarvek", signInPage{To: r.URL.Query().Get("to")})
	return nil
}

// nobody is compared when there is no such person, so that an answer takes as long.
var nobody = sync.OnceValue(func() string {
	h, err := HashPhrase("nobody in particular")
	if err != nil {
		panic(err) // there is no randomness
	}
	return h
})

// signIn takes a name and a passphrase.
func (s *Server) signIn(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	if f.err != nil {
		return f.err
	}
	p := signInPage{Name: f.str("name"), To: f.str("to")}
	again := func(status int, say string) error {
		p.Say = say
		s.render(w, status, "sign-in", "Sign in · Yarvek", p)
		return nil
	}
	keys := []string{"from " + remote(r), "name " + strings.ToLower(p.Name)}
	if wait := s.door.waits.left(time.Now(), keys...); wait > 0 {
		w.Header().Set("Retry-After", seconds(wait))
		return again(http.StatusTooManyRequests, "Too many tries failed. Try again in "+seconds(wait)+" seconds.")
	}
	// A try counts before it is looked at: many at once must not slip through.
	s.door.waits.failed(time.Now(), keys...)
	as, kept, err := s.door.people.Phrase(r.Context(), p.Name)
	if errors.Is(err, work.ErrNotFound) {
		kept, err = nobody(), nil
	}
	if err != nil {
		return err
	}
	select {
	case s.door.compare <- struct{}{}:
	case <-r.Context().Done():
		return r.Context().Err()
	}
	ok, err := argon2id.ComparePasswordAndHash(f.r.PostForm.Get("phrase"), kept)
	<-s.door.compare
	if err != nil {
		return err
	}
	if !ok || as == "" {
		s.log.Warn("sign-in refused", "name", p.Name, "from", remote(r))
		return again(http.StatusUnauthorized, "The name or the passphrase is not right.")
	}
	s.door.waits.forget(keys...)
	if err := s.door.sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	s.door.sessions.Put(r.Context(), sessionName, as)
	return seeOther(w, r, "%s", local(p.To))
}

// seconds is a time in whole seconds, rounded up.
func seconds(d time.Duration) string { return strconv.Itoa(int((d + time.Second - 1) / time.Second)) }

// local is an address of this server's own, or its first page.
func local(to string) string {
	u, err := url.Parse(to)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") ||
		strings.Contains(to, `\`) {
		return "/"
	}
	return u.RequestURI()
}

// signOut ends the session.
func (s *Server) signOut(w http.ResponseWriter, r *http.Request) error {
	if err := s.door.sessions.Destroy(r.Context()); err != nil {
		return err
	}
	return seeOther(w, r, "%s", signInPath)
}

// remote is the address a request comes from, without its port.
func remote(r *http.Request) string {
	if host, _, err := net.SplitHostPort(r.RemoteAddr); err == nil {
		return host
	}
	return r.RemoteAddr
}

// HashPhrase makes of a passphrase what is kept of it: Argon2id with 64 MB, one pass, and
// a salt of its own. A passphrase has ten letters at least.
func HashPhrase(phrase string) (string, error) {
	if n := len([]rune(phrase)); n < 10 || n > 500 {
		return "", fault.Input("a passphrase has ten letters at least: several words are easy to keep and hard to guess")
	}
	return argon2id.CreateHash(phrase, argon2id.DefaultParams)
}

// freeTries may fail before the next has to wait; the wait doubles with each, up to
// longestWait.
const (
	freeTries   = 3
	longestWait = 5 * time.Minute
)

// failed is how often something failed, and when last.
type failed struct {
	times int
	last  time.Time
}

// waits counts the tries that failed, by name and by address. It is safe for use by
// several goroutines.
type waits struct {
	mu sync.Mutex
	at map[string]failed
}

// waitOf is how long the next try waits.
func waitOf(f failed) time.Duration {
	if f.times < freeTries {
		return 0
	}
	return min(longestWait, time.Second<<min(f.times-freeTries, 10))
}

// left is how long a try for these has to wait yet.
func (w *waits) left(now time.Time, keys ...string) time.Duration {
	w.mu.Lock()
	defer w.mu.Unlock()
	var longest time.Duration
	for _, k := range keys {
		if f, ok := w.at[k]; ok {
			longest = max(longest, waitOf(f)-now.Sub(f.last))
		}
	}
	return longest
}

// failed counts a try. What failed last an hour ago is forgotten, and so is the whole list
// when somebody fills it with names.
func (w *waits) failed(now time.Time, keys ...string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	const most = 10_000
	for k, f := range w.at {
		if now.Sub(f.last) > time.Hour || len(w.at) > most && strings.HasPrefix(k, "name ") {
			delete(w.at, k)
		}
	}
	for _, k := range keys {
		w.at[k] = failed{w.at[k].times + 1, now}
	}
}

// forget is for those who got it right.
func (w *waits) forget(keys ...string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, k := range keys {
		delete(w.at, k)
	}
}
