package soak

import (
	"bytes"
	"fmt"
	"math"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/prep"
)

// briefly is whether the trials are cut to some minutes in all.
var briefly = os.Getenv("YARVEK_SOAK") == "brief"

// part is all of n, or a tenth of it where the trials are cut.
func part(n int) int {
	if briefly {
		return max(1, n/10)
	}
	return n
}

// demo starts the demo kit, and gives the addresses of all that can be seen of nine of its assets once nothing is
// being made any more.
func demo(t *testing.T) (s *server, paths []string) {
	s = start(t, t.TempDir(), "demo")
	s.client.Transport = &http.Transport{MaxIdleConnsPerHost: 64}
	paths = []string{"/", "/kits/1", "/kits/1/exports", "/static/app.css"}
	for asset := 1; asset <= 9; asset++ {
		for _, in := range prep.Stations() {
			paths = append(paths, fmt.Sprintf("/assets/%d/%s", asset, in.ID))
		}
	}
	for {
		waits := false
		for _, p := range paths {
			status, b, err := s.get(p)
			require.NoError(t, err)
			require.Contains(t, []int{http.StatusOK, http.StatusAccepted}, status, p)
			waits = waits || bytes.Contains(b, []byte(`id="climbing"`)) || status == http.StatusAccepted
		}
		if !waits {
			return s, paths
		}
		time.Sleep(time.Second)
	}
}

// spent is the processor time the program has taken so far.
func (s *server) spent(t *testing.T) time.Duration {
	t.Helper()
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", s.cmd.Process.Pid))
	require.NoError(t, err)
	f := strings.Fields(string(b[bytes.LastIndexByte(b, ')')+1:]))
	user, err1 := strconv.ParseInt(f[11], 10, 64)
	system, err2 := strconv.ParseInt(f[12], 10, 64)
	require.NoError(t, err1)
	require.NoError(t, err2)
	return time.Duration(user+system) * 10 * time.Millisecond // of a hundred ticks a second
}

// load asks for pages at a rate, and tells how long they took.
type load struct {
	took   []time.Duration
	failed int64
	last   string // of the failures
}

// at asks so many times a second for what path gives, one after the other, whether those before were answered or not.
func (s *server) at(rate int, length time.Duration, path func(i int) string) *load {
	var l load
	var mu sync.Mutex
	var wg sync.WaitGroup
	begun := time.Now()
	for i := 0; ; i++ {
		due := begun.Add(time.Duration(i) * time.Second / time.Duration(rate))
		if due.Sub(begun) >= length {
			break
		}
		time.Sleep(time.Until(due))
		wg.Go(func() {
			p := path(i)
			status, b, err := s.get(p)
			mu.Lock()
			defer mu.Unlock()
			l.took = append(l.took, time.Since(due)) // waiting to be sent counts, too
			if err != nil || status != http.StatusOK {
				l.failed, l.last = l.failed+1, fmt.Sprint(p, " ", status, " ", err, " ", plain(b[:min(len(b), 500)]))
			}
		})
	}
	wg.Wait()
	slices.Sort(l.took)
	return &l
}

func (l *load) median() time.Duration { return l.took[len(l.took)/2] }
func (l *load) late() time.Duration   { return l.took[len(l.took)*99/100] }

func (l *load) String() string {
	return fmt.Sprintf("%d requests: median %v, 99th of 100 %v, slowest %v, failed %d", len(l.took),
		l.median().Round(time.Millisecond/10), l.late().Round(time.Millisecond/10),
		l.took[len(l.took)-1].Round(time.Millisecond), l.failed)
}

// meanwhile does something again and again, with a pause, until told to end; it counts what was done.
func meanwhile(pause time.Duration, do func(i int) error) (end func() int64) {
	var n atomic.Int64
	stop, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			case <-time.After(pause):
			}
			if do(i) == nil {
				n.Add(1)
			}
		}
	}()
	return func() int64 { close(stop); <-done; return n.Load() }
}

