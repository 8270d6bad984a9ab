package naming

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	plainRules = Rules{Letters: AnyLetter, Marks: " _-.", Case: AsIs, Longest: 0}
	testSlots  = map[string]Slot{"mesh": {}, "asset": {}, "slot": {}, "n": {Kind: Number}, "lod": {Kind: Number},
		"kind": {Kind: OneOf, Words: []string{"box", "ball", "hull", "surface"}}}
)

// scripts are letters of five of them, with marks and digits between.
var scripts = []string{"abcdefgxyzABCXYZ", "абвгджщъьэю", "αβγδωΣΠΩ", "日本語港標識灯", "אבגדהשת", "กขคงจ"}

func randomName(rnd *rand.Rand) string {
	s := scripts[rnd.IntN(len(scripts))]
	letters := []rune(s + "0123456789 _-.!/\\{}é\u0301")
	var b strings.Builder
	for range 1 + rnd.IntN(14) {
		b.WriteRune(letters[rnd.IntN(len(letters))])
	}
	if rnd.IntN(4) == 0 { // what looks like the pattern itself
		fmt.Fprintf(&b, " lod %d", rnd.IntN(30))
	}
	if rnd.IntN(4) == 0 {
		b.WriteString(" solid box 07")
	}
	return b.String()
}

// What a template makes of clean values it reads as the same values, in five scripts and
// under any rules.
func TestTemplatesGoThereAndBack(t *testing.T) {
	rnd := rand.New(rand.NewPCG(12, 12))
	n := 0
	for _, text := range []string{"{mesh} lod {n}", "{mesh} solid {kind} {n2}", "{mesh}", "level {lod} of {mesh}",
		"{kind} {n3} {mesh}", "{n}",
		"{kind}", "{n3} {mesh}"} {
		for _, rules := range []Rules{plainRules, {Letters: LatinOnly, Marks: "_ ", Case: Lower},
			{Letters: AnyLetter, Marks: " ", Case: Upper}} {
			tpl, err := NewTemplate(text, rules, testSlots)
			require.NoError(t, err, text)
			for range 400 {
				want := map[string]string{}
				for _, p := range tpl.parts {
					switch {
					case p.name == "":
					case p.slot.Kind == Number:
						want[p.name] = fmt.Sprint(rnd.IntN(2000))
					case p.slot.Kind == OneOf:
						want[p.name] = p.slot.Words[rnd.IntN(len(p.slot.Words))]
					default:
						v := rules.Clean(randomName(rnd))
						require.Equal(t, v, rules.Clean(v), "cleaning twice is cleaning once")
						want[p.name] = v
					}
				}
				name, err := tpl.Make(want)
				require.NoError(t, err)
				got, ok := tpl.Read(name)
				require.True(t, ok, "%s reads %q", text, name)
				require.Equal(t, want, got, "%s of %q", text, name)
				n++
			}
		}
	}
	t.Logf("%d names there and back", n)
}

// A template that could be read in two ways is refused, with a name that shows it.
func TestAmbiguousTemplatesAreRefused(t *testing.T) {
	for text, want := range map[string]string{
		"{asset} {mesh}":        "in two ways",
		"{asset}{mesh}":         "in two ways",
		"{mesh}{n}":             "in two ways",
		"{n}{lod}":              "in two ways",
		"{mesh}{n2}":            "in two ways",
		"{mesh}{kind}":          "", // the word ends the name
		"{kind}{mesh}":          "", // and here begins it, and none begins another
		"{mesh} {kind} {asset}": "in two ways",
		"{mesh} {mesh}":         "twice",
		"{frob}":                "no placeholder",
		"{mesh2}":               "no placeholder",
		"{mesh":                 "brace",
		"a/b {mesh}":            "not allow",
		"":                      "empty",
		" ":                     "empty",
		"{mesh} lod {n}":        "",
		"just this":             "",
	} {
		_, err := NewTemplate(text, plainRules, testSlots)
		if want == "" {
			assert.NoError(t, err, text)
			continue
		}
		assert.ErrorContains(t, err, want, text)
	}
	// Where values can't hold the mark between them, two texts are told apart.
	_, err := NewTemplate("{asset}-{mesh}", Rules{Letters: AnyLetter, Marks: "-", Case: AsIs}, testSlots)
	assert.Error(t, err)
}

