package soak

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"html"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
)

// plank is a small mesh whose name makes it one of a kind.
func plank(name string) bundle.File {
	return bundle.File{Name: name + ".obj",
		Data: fmt.Appendf(nil, "# %s\no plank\nv 0 0 0\nv 1 0 0\nv 1 2 0\nv 0 2 .1\nf 1 2 3 4\n", name)}
}

// base is the count of changes that an asset's page shows.
func (s *server) base(asset string) (string, error) {
	_, b, err := s.get(asset + "/source")
	if err != nil {
		return "", err
	}
	m := regexp.MustCompile(`name="base" value="(\d+)"`).FindSubmatch(b)
	if m == nil {
		return "", fmt.Errorf("%s: a page without a base: %s", asset, plain(b))
	}
	return string(m[1]), nil
}

// location is where an answer sends the browser, without going there.
func (s *server) location(path, form string) (string, error) {
	c := *s.client
	c.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	res, err := c.Post(s.URL+path, "application/x-www-form-urlencoded", strings.NewReader(form))
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusSeeOther {
		return "", fmt.Errorf("%s answers %d", path, res.StatusCode)
	}
	return res.Header.Get("Location"), nil
}

// confirmed is what a server said was done, which must be there from then on.
type confirmed struct {
	mu      sync.Mutex
	kits    map[string]string // address and name
	came    []string          // names of assets
	exports map[string][32]byte
	renamed int // the last of the numbered names that was confirmed
	tried   int // the last that was sent
}

// work does one thing after the other until the server is gone.
func (c *confirmed) work(s *server, r *rand.Rand, asset string) {
	var wg sync.WaitGroup
	lanes := []func(i int) error{
		func(i int) error { // kits
			name := fmt.Sprintf("kit %d %d", i, r.Uint64())
			at, err := s.location("/kits", "target=y-up-metres-right&name="+url.QueryEscape(name))
			if err == nil {
				c.mu.Lock()
				c.kits[at] = name
				c.mu.Unlock()
			}
			return err
		},
		func(int) error { // decisions
			base, err := s.base(asset)
			if err != nil {
				return err
			}
			c.tried++
			_, err = s.location(asset+"/source", fmt.Sprintf("base=%s&act=name&key=plank&name=r%d", base, c.tried))
			if err == nil {
				c.renamed = c.tried
			}
			return err
		},
		func(i int) error { // uploads
			name := fmt.Sprintf("plank %x", r.Uint64())
			page, err := s.send("/kits/1/files", plank(name))
			if err == nil && bytes.Contains(page, []byte("/assets/")) {
				c.came = append(c.came, name)
			}
			time.Sleep(50 * time.Millisecond) // a kit of thousands would be slow to look through
			return err
		},
		func(int) error { // exports
			at, err := s.location(asset+"/export/send", "base=0&reason=a+trial")
			if err != nil {
				return err
			}
			_, id, _ := strings.Cut(at, "sent=")
			status, b, err := s.get("/exports/" + id + "/file")
			if err == nil && status == http.StatusOK {
				c.mu.Lock()
				c.exports[id] = sha256.Sum256(b)
				c.mu.Unlock()
			}
			return err
		},
	}
	for _, lane := range lanes {
		wg.Go(func() {
			for i := 0; lane(i) == nil; i++ {
			}
		})
	}
	wg.Wait()
}

// check looks for all of it.
func (c *confirmed) check(t *testing.T, s *server, asset string) {
	t.Helper()
	_, kits, err := s.get("/")
	require.NoError(t, err)
	for at, name := range c.kits {
		assert.Contains(t, string(kits), name, at)
	}
	there, after := map[string]bool{}, regexp.MustCompile(`href="(\?[^"]+)">The assets after`)
	for path := "/kits/1"; path != ""; {
		_, b, err := s.get(path)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile(`class="row-link"[^>]*>([^<]+)<`).FindAllSubmatch(b, -1) {
			there[string(m[1])] = true
		}
		path = ""
		if m := after.FindSubmatch(b); m != nil {
			path = "/kits/1" + html.UnescapeString(string(m[1]))
		}
	}
	for _, name := range c.came {
		assert.True(t, there[name], name)
	}
	for id, sum := range c.exports {
		status, b, err := s.get("/exports/" + id + "/file")
		require.NoError(t, err)
		assert.Equal(t, http.StatusOK, status)
		assert.Equal(t, sum, sha256.Sum256(b), "export %s", id)
	}
	if c.renamed > 0 {
		_, b, err := s.get(asset + "/source")
		require.NoError(t, err)
		m := regexp.MustCompile(`data-rename="plank"[^>]*>r(\d+)<`).FindSubmatch(b)
		if assert.NotNil(t, m, "the decision is there") {
			n, err := strconv.Atoi(string(m[1]))
			require.NoError(t, err)
			assert.GreaterOrEqual(t, n, c.renamed, "what was confirmed")
			assert.LessOrEqual(t, n, c.tried)
		}
	}
}

