package queue

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What comes out is what a sorted list would give, whatever is put in and changed meanwhile.
func TestTheLeastComesFirst(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	q := By(cmp.Compare[int])
	var list []int
	for range 4000 {
		switch k := r.IntN(5); {
		case k < 3 || len(list) == 0:
			v := r.IntN(500)
			q.Put(v)
			list = append(list, v)
		case k == 3:
			slices.Sort(list)
			assert.Equal(t, list[0], q.Take())
			list = list[1:]
		default:
			slices.Sort(list)
			assert.Equal(t, list[0], q.All()[0])
			list[0] += r.IntN(300)
			q.All()[0] = list[0]
			q.Sink()
		}
		assert.Equal(t, len(list), q.Len())
	}
}