// Whether a template is ambiguous agrees with trying all short names.
func TestAmbiguityByBruteForce(t *testing.T) {
	rules := Rules{Letters: LatinOnly, Marks: "-", Case: AsIs}
	slots := map[string]Slot{"a": {}, "b": {}, "n": {Kind: Number}, "m": {Kind: Number},
		"k": {Kind: OneOf, Words: []string{"x", "xy"}}}
	pieces := []string{"{a}", "{b}", "{n}", "{m2}", "{k}", "-", "x", "1", "x1"}
	rnd := rand.New(rand.NewPCG(3, 9))
	letters := "xy-01"
	var names []string
	var grow func(s string)
	grow = func(s string) {
		names = append(names, s)
		if len(s) < 6 {
			for _, c := range letters {
				grow(s + string(c))
			}
		}
	}
	grow("")
	refused := 0
	for range 150 {
		text := ""
		used := map[string]bool{}
		for range 1 + rnd.IntN(4) {
			if p := pieces[rnd.IntN(len(pieces))]; p[0] != '{' || !used[p] {
				used[p] = true
				text += p
			}
		}
		parts := &Template{text: text, rules: rules}
		at := 0
		for _, m := range placeholder.FindAllStringSubmatchIndex(text, -1) {
			require.NoError(t, parts.plain(text[at:m[0]]))
			p := piece{name: text[m[2]:m[3]], slot: slots[text[m[2]:m[3]]], width: 1}
			if m[4] < m[5] {
				p.width = int(text[m[4]] - '0')
			}
			parts.parts = append(parts.parts, p)
			at = m[1]
		}
		require.NoError(t, parts.plain(text[at:]))
		twice := ""
		for _, n := range names {
			if ways(parts.parts, n, rules) > 1 {
				twice = n
				break
			}
		}
		_, err := NewTemplate(text, rules, slots)
		if twice != "" {
			refused++
			require.Error(t, err, "%s reads %q in two ways", text, twice)
		} else if err != nil { // then its own example shows it
			longer := parts.automaton().ambiguous()
			require.Greater(t, len(longer), 6)
			require.Greater(t, ways(parts.parts, longer, rules), 1, "%s reads %q", text, longer)
		}
	}
	t.Logf("%d of 150 were ambiguous, tried on %d names", refused, len(names))
}

// ways counts the ways a name can be read, by trying every cut.
func ways(parts []piece, name string, rules Rules) int {
	if len(parts) == 0 {
		if name == "" {
			return 1
		}
		return 0
	}
	n := 0
	for end := 1; end <= len(name); end++ {
		v, p := name[:end], parts[0]
		ok := false
		switch {
		case p.name == "":
			ok = v == p.plain
		case p.slot.Kind == Number:
			ok = strings.Trim(v, "0123456789") == "" && (len(v) == p.width || len(v) > p.width && v[0] != '0')
		case p.slot.Kind == OneOf:
			ok = v == "x" || v == "xy"
		default:
			ok = strings.IndexFunc(v, func(r rune) bool { return !rules.allows(r) }) < 0
		}
		if ok {
			n += ways(parts[1:], name[end:], rules)
		}
	}
	return n
}

func TestCommonNamesOfTwoTemplates(t *testing.T) {
	tpl := func(s string) *Template {
		x, err := NewTemplate(s, plainRules, testSlots)
		require.NoError(t, err)
		return x
	}
	assert.Empty(t, Common(tpl("{mesh} lod {n}"), tpl("{mesh} solid {kind} {n2}")))
	both := Common(tpl("{mesh} {n}"), tpl("{mesh} solid {kind} {n2}"))
	require.NotEmpty(t, both)
	_, one := tpl("{mesh} {n}").Read(both)
	_, two := tpl("{mesh} solid {kind} {n2}").Read(both)
	assert.True(t, one && two, both)
	assert.Empty(t, Common(tpl("a {mesh}"), tpl("b {mesh}")))
}

func TestNamesKeepTheirRules(t *testing.T) {
	tpl, err := NewTemplate("{mesh} lod {n}", Rules{Letters: LatinOnly, Marks: "_ ", Case: Lower, Longest: 12}, testSlots)
	require.NoError(t, err)
	for _, c := range [][3]string{{"Pier", "3", "pier lod 3"}, {"Pier/Deck", "3", "pier_d lod 3"}, {"日本", "0", "x lod 0"},
		{"a very long name", "1", "a very lod 1"}} {
		got, err := tpl.Make(map[string]string{"mesh": c[0], "n": c[1]})
		require.NoError(t, err)
		assert.Equal(t, c[2], got)
	}
	_, err = tpl.Make(map[string]string{"mesh": "x", "n": "123456789"})
	assert.ErrorContains(t, err, "nothing of it can be cut")
	_, err = tpl.Make(map[string]string{"n": "1"})
	assert.ErrorContains(t, err, "no value")
	_, ok := tpl.Read("pier lod 03")
	assert.False(t, ok)
	v, ok := tpl.Read("Pier LOD 3")
	assert.True(t, ok)
	assert.Equal(t, map[string]string{"mesh": "Pier", "n": "3"}, v)
}

