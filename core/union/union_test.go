package union

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The judge paints all of a group anew with each joining.
func TestGroupsAreThoseOfPaintingThemAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		n := 1 + r.IntN(40)
		s, paint := New(n), make([]int32, n)
		for i := range paint {
			paint[i] = int32(i)
		}
		for range r.IntN(2 * n) {
			a, b := int32(r.IntN(n)), int32(r.IntN(n))
			assert.Equal(t, paint[a] != paint[b], s.Join(a, b))
			low, high := min(paint[a], paint[b]), max(paint[a], paint[b])
			for i := range paint {
				if paint[i] == high {
					paint[i] = low
				}
			}
			assert.Equal(t, paint[a], s.Find(b))
		}
		assert.Equal(t, paint, []int32(s.Flatten()))
	}
}
