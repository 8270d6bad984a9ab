package web

import (
	"context"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/slots"
)

// bringSlots brings squares in a row, a slot each, of which the first has a picture of 48 × 20.
func (c *client) bringSlots(names ...string) { c.bringSlotsOf(48, 20, names...) }

// bringSlotsOf does so with a picture of a size.
func (c *client) bringSlotsOf(w, h int, names ...string) {
	b := new(shape.Builder)
	var mats []scene.Material
	for i, n := range names {
		b.Slot(i).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{float64(i) + u, v, 0} })
		m := scene.NewMaterial(n)
		m.BaseColor[0] = 0.1 * float64(i)
		mats = append(mats, m)
	}
	s := shape.Scene("shed", mats, b.Mesh("shed"))
	s.Images = []scene.Image{{Name: "wall.png", MIME: "image/png", Width: w, Height: h,
		Data: picturetest.PNG(c.t, picturetest.Painted(w, h, func(x,
			y int) color.NRGBA {
			return color.NRGBA{uint8(5 * x), uint8(9 * y), 30, 255}
		}))}}
	s.Textures = []scene.Texture{{WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Materials[0].Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	out, err := gltf.Write(context.Background(), s, pack.Options{Name: "shed"})
	require.NoError(c.t, err)
	c.bring("shed.glb", string(out.Files[0].Data))
}

func (c *client) slots() *slots.Report {
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(c.t, err)
	return o.Result.Slots
}

// called are the names of the slots that leave.
func (c *client) called() (list []string) {
	for _, s := range c.slots().Slots {
		list = append(list, s.Name)
	}
	return list
}

// Every control of Slots decides what it says.
func TestControlsOfSlots(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door", "lamp 1", "lamp 2")
	holds(t, c.get("/assets/1/slots"), "4 slots", "wall.png")
	set := func(section string, more ...string) {
		t.Helper()
		c.decide("slots", append([]string{"act", "entries", "section", section}, more...)...)
	}
	do := func(act string, more ...string) {
		t.Helper()
		c.decide("slots", append([]string{"act", act}, more...)...)
		require.Equal(t, http.StatusOK, c.get("/assets/1/slots").Code, act)
	}
	do("slots", "do", "down", "slot", "wall")
	assert.Equal(t, []string{"door", "wall", "lamp 1", "lamp 2"}, c.called())
	do("slots", "do", "up", "slot", "lamp 2")
	assert.Equal(t, []string{"door", "wall", "lamp 2", "lamp 1"}, c.called())
	do("slots", "do", "place", "slot", "lamp 1", "place", "1")
	assert.Equal(t, []string{"lamp 1", "door", "wall", "lamp 2"}, c.called())
	do("order", "order", "wall", "order", "door", "order", "lamp 1", "order", "lamp 2")
	do("slots", "do", "join", "slot", "lamp 1", "slot", "lamp 2")
	assert.Equal(t, []string{"wall", "door", "lamp 1"}, c.called())
	do("back", "of", "join", "slot", "lamp 2", "n", "0")
	assert.Len(t, c.called(), 4)
	do("slots", "do", "name", "slot", "door", "name", "gate")
	do("rename", "match", "lamp #", "to", "light {n2}")
	assert.Equal(t, []string{"wall", "gate", "light 01", "light 02"}, c.called())
	has(t, c.get("/assets/1/slots"), "lamp # → light {n2}")
	do("back", "of", "rename", "n", "0")
	do("slots", "do", "name", "slot", "door", "name", "")
	assert.Equal(t, []string{"wall", "door", "lamp 1", "lamp 2"}, c.called())
	do("move", "from", "lamp 2", "to", "door")
	do("move", "from", "wall", "node", "", "new", "plank", "to", "door")
	assert.Equal(t, []string{"wall", "door", "lamp 1", "lamp 2", "plank"}, c.called())
	assert.Zero(t, c.slots().Slots[0].Stat.Faces+c.slots().Slots[3].Stat.Faces)
	do("back", "of", "move", "n", "1")
	do("picked", "at", "0.5,0.5,0", "reach", "part", "to", "door")
	do("back", "of", "move", "n", "1")
	do("back", "of", "move", "n", "0")
	set("names", "drop", "yes")
	set("names", "clean", "yes", "bare", "yes")
	assert.Empty(t, c.slots().Pictures)
	set("names", "bare", "no")
	do("look", "slot", "door", "alpha", "MASK", "sides", "2")
	assert.True(t, c.slots().Slots[1].Material.TwoSided)
	do("look", "slot", "door")
	assert.False(t, c.slots().Slots[1].Material.TwoSided)
	set("leave", "most", "16", "power", "down", "strip", "yes", "formats", "tga", "roles", "colour")
	assert.Equal(t, [2]int{16, 8}, [2]int{c.slots().Pictures[0].W, c.slots().Pictures[0].H})
	has(t, c.get("/assets/1/slots"), "TGA")
	do("asthey")
	assert.True(t, c.slots().Pictures[0].Idle())
	do("own", "picture", "wall.png", "width", "10", "height", "12", "format", "png")
	assert.Equal(t, 10, c.slots().Pictures[0].W)
	do("own", "picture", "wall.png", "name", "quay wall")
	assert.Equal(t, "quay wall.png", c.slots().Pictures[0].Image.Name)
	assert.True(t, c.slots().Pictures[0].Idle(), "it leaves as it came, under another name")
	do("own", "picture", "wall.png")
	do("aswanted")
	assert.Equal(t, [2]int{32, 16}, [2]int{c.slots().Pictures[0].W, c.slots().Pictures[0].H})
	do("slots", "do", "sheet", "slot", "wall", "slot", "door", "sheetname", "front", "sheetpadding", "2", "sheetmost",
		"256", "asis", "on")
	assert.Equal(t, []string{"front", "lamp 1", "lamp 2"}, c.called())
	require.Len(t, c.slots().Sheets, 1)
	assert.Equal(t, 2, c.slots().Sheets[0].Pad)
	has(t, c.get("/assets/1/slots"), "Sheet of wall, door")
	do("back", "of", "sheet", "n", "0")
	set("light", "size", "256")
	set("light", "padding", "3", "set", "lamp", "only", "door")
	assert.Equal(t, 1, c.slots().Light.Charts)
	has(t, c.get("/assets/1/slots"), "1 chart")
	set("light", "back", "all")
	do("unassign", "slot", "wall", "use", "0")
	assert.Empty(t, c.slots().Pictures)
	do("unassign", "slot", "wall", "use", "0")

	for _, bad := range [][]string{{"act", "nothing"}, {"act", "slots", "do", "join"},
		{"act", "slots", "do", "join", "slot", "wall"},
		{"act", "slots", "do", "fly", "slot", "wall"}, {"act", "slots", "do", "name", "slot", "wall", "name",
			strings.Repeat("x", 300)},
		{"act", "rename", "match", "", "to", "x"}, {"act", "rename", "match", "x", "to", "{z}"},
		{"act", "back", "of", "move", "n", "7"},
		{"act", "back", "of", "what", "n", "0"}, {"act", "move", "to", "door"}, {"act", "picked", "at", "here", "to",
			"door"},
		{"act", "entries", "section", "leave", "most", "-1"}, {"act", "entries", "section", "leave", "power", "odd"},
		{"act", "own", "picture", "wall.png", "deep",
			"very"},
		{"act", "assign", "slot", "wall", "picture", "x"}, {"act", "assign", "slot", "wall", "picture", "x", "use",
			"taste"},
		{"act", "look", "slot", "door", "alpha", "GLASS"}, {"act", "entries", "section", "light", "size", "3"},
		{"act", "slots", "do", "up", "slot", scene.NoSlot}} {
		assert.Equal(t, http.StatusUnprocessableEntity, c.post("/assets/1/slots", c.form(bad...)).Code, bad)
	}
}

// A pattern says what it would do while it is typed.
func TestNamesArePreviewed(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "<b>door</b>", "lamp 1", "lamp 2")
	ask := func(match, to string) string {
		w := c.get("/assets/1/slots/names?match=" + url.QueryEscape(match) + "&to=" + url.QueryEscape(to))
		require.Equal(t, http.StatusOK, w.Code)
		return w.Body.String()
	}
	assert.Contains(t, ask("lamp #", "light {n}"), "lamp 2 → light 2")
	assert.Contains(t, ask("*door*", "x"), "&lt;b&gt;door")
	assert.Contains(t, ask("roof", "x"), "No slot")
	assert.Contains(t, ask("lamp #", "{z}"), "not known")
	assert.Equal(t, "", strings.TrimSpace(ask("lamp #", "")))
	assert.Equal(t, []string{"wall", "<b>door</b>", "lamp 1", "lamp 2"}, c.called(), "nothing is decided")
}

