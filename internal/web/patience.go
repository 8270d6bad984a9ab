package web

import (
	"errors"
	"io"
	"net/http"
	"time"
)

// stall is how long one side of a connection may say nothing while the other waits for
// it. A slow line that moves is no stall: every piece that comes or goes begins it anew.
var stall = 60 * time.Second // shorter in tests

// A body that comes has to come at a rate, too: less than leastBytes within each slowest are somebody who holds a
// connection, and no line that is slow.
const leastBytes = 16 << 10

const slowest = 30 * time.Second

// errTooSlow ends the reading of a body.
var errTooSlow = errors.New("the body comes too slowly")

// patience ends requests whose body stops coming and answers that nobody takes, so that
// they hold no upload, no file and no connection for good.
func patience(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c := http.NewResponseController(w)
		_ = c.SetWriteDeadline(time.Time{}) // that of the answer before, on the same connection
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &patientBody{ReadCloser: r.Body, c: c, since: time.Now()}
		}
		next.ServeHTTP(&patientWriter{w, c}, r)
	})
}

// patientBody gives every read its time. A connection that knows no deadlines, as those
// of tests, has none.
type patientBody struct {
	io.ReadCloser
	c     *http.ResponseController
	since time.Time // when the bytes began to be counted
	came  int
}

// Read reads a piece within the time one may take. After the last one there is no limit
// to how long the answer may be in the making.
func (b *patientBody) Read(p []byte) (int, error) {
	_ = b.c.SetReadDeadline(time.Now().Add(stall))
	n, err := b.ReadCloser.Read(p)
	if b.came += n; time.Since(b.since) > slowest {
		if b.came < leastBytes && err == nil {
			return n, errTooSlow
		}
		b.since, b.came = time.Now(), 0
	}
	if errors.Is(err, io.EOF) {
		_ = b.c.SetReadDeadline(time.Time{})
	}
	return n, err
}

// patientWriter gives every write its time.
type patientWriter struct {
	http.ResponseWriter
	c *http.ResponseController
}

// Write writes a piece within the time one may take.
func (w *patientWriter) Write(p []byte) (int, error) {
	_ = w.c.SetWriteDeadline(time.Now().Add(stall))
	return w.ResponseWriter.Write(p)
}

// Unwrap is for http.ResponseController.
func (w *patientWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }
