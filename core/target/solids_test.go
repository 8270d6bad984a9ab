package target

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A target has words of its own for the kinds, or says no kind where it takes one only; what could be either is refused
// with an example.
func TestNamesOfShapes(t *testing.T) {
	a := Shipped[0].Copy()
	a.Names.Solid, a.Names.Texture = "{kind}.{mesh}.{n2}", "{slot}.{role}"
	a.Names.Marks = ".-"
	a.Names.LOD = "{mesh}-{n}"
	for i, word := range []string{"b", "", "c", "wrap", "skin"} {
		a.Solids[i].Word = word
	}
	require.NoError(t, a.Check())
	names, err := a.SolidNames()
	require.NoError(t, err)
	for kind, want := range map[string]string{"box": "b.hut.03", "ball": "ball.hut.03", "capsule": "c.hut.03",
		"hull": "wrap.hut.03", "surface": "skin.hut.03"} {
		name, err := names.Name("hut", "hut", kind, 3)
		require.NoError(t, err)
		assert.Equal(t, want, name)
		m, ok := names.Read(name)
		require.True(t, ok)
		assert.Equal(t, []string{"hut", kind, "3"}, []string{m["mesh"], m["kind"], m["n"]})
	}
	_, ok := names.Read("box.hut.03")
	assert.False(t, ok, "the kind's own word is none any more")

	twice := a.Copy()
	twice.Solids[1].Word = "B"
	assert.ErrorContains(t, twice.Check(), "stands for another kind already")
	twice.Solids[1].Word = "capsule" // whose own word is free: a capsule is called “c”
	assert.NoError(t, twice.Check())

	bare := a.Copy()
	bare.Names.Solid = "{mesh}.touch.{n}"
	assert.ErrorContains(t, bare.Check(), "“hut.touch.1” could be a box or a ball")
	bare.Solids = bare.Solids[3:4]
	require.NoError(t, bare.Check())
	names, err = bare.SolidNames()
	require.NoError(t, err)
	m, ok := names.Read("hut.touch.2")
	require.True(t, ok)
	assert.Equal(t, "hull", m["kind"], "it takes nothing else")
	assert.False(t, names.SaysKind())
}
