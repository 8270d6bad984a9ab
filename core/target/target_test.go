package target

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/target/class"
)

// The name of a target says its basis and its unit, and its ID says the same; it is complete.
func TestTargetsAreWhatTheirNamesSay(t *testing.T) {
	seen := map[string]bool{}
	for _, to := range Shipped {
		assert.False(t, seen[to.ID], "%s is there twice", to.ID)
		seen[to.ID] = true
		hand := "right"
		if to.Basis.Left {
			hand = "left"
		}
		assert.Equal(t, to.Basis.Up.Letter()+" up · "+to.Unit.Name+" · "+hand+"-handed", to.Name)
		got, ok := ByID(to.ID)
		require.True(t, ok)
		assert.Equal(t, to, got)
		// Up, forward and right are three axes, and the hand is that of their product.
		v := to.Basis.ToView()
		assert.InDelta(t, 1, max(v.Det(), -v.Det()), 1e-12, to.ID)
		assert.Equal(t, to.Basis.Left, v.Det() > 0, "right, up, forward of %s", to.ID)
		assert.NoError(t, to.Check())
		for _, c := range to.Classes {
			assert.NotEmpty(t, c.Reason, c.ID)
			assert.Positive(t, c.Budget.Triangles, c.ID)
		}
	}
	_, ok := ByID("")
	assert.False(t, ok, "there is no target that is meant by nothing")
}

func schema(t *testing.T) *jsonschema.Schema {
	f, err := os.Open("../../docs/target.schema.json")
	require.NoError(t, err)
	defer f.Close()
	doc, err := jsonschema.UnmarshalJSON(f)
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("target.schema.json", doc))
	s, err := c.Compile("target.schema.json")
	require.NoError(t, err)
	return s
}

func TestFilesGoThereAndBackAndKeepTheSchema(t *testing.T) {
	s := schema(t)
	for _, to := range Shipped {
		got, err := Parse(to.File())
		require.NoError(t, err)
		assert.Equal(t, to, got)
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(to.File()))
		require.NoError(t, err)
		assert.NoError(t, s.Validate(doc))
	}
}

// What is wrong is refused with its field and what was expected; most of it by the schema too.
func TestWhatCantBeMeantIsNamed(t *testing.T) {
	s := schema(t)
	file := string(Shipped[1].File())
	swap := func(a, b string) string {
		require.Contains(t, file, a)
		return strings.Replace(file, a, b, 1)
	}
	for _, c := range []struct {
		file, path, want string
		schemaSees       bool
	}{
		{"{", "", "line 1", false},
		{`{"target":{}}`, "yarvekTarget", "no target file", true},
		{swap(`"yarvekTarget": 1`, `"yarvekTarget": 2`), "yarvekTarget", "newer", true},
		{swap(`"yarvekTarget": 1`, `"yarvekTarget": 0`), "yarvekTarget", "no version", true},
		{swap(`"prefers"`, `"prefer"`), "", "prefer", true},
		{swap(`"up": "+Z"`, `"up": "+W"`), "", "+W", true},
		{swap(`"forward": "+X"`, `"forward": "-Z"`), "basis.forward", "both lie along Z", false},
		{swap(`"metres": 0.01`, `"metres": 0`), "unit.metres", "above zero", true},
		{swap(`"metres": 0.01`, `"metres": "x"`), "target.unit.metres", "expected a number", true},
		{swap(`"triangles": 8000`, `"triangles": -1`), "classes[0].budget.triangles", "no budget", true},
		{swap(`"most": 1.5`, `"most": 0.01`), "classes[0].most", "above the least", false},
		{swap(`"id": "furniture"`, `"id": "hand-prop"`), "classes[1].id", "twice", false},
		{swap(`"{mesh} lod {n}"`, `"{mesh}{n}"`), "names.lod", "two ways", false},
		{swap(`"{mesh} lod {n}"`, `"{mesh} lod"`), "names.lod", "does not hold {n}", false},
		{swap(`"{mesh} lod {n}"`, `"{mesh} solid box {n}"`), "names.solid", "LOD too", false},
		{swap(`"{mesh} lod {n}"`, `""`), "names.lod", "empty", false},
		{swap(`"{asset}"`, `"a/{asset}"`), "names.file", "do not allow", false},
		{swap(`"indexBits": 32`, `"indexBits": 8`), "needs.indexBits", "16 or 32", true},
		{swap(`"place": "base"`, `"place": "moon"`), "pivot.place", "no place", true},
		{swap(`"scale": 1`, `"scale": 0`), "arrival.scale", "above zero", true},
		{swap(`"kind": "ball"`, `"kind": "box"`), "solids[1].kind", "twice", false},
		{file + "{}", "", "something stands behind the end", false},
		{strings.Repeat(" ", maxFile+1), "", "too large", false},
	} {
		_, err := Parse([]byte(c.file))
		require.Error(t, err, c.want)
		assert.Contains(t, err.Error(), c.want)
		if c.path != "" {
			var at *FieldError
			require.True(t, errors.As(err, &at), "%v", err)
			assert.Contains(t, err.Error(), c.path)
		}
		if doc, err := jsonschema.UnmarshalJSON(strings.NewReader(c.file)); err == nil && c.schemaSees {
			assert.Error(t, s.Validate(doc), c.want)
		}
	}
}