func FuzzTemplate(f *testing.F) {
	f.Add("{mesh} lod {n}", "pier lod 2")
	f.Add("{kind}{n2}", "box02")
	f.Fuzz(func(t *testing.T, text, name string) {
		tpl, err := NewTemplate(text, plainRules, testSlots)
		if err != nil {
			return
		}
		if v, ok := tpl.Read(name); ok {
			again, err := tpl.Make(v)
			if err != nil {
				t.Fatal(err)
			}
			if back, ok := tpl.Read(again); !ok || fmt.Sprint(back) != fmt.Sprint(v) &&
				plainRules.Clean(v["mesh"]) == v["mesh"] &&
				plainRules.Clean(v["asset"]) == v["asset"] && plainRules.Clean(v["slot"]) == v["slot"] {
				t.Fatalf("%q reads %q as %v, and %q as %v", text, name, v, again, back)
			}
		}
	})
}

// Rules have bounds, and say which one was passed.
func TestRulesAreChecked(t *testing.T) {
	with := func(change func(r *Rules)) error {
		r := plainRules
		change(&r)
		return r.Check()
	}
	assert.NoError(t, with(func(r *Rules) { r.Marks = "!#$%&'()+,-.;" + "=@~" }), "sixteen")
	assert.ErrorContains(t, with(func(r *Rules) { r.Marks = "!#$%&'()+,-.;" + "=@~^" }), "16")
	assert.NoError(t, with(func(r *Rules) { r.Longest = 255 }))
	assert.ErrorContains(t, with(func(r *Rules) { r.Longest = 256 }), "255")
	assert.ErrorContains(t, with(func(r *Rules) { r.Longest = -1 }), "255")
	for _, mark := range []string{"a", "Z", "5", "\n", "\u0080", "\u00b7", "/", "}"} {
		assert.ErrorContains(t, with(func(r *Rules) { r.Marks = mark }), "mark", "%q", mark)
	}
	latin := Rules{Letters: LatinOnly, Marks: "-", Case: AsIs}
	tmpl, err := NewTemplate("{mesh}", latin, testSlots)
	require.NoError(t, err)
	got, err := tmpl.Make(map[string]string{"mesh": "azAZ[`{@09:/é"})
	require.NoError(t, err)
	assert.Equal(t, "azAZ", strings.TrimRight(strings.TrimRight(got, "-"), "e")[:4])
	for _, r := range got {
		assert.True(t, r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-', "%q in %q", r, got)
	}
}

// Values that a placeholder can't hold are errors that name it.
func TestValuesThatCantBeAreTold(t *testing.T) {
	tmpl, err := NewTemplate("{mesh} {kind} {n2}", plainRules, testSlots)
	require.NoError(t, err)
	assert.True(t, tmpl.Has("kind"))
	assert.False(t, tmpl.Has("lod"))
	assert.False(t, tmpl.Has(""))
	for what, values := range map[string]map[string]string{
		"{n}":    {"mesh": "a", "kind": "box", "n": "-1"},
		"{kind}": {"mesh": "a", "kind": "cone", "n": "1"},
		"{mesh}": {"kind": "box", "n": "1"},
	} {
		_, err := tmpl.Make(values)
		assert.ErrorContains(t, err, what)
	}
	_, err = tmpl.Make(map[string]string{"mesh": "a", "kind": "box", "n": "one"})
	assert.ErrorContains(t, err, "no number")
	_, ok := tmpl.Read("a box 123456789012345678901234567890")
	assert.False(t, ok, "longer than any number")
	got, ok := tmpl.Read("a box 09")
	assert.True(t, ok)
	assert.Equal(t, "9", got["n"])
	name, err := tmpl.Make(map[string]string{"mesh": "a", "kind": "hull", "n": "0"})
	require.NoError(t, err)
	assert.Equal(t, "a hull 00", name)
}
