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
	"yarvek/core/naming"
	"yarvek/internal/work"
)

// People is where those who may sign in are kept.
type People interface {
	// Phrase gives a person's name as they write it and their passphrase as it is kept;
	// the error is work.ErrNotFound when there is nobody of that name.
	Phrase(ctx context.Context, name string) (as, phrase string, err error)
	// FailedTries, CountTry and ForgetTries keep the tries that failed, by keys.
	FailedTries(ctx context.Context, since time.Time, keys ...string) ([]work.Tries, error)
	CountTry(ctx context.Context, at, since time.Time, keys ...string) error
	ForgetTries(ctx context.Context, keys ...string) error
	// Note adds a line to the journal.
	Note(ctx context.Context, did work.Deed, what string) error
}

// Sessions is where the sessions of those who signed in are kept. One is found only as long as its person has the
// passphrase it was begun by.
type Sessions interface {
	Find(token string) ([]byte, bool, error)
	Keep(token string, data []byte, of work.Session) error
	Delete(token string) error
	List(ctx context.Context, person string) ([]work.Session, error)
	End(ctx context.Context, person, id string) (int64, error)
}

// door lets in those who signed in, on an installation that others on the network can
// reach. Passphrases are kept as Argon2id (RFC 9106), sessions and the tries that failed in the data folder.
type door struct {
	people   People
	kept     Sessions
	sessions *scs.SessionManager
	compare  chan struct{} // holds as many as may be compared at once: each takes 64 MB
	slow     chan struct{} // holds the one try of a name under attack that is let through at a time
}

// What a session holds.
const (
	sessionName    = "name"    // who signed in
	sessionOpens   = "opens"   // digest of the passphrase as it was kept then
	sessionAddress = "address" // it was begun from
	sessionAgent   = "agent"   // what the browser calls itself
)

// newDoor makes one; secure is whether browsers reach the server by TLS alone.
func newDoor(people People, kept Sessions, secure bool) *door {
	m := scs.New()
	m.Store = keeper{kept}
	m.Lifetime = 14 * 24 * time.Hour // an idle timeout would write to the disk at each request
	m.Cookie.Name = "yarvek"
	m.Cookie.HttpOnly, m.Cookie.Secure, m.Cookie.SameSite = true, secure, http.SameSiteLaxMode
	return &door{people: people, kept: kept, sessions: m, compare: make(chan struct{}, 2), slow: make(chan struct{}, 1)}
}

// keeper keeps a session manager's sessions with whose they are.
type keeper struct{ Sessions }

// Commit keeps a session.
func (k keeper) Commit(token string, data []byte, expiry time.Time) error {
	_, values, err := scs.GobCodec{}.Decode(data)
	if err != nil {
		return err
	}
	text := func(name string) string {
		s, _ := values[name].(string)
		return s
	}
	return k.Keep(token, data, work.Session{Person: text(sessionName), Opens: text(sessionOpens),
		Address: text(sessionAddress), Agent: text(sessionAgent), Expiry: expiry})
}

// guard answers only those who signed in; others are sent to sign in, and come back to
// where they were. What they do is signed with their name.
func (d *door) guard(next http.Handler) http.Handler {
	return d.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r = r.WithContext(work.From(r.Context(), remote(r)))
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
	name, phrase, to := f.str("name"), f.raw("phrase"), f.str("to")
	if err := f.end(); err != nil {
		return err
	}
	p := signInPage{Name: shownName(name), To: to}
	again := func(status int, say string) error {
		p.Say = say
		s.render(w, status, "sign-in", "Sign in · Yarvek", p)
		return nil
	}
	wait, err := s.door.hurdle(r.Context(), remote(r), name)
	if err != nil {
		return err
	}
	if wait > 0 {
		w.Header().Set("Retry-After", seconds(wait))
		return again(http.StatusTooManyRequests, "Too many tries failed. Try again in "+seconds(wait)+" seconds.")
	}
	as, kept, ok, err := s.door.right(r.Context(), name, phrase)
	if err != nil {
		return err
	}
	if !ok {
		s.log.Warn("sign-in refused", "name", p.Name, "from", remote(r))
		if err := s.door.people.Note(r.Context(), work.Refused, p.Name); err != nil {
			return err
		}
		return again(http.StatusUnauthorized, "The name or the passphrase is not right.")
	}
	if err := s.door.enter(r, as, kept); err != nil {
		return err
	}
	return seeOther(w, r, "%s", local(to))
}

// right tells whether somebody has this passphrase: their name as they write it, and the passphrase as it is kept.
func (d *door) right(ctx context.Context, name, phrase string) (as, kept string, ok bool, err error) {
	as, kept, err = d.people.Phrase(ctx, name)
	if errors.Is(err, work.ErrNotFound) || fault.KindOf(err) == fault.Damaged { // whose row is damaged can't sign in
		as, kept, err = "", nobody(), nil
	}
	if err != nil {
		return "", "", false, err
	}
	select {
	case d.compare <- struct{}{}:
	case <-ctx.Done():
		return "", "", false, ctx.Err()
	}
	ok, err = argon2id.ComparePasswordAndHash(phrase, kept)
	<-d.compare
	return as, kept, ok && as != "", err
}

// enter begins the session of somebody who gave the right passphrase.
func (d *door) enter(r *http.Request, as, kept string) error {
	ctx := work.As(r.Context(), as)
	if err := d.people.ForgetTries(ctx, pairKey(remote(r), as), addressKey(remote(r))); err != nil {
		return err
	}
	if err := d.sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	for name, v := range map[string]string{sessionName: as, sessionOpens: work.PhraseDigest(kept),
		sessionAddress: remote(r), sessionAgent: cleaned(r.UserAgent(), longestAgent)} {
		d.sessions.Put(r.Context(), name, v)
	}
	return d.people.Note(ctx, work.SignedIn, "")
}

// longestAgent and longestShown bound what others say of themselves, in letters.
const (
	longestAgent = 200
	longestShown = 40
)

// shownName is a name that was typed as it may stand in an answer and in the log.
func shownName(name string) string { return cleaned(name, longestShown) }

// cleaned cuts a text from outside, and leaves out what can't be seen of it.
func cleaned(s string, most int) string {
	return clip(naming.Visible(strings.ToValidUTF8(s, "")), most)
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
	if err := s.door.people.Note(r.Context(), work.SignedOut, ""); err != nil {
		return err
	}
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
