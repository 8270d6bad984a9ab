package work

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/picture/texture"
	"yarvek/core/prep"
	"yarvek/core/scene"
)

// pictureOf is a PNG of one colour, as text.
func pictureOf(t testing.TB, r, g, b uint8) string {
	return string(picturetest.PNG(t, picturetest.Painted(4, 4, picturetest.Plain(r, g, b, 255))))
}

func TestASlotMapIsReadAsPeopleWriteIt(t *testing.T) {
	list, err := ParseSlotMap(" oak \n\noak*  =>  oak\nsteel # → steel\r\n")
	require.NoError(t, err)
	assert.Equal(t, []outfit.MapLine{{To: "oak"}, {From: "oak*", To: "oak"}, {From: "steel #", To: "steel"}}, list)
	again, err := ParseSlotMap(SlotMapText(list))
	require.NoError(t, err)
	assert.Equal(t, list, again)
	for _, bad := range []string{"oak =>", "=> oak", strings.Repeat("x", 300), strings.Repeat("x\n", 501)} {
		_, err := ParseSlotMap(bad)
		assert.Equal(t, fault.Invalid, fault.KindOf(err), bad[:min(20, len(bad))])
	}
	_, err = ParseSlotMap("oak\n=> ash")
	assert.ErrorContains(t, err, "line 2")
}

// A map is kept with its kit, holds for all its assets, and is no decision of theirs.
func TestASlotMapHoldsForAllAssetsOfAKit(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := desk(t, dir)
	k := kit(t, d)
	const two = "v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl Oak.001\nf 1 2 3\nusemtl rope\nf 1 3 2\n"
	a, b := take(t, d, k, "a.obj", two).Came[0].Asset.ID, take(t, d, k, "b.obj", two+"v 5 5 5\n").Came[0].Asset.ID
	require.NoError(t, d.SetSlotMap(ctx, k.ID, []outfit.MapLine{{To: "oak"}, {From: "oak.*", To: "oak"}}))
	for _, id := range []int64{a, b} {
		o, err := d.Open(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, []string{"oak", "rope"}, o.Result.Delivery.Scene.SlotNames())
		assert.True(t, o.Step.Undo == "", "nothing was decided")
	}
	require.NoError(t, d.SetSlotMap(ctx, k.ID, nil))
	o, err := d.Open(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, []string{"Oak.001", "rope"}, o.Result.Delivery.Scene.SlotNames())
	assert.ErrorIs(t, d.SetSlotMap(ctx, 99, nil), ErrNotFound)
}

// Pictures that are dropped are kept with the asset, guessed at, and used when that is decided; undone,
// they are out again and still there. What is no picture is told and not kept.
func TestPicturesAreAddedToAnAsset(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	d := desk(t, dir)
	k := kit(t, d)
	id := take(t, d, k, "a.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl wall\nf 1 2 3\n").Came[0].Asset.ID
	add := func(files ...string) []Dropped {
		u := d.NewUpload()
		for i := 0; i < len(files); i += 2 {
			_ = u.Add(files[i], strings.NewReader(files[i+1]))
		}
		list, err := d.AddPictures(ctx, id, u)
		require.NoError(t, err)
		return list
	}
	red := pictureOf(t, 200, 0, 0)
	list := add("set/wall_colour.png", red, "wall_normal.png", pictureOf(t, 128, 128, 255), "notes.png", "not a picture",
		"torn.png",
		red[:50])
	require.Len(t, list, 4)
	guesses := map[string]texture.Guess{}
	for _, x := range list {
		guesses[x.Name] = x.Guess
	}
	assert.Equal(t, texture.Guess{Use: scene.UseBaseColor, Sure: true}, guesses["set/wall_colour.png"])
	assert.Equal(t, scene.UseNormal, guesses["wall_normal.png"].Use)
	for _, x := range list {
		assert.Equal(t, x.Name == "notes.png" || x.Name == "torn.png", x.Why != "", "%s: %s", x.Name, x.Why)
	}
	o, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, o.Result.Delivery.Scene.Images, "nothing is decided by it")
	_, err = d.Decide(ctx, id, o.Base(), func(p *prep.Prep) error {
		p.Slots.Assigned = []outfit.Assigned{{Slot: "wall", Use: scene.UseBaseColor, Picture: list[0].SHA}}
		return nil
	})
	require.NoError(t, err)
	for range 2 { // and on another day
		o, err = d.Open(ctx, id)
		require.NoError(t, err)
		require.Len(t, o.Result.Delivery.Scene.Images, 1)
		assert.Equal(t, red, string(o.Result.Delivery.Scene.Images[0].Data))
		assert.True(t, o.Result.Slots.Pictures[0].Was[0].Added)
		d.Close()
		require.NoError(t, d.store.Close())
		d = desk(t, dir)
	}
	_, err = d.AddPictures(ctx, id, d.NewUpload())
	assert.Equal(t, fault.Invalid, fault.KindOf(err), "no picture was sent")
	_, err = d.AddPictures(ctx, 99, d.NewUpload())
	assert.ErrorIs(t, err, ErrNotFound)
}
