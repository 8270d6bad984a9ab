package naming

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPatterns(t *testing.T) {
	for _, c := range []struct {
		pattern, name string
		fits          bool
		to, made      string
	}{
		{"plank*", "Plank 07", true, "board {n2}", "board 03"},
		{"plank*", "a plank", false, "", ""},
		{"*_#", "rail_12", true, "{rest} left", "rail left"},
		{"mesh?", "mesh", false, "", ""},
		{"mesh?", "mesh7", true, "rope", "rope"},
		{"a.b(c)[d]+", "a.b(c)[d]+", true, "{name} {n}", "a.b(c)[d]+ 3"},
		{"灯*", "灯台", true, "{rest}", "台"},
		{"x*", "x", true, "{rest}", "x"}, // nothing would be left: the old name stays
	} {
		p, err := Parse(c.pattern)
		require.NoError(t, err)
		assert.Equal(t, c.fits, p.Matches(c.name), c.pattern)
		if c.fits {
			require.NoError(t, Check(c.to))
			assert.Equal(t, c.made, p.Make(c.to, c.name, 3))
		}
	}
	_, err := Parse(" ")
	assert.Error(t, err)
	_, err = Parse(strings.Repeat("*", 201))
	assert.Error(t, err)
	assert.ErrorContains(t, Check("{what}"), "{rest}")
	assert.Error(t, Check(" "))
	assert.False(t, Pattern{}.Matches("x"))
}

func TestNamesThatSayNothing(t *testing.T) {
	for _, n := range []string{"object", "mesh_3", "untitled", "Untitled (2)", "Group14", "", "001",
		"new copy of Cube.003", "a"} {
		assert.True(t, Idle(n), n)
	}
	for _, n := range []string{"bollard", "mesh_bollard", "灯台", "rope coil 2", "Kaimauer"} {
		assert.False(t, Idle(n), n)
	}
}

func TestNamesThatLookLikeOthersAreRefused(t *testing.T) {
	for _, fine := range []string{"", "crate 1", "фонарь", "عمود", "מגדל", "灯塔", "é", "e\u0301", "crate\u202fm",
		"👷\u200d♀️"} {
		assert.NoError(t, Plain(fine), "%q", fine)
	}
	for _, bad := range []string{"a\x00", "a\nb", "\x7f", "crate\u202egpj.exe", "\u2066x\u2069", "a\u200e", "\u061cx",
		"\u0085", "a\xff"} {
		assert.ErrorContains(t, Plain(bad), "U+", "%q", bad)
	}
}
