package memo

import (
	"context"
	"errors"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/split"
)

func weigh(s string) int64 { return int64(len(s)) }

func always(s string) func(context.Context) (string, error) {
	return func(context.Context) (string, error) { return s, nil }
}

func TestTheLeastRecentlyUsedGoesFirst(t *testing.T) {
	ctx, m := context.Background(), New(10, weigh)
	for _, k := range []string{"a", "b", "c"} {
		_, err := m.Get(ctx, k, always(strings.Repeat(k, 3)))
		require.NoError(t, err)
	}
	_, ok := m.Peek("a") // used again
	assert.True(t, ok)
	m.Put("d", "dddd")
	_, ok = m.Peek("b")
	assert.False(t, ok, "b had not been used for longest")
	_, ok = m.Peek("a")
	assert.True(t, ok)
	bytes, n := m.Size()
	assert.EqualValues(t, 10, bytes)
	assert.Equal(t, 3, n)
	m.Put("huge", strings.Repeat("x", 11))
	_, ok = m.Peek("huge")
	assert.False(t, ok, "what is over the limit by itself is given and not kept")
	bytes, _ = m.Size()
	assert.EqualValues(t, 10, bytes, "and drives nothing out")
}

func TestWhatIsPutTakesThePlaceOfWhatWasKept(t *testing.T) {
	ctx, m := context.Background(), New(10, weigh)
	_, err := m.Get(ctx, "k", always("older"))
	require.NoError(t, err)
	m.Put("k", "new")
	v, err := m.Get(ctx, "k", always("never"))
	require.NoError(t, err)
	assert.Equal(t, "new", v)
	size, n := m.Size()
	assert.EqualValues(t, 3, size)
	assert.Equal(t, 1, n)
	// What was being computed meanwhile is older.
	begun, end, left := make(chan struct{}), make(chan struct{}), make(chan struct{})
	go func() {
		defer close(left)
		_, _ = m.Get(ctx, "late", func(context.Context) (string, error) { close(begun); <-end; return "older", nil })
	}()
	<-begun
	m.Put("late", "new")
	close(end)
	<-left
	v, ok := m.Peek("late")
	assert.True(t, ok)
	assert.Equal(t, "new", v)
}

func TestEqualRequestsComputeOnce(t *testing.T) {
	m := New(100, weigh)
	var n atomic.Int64
	begin := make(chan struct{})
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			v, err := m.Get(context.Background(), "k", func(context.Context) (string, error) {
				n.Add(1)
				<-begin
				return "v", nil
			})
			assert.NoError(t, err)
			assert.Equal(t, "v", v)
		})
	}
	time.Sleep(20 * time.Millisecond)
	close(begin)
	wg.Wait()
	assert.EqualValues(t, 1, n.Load())
}

// A small value is had while a large one of another key is in the making.
func TestKeysDoNotWaitForEachOther(t *testing.T) {
	m := New(100, weigh)
	large := make(chan struct{})
	go func() {
		_, _ = m.Get(context.Background(), "large", func(context.Context) (string, error) { <-large; return "l", nil })
	}()
	v, err := m.Get(context.Background(), "small", always("s"))
	require.NoError(t, err)
	assert.Equal(t, "s", v)
	close(large)
}

func TestAWaiterLeavesByItself(t *testing.T) {
	m := New(100, weigh)
	begin, started := make(chan struct{}), make(chan struct{})
	ended := make(chan string, 1)
	go func() {
		v, _ := m.Get(context.Background(), "k", func(ctx context.Context) (string, error) {
			close(started)
			<-begin
			return "v", ctx.Err()
		})
		ended <- v
	}()
	<-started
	ctx, cancel := context.WithCancel(context.Background())
	cancel2 := time.AfterFunc(10*time.Millisecond, cancel)
	defer cancel2.Stop()
	_, err := m.Get(ctx, "k", always("never"))
	assert.ErrorIs(t, err, context.Canceled)
	close(begin)
	assert.Equal(t, "v", <-ended, "the one that stayed has its value")
}

// When nobody waits any more the computation is told to stop, and one who comes then
// begins anew.
func TestTheLastToLeaveEndsIt(t *testing.T) {
	m := New(100, weigh)
	ctx, cancel := context.WithCancel(context.Background())
	told := make(chan struct{})
	started := make(chan struct{})
	go func() {
		<-started
		cancel()
	}()
	_, err := m.Get(ctx, "k", func(ctx context.Context) (string, error) {
		close(started)
		<-ctx.Done()
		close(told)
		return "half", nil
	})
	assert.ErrorIs(t, err, context.Canceled)
	<-told
	v, err := m.Get(context.Background(), "k", always("whole"))
	require.NoError(t, err)
	assert.Equal(t, "whole", v)
	time.Sleep(10 * time.Millisecond)
	v, _ = m.Peek("k")
	assert.Equal(t, "whole", v, "half a value is never kept")
}

