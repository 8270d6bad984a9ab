package web

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-chi/chi/v5"

	"yarvek/core/memo"
	"yarvek/core/split"
	"yarvek/internal/work"
)

// How much is kept of what was answered, in bytes: in all, and of one answer.
const (
	answersKept = 192 << 20
	longestKept = 4 << 20
)

// answers keeps what pages and drawings came to, by all that they show: asked again, nothing is opened, drawn or put
// together. A key holds the stamp of the rows (see store.Stamp), the address with its query, who asks and the day,
// since pages say "today". What shows more than that, such as how far a job is, says so with [passing] and is not
// kept.
type answers struct {
	memo  *memo.Memo[answer]
	start string // of this process: answers of another program are not these

	mu      sync.Mutex
	flights map[string]*flight // answers in the making
}

// answer is one that was given.
type answer struct {
	body []byte
	kind string // its media type
}

func newAnswers() *answers {
	return &answers{memo: memo.New(answersKept, func(a answer) int64 { return 256 + int64(len(a.body)) }),
		start: rand.Text(), flights: map[string]*flight{}}
}

// passingKey is the context's key of whether an answer must not be kept.
type passingKey struct{}

// passing says that the answer to a request shows what no stamp tells of.
func passing(r *http.Request) {
	if p, ok := r.Context().Value(passingKey{}).(*atomic.Bool); ok {
		p.Store(true)
	}
}

// stamped says what an answer shows of what is kept.
type stamped func(r *http.Request) (string, error)

// handler answers a request, or says why not.
type handler func(http.ResponseWriter, *http.Request) error

// keep answers with what is kept, or by a handler whose answer is kept then. A browser that has it already is told so
// (RFC 9110, section 13.1.2), but for whole pages that it goes to by itself: those it must not show again unasked, as
// it does on the way back. A page that takes longer than a request may is put together all the same, and until it is
// there the browser is told to ask again.
func (s *Server) keep(stamp stamped, h handler) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		of, err := stamp(r)
		if err != nil {
			return err
		}
		htmx := r.Header.Get("HX-Request") != ""
		sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%s\n%q\n%s", s.answers.start, of, r.URL.RequestURI(),
			work.By(r.Context()), time.Now().Format(time.DateOnly)))
		key := fmt.Sprintf("%x", sum[:16])
		if a, ok := s.answers.memo.Peek(key); ok {
			a.write(w, r, key)
			return nil
		}
		f := s.answers.flight(key, r, h)
		defer s.answers.leave(key, f)
		var late <-chan time.Time
		switch {
		case htmx:
			late = time.After(longestHeld)
		case strings.Contains(r.Header.Get("Accept"), "text/html"):
			late = time.After(longestWithin)
		}
		select {
		case <-f.done:
		case <-late:
			return s.notYet(w, r, htmx)
		case <-r.Context().Done():
			return r.Context().Err()
		}
		if f.err != nil {
			return f.err
		}
		maps.Copy(w.Header(), f.header)
		if !f.lasting() {
			w.WriteHeader(f.status)
			_, _ = w.Write(f.body.Bytes())
			return nil
		}
		answer{f.body.Bytes(), f.header.Get("Content-Type")}.write(w, r, key)
		return nil
	}
}

// longestWithin is how long a page may be put together while a browser waits; shorter in tests.
var longestWithin = 900 * time.Millisecond

// longestHeld is how long htmx is left waiting for a sheet: the one that is there says that something is under way and
// keeps the artist's place, which a page in its stead would lose.
const longestHeld = 20 * time.Second

// waitingPage is shown until a page is there.
type waitingPage struct {
	Path string // asked for again
	HTMX bool   // by htmx, in the page's place; else by a script of the page
}

// notYet says that a page takes longer.
func (s *Server) notYet(w http.ResponseWriter, r *http.Request, htmx bool) error {
	s.render(w, http.StatusAccepted, "waiting", "Opening · Yarvek", waitingPage{r.URL.RequestURI(), htmx})
	return nil
}

// flight is an answer in the making. What it holds is written before done is closed, and read after; waiting and alone
// belong to the lock of the answers.
type flight struct {
	done    chan struct{}
	err     error
	status  int
	header  http.Header
	body    bytes.Buffer
	passing atomic.Bool
	waiting int         // requests that wait for it
	alone   *time.Timer // ends it when nobody has waited for long; nil while somebody does
	cancel  context.CancelFunc
}

// lasting tells whether what came out may be kept.
func (f *flight) lasting() bool {
	return f.err == nil && f.status == http.StatusOK && !f.passing.Load() && f.header.Get("Content-Disposition") == ""
}