// What a page that was drawn before costs, and 200 requests a second over all ten stations: alone, and while files
// come in and exports go out.
func TestLoad(t *testing.T) {
	s, paths := demo(t)
	const rounds = 20
	was := s.spent(t)
	for range rounds {
		for _, p := range paths {
			_, _, err := s.get(p)
			require.NoError(t, err)
		}
	}
	each := (s.spent(t) - was) / time.Duration(rounds*len(paths))
	fmt.Printf("a page that was drawn before takes %v of processor\n", each.Round(time.Millisecond/100))
	assert.Less(t, each, 3*time.Millisecond)

	length := time.Duration(part(60)) * time.Second
	path := func(i int) string { return paths[i%len(paths)] }
	idle := s.at(200, length, path)
	fmt.Printf("200 a second for %v, nothing else to do: %v\n", length, idle)
	assert.Zero(t, idle.failed, idle.last)
	assert.Less(t, idle.median(), 30*time.Millisecond)
	assert.Less(t, idle.late(), 250*time.Millisecond)

	came := meanwhile(700*time.Millisecond, func(i int) error {
		_, err := s.send("/kits/1/files", plank(fmt.Sprint("plank ", i)))
		return err
	})
	sent := meanwhile(700*time.Millisecond, func(i int) error {
		_, err := s.location(fmt.Sprintf("/assets/%d/export/send", 1+i%9), "base=0&reason=a+trial")
		return err
	})
	busy := s.at(200, length, path)
	fmt.Printf("the same beside %d uploads and %d exports: %v; peak %d MB\n", came(), sent(), busy, s.peak(t)/1e6)
	assert.Zero(t, busy.failed, busy.last)
	assert.Less(t, busy.median(), 30*time.Millisecond)
	assert.Less(t, busy.late(), 250*time.Millisecond)
}

// hills is a mesh of n by n places that takes long to make LODs and hulls of.
func hills(name string, n int) bundle.File {
	var b bytes.Buffer
	for i := range n * n {
		x, y := float64(i%n), float64(i/n)
		fmt.Fprintf(&b, "v %g %g %.4f\n", x/20, y/20, math.Sin(x/9)*math.Cos(y/7)+.3*math.Sin(x*y/50))
	}
	for y := range n - 1 {
		for x := range n - 1 {
			a := y*n + x + 1
			fmt.Fprintf(&b, "f %d %d %d\nf %d %d %d\n", a, a+1, a+n+1, a, a+n+1, a+n)
		}
	}
	return bundle.File{Name: name + ".obj", Data: b.Bytes()}
}

// Twenty requests a second while LODs and hulls of a large mesh are made: pages come first.
func TestLoadBesideJobs(t *testing.T) {
	s, paths := demo(t)
	for i := range 2 {
		page, err := s.send("/kits/1/files", hills(fmt.Sprint("hills ", i), 500))
		require.NoError(t, err, string(page))
	}
	decide := func(asset, form string) {
		base, err := s.base(asset)
		require.NoError(t, err)
		at, form, _ := strings.Cut(form, "?")
		status, b, err := s.form(asset+"/"+at, "base="+base+"&"+form)
		require.NoError(t, err)
		require.Less(t, status, 300, plain(b))
	}
	decide("/assets/14", "lods?act=levels&how=typed&share=50&from=&hand=&share=10&from=&hand=")
	decide("/assets/15", "collision?act=entries&section=form&form=hulls")
	makes := func() (n int) {
		for asset, at := range map[string]string{"/assets/14": "lods", "/assets/15": "collision"} {
			_, b, err := s.get(asset + "/" + at)
			require.NoError(t, err)
			n += bytes.Count(b, []byte(`id="stopclimb"`))
		}
		return n
	}
	require.Positive(t, makes(), "there are jobs to be beside of")
	length := time.Duration(part(60)) * time.Second
	l := s.at(20, length, func(i int) string { return paths[i%len(paths)] })
	still := makes()
	fmt.Printf("20 a second for %v beside %d jobs, of 498 002 triangles each: %v; peak %d MB\n", length, still, l,
		s.peak(t)/1e6)
	assert.Zero(t, l.failed, l.last)
	assert.Positive(t, still, "the jobs lasted")
	assert.Less(t, l.median(), 150*time.Millisecond)
	assert.Less(t, l.late(), time.Second)
}
