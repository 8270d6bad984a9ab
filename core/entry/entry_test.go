package entry

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// made is decisions of a fence.
type made struct {
	Post  post     `json:"post"`
	Parts []post   `json:"parts,omitempty"`
	Kind  string   `json:"kind,omitempty"`
	Of    []string `json:"of,omitempty"`
	Gate  bool     `json:"gate,omitempty"`
}

type post struct {
	High   float64 `json:"high,omitempty"`
	Radius float64 `json:"radius,omitempty"`
	Rails  int     `json:"rails,omitempty"`
}

var (
	high = Length("high", "High", "mm", func(d *made) *float64 { return &d.Post.High }).Between(0.001, 3).
		By(func(d made, g Given) Force { return Force{g.Target.ID + d.Kind, Target} })
	wide  = Length("wide", "Wide", "cm", func(d *made) *float64 { return &d.Post.Radius }).Twice().Between(0.01, 1)
	rails = Count("rails", "Rails", "", func(d *made) *int { return &d.Post.Rails }).Between(0, 9).ZeroAs(-1).UsualAs("3")
	kind  = Choice("kind", "Kind", func(d *made) *string { return &d.Kind }, Option{"w", "wood"}, Option{"i", "iron"}).
		Then(func(d *made) { d.Gate = true }).Last(func(d *made) { d.Of = nil })
	timber = Choices("of", "Of", func(d *made) *[]string { return &d.Of }, Option{"a", "oak, old"}, Option{"b", "ash"}).
		When("of wood", func(d made) bool { return d.Kind == "w" })
	first = Length("first", "First", "m", func(d *made) *float64 {
		if len(d.Parts) == 0 {
			d.Parts = []post{{}}
		}
		return &d.Parts[0].High
	}).Held(func(d made) bool { return len(d.Parts) > 0 })
)

func TestWhatIsTypedIsKept(t *testing.T) {
	for _, x := range []struct {
		e         Entry[made]
		typed, is string
		kept      made
	}{
		{high, "1 250", "1250", made{Post: post{High: 1.25}}}, {high, "4 ft", "1219.2", made{Post: post{High: 1.2192}}},
		{high, " 2cm ", "20", made{Post: post{High: .02}}}, {high, "", "", made{}},
		{wide, "20", "20", made{Post: post{Radius: .1}}}, {rails, "0", "0", made{Post: post{Rails: -1}}},
		{rails, "3", "", made{}}, {rails, "4", "4", made{Post: post{Rails: 4}}},
		{kind, "Wood", "w", made{Kind: "w", Gate: true}}, {kind, "i", "i", made{Kind: "i", Gate: true}},
		{timber, `"oak, old", ash`, "a,b", made{Of: []string{"a", "b"}}}, {first, "2", "2", made{Parts: []post{{High: 2}}}},
		{first, "", "", made{}},
	} {
		var d made
		require.NoError(t, x.e.Set(&d, x.typed), "%s %q", x.e.Name, x.typed)
		assert.Equal(t, x.kept, d, "%s %q", x.e.Name, x.typed)
		assert.Equal(t, x.is, x.e.Text(d), "%s %q", x.e.Name, x.typed)
	}
}

func TestWhatCantBeMeantLeavesDecisionsAlone(t *testing.T) {
	for _, x := range []struct {
		e          Entry[made]
		typed, say string
	}{
		{high, "0", "High: 0\u00a0mm can't be meant: expected 1 to 3000\u00a0mm"}, {high, "4 m", "expected 1 to 3000"},
		{high, "tall", "is no length"}, {wide, "0.5", "expected 1 to 100"}, {rails, "10", "expected 0 to 9"},
		{rails, "2.5", "is no whole number"}, {kind, "steel", "expected w, i"}, {timber, `a,"b`, "is no list"},
		{kind, "\x8f", "is no text"}, {kind, "a\x00", "is no text"}, {timber, "a,c", `"c" is none of those there are`},
	} {
		d := made{Of: []string{"a"}}
		err := x.e.Set(&d, x.typed)
		require.Error(t, err, "%s %q", x.e.Name, x.typed)
		assert.Contains(t, err.Error(), x.say)
		assert.Equal(t, made{Of: []string{"a"}}, d, x.typed)
	}
}

func TestEntriesSayWhatIsInForce(t *testing.T) {
	given := Given{Target: target.Target{ID: "7"}}
	assert.Equal(t, Force{"7w", Target}, high.Usual(made{Kind: "w"}, given))
	assert.Equal(t, "1500", high.InForce(made{Post: post{High: 1.5}}, given))
	assert.Equal(t, "3", rails.InForce(made{}, given))
	assert.False(t, timber.Applies(made{Kind: "i"}))
	assert.True(t, timber.Applies(made{Kind: "w"}))
	assert.Equal(t, "oak, old, ash", timber.Worded("a,b"))
	assert.Equal(t, "wood", kind.Worded("w"))
	assert.Equal(t, "20\u00a0mm", high.Worded("20"))
	assert.Equal(t, "of its size", high.Written("of its size"), "words have no unit")
	least, most, ok := rails.Kept()
	assert.Equal(t, [2]float64{-1, 9}, [2]float64{least, most})
	assert.True(t, ok)
	least, most, _ = wide.Kept()
	assert.Equal(t, [2]float64{.005, .5}, [2]float64{least, most}, "twice as much is typed")
	g := Group[made]{Do: "Make {rails} rails of {kind}", Entries: []Entry[made]{rails, kind, timber}}
	assert.Equal(t, "Make 3 rails of w", g.Says(made{Kind: "w"}, given))
	set, all := g.Decided(made{Kind: "i", Of: []string{"a"}})
	assert.Equal(t, [2]int{1, 2}, [2]int{set, all}, "what does not count is not counted")
}

// An entry knows where it is kept, also in a list and as part of a whole.
func TestEntriesKnowWhereTheyAreKept(t *testing.T) {
	type fence struct {
		North made `json:"north"`
	}
	north := WholeOf("north", func(f *fence) *made { return &f.North }, []Group[made]{{ID: "g", Do: "Make {high}",
		Entries: []Entry[made]{high, first, kind}}})
	for i, want := range []string{"north.post.high", "north.parts[].high", "north.kind"} {
		path, err := north[0].Entries[i].Path()
		require.NoError(t, err)
		assert.Equal(t, want, path)
	}
	var f fence
	require.NoError(t, north[0].Entries[2].Set(&f, "iron"))
	assert.True(t, f.North.Gate, "what follows from it follows in the whole")
	assert.Equal(t, "Make ", north[0].Says(f, Given{})[:5])
	var elsewhere float64
	_, err := Length("x", "X", "m", func(*made) *float64 { return &elsewhere }).Path()
	assert.ErrorContains(t, err, "outside of its decisions")
	assert.Panics(t, func() { Length("x", "X", "ft", func(d *made) *float64 { return &d.Post.High }) })
}
