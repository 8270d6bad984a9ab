package scene

import "yarvek/core/split"

// chunkLeast is the number of elements from which on sharing the work pays.
const chunkLeast = 1 << 16

// chunks is how many pieces parallel makes of n elements.
func chunks(n int) int { return split.Pieces(n, chunkLeast) }

// parallel calls f for contiguous pieces of n elements, one on each processor. The
// pieces write to places of their own, so the outcome does not depend on their order.
func parallel(n int, f func(piece, from, to int)) {
	split.Range(n, chunkLeast, f)
}
