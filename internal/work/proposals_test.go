package work

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/station/source"
)

// blocks is an OBJ of boxes, each an object of its own.
func blocks(list map[string][6]float64) string {
	var b strings.Builder
	n := 0
	for name, c := range list {
		fmt.Fprintf(&b, "o %s\n", name)
		for i := range 8 {
			fmt.Fprintf(&b, "v %g %g %g\n", c[3*(i&1)], c[1+3*(i>>1&1)], c[2+3*(i>>2)])
		}
		for _, f := range [][4]int{{1, 3, 4, 2}, {5, 6, 8, 7}, {1, 2, 6, 5}, {3, 7, 8, 4}, {1, 5, 7, 3}, {2, 4, 8, 6}} {
			fmt.Fprintf(&b, "f %d %d %d %d\n", 8*n+f[0], 8*n+f[1], 8*n+f[2], 8*n+f[3])
		}
		n++
	}
	return b.String()
}

// All proposals together leave what belongs, do nothing harsh, and never leave less than
// half of the triangles.
func TestAllProposalsAtOnce(t *testing.T) {
	for _, c := range []struct {
		own, kept int
	}{{6, 6}, {2, 3}} {
		list := map[string][6]float64{"island": {70, 0, 0, 71, 1, 1}, "bit": {0, 3, 0, .003, 3.003, .003},
			"knot": {.3, .3, .3, .4, .4, .4},
			"post": {0, 0, 0, 1, 2, 1}}
		for i := range c.own - 1 { // each stands on a corner of the one before, and shares a plane with none
			x := float64(i+1) * .9
			list[fmt.Sprint("step ", string(rune('a'+i)))] = [6]float64{x, .1 * x, .1 * x, x + 1, 1 + .1*x, 1 + .1*x}
		}
		d := desk(t, t.TempDir())
		got := take(t, d, kit(t, d), "steps.obj", blocks(list))
		id := got.Came[0].Asset.ID
		o, err := d.Open(context.Background(), id)
		require.NoError(t, err)
		by, err := d.Proposals(context.Background(), o, source.Info.ID, "")
		require.NoError(t, err)
		label, err := d.Decide(context.Background(), id, o.Base(), by)
		require.NoError(t, err)
		assert.Contains(t, label, "Leave out")
		after, err := d.Open(context.Background(), id)
		require.NoError(t, err)
		var names []string
		for _, n := range after.Result.Source.Nodes {
			if n.Kept {
				names = append(names, n.Name)
			}
		}
		assert.Len(t, names, c.kept, "%v", names)
		assert.Contains(t, names, "post")
		assert.GreaterOrEqual(t, 2*after.Result.Delivery.Scene.Count().Triangles, o.Result.Delivery.Scene.Count().Triangles)
		assert.Equal(t, 1, after.Step.Seq, "one undo takes it back")
	}
}
