package deliver

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// A step of 1 × 2 × 3 file units, read by rules worked out by hand: what the file says counts, what it does not say is
// the target's.
func TestAsItCame(t *testing.T) {
	yUp := geom.GLTF
	zUp := geom.Basis{Up: geom.PosZ, Forward: geom.NegY}
	step := func(format string, b geom.Basis, unit float64) *scene.Scene {
		m := new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {1, 2}, {0, 2}}, 0, 3).Mesh("step")
		s := shape.Scene("step", nil, m)
		s.Format, s.Basis, s.UnitMetres = format, b, unit
		return s
	}
	left := target.Framed("left", "left", geom.Basis{Up: zUp.Up, Forward: zUp.Forward, Left: true}, figure.Units[1])
	right := target.Framed("right", "right", zUp, figure.Metre)
	for _, c := range []struct {
		name  string
		s     *scene.Scene
		to    target.Target
		left  geom.Affine // what leaves
		words []string
	}{
		{"a glTF is turned by whoever reads it", step("gltf", yUp, 1), right, geom.Linear(yUp.To(zUp)), nil},
		{"an OBJ lies down where Z is up", step("obj", yUp, 1), right, geom.Linear(yUp.To(zUp)), []string{"on its side"}},
		{"and is left there where that was meant", step("obj", yUp, 1), right, geom.Identity, nil},
		{"centimetres are a hundredth of what was meant", step("obj", left.Basis, 1), left,
			geom.Identity, []string{"× 0.01 in size"}},
		{"a pivot put elsewhere is told", step("gltf", yUp, 1), right,
			geom.Translation(geom.Vec3{0, 0, -2}).Mul(geom.Linear(yUp.To(zUp))), []string{"pivot 2.00 m off"}},
		{"what was turned round faces backward", step("gltf", yUp, 1), right,
			geom.Linear(geom.Rotation(geom.Vec3{0, 0, 1}, 3.14159265358979)).Mul(geom.Linear(yUp.To(zUp))),
			[]string{"faces backward"}},
		{"and what was mirrored is mirrored", step("gltf", yUp, 1), right,
			geom.Linear(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}).Mul(geom.Linear(yUp.To(zUp))), []string{"mirrored"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			came, err := AsItCame(c.s, c.to)
			require.NoError(t, err)
			assert.Equal(t, c.to.Basis, came.Scene.Basis)
			got := came.Unlike(c.left, c.to)
			require.Len(t, got, len(c.words), "%v", got)
			for i, w := range c.words {
				assert.Equal(t, w, plainBlanks(got[i]))
			}
			// The map and the scene say the same of every point.
			for i, p := range c.s.Meshes[0].Points {
				at := c.s.Worlds()[0].Apply(p)
				there := came.Scene.Worlds()[0].Apply(came.Scene.Meshes[0].Points[i])
				assert.True(t, came.By.Apply(at).Near(there, 1e-12), "%v: %v, not %v", p, came.By.Apply(at), there)
			}
		})
	}
}

// plainBlanks has a blank for a thin one.
func plainBlanks(s string) string {
	out := []rune(s)
	for i, r := range out {
		if r == '\u202f' || r == '\u2009' {
			out[i] = ' '
		}
	}
	return string(out)
}

// What is drawn first is neither a LOD behind the base nor a shape to collide with.
func TestFirst(t *testing.T) {
	to := target.Shipped[0]
	lod, err := to.Pattern(target.LODName)
	require.NoError(t, err)
	names, err := to.SolidNames()
	require.NoError(t, err)
	l1, err := lod.Make(map[string]string{"mesh": "crate", "asset": "crate", "n": "1"})
	require.NoError(t, err)
	c1, err := names.Name("crate", "crate", "hull", 1)
	require.NoError(t, err)
	box := func(name string, size float64) *scene.Mesh {
		return new(shape.Builder).Prism([][2]float64{{0, 0}, {size, 0}, {size, 1}, {0, 1}}, 0, 1).Mesh(name)
	}
	s := shape.Scene("crate", nil, box("crate", 1), box(l1, 2), box(c1, 3))
	assert.InDelta(t, 1, First(s, to).Bounds().Size().Max(), 1e-12)
	assert.InDelta(t, 3, s.Bounds().Size().Max(), 1e-12, "the scene stays")
	alone := shape.Scene("crate", nil, box(l1, 2))
	assert.InDelta(t, 2, First(alone, to).Bounds().Size().Max(), 1e-12, "what is there alone is drawn")
}
