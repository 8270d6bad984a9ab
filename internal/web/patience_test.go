package web

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A body that stops coming, or an answer that nobody takes, ends its request; one that
// is slow and moves does not, and neither does an answer that is long in the making.
func TestStalledConnectionsEnd(t *testing.T) {
	defer func(d time.Duration) { stall = d }(stall)
	stall = 150 * time.Millisecond
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
		time.Sleep(stall / 3)
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
func TestABodyThatDripsEnds(t *testing.T) {
	defer func(d time.Duration) { slowest = d }(slowest)
	slowest = 200 * time.Millisecond
	ended := make(chan error, 1)
	srv := httptest.NewServer(patience(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		_, err := io.Copy(io.Discard, r.Body)
		ended <- err
	})))
	defer srv.Close()
	send := func(piece, pieces int) error {
		c, err := net.Dial("tcp", srv.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		_, err = fmt.Fprintf(c, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n", piece*pieces)
		require.NoError(t, err)
		go func() {
			for range pieces {
				if _, err := c.Write(make([]byte, piece)); err != nil {
					return
				}
				time.Sleep(10 * time.Millisecond)
			}
		}()
		select {
		case err := <-ended:
			return err
		case <-time.After(20 * time.Second):
			return nil
		}
	}
	assert.ErrorIs(t, send(1, 1000), errTooSlow)
	assert.NoError(t, send(4<<10, 50))
	assert.NoError(t, send(1, 3), "a small form is small")
}
