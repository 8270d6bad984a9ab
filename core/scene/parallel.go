package scene

import (
	"context"

	"yarvek/core/split"
)

// chunkLeast is the number of elements from which on sharing the work pays.
const chunkLeast = 1 << 16

// askEvery is after how many elements it is asked whether anybody still waits.
const askEvery = 1 << 15

// chunks is how many pieces parallel makes of n elements.
func chunks(n int) int { return split.Pieces(n, chunkLeast) }

// parallel calls f for contiguous pieces of n elements, one on each processor. The
// pieces write to places of their own, so the outcome does not depend on their order.
func parallel(n int, f func(piece, from, to int)) {
	split.Range(n, chunkLeast, f)
}

// within calls f for each of n elements, on all processors, until ctx ends. f writes to
// the place of its element alone.
func within(ctx context.Context, n int, f func(i int)) {
	parallel(n, func(_, from, to int) {
		for i := from; i < to; i++ {
			if (i-from)%askEvery == 0 && ctx.Err() != nil {
				return
			}
			f(i)
		}
	})
}
