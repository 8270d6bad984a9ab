package web

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/lods"
)

// bringRock brings a boulder of 4·rings·(rings−1) triangles.
func (c *client) bringRock(rings int) {
	m := shapetest.Boulder(rings)
	m.Slots = []int{0}
	s := shape.Scene("rock", []scene.Material{scene.NewMaterial("stone")}, m)
	out, err := gltf.Write(context.Background(), s, pack.Options{Name: "rock"})
	require.NoError(c.t, err)
	c.bring("rock.glb", string(out.Files[0].Data))
}

// ladder is what is on the ladder now.
func (c *client) ladder() *lods.Report {
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(c.t, err)
	return o.Result.LODs
}

// A ladder is made by a job; from then on its page comes from the cache, and a LOD that is moved is
// answered at once. The figures are printed; YARVEK_RINGS makes the boulder larger.
func TestALadderIsMadeOnceAndMovedAtOnce(t *testing.T) {
	rings, err := strconv.Atoi(os.Getenv("YARVEK_RINGS"))
	if err != nil {
		rings = 60
	}
	c := newClient(t)
	c.bringRock(rings)
	c.decide("lods", "act", "few")
	began := time.Now()
	for c.ladder().Pending {
		w := c.get("/assets/1/lods")
		require.Equal(t, http.StatusOK, w.Code)
		if c.ladder().Pending {
			has(t, c.get("/assets/1/making?station=lods"), "climbing")
		}
		time.Sleep(20 * time.Millisecond)
	}
	made := time.Since(began)
	first := time.Now()
	has(t, c.get("/assets/1/lods"), "fewer</strong> triangles")
	drawn := time.Since(first)
	again := time.Now()
	c.get("/assets/1/lods")
	cached := time.Since(again)
	before := c.ladder()
	require.Greater(t, len(before.LODs), 1)
	last := len(before.LODs) - 1
	moved := time.Now()
	c.decide("lods", "act", "move", "lod", fmt.Sprint(last), "from", fmt.Sprintf("%.3g m", before.LODs[last].From*1.3))
	c.get("/assets/1/lods")
	t.Logf("%d triangles, %d LODs: made in %v; its page first %v, then %v; moved in %v", before.LODs[0].Cost.Triangles,
		last, made,
		drawn, cached,
		time.Since(moved))
	after := c.ladder()
	assert.InDelta(t, before.LODs[last].From*1.3, after.LODs[last].From, 0.01*after.LODs[last].From)
	assert.Equal(t, before.LODs[last].Cost, after.LODs[last].Cost)
}

// Every control of the worksheet decides what it says, and what can't be meant is refused.
func TestTheControlsOfLODs(t *testing.T) {
	c := newClient(t)
	c.bringRock(16)
	now := func() lods.Decisions { return c.prepNow().LODs }
	table := func(how string, rows ...[3]string) []string {
		list := []string{"act", "levels", "how", how}
		for _, r := range rows {
			list = append(list, "share", r[0], "from", r[1], "hand", r[2])
		}
		return list
	}
	c.decide("lods", table("typed", [3]string{"50 %", "4 m", ""}, [3]string{"60 tri", "", ""},
		[3]string{"80 mm", "3000 cm", ""})...)
	d := now()
	require.Len(t, d.Levels, 3)
	assert.Equal(t, 0.5, d.Levels[0].Share)
	assert.Equal(t, 4.0, d.Levels[0].From)
	assert.Equal(t, 60, d.Levels[1].Triangles)
	assert.Equal(t, 0.08, d.Levels[2].Deviation)
	assert.Equal(t, 30.0, d.Levels[2].From)
	c.decide("lods", table("distances", [3]string{"25", "4 m", ""})...)
	assert.Equal(t, lods.Level{Wish: now().Levels[0].Wish}, now().Levels[0])
	assert.Zero(t, now().Levels[0].From)
	c.decide("lods", table("triangles", [3]string{"25", "40 m", ""})...)
	assert.Equal(t, 40.0, now().Levels[0].From)
	assert.False(t, now().Levels[0].Sized())
	c.decide("lods", table("typed", [3]string{"25", "20 %", ""})...)
	assert.InDelta(t, 0.2, c.ladder().LODs[1].Screen, 0.001, "a share of the screen is a distance")
	c.decide("lods", "act", "entries", "section", "showing", "pixels", "2,5")
	assert.Equal(t, 2.5, now().Pixels)
	c.decide("lods", "act", "entries", "section", "showing", "vanish", "0.5 km", "fade", "10")
	assert.Equal(t, 500.0, now().Vanish)
	assert.Equal(t, 10, now().Fade)
	c.decide("lods", "act", "entries", "section", "making", "detail", "0", "keeppoints", "yes", "mirrored", "yes",
		"offirst", "yes", "borders", "yes", "outside", "2")
	assert.Equal(t, -1, now().Making.Detail)
	assert.True(t, now().Making.KeepPoints && now().Making.Mirrored && now().Making.OfFirst)
	assert.Equal(t, 2, now().Outside)
	c.decide("lods", "act", "entries", "section", "making", "back", "all")
	assert.Zero(t, now().Making)
	c.decide("lods", "act", "entries", "section", "making", "angle", "35", "blend", "60")
	assert.Equal(t, 35.0, now().Making.Angle)
	assert.Equal(t, 60, now().Making.Blend)
	c.decide("lods", "act", "slot", "key", "stone", "weight", "0")
	c.decide("lods", "act", "node", "key", "boulder", "weight", "300")
	assert.Equal(t, map[string]int{"stone": 0}, now().Making.Weights)
	assert.Equal(t, map[string]int{"boulder": 300}, now().Making.Nodes)
	c.decide("lods", "act", "slot", "key", "stone", "weight", "100")
	assert.Nil(t, now().Making.Weights)
	c.decide("lods", "act", "none")
	assert.True(t, now().None)
	c.decide("lods", append(table(""), "more", "on", "share", "", "from", "", "hand", "")...)
	require.Len(t, now().Levels, 1)
	assert.Equal(t, 0.5, now().Levels[0].Share)
	kept := now()
	for _, bad := range [][]string{
		table("typed", [3]string{"much", "", ""}), table("typed", [3]string{"", "far", ""}),
		table("triangles", [3]string{"50", "", ""}),
		table("distances", [3]string{"", "5 m", ""}), table("typed", [3]string{"", "", "x"}),
		table("guess", [3]string{"50", "", ""}),
		{"act", "levels", "share", "50"}, {"act", "move", "lod", "7", "from", "5 m"}, {"act", "entries", "section",
			"showing", "pixels", "-1"},
		{"act", "entries", "section", "making", "angle", "wide"}, {"act", "unheard"}, table("typed", [3]string{"150 %", "",
			""}),
	} {
		w := c.post("/assets/1/lods", c.form(bad...))
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, "%v", bad)
		assert.Equal(t, kept, now(), "%v", bad)
	}
	assert.Equal(t, http.StatusOK, c.get("/assets/1/pair.svg?a=0&b=1").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, c.get("/assets/1/pair.svg?a=0&b=9").Code)
	assert.Equal(t, http.StatusOK, c.get("/assets/1/turntable?station=lods&lod=1").Code)
	assert.Equal(t, http.StatusOK, c.get("/assets/1/turntable?station=lods&lod=1&look=shading").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, c.get("/assets/1/turntable?station=lods&lod=9").Code)
}
