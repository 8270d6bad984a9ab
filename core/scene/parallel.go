package scene

import (
	"runtime"
	"sync"
)

// chunkLeast is the number of elements from which on sharing the work pays.
const chunkLeast = 1 << 16

// chunks is how many pieces parallel makes of n elements.
func chunks(n int) int {
	return max(1, min(runtime.GOMAXPROCS(0), n/chunkLeast))
}

// parallel calls f for contiguous pieces of n elements, one on each processor. The
// pieces write to places of their own, so the outcome does not depend on their order.
func parallel(n int, f func(piece, from, to int)) {
	k := chunks(n)
	if k == 1 {
		f(0, 0, n)
		return
	}
	var wg sync.WaitGroup
	for i := range k {
		wg.Go(func() { f(i, n*i/k, n*(i+1)/k) })
	}
	wg.Wait()
}