// longestAlone is how long an answer is made that nobody waits for any more; shorter in tests.
var longestAlone = 30 * time.Second

// flight is the one that makes an answer, begun when there is none; whoever gets it leaves it. It is of nobody's
// request: it goes on when whoever asked first has left, for as long as others wait or may come back.
func (a *answers) flight(key string, r *http.Request, h handler) *flight {
	a.mu.Lock()
	defer a.mu.Unlock()
	if f := a.flights[key]; f != nil {
		f.waiting++
		if f.alone != nil {
			f.alone.Stop()
			f.alone = nil
		}
		return f
	}
	f := &flight{done: make(chan struct{}), status: http.StatusOK, header: http.Header{}, waiting: 1}
	ctx, cancel := context.WithCancel(context.WithValue(context.WithoutCancel(r.Context()), passingKey{}, &f.passing))
	ctx = context.WithValue(ctx, chi.RouteCtxKey, routed(r))
	f.cancel = cancel
	a.flights[key] = f
	go func() {
		defer close(f.done)
		defer cancel()
		defer func() {
			if p := split.Recovered(recover()); p != nil {
				f.err = p
			}
		}()
		f.err = h(f, r.Clone(ctx))
		if f.lasting() && f.body.Len() <= longestKept {
			a.memo.Put(key, answer{f.body.Bytes(), f.header.Get("Content-Type")})
		}
	}()
	return f
}

// leave is called by who waits no more. A flight that has ended is forgotten: it was answered with. One that nobody
// waits for is given some time, since a browser asks again.
func (a *answers) leave(key string, f *flight) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f.waiting--
	select {
	case <-f.done:
		a.forget(key, f)
		return
	default:
	}
	if f.waiting > 0 {
		return
	}
	var alone *time.Timer
	alone = time.AfterFunc(longestAlone, func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		if f.alone == alone { // nobody came meanwhile
			f.cancel()
			a.forget(key, f)
		}
	})
	f.alone = alone
}

// forget takes a flight off the list; the lock is held.
func (a *answers) forget(key string, f *flight) {
	if a.flights[key] == f {
		delete(a.flights, key)
	}
}

// routed is a copy of what the router found in a request's address, which it uses for other requests afterwards.
func routed(r *http.Request) *chi.Context {
	found := chi.NewRouteContext()
	if was := chi.RouteContext(r.Context()); was != nil {
		found.URLParams.Keys, found.URLParams.Values = slices.Clone(was.URLParams.Keys), slices.Clone(was.URLParams.Values)
	}
	return found
}

// Header is that of the answer.
func (f *flight) Header() http.Header { return f.header }

// WriteHeader notes the status.
func (f *flight) WriteHeader(status int) { f.status = status }

// Write notes a piece of the body.
func (f *flight) Write(p []byte) (int, error) { return f.body.Write(p) }

// write sends an answer, or that the browser has it.
func (a answer) write(w http.ResponseWriter, r *http.Request, key string) {
	h := w.Header()
	h.Set("Content-Type", a.kind)
	if strings.HasPrefix(a.kind, "text/html") && r.Header.Get("HX-Request") == "" {
		h.Set("Cache-Control", "no-store")
	} else {
		tag := `"` + key + `"`
		h.Set("ETag", tag)
		h.Set("Vary", "HX-Request")
		if !strings.Contains(h.Get("Cache-Control"), "immutable") {
			h.Set("Cache-Control", "private, no-cache")
		}
		if r.Header.Get("If-None-Match") == tag {
			h.Del("Content-Type")
			w.WriteHeader(http.StatusNotModified)
			return
		}
	}
	_, _ = w.Write(a.body)
}

// ofAsset is the stamp of an asset's pages.
func (s *Server) ofAsset(r *http.Request) (string, error) {
	aid, err := id(r, "asset")
	if err != nil {
		return "", err
	}
	return s.desk.Stamp(r.Context(), aid)
}

// ofKit is the stamp of a kit's pages, with the uploads whose end was not seen.
func (s *Server) ofKit(r *http.Request) (string, error) {
	kid, err := id(r, "kit")
	if err != nil {
		return "", err
	}
	of, err := s.desk.KitStamp(r.Context(), kid)
	return fmt.Sprint(of, s.desk.Uploads(kid)), err
}

// ofAll is the stamp of the first page.
func (s *Server) ofAll(r *http.Request) (string, error) {
	of, err := s.desk.KitStamp(r.Context(), 0)
	return fmt.Sprint(of, s.desk.Unswept().Orphans), err
}