// verify runs the check of the folder.
func verify(t *testing.T, data string) (string, error) {
	t.Helper()
	out, err := program(data, "verify").CombinedOutput()
	return string(out), err
}

// Killed 200 times while kits, decisions, uploads and exports are under way, the program
// never loses what it had confirmed, and leaves nothing half-made.
func TestKills(t *testing.T) {
	data := t.TempDir()
	r := rand.New(rand.NewPCG(17, 4))
	c := &confirmed{kits: map[string]string{}, exports: map[string][32]byte{}}
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	const asset = "/assets/1"
	kills := part(200)
	if wine {
		kills = 30 // each start takes a second there
	}
	for k := range kills {
		done := make(chan struct{})
		go func() { c.work(s, r, asset); close(done) }()
		time.Sleep(time.Duration(20+r.IntN(380)) * time.Millisecond)
		s.kill()
		<-done
		s = start(t, data)
		if k%50 == 49 {
			c.check(t, s, asset)
		}
		if t.Failed() {
			break
		}
	}
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.ended(15*time.Second))
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	fmt.Printf("%d kills: %d kits, %d decisions, %d assets and %d exports that were confirmed, none lost\n", kills,
		len(c.kits), c.renamed,
		len(c.came), len(c.exports))
}

// A byte that flips on the disk is never drawn, certified or handed out; the same file
// sent again makes it whole.
func TestFlippedBytes(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	file := plank("mast")
	_, err := s.send("/start", file)
	require.NoError(t, err)
	at, err := s.location("/assets/1/export/send", "base=0&reason=a+trial")
	require.NoError(t, err)
	_, id, _ := strings.Cut(at, "sent=")
	s.kill()
	blobs, err := filepath.Glob(filepath.Join(data, "blobs", "*", "*"))
	require.NoError(t, err)
	require.NotEmpty(t, blobs)
	flips := 0
	for _, blob := range blobs {
		was, err := os.ReadFile(blob)
		require.NoError(t, err)
		for at := 0; at < len(was); at += max(1, len(was)/20) {
			bad := bytes.Clone(was)
			bad[at] ^= 1 << (at % 8)
			require.NoError(t, os.Chmod(blob, 0o644))
			require.NoError(t, os.WriteFile(blob, bad, 0o644))
			require.NoError(t, os.RemoveAll(filepath.Join(data, "cache")))
			said, err := verify(t, data)
			assert.Error(t, err, "verify sees it: %s", said)
			s = start(t, data)
			source := bytes.Equal(was, file.Data)
			if source {
				status, page, err := s.get("/assets/1/source")
				require.NoError(t, err)
				assert.Equal(t, http.StatusUnprocessableEntity, status)
				assert.Contains(t, plain(page), "damaged on the disk")
				_, err = s.location("/assets/1/export/send", "base=0&reason=a+trial")
				assert.Error(t, err, "nothing is sent of it")
				_, err = s.send("/kits/1/files", file)
				require.NoError(t, err)
				status, _, err = s.get("/assets/1/source")
				require.NoError(t, err)
				assert.Equal(t, http.StatusOK, status, "the same file made it whole")
			} else {
				status, b, err := s.get("/exports/" + id + "/file")
				require.NoError(t, err)
				assert.False(t, status == http.StatusOK && !bytes.Equal(b, was), "other bytes are given for an export")
			}
			s.kill()
			require.NoError(t, os.WriteFile(blob, was, 0o644))
			flips++
		}
	}
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	fmt.Printf("%d flipped bits in %d kept files: each seen, none handed out\n", flips, len(blobs))
}

// A second program on the same folder is told so and leaves it as it is.
func TestTwoProcesses(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	for range part(20) {
		out, err := program(data, "serve", "--addr", "127.0.0.1:0").CombinedOutput()
		require.Error(t, err)
		require.Contains(t, string(out), "is in use by")
	}
	_, err = s.send("/kits/1/files", plank("second"))
	require.NoError(t, err)
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	fmt.Println("20 starts on a folder in use: all refused, the first goes on")
}
