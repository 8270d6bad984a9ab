package split

import (
	"context"
	"errors"
	"runtime"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRangeCoversEveryElementOnce(t *testing.T) {
	for _, n := range []int{0, 1, 2, 3, 100, 1001} {
		seen := make([]int, n)
		pieces := make([]bool, Pieces(n, 10))
		Range(n, 10, func(piece, from, to int) {
			pieces[piece] = true
			for i := from; i < to; i++ {
				seen[i]++
			}
		})
		for i, k := range seen {
			require.Equal(t, 1, k, "element %d of %d", i, n)
		}
		assert.NotContains(t, pieces, false)
	}
}

func TestEachCallsEveryNumberOnce(t *testing.T) {
	var sum atomic.Int64
	require.NoError(t, Each(context.Background(), 1000, func(i int) { sum.Add(int64(i)) }))
	assert.EqualValues(t, 499500, sum.Load())
	require.NoError(t, Each(context.Background(), 0, func(int) { t.Error("nothing to do") }))
}

func TestEachStopsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var n atomic.Int64
	err := Each(ctx, 1_000_000, func(int) {
		if n.Add(1) == 10 {
			cancel()
		}
	})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, n.Load(), int64(100))
}

// A panic in any goroutine comes out where the work was asked for, with the place it
// began, and after everything else has ended.
func TestPanicsComeBackToTheCaller(t *testing.T) {
	for name, f := range map[string]func(){
		"together, beside": func() { Together(func() { panic("odd") }, func() {}) },
		"together, here":   func() { Together(func() {}, func() { panic("odd") }) },
		"range":            func() { Range(100, 1, func(piece, _, _ int) { panic("odd") }) },
		"each":             func() { _ = Each(context.Background(), 100, func(int) { panic("odd") }) },
		"nested":           func() { Together(func() { Together(func() { panic("odd") }, func() {}) }, func() {}) },
	} {
		t.Run(name, func(t *testing.T) {
			defer func() {
				err := Recovered(recover())
				var p *Panic
				require.True(t, errors.As(err, &p), "%v", err)
				assert.Equal(t, "odd", p.Value)
				assert.Contains(t, string(p.Stack), "split_test.go")
			}()
			f()
			t.Error("the panic was lost")
		})
	}
	assert.NoError(t, Recovered(nil))
}

func TestBlocksAreTheSameOnAnyNumberOfProcessors(t *testing.T) {
	for _, n := range []int{0, 1, 9, 10, 11, 95} {
		var want [][2]int
		for from := 0; from < n; from += 10 {
			want = append(want, [2]int{from, min(n, from+10)})
		}
		for _, processors := range []int{1, 2, 7} {
			was := runtime.GOMAXPROCS(processors)
			got := make([][2]int, Blocks(n, 10))
			assert.NoError(t, InBlocks(context.Background(), n, 10, func(k, from, to int) { got[k] = [2]int{from, to} }))
			runtime.GOMAXPROCS(was)
			assert.ElementsMatch(t, want, got)
			assert.Len(t, got, len(want))
		}
	}
}

// Left to others, processors are not used: nothing runs beside anything on two of them, and what comes out is the same.
func TestLeavingProcessors(t *testing.T) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(2))
	var at, most atomic.Int64
	f := func() {
		most.Store(max(most.Load(), at.Add(1)))
		time.Sleep(2 * time.Millisecond)
		at.Add(-1)
	}
	both := func() int64 {
		most.Store(0)
		Together(f, f, f)
		Range(100, 1, func(_, _, _ int) { f() })
		require.NoError(t, Each(context.Background(), 20, func(int) { f() }))
		return most.Load()
	}
	assert.Greater(t, both(), int64(1))
	Leave(1)
	assert.Equal(t, int64(1), both())
	assert.Equal(t, 2, Pieces(100, 1), "pieces stay as many, since places are made for them")
	// Those under way give way too.
	Leave(0)
	var late atomic.Int64
	require.NoError(t, Each(context.Background(), 40, func(i int) {
		if i == 4 {
			Leave(1)
		}
		f()
		if i > 10 {
			late.Store(max(late.Load(), at.Load()+1))
		}
	}))
	Leave(0)
	assert.Equal(t, int64(1), late.Load())
}
