package soak

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Twenty people decide at once on the assets of one kit: whoever was first is in force, whoever came late is told, and
// nothing that was confirmed is lost.
func TestTwentyPeople(t *testing.T) {
	s, _ := demo(t)
	const people, assets = 20, 6
	length := time.Duration(part(60)) * time.Second
	changes := func(asset int) int {
		_, b, err := s.get(fmt.Sprintf("/assets/%d/size", asset))
		require.NoError(t, err)
		m := regexp.MustCompile(`data-changes="(\d+)"`).FindSubmatch(b)
		require.NotNil(t, m)
		var n int
		_, _ = fmt.Sscan(string(m[1]), &n)
		return n
	}
	before := make([]int, assets+1)
	for a := 1; a <= assets; a++ {
		before[a] = changes(a)
	}
	var mu sync.Mutex
	confirmed, late, failed := make([]int, assets+1), 0, 0
	var took []time.Duration
	var last string
	end := time.Now().Add(length)
	var wg sync.WaitGroup
	for who := range people {
		wg.Go(func() {
			r := rand.New(rand.NewPCG(26, uint64(who)))
			for n := 0; time.Now().Before(end); n++ {
				asset := 1 + r.IntN(assets)
				at := fmt.Sprintf("/assets/%d", asset)
				base, err := s.base(at)
				if err != nil {
					continue
				}
				form := fmt.Sprintf("base=%s&act=entries&section=fit&factor=%d.%03d", base, 1+who, n%1000)
				begun := time.Now()
				status, b, err := s.form(at+"/size", form)
				mu.Lock()
				took = append(took, time.Since(begun))
				switch {
				case err == nil && status == http.StatusOK:
					confirmed[asset]++
				case err == nil && status == http.StatusConflict:
					late++
				default:
					failed, last = failed+1, fmt.Sprint(status, err, " ", plain(b))
				}
				mu.Unlock()
				time.Sleep(time.Duration(2000+r.IntN(3000)) * time.Millisecond)
			}
		})
	}
	wg.Wait()
	sum := 0
	for a := 1; a <= assets; a++ {
		sum += confirmed[a]
		assert.Equal(t, before[a]+confirmed[a], changes(a), "asset %d", a)
	}
	slices.Sort(took)
	fmt.Printf("%d people for %v: %d decisions confirmed and in force, %d too late and told so, %d failed; a decision "+
		"and its page took %v at the median and %v in 99 of 100\n", people, length, sum, late, failed,
		took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond))
	assert.Zero(t, failed, strings.TrimSpace(last))
	assert.NotZero(t, sum)
}
