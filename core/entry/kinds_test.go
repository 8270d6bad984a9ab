package entry

import (
	"errors"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

// all has a field for each kind.
type all struct {
	Turn   float64
	Part   float64
	Weight float64
	Name   string
	Slot   string
	Nodes  []string
	Slots  []string
	Yes    bool
	At     geom.Vec3
	Odd    int
	Odds   []int
}

// odd reads odd numbers alone.
func odd(s string) (int, error) {
	n, err := strconv.Atoi(s)
	if err == nil && n%2 == 0 {
		err = errors.New(s + " is even")
	}
	return n, err
}

// Every kind is typed, kept, told from undecided, given back, and refused in words.
func TestEveryKind(t *testing.T) {
	for _, x := range []struct {
		e         Entry[all]
		kind      Kind
		typed, is string
		kept      all
		wrong     string // what can't be meant, "" for nothing
	}{
		{Angle("a", "A", func(d *all) *float64 { return &d.Turn }), KindAngle, "12,5 °", "12.5", all{Turn: 12.5}, "round"},
		{Share("a", "A", func(d *all) *float64 { return &d.Part }), KindShare, "30%", "30", all{Part: .3}, "a third"},
		{Number("a", "A", "kg", func(d *all) *float64 { return &d.Weight }), KindNumber, "7 kg", "7", all{Weight: 7}, "kg"},
		{Text("a", "A", func(d *all) *string { return &d.Name }).AtMost(4), KindText, " pier ", "pier", all{Name: "pier"},
			"piers"},
		{Slot("a", "A", func(d *all) *string { return &d.Slot }), KindSlot, "wood", "wood", all{Slot: "wood"}, ""},
		{Nodes("a", "A", func(d *all) *[]string { return &d.Nodes }), KindNode, `"a, b", c`, `"a, b",c`,
			all{Nodes: []string{"a, b", "c"}}, `"a`},
		{Slots("a", "A", func(d *all) *[]string { return &d.Slots }), KindSlot, "w", "w", all{Slots: []string{"w"}}, `w"x"`},
		{YesNo("a", "A", func(d *all) *bool { return &d.Yes }), KindYesNo, "On", "yes", all{Yes: true}, "maybe"},
		{Point("a", "A", "m", func(d *all) *geom.Vec3 { return &d.At }), KindPoint, "1, -2.5 ,1e3", "1, -2.5, 1000",
			all{At: geom.Vec3{1, -2.5, 1000}}, "1, 2, high"},
		{Of("a", "A", func(d *all) *int { return &d.Odd }, strconv.Itoa, odd), KindText, "3", "3", all{Odd: 3}, "4"},
		{Of("a", "A", func(d *all) *int { return &d.Odd }, strconv.Itoa, odd, Option{"3", "three"}), KindChoice, "3", "3",
			all{Odd: 3}, "5"},
		{List("a", "A", func(d *all) *[]int { return &d.Odds }, strconv.Itoa, odd), KindText, "3, 5", "3,5",
			all{Odds: []int{3, 5}}, "3,4"},
	} {
		var d all
		assert.Equal(t, x.kind, x.e.Kind, x.typed)
		assert.Empty(t, x.e.Text(d), "%s is decided of nothing", x.kind)
		require.NoError(t, x.e.Set(&d, x.typed), x.typed)
		assert.Equal(t, x.kept, d, x.typed)
		assert.Equal(t, x.is, x.e.Text(d), x.typed)
		again := all{}
		require.NoError(t, x.e.Set(&again, x.e.Text(d)), x.typed)
		assert.Equal(t, d, again, "%s does not come back", x.typed)
		if x.wrong != "" {
			assert.Error(t, x.e.Set(&d, x.wrong), x.wrong)
			assert.Equal(t, x.kept, d, x.wrong)
		}
		require.NoError(t, x.e.Set(&d, ""), x.typed)
		assert.Equal(t, all{}, d, "%s is given back", x.typed)
	}
	for typed, is := range map[string]bool{"yes": true, "TRUE": true, "no": false, "false": false, "off": false} {
		d := all{Yes: !is}
		require.NoError(t, YesNo("a", "A", func(d *all) *bool { return &d.Yes }).Set(&d, typed))
		assert.Equal(t, is, d.Yes, typed)
	}
	for _, wrong := range []string{"1, 2", "1,2,3,4", "x,2,3", "1,x,3"} {
		assert.Error(t, Point("a", "A", "m", func(d *all) *geom.Vec3 { return &d.At }).Set(&all{}, wrong), wrong)
	}
	_, err := Items("a\nb")
	assert.ErrorContains(t, err, "one line")
	items, err := Items(` a,, "b""c"`)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", `b"c`}, items)
}