// A kit that was kept when a target was a frame and a unit has all else from the shipped one.
func TestAnOldTargetIsCompleted(t *testing.T) {
	got, err := Kept([]byte(`{"id":"z-up-centimetres-left","name":"Z up · centimetres · left-handed",
		"basis":{"up":"+Z","forward":"+X","leftHanded":true},"unit":{"symbol":"cm","name":"centimetres","metres":0.01}}`))
	require.NoError(t, err)
	assert.True(t, got.Equal(Shipped[1]))
	again, err := Kept(got.JSON())
	require.NoError(t, err)
	assert.True(t, again.Equal(got))
}

// Changes name the fields that differ, and each of them alone can be made.
func TestChangesAreTheFieldsThatDiffer(t *testing.T) {
	a := Shipped[0]
	b := a.Copy()
	assert.Empty(t, Changes(a, b))
	b.Basis.Up, b.Basis.Forward = geom.PosZ, geom.NegY
	b.Classes[2].Budget.Triangles = 77
	b.Classes = append(b.Classes, class.Class{ID: "boat", Name: "Boat", Least: 1, Most: 9})
	b.Names.LOD = "{mesh} level {n}"
	b.Textures.Formats["glow"] = "jpeg"
	paths := map[string]Change{}
	for _, c := range Changes(a, b) {
		paths[c.Path] = c
	}
	assert.Equal(t, Change{"basis.up", "+Y", "+Z"}, paths["basis.up"])
	assert.Equal(t, Change{"classes[street-furniture].budget.triangles", "15000", "77"},
		paths["classes[street-furniture].budget.triangles"])
	assert.Equal(t, Change{"textures.formats.glow", "png", "jpeg"}, paths["textures.formats.glow"])
	assert.Contains(t, paths, "classes[boat].id")
	for p, c := range paths {
		one, err := WithChange(a, b, c)
		require.NoError(t, err)
		left := Changes(a, one)
		require.NotEmpty(t, left, p)
		if !strings.HasPrefix(p, "classes[boat]") {
			assert.Equal(t, []Change{c}, left)
		}
	}
	assert.Equal(t, 15000, a.Classes[2].Budget.Triangles, "what was copied stays")
}

func TestAnOffsetScalesThenTurnsThenMoves(t *testing.T) {
	o := Offset{Scale: 2, Turn: 90, Move: geom.Vec3{0, 0, 10}}
	// To the left of somebody who looks the way the front faces is anticlockwise from above.
	right := geom.Basis{Up: geom.PosY, Forward: geom.PosZ}
	assert.InDelta(t, 0, o.Map(right).Apply(geom.Vec3{0, 0, 1}).Dist(geom.Vec3{2, 0, 10}), 1e-12)
	left := geom.Basis{Up: geom.PosY, Forward: geom.PosZ, Left: true}
	assert.InDelta(t, 0, o.Map(left).Apply(geom.Vec3{0, 0, 1}).Dist(geom.Vec3{-2, 0, 10}), 1e-12)
}

func TestEveryPatternIsReadBack(t *testing.T) {
	for _, p := range Shipped[0].Patterns() {
		tpl, err := Shipped[0].Pattern(p.Subject)
		require.NoError(t, err)
		if tpl == nil {
			assert.True(t, p.Empty, p.Label)
			continue
		}
		in := map[string]string{"mesh": "pier", "asset": "quay corner", "slot": "planks", "kit": "Tern Point", "n": "3",
			"kind": "hull", "role": "normal"}
		name, err := tpl.Make(in)
		require.NoError(t, err)
		out, ok := tpl.Read(name)
		require.True(t, ok)
		for k, v := range out {
			assert.Equal(t, in[k], v)
		}
	}
	_, err := Shipped[0].Pattern("frob")
	assert.Error(t, err)
	_, err = Shipped[0].WithPattern("frob", "x")
	assert.Error(t, err)
	to, err := Shipped[0].WithPattern(LODName, "{mesh} level {n2}")
	require.NoError(t, err)
	assert.NoError(t, to.Check())
	assert.Equal(t, naming.AnyLetter, to.Names.Letters)
}

func FuzzParse(f *testing.F) {
	f.Add(Shipped[0].File())
	f.Add([]byte(`{"yarvekTarget":1,"target":{"id":"x"}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		to, err := Parse(data)
		if err != nil {
			return
		}
		again, err := Parse(to.File())
		if err != nil || !again.Equal(to) {
			a, _ := json.Marshal(to)
			t.Fatalf("%s does not come back: %v", a, err)
		}
	})
}

// A file of before says nothing of what its receiver does with COLLADA, USD, PLY and STL: it is told, and kept as told.
func TestFilesOfBeforeAreTold(t *testing.T) {
	to := Shipped[1]
	var tree map[string]any
	require.NoError(t, json.Unmarshal(to.File(), &tree))
	reads := tree["target"].(map[string]any)["reads"].(map[string]any)
	for _, key := range []string{"collada", "usd", "ply", "stl"} {
		require.Contains(t, reads, key)
		delete(reads, key)
	}
	old, err := json.Marshal(tree)
	require.NoError(t, err)
	got, err := Parse(old)
	require.NoError(t, err)
	assert.True(t, to.Equal(got))
	inner, err := json.Marshal(tree["target"])
	require.NoError(t, err)
	got, err = Kept(inner)
	require.NoError(t, err)
	assert.True(t, to.Equal(got))
	assert.False(t, got.Reads.STL.HonoursUnit, "it says none")
	assert.True(t, got.Reads.USD.HonoursAxes)
}