// Pictures are shown as they came, as they leave, and by how much they differ; the original can be taken
// out again, byte for byte.
func TestPicturesAreShownBeforeAndAfter(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	was := c.slots().Pictures[0].Image.Data
	c.decide("slots", "act", "entries", "section", "leave", "power", "down")
	holds(t, c.get("/assets/1/slots/pictures/0"), "wall.png", "48 × 20", "32 × 16")
	size := func(as string) image.Point {
		w := c.get("/assets/1/slots/pictures/0/" + as)
		require.Equal(t, http.StatusOK, w.Code, as)
		img, err := png.Decode(w.Body)
		require.NoError(t, err, as)
		return img.Bounds().Size()
	}
	assert.Equal(t, image.Pt(48, 20), size("before"))
	assert.Equal(t, image.Pt(32, 16), size("after"))
	assert.Equal(t, image.Pt(32, 16), size("difference"))
	size("small")
	w := c.get("/assets/1/slots/pictures/0/original")
	assert.Equal(t, was, w.Body.Bytes())
	assert.Contains(t, w.Header().Get("Content-Disposition"), "wall.png")
	assert.NotEqual(t, was, c.get("/assets/1/slots/pictures/0/made").Body.Bytes())
	for _, none := range []string{"/9", "/-1", "/x", "/9/small"} {
		assert.Equal(t, http.StatusNotFound, c.get("/assets/1/slots/pictures"+none).Code, none)
	}
	assert.Equal(t, http.StatusUnprocessableEntity, c.get("/assets/1/slots/pictures/0/sideways").Code)
}

