package prep

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// Each entry is named once, says itself, and points to a field of its own.
func TestEntriesAreWhole(t *testing.T) {
	names, paths := map[string]bool{}, map[string]string{}
	for _, e := range Entries() {
		assert.Regexp(t, regexp.MustCompile(`^[a-z]+\.[a-z0-9]+$`), e.Name)
		assert.False(t, names[e.Name], "%s is there twice", e.Name)
		names[e.Name] = true
		assert.NotEmpty(t, e.Label, e.Name)
		assert.NotContains(t, e.Help, "\n", e.Name)
		path, err := e.Path()
		require.NoError(t, err)
		assert.Empty(t, paths[path], "%s and %s are one field", e.Name, paths[path])
		paths[path] = e.Name
		assert.Empty(t, e.Text(Prep{}), "%s is decided of nothing", e.Name)
		if e.Kind == entry.KindChoice {
			assert.True(t, len(e.Options) > 0 || len(e.Choices(entry.Given{Target: target.Shipped[0]})) > 0, e.Name)
		}
	}
	assert.Greater(t, len(names), 60)
}

// numeric are the kinds that bounds are for.
func numeric(k entry.Kind) bool {
	switch k {
	case entry.KindLength, entry.KindAngle, entry.KindCount, entry.KindShare, entry.KindNumber:
		return true
	}
	return false
}

// Undecided is told from zero: zero can't be typed, is kept as something else, or is in force anyway.
func TestZeroIsToldFromUndecided(t *testing.T) {
	for _, e := range Entries() {
		if !numeric(e.Kind) {
			continue
		}
		var p Prep
		if err := e.Set(&p, "0"); err != nil {
			continue
		}
		usual := e.Usual(Prep{}, entry.Given{Target: target.Shipped[0], Class: class.Usual[0]}).Text
		assert.True(t, e.Text(p) == "0" || e.Text(p) == "" && (usual == "" || usual == "0") ||
			string(p.JSON()) != "{}", "%s: 0 is the same as nothing, for which %q is in force", e.Name, usual)
	}
}

// What an entry bounds is what the station's own check bounds: the ends are taken, and what is beyond is refused.
func TestBoundsAreThoseOfTheStations(t *testing.T) {
	for _, e := range Entries() {
		if !numeric(e.Kind) || e.Bounds() == "" {
			continue
		}
		ends := strings.Split(e.Bounds(), " to ")
		for _, end := range ends {
			p := such(t, e)
			require.NoError(t, e.Set(&p, end), "%s at %s", e.Name, end)
			assert.NoError(t, p.Validate(), "%s at %s", e.Name, end)
		}
		p, was := such(t, e), such(t, e)
		err := e.Set(&p, "2000000000")
		require.Error(t, err, e.Name)
		assert.Contains(t, err.Error(), "expected", e.Name)
		assert.Equal(t, was, p, "%s was refused and left something", e.Name)
	}
}

// such is a prep that an entry counts with.
func such(t *testing.T, e entry.Entry[Prep]) Prep {
	t.Helper()
	var p Prep
	need := map[string][]string{"with a custom unit": {"size.unit=custom", "size.metres=1"},
		"where an extent is known": {"size.fit=height", "size.length=1"}, "above an angle": {"surface.smooth=angle"},
		"where round parts get sides": {"surface.sides=24"},
		"where normals are made anew": {"surface.smooth=soft"}, "with new normals": {"lods.angle=30"},
		"with hulls":          {"collision.form=hulls"},
		"with one hull":       {"collision.form=hull"},
		"with a slab":         {"collision.form=slab"},
		"at coordinates":      {"pivot.place=point"},
		"on the bounding box": {"pivot.place=box"}, "where something is baked": {"size.bake=all"},
		"where the surface is touched":  {"collision.share=50"},
		"where sheets get a thickness":  {"surface.thickness=5"},
		"where somebody comes through":  {"collision.tall=0"},
		"in formats that keep polygons": {"export.format=obj"}, "in formats that carry tangents": {"export.format=fbx"},
		"in formats that leave the choice":    {"export.format=glb"},
		"in formats that hold several meshes": {"export.format=glb"}, "with a set for light": {"slots.size=512"}, "": nil}
	with, known := need[e.Counts]
	require.True(t, known, "%s counts %q, which this test does not know", e.Name, e.Counts)
	p, err := p.Decide(with...)
	require.NoError(t, err, e.Name)
	require.True(t, e.Applies(p), e.Name)
	return p
}

// anyText is something that can be typed for an entry.
func anyText(rng *rand.Rand, e entry.Entry[Prep]) string {
	one := func() string {
		switch {
		case len(e.Options) > 0:
			return e.Options[rng.IntN(len(e.Options))].ID
		case e.Kind == entry.KindYesNo:
			return [...]string{"yes", "no"}[rng.IntN(2)]
		case strings.HasSuffix(e.Name, ".levels"):
			return [...]string{"50 %", "500 tri", "2.5 mm", "number 2"}[rng.IntN(4)]
		case strings.HasSuffix(e.Name, ".box"):
			return "1,-1,0"
		case e.Kind == entry.KindPoint:
			return fmt.Sprintf("%g, %g, %g", rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64())
		case !numeric(e.Kind):
			return [...]string{"deck", "a, b", `mast "2"`, "Ünï", "tank/ladder", "x=y"}[rng.IntN(6)]
		case e.Kind == entry.KindCount || strings.HasSuffix(e.Name, ".planes"):
			ends := [2]int{0, 100}
			if strings.HasSuffix(e.Name, ".planes") {
				return [...]string{"6", "18", "26"}[rng.IntN(3)]
			}
			fmt.Sscanf(e.Bounds(), "%d to %d", &ends[0], &ends[1])
			return fmt.Sprint(ends[0] + rng.IntN(ends[1]-ends[0]+1))
		}
		ends := [2]float64{0, 10}
		fmt.Sscanf(e.Bounds(), "%g to %g", &ends[0], &ends[1])
		return figure.Untyped(ends[0]+rng.Float64()*min(ends[1]-ends[0], 100), 0)
	}
	if !e.Many {
		return one()
	}
	var items []string
	for range 1 + rng.IntN(3) {
		items = append(items, one())
	}
	return entry.Join(items)
}

