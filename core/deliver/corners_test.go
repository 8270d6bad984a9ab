package deliver

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// row is the certificate's of a code.
func row(t *testing.T, c *Certificate, code string) Row {
	t.Helper()
	for _, r := range c.Rows {
		if r.Code == code {
			return r
		}
	}
	require.Fail(t, "no such row", code)
	return Row{}
}

// Random scenes, whole and ragged, arrive corner by corner in every format.
func TestEveryCornerArrives(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(12) {
		for kind, s := range map[string]*scene.Scene{"whole": shapetest.Scene(seed), "ragged": shapetest.Ragged(seed)} {
			to := target.Framed("own", "own", s.Basis, figure.Units[1])
			for _, f := range format.Written {
				p, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "a", to)
				require.NoError(t, err)
				c, err := Check(ctx, scene.Delivery{Scene: s}, p, f, to)
				require.NoError(t, err)
				r := row(t, c, "corners")
				assert.True(t, r.Equal, "%s %d as %s: %s", kind, seed, f.ID, r.Arrived)
			}
		}
	}
}

// And what arrives otherwise is seen, each by its own words: the file is written of a
// scene that was changed after it was sent.
func TestEveryCornerIsLookedAt(t *testing.T) {
	ctx := context.Background()
	for name, c := range map[string]struct {
		change func(m *scene.Mesh)
		say    string
	}{
		"a normal turned by a degree": {func(m *scene.Mesh) {
			v := &m.Normals.Values[m.Normals.Index[2]]
			v[0], v[1], v[2] = v[0]+.02*v[1]+.02*v[2], v[1]-.02*v[0], v[2]+.02*v[0]
		}, "off by more than 0.5°"},
		"a coordinate moved by two texels": {func(m *scene.Mesh) { m.UVs[0].Values[m.UVs[0].Index[1]][0] += 2. / 4096 },
			"UV coordinate"},
		"a colour of another level": {func(m *scene.Mesh) { m.Colors.Values[0][1] += 2. / 255 }, "colour"},
		"all colours one": {func(m *scene.Mesh) {
			for i := range m.Colors.Index {
				m.Colors.Index[i] = 0
			}
		}, "colour"},
		"a face of another slot": {func(m *scene.Mesh) { m.Slot[0], m.Slot[1] = m.Slot[1], m.Slot[0] }, "another slot"},
	} {
		sent, written := crate(), crate()
		for _, s := range []*scene.Scene{sent, written} {
			m := *s.Meshes[0]
			m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{.2, .2, .2, 1}, {.8, .2, .2, 1}},
				Index: make([]int32, len(m.Corners))}
			for i := range m.Colors.Index {
				m.Colors.Index[i] = int32(i % 2)
			}
			m.Normals.Values = append([][3]float32(nil), m.Normals.Values...)
			m.Slot = append([]int32(nil), m.Slot...)
			m.UVs = []scene.UVSet{{Name: "UV 1",
				Layer: scene.Layer[[2]float64]{Values: append([][2]float64(nil), m.UVs[0].Values...),
					Index: m.UVs[0].Index}}}
			m.Slots, m.Slot[0], m.Slot[1] = []int{0, 1}, 0, 1
			s.Meshes[0] = &m
		}
		c.change(written.Meshes[0])
		for _, f := range format.Written {
			to := target.Shipped[0]
			p, err := format.Write(ctx, scene.Delivery{Scene: written}, f, "a", to)
			require.NoError(t, err)
			cert, err := Check(ctx, scene.Delivery{Scene: sent}, p, f, to)
			require.NoError(t, err)
			if name != "a face of another slot" && f.Normals && f.UVSets > 0 && f.Colours || f.Slots {
				assert.False(t, row(t, cert, "corners").Equal, "%s as %s", name, f.ID)
			} else {
				continue // it holds none of it
			}
			r := row(t, cert, "corners")
			assert.False(t, r.Equal, "%s as %s", name, f.ID)
			if c.say == "another slot" && f.BySlot {
				continue // it groups faces by slot, so they arrive in another order as well
			}
			assert.Contains(t, r.Arrived, c.say, fmt.Sprint(name, " as ", f.ID))
		}
	}
}