// Pictures dropped on a slot are guessed at, confirmed in one form, and used.
func TestPicturesAreDropped(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	grey := func(v uint8) []byte {
		return picturetest.PNG(t, picturetest.Painted(8, 8, picturetest.Grey(v)))
	}
	files := map[string]string{"door_rough.png": string(grey(90)), "door_gloss<i>.png": string(grey(80)),
		"notes.png":       "text",
		"door_colour.png": string(grey(70))}
	w := c.upload("/assets/1/slots/pictures?slot=door", files)
	holds(t, w, "door_rough.png", "notes.png is no picture", "&lt;i&gt;")
	assert.NotContains(t, w.Body.String(), "<i>")
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	assert.Zero(t, o.Base(), "nothing is decided yet")
	st := o.Result.Slots
	require.Len(t, st.Pictures, 1)
	names := map[string]string{} // what they were called to their addresses
	for _, part := range strings.Split(w.Body.String(), `name="picture" value="`)[1:] {
		name := part[strings.Index(part, `class="fig">`)+len(`class="fig">`):]
		names[name[:strings.Index(name, "<")]] = part[:64]
	}
	require.Len(t, names, 3)
	c.decide("slots", "act", "assign", "slot", "door", "picture", names["door_rough.png"], "use", "rough", "picture",
		names["door_colour.png"], "use", "colour",
		"picture", names["door_gloss&lt;i&gt;.png"], "use", "")
	door := c.slots().Slots[1]
	require.Len(t, door.Pictures, 2)
	has(t, c.get("/assets/1/slots"), "door_rough.png")
	assert.Equal(t, http.StatusOK, c.get("/assets/1/turntable?look=material&station=slots").Code)
	w = c.upload("/assets/1/slots/pictures?slot=door", map[string]string{})
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
}

// A kit's map of names is kept from its page of slots, for all assets, and leads back there.
func TestAKitsSlotNames(t *testing.T) {
	c := newClient(t)
	c.bringSlots("oak 1", "door")
	w := c.post("/kits/1/slots", c.form("map", "oak # => oak\ngate", "back", "/assets/1/slots"))
	assert.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, "/assets/1/slots", w.Header().Get("Location"))
	assert.Equal(t, []string{"oak", "door"}, c.called())
	holds(t, c.get("/assets/1/slots"), "oak # =&gt; oak", "In the project", "not there yet")
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/1/slots", c.form("map", "=> oak")).Code)
	assert.Equal(t, []string{"oak", "door"}, c.called())
}

// holds tells that a page holds each of the words.
func holds(t *testing.T, w *httptest.ResponseRecorder, words ...string) {
	t.Helper()
	for _, x := range words {
		has(t, w, x)
	}
}

// Large pictures are looked at and made by a job; the kit's page tells what all of them take, before and
// after, and nothing of before is left on it.
func TestLargePicturesAreMadeByAJob(t *testing.T) {
	c := newClient(t)
	c.bringSlotsOf(2100, 1600, "wall", "door")
	holds(t, c.get("/kits/1"), "1 picture, 4.", "of graphics memory")
	ready := func() {
		t.Helper()
		for began := time.Now(); c.slots().Pending; {
			require.Less(t, time.Since(began), time.Minute)
			require.Equal(t, http.StatusOK, c.get("/assets/1/slots").Code)
			time.Sleep(20 * time.Millisecond)
		}
		require.Equal(t, http.StatusOK, c.get("/assets/1/slots").Code)
	}
	assert.True(t, c.slots().Pending)
	ready()
	c.decide("slots", "act", "entries", "section", "leave", "power", "down", "most", "512")
	assert.True(t, c.slots().Pending)
	assert.Equal(t, [2]int{512, 256}, [2]int{c.slots().Pictures[0].W, c.slots().Pictures[0].H}, "known before it is made")
	ready()
	w := c.get("/assets/1/slots/pictures/0/made")
	img, err := png.Decode(w.Body)
	require.NoError(t, err)
	assert.Equal(t, image.Pt(512, 256), img.Bounds().Size())
	first := time.Now()
	require.Equal(t, http.StatusOK, c.get("/assets/1/slots/pictures/0/small").Code)
	again := time.Now()
	require.Equal(t, http.StatusOK, c.get("/assets/1/slots/pictures/0/small").Code)
	t.Logf("a small picture of one of 2100 × 1600 at first in %v, from the cache in %v", again.Sub(first),
		time.Since(again))
	holds(t, c.get("/kits/1"), "before")
	st, err := c.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	sum, err := c.desk.Summary(context.Background(), st.State)
	require.NoError(t, err)
	assert.Equal(t, st.Result.Slots.Memory.Blocks, sum.Memory)
	mustFix, look := st.Result.Open()
	assert.Equal(t, [2]int{mustFix, look}, [2]int{sum.MustFix, sum.Look}, "what is kept of before is put right")
}