// Random decisions come back the same through what is typed, through JSON and through --set.
func TestDecisionsComeBackFromEverywhere(t *testing.T) {
	rng := rand.New(rand.NewPCG(25, 1))
	all, whole := Entries(), 0
	for range 600 {
		var p Prep
		for range 1 + rng.IntN(8) {
			e := all[rng.IntN(len(all))]
			next := p
			if err := e.Set(&next, anyText(rng, e)); err != nil || next.Validate() != nil || !e.Applies(next) {
				continue // refused beside the others
			}
			p = next
		}
		read, err := Parse(p.JSON())
		require.NoError(t, err)
		require.Equal(t, string(p.JSON()), string(read.JSON()))
		again := p
		for _, e := range all {
			require.NoError(t, e.Set(&again, e.Text(again)), "%s: %q", e.Name, e.Text(again))
		}
		require.Equal(t, string(p.JSON()), string(again.JSON()), "typed again")
		list, all := p.Assigned()
		if !all {
			continue
		}
		whole++
		set, err := Prep{}.Decide(list...)
		require.NoError(t, err)
		require.Equal(t, string(p.JSON()), string(set.JSON()), "%v", list)
		require.Empty(t, Diff(p, set))
	}
	assert.Greater(t, whole, 300)
}

func TestDecideSaysWhatIsWrong(t *testing.T) {
	for set, say := range map[string]string{
		"collision.mosst=3":    "nothing is decided by",
		"collision.most":       "STATION.NAME=VALUE",
		"collision.most=300":   "expected 1 to 256",
		"collision.most=2.5":   "no whole number",
		"collision.form=blob":  "expected hulls, hull, box",
		"collision.planes=18":  "counts only with a slab",
		"surface.edges=long":   "is no length",
		"surface.tangents=si":  "neither yes nor no",
		"lods.levels=50 %,abc": "is no length",
		"size.unit=furlong":    "expected mm, cm",
	} {
		_, err := Prep{}.Decide(set)
		require.Error(t, err, set)
		assert.Contains(t, err.Error(), say, set)
	}
	p, err := Prep{}.Decide("collision.form=slab", "collision.planes=18", "collision.gap=2cm",
		"lods.levels=50 % from 12 m,25%")
	require.NoError(t, err)
	assert.Equal(t, 18, p.Collision.Fits[0].Planes)
	assert.Equal(t, 0.02, p.Collision.Gap)
	assert.Equal(t, 12.0, p.LODs.Levels[0].From)
	assert.Equal(t, []string{"Collision, Made as: Slab → undecided", "Collision, Planes of a slab: 18 → undecided"},
		Diff(p, mustDecide(t, p, "collision.form="))[:2])
}

// What can't be read says so in words of JSON, not of the program's types.
func TestWrongKindsAreSaidInWords(t *testing.T) {
	for text, say := range map[string]string{`{"size":{"metres":"2 m"}}`: `"size.metres" is string: expected a number`,
		`{"source":{"leave":"a"}}`:      "expected a list",
		`{"lods":{"few":1}}`:            "expected true or false",
		`{"collision":3}`:               "expected an object",
		`{"pivot":{"point":[1,2]}}`:     `"pivot.point" has 2 items: expected 3`,
		`{"export":{"format":["glb"]}}`: "expected a text"} {
		_, err := Parse([]byte(text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), say)
		assert.NotRegexp(t, `float64|\[\]string|Go |Decisions|struct`, err.Error(), text)
	}
}

func mustDecide(t *testing.T, p Prep, set ...string) Prep {
	t.Helper()
	p, err := p.Decide(set...)
	require.NoError(t, err)
	return p
}

// A file that somebody wrote is read strictly: what is there twice, or in another case, would be lost in silence.
func TestAPrepFileIsReadStrictly(t *testing.T) {
	p, err := ParseFile([]byte("\xef\xbb\xbf" + `{"size":{"class":"furniture"}}`))
	require.NoError(t, err)
	assert.Equal(t, "furniture", p.Size.Class)
	for text, want := range map[string]string{
		`{"size":{"class":"furniture","class":"small"}}`: "size.class: it is there twice",
		`{"size":{"class":"a"},"size":{}}`:               "size: it is there twice",
		`{"size":{"Class":"furniture"}}`:                 "Did you mean",
		`{"size":[]}`:                                    "expected an object",
	} {
		_, err := ParseFile([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
	whole := p.JSON()
	again, err := ParseFile(whole)
	require.NoError(t, err)
	assert.Equal(t, p, again)
}
