// Package split shares work between the processors. It is the one place that starts
// goroutines for computations, so that two things hold everywhere: a panic in any of
// them comes out in the goroutine that asked, where it can be recovered, and nobody
// returns before all of them have ended.
//
// A piece of work writes to places of its own; the outcome of a computation must not
// depend on the order in which pieces run or on how many there are.
package split

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// Panic is what a panic in a piece of work becomes in the goroutine that asked for it:
// that one panics with a *Panic.
type Panic struct {
	Value any    // what the piece panicked with
	Stack []byte // where
}

// Error makes a *Panic an error, for those that recover it.
func (p *Panic) Error() string { return fmt.Sprintf("panic: %v\n%s", p.Value, p.Stack) }

// Recovered turns what recover gave into an error, nil for nil. The stack is that of
// the first panic when it was carried here from another goroutine.
func Recovered(v any) error {
	if v == nil {
		return nil
	}
	if p, ok := v.(*Panic); ok {
		return p
	}
	return &Panic{v, debug.Stack()}
}

// left is how many processors are left to others.
var left atomic.Int32

// Leave has computations leave n processors to others from their next piece on, as far as one stays. What comes out
// is the same.
func Leave(n int) { left.Store(int32(n)) }

// Most is how many goroutines a computation may have at once.
func Most() int { return max(1, runtime.GOMAXPROCS(0)-int(left.Load())) }

// group runs pieces and keeps the first panic.
type group struct {
	wg    sync.WaitGroup
	once  sync.Once
	first *Panic
}

// run calls f and keeps its panic, the first of the group.
func (g *group) run(f func()) {
	defer func() {
		if v := recover(); v != nil {
			g.once.Do(func() { g.first = Recovered(v).(*Panic) })
		}
	}()
	f()
}

// wait waits for all, and panics as the first that did.
func (g *group) wait() {
	g.wg.Wait()
	if g.first != nil {
		panic(g.first)
	}
}

// Together runs the functions side by side and returns when all have ended. The last
// one runs in the caller's goroutine, and all do where one processor is left. None waits for another.
func Together(list ...func()) {
	if len(list) == 0 {
		return
	}
	var g group
	for _, f := range list[:len(list)-1] {
		if Most() == 1 {
			g.run(f)
		} else {
			g.wg.Go(func() { g.run(f) })
		}
	}
	g.run(list[len(list)-1])
	g.wait()
}

// Pieces is how many contiguous pieces Range makes of n elements when fewer than least
// of them are not worth a goroutine: at least one, at most one a processor.
func Pieces(n, least int) int { return max(1, min(runtime.GOMAXPROCS(0), n/max(1, least))) }

// Range calls f for each of Pieces(n, least) contiguous pieces of n elements, side by
// side as far as processors are left; f gets the piece's number and its half-open range.
func Range(n, least int, f func(piece, from, to int)) {
	k := Pieces(n, least)
	if k == 1 {
		f(0, 0, n)
		return
	}
	_ = Few(context.Background(), k, k, func(i int) { f(i, n*i/k, n*(i+1)/k) })
}

// Blocks is how many blocks of size elements n elements make, the last one shorter.
func Blocks(n, size int) int { return (n + size - 1) / size }

// InBlocks calls f for each of the blocks, which are the same on any number of
// processors: for sums, whose rounding would depend on where they are cut. It ends as
// Each does.
func InBlocks(ctx context.Context, n, size int, f func(block, from, to int)) error {
	return Each(ctx, Blocks(n, size), func(i int) { f(i, i*size, min(n, (i+1)*size)) })
}

// Each calls f for every number below n, one at a time on each processor, in no order
// that may be relied on. When ctx ends, or a piece panics, those not begun are left
// out; it returns ctx's error then.
func Each(ctx context.Context, n int, f func(i int)) error {
	return Few(ctx, n, n, f)
}

// Few is Each with no more than most at once: for pieces that take much memory.
func Few(ctx context.Context, n, most int, f func(i int)) error {
	var g group
	var next atomic.Int64
	var broken atomic.Bool
	work := func(worker int) {
		for ctx.Err() == nil && !broken.Load() && worker < Most() {
			i := int(next.Add(1)) - 1
			if i >= n {
				return
			}
			done := false
			g.run(func() { f(i); done = true })
			if !done {
				broken.Store(true)
			}
		}
	}
	for w := range min(n, most, Most()) - 1 {
		g.wg.Go(func() { work(w + 1) })
	}
	work(0)
	g.wait()
	return ctx.Err()
}
