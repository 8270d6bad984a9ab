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

// What is not seen and what turns the direction of writing is refused to the last, and what stands beside it is not.
func TestTheMarksThatTurnWriting(t *testing.T) {
	var bad []rune
	for r := rune(0x2000); r <= 0x206F; r++ {
		if Plain("a"+string(r)) != nil {
			bad = append(bad, r)
		}
	}
	var want []rune
	for _, r := range [][2]rune{{0x200B, 0x200F}, {0x2028, 0x202E}, {0x2060, 0x2064}, {0x2066, 0x206F}} {
		for c := r[0]; c <= r[1]; c++ {
			want = append(want, c)
		}
	}
	assert.Equal(t, want, bad)
	assert.Error(t, Plain("\u061c"))
	assert.NoError(t, Plain("\u061d"))
}

func TestDistancesByHand(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"", "abc", 3}, {"abc", "", 3}, {"kitten", "sitting", 3}, {"flaw", "lawn", 2}, {"abc", "xabc", 1},
		{"abcx", "abc", 1}, {"ab", "ba", 2}, {"abcdef", "azced", 3}} {
		assert.Equal(t, c.want, Distance(c.a, c.b), "%s, %s", c.a, c.b)
		assert.Equal(t, c.want, Distance(c.b, c.a), "%s, %s", c.b, c.a)
	}
}

// What is not seen in a name, or turns it round, is refused where it is typed and taken out where it came from a file;
// the joiners of scripts that need them stay.
func TestNamesAreWhatTheyLookLike(t *testing.T) {
	for name, want := range map[string]string{
		"crate": "crate", "Kiste Größe": "Kiste Größe", "سفینه\u200cها": "سفینه\u200cها", "👩\u200d🚀": "👩\u200d🚀",
		"cr\u200bate": "crate", "crate\u202egnp": "crategnp", "\u2066a\u2069": "a", "a\u00adb": "ab", "\ufeffa": "a",
		"a\tb\n": "a b", "a\x00b": "ab", "a\u200db": "ab", "\u200b": "", "a\ufffdb": "ab", "a\U000e0041b": "ab",
	} {
		assert.Equal(t, want, Visible(name), "%q", name)
		assert.Equal(t, want == name, Plain(name) == nil, "%q", name)
		if want != "" {
			assert.NoError(t, Plain(want), "%q", want)
		}
	}
}
