package draft

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// Each slot is marked in the middle of where it is widest, by its own number; of more than are told apart
// the rest have no mark, and none stands on another's faces.
func TestSlotsAreMarkedWhereTheyAre(t *testing.T) {
	ctx := context.Background()
	for _, n := range []int{3, maxSpots + 6} {
		b := new(shape.Builder)
		var mats []scene.Material
		order := make([]int, n+1) // the last one first, so that numbers and places differ
		for i := range n {
			b.Slot(i).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{float64(i%10) + u, float64(i/10) + v, 0} })
			mats = append(mats, scene.NewMaterial(fmt.Sprint(i)))
			order[i+1] = n - 1 - i
		}
		v := NewModel(ctx, shape.Scene("squares", mats, b.Mesh("squares"))).BySlot(ctx, order).Draw(ctx, Front, 40)
		require.Len(t, v.Spots, min(n, maxSpots))
		for _, p := range v.Spots {
			i := n - 1 - p.Slot
			assert.Less(t, p.Slot, maxSpots)
			assert.InDelta(t, 40*(float64(i%10)+0.5), p.X, 2, "slot %d", p.Slot)
			assert.InDelta(t, v.Height-40*(float64(i/10)+0.5), p.Y, 2, "slot %d", p.Slot)
			assert.InDelta(t, 40, p.Room, 3)
		}
	}
}

// Two hatches are told apart: no two patterns agree all over a swatch but for a few lines.
func TestHatchesDiffer(t *testing.T) {
	const side = 60
	for i, a := range slotHatches {
		for j, b := range slotHatches[:i] {
			same := 0
			for k := range side * side {
				if a(k%side, k/side) == b(k%side, k/side) {
					same++
				}
			}
			assert.Less(t, float64(same)/(side*side), 0.96, "%d and %d", i, j)
		}
	}
}