func TestErrorsAndPanicsAreNotKept(t *testing.T) {
	ctx, m := context.Background(), New(100, weigh)
	odd := errors.New("odd")
	_, err := m.Get(ctx, "k", func(context.Context) (string, error) { return "", odd })
	assert.ErrorIs(t, err, odd)
	_, err = m.Get(ctx, "k", func(context.Context) (string, error) { panic("broken") })
	var p *split.Panic
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "broken", p.Value)
	v, err := m.Get(ctx, "k", always("v"))
	require.NoError(t, err)
	assert.Equal(t, "v", v)
}

func TestANilMemoKeepsNothing(t *testing.T) {
	var m *Memo[string]
	n := 0
	for range 2 {
		v, err := m.Get(context.Background(), "k", func(context.Context) (string, error) { n++; return "v", nil })
		require.NoError(t, err)
		assert.Equal(t, "v", v)
	}
	m.Put("k", "v")
	_, ok := m.Peek("k")
	assert.False(t, ok)
	assert.Equal(t, 2, n)
	bytes, values := m.Size()
	assert.Zero(t, bytes+int64(values))
}

// The first of two who leave does not end the work of the other.
func TestTheFirstToLeaveEndsNothing(t *testing.T) {
	m := New(100, weigh)
	leaving, leave := context.WithCancel(context.Background())
	begun, gate := make(chan struct{}), make(chan struct{})
	left := make(chan error)
	go func() {
		_, err := m.Get(leaving, "k", func(ctx context.Context) (string, error) {
			close(begun)
			select {
			case <-gate:
				return "whole", nil
			case <-ctx.Done():
				return "half", ctx.Err()
			}
		})
		left <- err
	}()
	<-begun
	stayed := make(chan string)
	go func() {
		v, err := m.Get(context.Background(), "k", func(context.Context) (string, error) { return "again", nil })
		assert.NoError(t, err)
		stayed <- v
	}()
	for { // until the second waits as well
		m.mu.Lock()
		n := m.flight["k"].waiting
		m.mu.Unlock()
		if n == 2 {
			break
		}
		runtime.Gosched()
	}
	leave()
	assert.ErrorIs(t, <-left, context.Canceled)
	close(gate)
	assert.Equal(t, "whole", <-stayed, "who stayed has what was begun")
}

// What weighs more than all that may be kept is given and not kept, what is put takes the place of what was there,
// and a memo that is none keeps nothing.
func TestWhatIsTooHeavyIsNotKept(t *testing.T) {
	ctx, m := context.Background(), New(10, weigh)
	v, err := m.Get(ctx, "heavy", always("0123456789a"))
	require.NoError(t, err)
	assert.Equal(t, "0123456789a", v)
	_, ok := m.Peek("heavy")
	assert.False(t, ok)
	w, n := m.Size()
	assert.Zero(t, n)
	assert.Zero(t, w)
	_, err = m.Get(ctx, "ten", always("0123456789"))
	require.NoError(t, err)
	_, ok = m.Peek("ten")
	assert.True(t, ok, "just as much as may be kept")
	m.Put("ten", "012")
	w, n = m.Size()
	assert.Equal(t, 1, n)
	assert.EqualValues(t, 3, w)
	var none *Memo[string]
	w, n = none.Size()
	assert.Zero(t, n)
	assert.Zero(t, w)
	_, err = m.Get(ctx, "bad", func(context.Context) (string, error) { return "01", errors.New("odd") })
	assert.Error(t, err)
	w, _ = m.Size()
	assert.EqualValues(t, 3, w, "what failed weighs nothing")
}

// Whoever comes with a context that has ended gets its error, whatever is kept; and a flight that everybody left is
// nobody's any more, though it still goes on.
func TestALeftFlightIsNobodys(t *testing.T) {
	m := New(100, func(int) int64 { return 1 })
	m.Put("kept", 7)
	ended, end := context.WithCancel(t.Context())
	end()
	_, err := m.Get(ended, "kept", nil)
	assert.ErrorIs(t, err, context.Canceled)

	begun, goOn := make(chan struct{}), make(chan struct{})
	ctx, leave := context.WithCancel(t.Context())
	left := make(chan error)
	go func() {
		_, err := m.Get(ctx, "slow", func(context.Context) (int, error) { close(begun); <-goOn; return 1, nil })
		left <- err
	}()
	<-begun
	leave()
	require.ErrorIs(t, <-left, context.Canceled)
	v, err := m.Get(t.Context(), "slow", func(context.Context) (int, error) { return 2, nil })
	require.NoError(t, err)
	assert.Equal(t, 2, v, "asked again, it is computed again")
	close(goOn)
}

// What is put while it is computed stays: what comes of the computing is older, and only those who waited get it.
func TestWhatIsPutMeanwhileStays(t *testing.T) {
	m := New(100, func(int) int64 { return 1 })
	begun, goOn := make(chan struct{}), make(chan struct{})
	got := make(chan int)
	go func() {
		v, _ := m.Get(t.Context(), "key", func(context.Context) (int, error) { close(begun); <-goOn; return 1, nil })
		got <- v
	}()
	<-begun
	m.Put("key", 2)
	close(goOn)
	assert.Equal(t, 1, <-got)
	v, err := m.Get(t.Context(), "key", func(context.Context) (int, error) { return 3, nil })
	require.NoError(t, err)
	assert.Equal(t, 2, v)
}
