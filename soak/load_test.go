package soak

import (
	"fmt"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
)

// 200 requests a second for a minute, of pages that were drawn before, while files come in
// and exports go out: half of them are answered within 20 ms, and 99 of 100 within 250.
func TestLoad(t *testing.T) {
	const rate, length = 200, time.Minute
	s := start(t, t.TempDir(), "demo")
	s.client.Transport = &http.Transport{MaxIdleConnsPerHost: 64}
	paths := []string{"/", "/kits/1", "/kits/1/exports", "/static/app.css"}
	for asset := 1; asset <= 9; asset++ {
		for _, in := range prep.Stations() {
			paths = append(paths, fmt.Sprintf("/assets/%d/%s", asset, in.ID))
		}
	}
	for _, p := range paths {
		status, _, err := s.get(p)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, status, p)
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	var took []time.Duration
	var failed, came, sent atomic.Int64
	end := time.Now().Add(length)
	wg.Go(func() {
		for i := 0; time.Now().Before(end); i++ {
			if _, err := s.send("/kits/1/files", plank(fmt.Sprint("plank ", i))); err == nil {
				came.Add(1)
			}
			time.Sleep(700 * time.Millisecond)
		}
	})
	wg.Go(func() {
		for i := 0; time.Now().Before(end); i++ {
			if _, err := s.location(fmt.Sprintf("/assets/%d/export/send", 1+i%9), "base=0"); err == nil {
				sent.Add(1)
			}
			time.Sleep(700 * time.Millisecond)
		}
	})
	tick := time.NewTicker(time.Second / rate)
	defer tick.Stop()
	for i := 0; time.Now().Before(end); i++ {
		<-tick.C
		wg.Go(func() {
			began := time.Now()
			status, _, err := s.get(paths[i%len(paths)])
			if err != nil || status != http.StatusOK {
				failed.Add(1)
			}
			mu.Lock()
			took = append(took, time.Since(began))
			mu.Unlock()
		})
	}
	wg.Wait()
	slices.Sort(took)
	median, late := took[len(took)/2], took[len(took)*99/100]
	fmt.Printf("%d requests in %v beside %d uploads and %d exports: median %v, 99th of 100 %v, slowest %v, failed %d; "+
		"peak %d MB\n",
		len(took), length, came.Load(), sent.Load(), median.Round(time.Millisecond/10), late.Round(time.Millisecond/10),
		took[len(took)-1].Round(time.Millisecond), failed.Load(), s.peak(t)/1e6)
	assert.Zero(t, failed.Load())
	assert.Greater(t, len(took), int(0.95*rate*length.Seconds()), "the rate was held")
	assert.Less(t, median, 20*time.Millisecond)
	assert.Less(t, late, 250*time.Millisecond)
}
