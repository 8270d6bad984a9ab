package web

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A body that stops coming, or an answer that nobody takes, ends its request; one that
// is slow and moves does not, and neither does an answer that is long in the making.
func TestStalledConnectionsEnd(t *testing.T) {
	defer func(d time.Duration) { stall = d }(stall)
	stall = 500 * time.Millisecond
	ended := make(chan error, 1)
	srv := httptest.NewServer(patience(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, err := io.Copy(io.Discard, r.Body)
		switch {
		case r.URL.Path == "/slow" && err == nil:
			time.Sleep(3 * stall)
			err = r.Context().Err()
			_, _ = io.WriteString(w, "made")
		case r.URL.Path == "/large":
			for err == nil {
				_, err = w.Write(make([]byte, 1<<20))
			}
		}
		ended <- err
	})))
	defer srv.Close()
	request := func(path string, length int) net.Conn {
		c, err := net.Dial("tcp", srv.Listener.Addr().String())
		require.NoError(t, err)
		t.Cleanup(func() { _ = c.Close() })
		_, err = fmt.Fprintf(c, "POST %s HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n", path, length)
		require.NoError(t, err)
		return c
	}
	outcome := func() error {
		select {
		case err := <-ended:
			return err
		case <-time.After(20 * time.Second):
			return fmt.Errorf("it went on")
		}
	}

	c := request("/", 10)
	_, _ = io.WriteString(c, "half")
	assert.ErrorContains(t, outcome(), "timeout", "a body that stopped coming")

	c = request("/slow", 8)
	for range 8 { // slower in all than one stall, and never standing still
		time.Sleep(stall / 5)
		_, err := io.WriteString(c, "x")
		require.NoError(t, err)
	}
	assert.NoError(t, outcome(), "a slow line, and an answer long in the making")
	answer, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(t, err)
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.Equal(t, "made", string(b))

	// The connection serves on, however long ago its last answer was.
	time.Sleep(2 * stall)
	_, err = fmt.Fprintf(c, "HEAD /none HTTP/1.1\r\nHost: x\r\n\r\n")
	require.NoError(t, err)
	answer, err = http.ReadResponse(bufio.NewReader(c), &http.Request{Method: http.MethodHead})
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	assert.NoError(t, outcome())

	request("/large", 0)
	assert.ErrorContains(t, outcome(), "timeout", "an answer nobody takes")
}

func TestHeadAnswersAsGetDoes(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/export/send", nil).Code)
	for path, want := range map[string]int{"/": 200, "/kits/1": 200, "/assets/1/size": 200, "/exports/1/file": 200,
		"/kits/9":  404,
		"/nowhere": 404} {
		w := c.send(httptest.NewRequest(http.MethodHead, path, nil))
		assert.Equal(t, want, w.Code, path)
		assert.Equal(t, "same-origin", w.Header().Get("Cross-Origin-Resource-Policy"), path)
	}
	w := c.send(httptest.NewRequest(http.MethodHead, "/exports/1/file", nil))
	assert.Equal(t, "private, no-cache", w.Header().Get("Cache-Control"))
	assert.NotEmpty(t, w.Header().Get("Content-Length"))
	assert.Empty(t, w.Body.String())
	for _, name := range []string{"crate\u202egpj.exe", "a\x00b"} {
		assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/1/name", map[string][]string{"name": {name}}).Code)
	}
}

// What goes through a network is packed; a browser on this machine gets it as it is.
func TestAnswersArePackedForTheNetworkAlone(t *testing.T) {
	c := newClient(t)
	for from, want := range map[string]string{"127.0.0.1:9": "", "[::1]:9": "", "10.0.0.7:9": "gzip"} {
		r := httptest.NewRequest(http.MethodGet, "/static/app.css", nil)
		r.RemoteAddr = from
		r.Header.Set("Accept-Encoding", "gzip")
		assert.Equal(t, want, c.send(r).Header().Get("Content-Encoding"), from)
	}
}

// A body that drips holds its connection no longer than one that stalls; one that comes slowly and steadily is taken.
// The clock is made up, so that a busy machine is no slow line.
func TestABodyThatDripsEnds(t *testing.T) {
	for name, c := range map[string]struct {
		piece, pieces int
		every         time.Duration
		want          error
	}{
		"a byte each second": {piece: 1, pieces: 1000, every: time.Second, want: errTooSlow},
		"under the rate":     {piece: leastBytes / 50, pieces: 1000, every: slowest / 40, want: errTooSlow},
		"slow and steady":    {piece: leastBytes / 20, pieces: 1000, every: slowest / 20},
		"a small form":       {piece: 1, pieces: 3, every: time.Second},
	} {
		t.Run(name, func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				came := 0
				h := patience(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
					n, err := io.Copy(io.Discard, r.Body)
					assert.ErrorIs(t, err, c.want)
					came = int(n)
				}))
				body := &dripping{piece: c.piece, left: c.pieces, every: c.every}
				h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodPost, "/", body))
				if c.want == nil {
					assert.Equal(t, c.piece*c.pieces, came)
				} else {
					assert.Less(t, came, 2*leastBytes)
				}
			})
		})
	}
}

// dripping is a body of so many pieces that are left, one every so often.
type dripping struct {
	piece, left int
	every       time.Duration
}

func (d *dripping) Read(p []byte) (int, error) {
	if d.left == 0 {
		return 0, io.EOF
	}
	time.Sleep(d.every)
	d.left--
	return min(d.piece, len(p)), nil
}
