package slots

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash/crc32"
	"image/color"
	"image/jpeg"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// Green is turned where it points the other way, never twice, and never where it can't be told.
func TestGreenIsTurnedOnce(t *testing.T) {
	for _, up := range []bool{true, false} {
		for _, want := range []string{"up", "down"} {
			s := newShed("wall").paint(0, scene.UseNormal, "n.png", 64, 64, bump(up, 64))
			before := pixels(t, s.Images[0])
			d := Decisions{Pictures: outfit.Pictures{Green: want}}
			out, r := do(t, s, d)
			turned := up != (want == "up")
			after := pixels(t, out.Images[0])
			for _, p := range [][2]int{{0, 16}, {5, 9}, {40, 33}} {
				a, b := picturetest.At(before, p[0], p[1]), picturetest.At(after, p[0], p[1])
				if turned {
					a.G = 255 - a.G
				}
				assert.Equal(t, a, b)
			}
			assert.Equal(t, map[string]texture.Green{"up": texture.GreenUp, "down": texture.GreenDown}[want],
				r.Pictures[0].Green)
			again, _ := do(t, shed{out}, d)
			assert.Equal(t, out.Images[0].Data, again.Images[0].Data, "once more changes nothing")
		}
	}
	s := newShed("wall").paint(0, scene.UseNormal, "n.png", 8, 8, picturetest.Plain(128, 128, 255, 255))
	out, _ := do(t, s, Decisions{Pictures: outfit.Pictures{Green: "down"}})
	assert.Equal(t, s.Images, out.Images, "flat: it can't be told")
	out, r := do(t, s, Decisions{Pictures: outfit.Pictures{Green: "down"},
		Own: []outfit.Own{{Picture: "n.png", Green: "up"}}})
	assert.Equal(t, uint8(127), picturetest.At(pixels(t, out.Images[0]), 3, 3).G, "said by hand")
	assert.Equal(t, texture.GreenDown, r.Pictures[0].Green)
}

func TestSizesAreBroughtToPowersAndLimits(t *testing.T) {
	for _, c := range []struct {
		p    outfit.Pictures
		o    outfit.Own
		w, h int
	}{
		{outfit.Pictures{Power: "down"}, outfit.Own{}, 64, 32},
		{outfit.Pictures{Power: "up"}, outfit.Own{}, 128, 64},
		{outfit.Pictures{Power: "nearest"}, outfit.Own{}, 128, 32},
		{outfit.Pictures{Most: 50}, outfit.Own{}, 48, 20},
		{outfit.Pictures{Most: 48, Power: "down"}, outfit.Own{}, 32, 16},
		{outfit.Pictures{Most: 48, Roles: []string{"normal"}}, outfit.Own{}, 96, 40},
		{outfit.Pictures{Power: "up"}, outfit.Own{Width: 20, Height: 10}, 20, 10},
	} {
		s := newShed("wall").paint(0, scene.UseBaseColor, "c.png", 96, 40, stripes(1))
		c.o.Picture = "c.png"
		out, r := do(t, s, Decisions{Pictures: c.p, Own: []outfit.Own{c.o}})
		b := pixels(t, out.Images[0]).Bounds()
		assert.Equal(t, [2]int{c.w, c.h}, [2]int{b.Dx(), b.Dy()}, "%+v", c)
		assert.Equal(t, [2]int{c.w, c.h}, [2]int{r.Pictures[0].W, r.Pictures[0].H})
		assert.Equal(t, len(s.Images[0].Data), len(r.Pictures[0].Came[0].Data), "the original is kept")
	}
}

// Occlusion, roughness and metallic go into one picture, and out of it again; gloss is turned round.
func TestChannelsGoTogetherAndApart(t *testing.T) {
	s := newShed("wall").paint(0, scene.UseOcclusion, "o.png", 8, 8, picturetest.Grey(10)).paint(0, scene.UseRoughness,
		"gloss.png", 16,
		16, picturetest.Grey(60)).
		paint(0, scene.UseMetallic, "m.png", 4, 4, picturetest.Grey(200))
	s.Materials[0].Metallic, s.Materials[0].Roughness = 0.5, 0.25
	out, r := do(t, s, Decisions{Pictures: outfit.Pictures{Pack: "orm"},
		Own: []outfit.Own{{Picture: "gloss.png", Invert: true}}})
	require.Len(t, out.Images, 1)
	assert.Equal(t, color.NRGBA{10, 195, 200, 255}, picturetest.At(pixels(t, out.Images[0]), 9, 9))
	assert.Equal(t, 16, pixels(t, out.Images[0]).Bounds().Dx(), "as large as the largest")
	m := out.Materials[0]
	for use, ch := range map[scene.Use]scene.Channel{scene.UseOcclusion: scene.Red, scene.UseRoughness: scene.Green,
		scene.UseMetallic: scene.Blue} {
		assert.Equal(t, ch, m.Maps[use].Channel, use)
		assert.Equal(t, 1, m.Maps[use].Texture)
	}
	assert.Equal(t, [2]float64{0.5, 0.25}, [2]float64{m.Metallic, m.Roughness}, "factors stay")
	assert.Equal(t, "orm", r.Pictures[0].Role)
	assert.ElementsMatch(t, []string{"occlusion in red", "roughness in green", "metallic in blue"}, r.Reads(0))
	same, _ := do(t, shed{out}, Decisions{Pictures: outfit.Pictures{Pack: "orm"}})
	assert.Equal(t, out.Images, same.Images, "what is together is left alone")
	apart, _ := do(t, shed{out}, Decisions{Pictures: outfit.Pictures{Pack: "apart"}})
	require.Len(t, apart.Images, 3)
	for use, v := range map[scene.Use]uint8{scene.UseOcclusion: 10, scene.UseRoughness: 195, scene.UseMetallic: 200} {
		mp := apart.Materials[0].Maps[use]
		assert.Equal(t, scene.Whole, mp.Channel)
		assert.Equal(t, color.NRGBA{v, v, v, 255},
			picturetest.At(pixels(t, apart.Images[apart.Textures[mp.Texture-1].Image]), 3, 3))
	}
}

// A height of a slope of one texel a texel leans 45 degrees.
func TestHeightBecomesNormals(t *testing.T) {
	s := newShed("wall").paint(0, scene.UseHeight, "h.png", 256, 4,
		func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), uint8(x), uint8(x), 255} })
	out, _ := do(t, s, Decisions{Own: []outfit.Own{{Picture: "h.png", Deep: 255}}})
	m := out.Materials[0]
	require.True(t, m.Maps[scene.UseNormal].Has())
	assert.False(t, m.Maps[scene.UseHeight].Has())
	p := picturetest.At(pixels(t, out.Images[out.Textures[m.Maps[scene.UseNormal].Texture-1].Image]), 100, 2)
	want := 127.5 * math.Sqrt(0.5)
	assert.InDelta(t, 127.5-want, float64(p.R), 1, "it rises to the right, so it leans to the left")
	assert.InDelta(t, 127.5, float64(p.G), 1)
	assert.InDelta(t, 127.5+want, float64(p.B), 1)
}

func TestFormatsAndRoles(t *testing.T) {
	s := newShed("wall").paint(0, scene.UseBaseColor, "c.png", 16, 16, stripes(9)).paint(0, scene.UseNormal, "n.png", 16,
		16, bump(true, 16)).
		paint(0, scene.UseEmissive, "clear.png", 8, 8, picturetest.Plain(1, 2, 3, 9))
	byRole := func(a *outfit.Ask) {
		a.Target = a.Target.Copy()
		a.Target.Textures.Formats["colour"], a.Target.Textures.Formats["glow"] = "jpeg", "jpeg"
	}
	out, r := do(t, s, Decisions{Pictures: outfit.Pictures{Formats: "target", Quality: 97}}, byRole)
	mimes := map[string]string{}
	for i, x := range r.Pictures {
		mimes[x.Key] = out.Images[i].MIME
	}
	assert.Equal(t, map[string]string{"c.png": "image/jpeg", "n.png": "image/png", "clear.png": "image/png"}, mimes,
		"a JPEG holds no alpha")
	assert.Nil(t, found(r, "formats"))
	img, err := jpeg.Decode(bytes.NewReader(out.Images[0].Data))
	require.NoError(t, err)
	c := color.NRGBAModel.Convert(img.At(8, 8)).(color.NRGBA)
	assert.InDelta(t, 32, float64(c.G), 8)
	assert.Equal(t, "c.jpg", out.Images[0].Name)
	out, r = do(t, s, Decisions{Pictures: outfit.Pictures{Without: []string{"normal", "glow"}}})
	assert.Len(t, out.Images, 1)
	assert.False(t, out.Materials[0].Maps[scene.UseNormal].Has())
	assert.Len(t, r.Orphans, 2)
}

// A picture that was added gets its place in a material, with the factor that lets it be seen.
func TestPicturesAreAssigned(t *testing.T) {
	s := newShed("wall", "door")
	from := newShed("x").paint(0, scene.UseBaseColor, "orm.png", 8, 8, picturetest.Plain(10, 100, 200, 255))
	im := from.Images[0]
	sum := sha256.Sum256(im.Data)
	sha := hex.EncodeToString(sum[:])
	im.Path = "added/" + sha
	d := Decisions{Assigned: []outfit.Assigned{{Slot: "door", Use: scene.UseOcclusion, Picture: sha, Packed: true}}}
	out, r, err := Do(ctx, s.Scene, []scene.Image{im}, d, outfit.Ask{Target: target.Shipped[0]}, class.Unsorted)
	require.NoError(t, err)
	m := out.Materials[1]
	assert.Equal(t, [2]float64{1, 1}, [2]float64{m.Metallic, m.Roughness})
	assert.Equal(t, scene.Map{Texture: 1, Channel: scene.Green}, m.Maps[scene.UseRoughness])
	assert.Equal(t, s.Materials[0], out.Materials[0])
	assert.True(t, r.Pictures[0].Was[0].Added)
	d.Assigned = append(d.Assigned, outfit.Assigned{Slot: "door", Use: scene.UseMetallic})
	out, _, err = Do(ctx, s.Scene, []scene.Image{im}, d, outfit.Ask{Target: target.Shipped[0]}, class.Unsorted)
	require.NoError(t, err)
	assert.False(t, out.Materials[1].Maps[scene.UseMetallic].Has(), "taken out again")
}

// What a name says against what a picture is: gloss for roughness, and a JPEG called PNG.
func TestNamesOfPicturesAreHeldAgainstThem(t *testing.T) {
	s := newShed("wall").paint(0, scene.UseRoughness, "wall_gloss.png", 8, 8, picturetest.Grey(60))
	var jpg bytes.Buffer
	require.NoError(t, jpeg.Encode(&jpg, pixels(t, s.Images[0]), nil))
	s.give(0, scene.UseBaseColor, "wall.png", 8, 8, jpg.Bytes())
	_, r := do(t, s, Decisions{})
	require.NotNil(t, found(r, "suffix"))
	assert.Contains(t, found(r, "suffix").Text, "wall.png is JPG")
	f := found(r, "gloss-wall_gloss.png")
	require.NotNil(t, f)
	out, r := do(t, s, f.Remedies[0].Decision.(Decisions))
	assert.Nil(t, found(r, "gloss-wall_gloss.png"))
	rough := out.Images[out.Textures[out.Materials[0].Maps[scene.UseRoughness].Texture-1].Image]
	assert.Equal(t, uint8(195), picturetest.At(pixels(t, rough), 2, 2).R)
}

// A picture that can't be opened is told with its reason; it leaves as it came, and so does all else.
func TestBrokenPicturesHarmNothing(t *testing.T) {
	s := newShed("wall", "door").paint(1, scene.UseBaseColor, "good.png", 40, 40, stripes(1))
	s.give(0, scene.UseBaseColor, "torn.png", 9, 9, s.Images[0].Data[:len(s.Images[0].Data)/2])
	s.give(0, scene.UseRoughness, "word.png", 9, 9, []byte("no picture at all"))
	huge := slices.Clone(s.Images[0].Data) // its head tells of 60 000 pixels a side
	binary.BigEndian.PutUint32(huge[16:], 60000)
	binary.BigEndian.PutUint32(huge[20:], 60000)
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	s.give(0, scene.UseEmissive, "huge.png", 60000, 60000, huge)
	s.Images = append(s.Images, scene.Image{Name: "far.png", Path: "far.png", MIME: "image/png"})
	s.Textures = append(s.Textures, scene.Texture{Image: len(s.Images) - 1})
	s.Materials[0].Maps[scene.UseMetallic] = scene.Map{Texture: len(s.Textures), Channel: scene.Blue}
	d := Decisions{Pictures: outfit.Pictures{Most: 16, Power: "down", Pack: "orm", Strip: true, Formats: "png"},
		Sheets: []outfit.Sheet{{Slots: []string{"wall", "door"}}}}
	out, r := do(t, s, d)
	for _, code := range []string{"picture-torn.png", "picture-word.png", "picture-far.png", "picture-huge.png"} {
		f := found(r, code)
		require.NotNil(t, f, code)
		assert.Contains(t, f.Title, code[len("picture-"):])
	}
	assert.Regexp(t, "again\\. Drop", found(r, "picture-torn.png").Text)
	assert.Contains(t, found(r, "picture-huge.png").Text, "make it smaller")
	assert.NotNil(t, found(r, "not-on-sheet"))
	assert.Equal(t, scene.Blue, out.Materials[0].Maps[scene.UseMetallic].Channel)
	assert.Equal(t, 16, pixels(t,
		out.Images[out.Textures[out.Materials[1].Maps[scene.UseBaseColor].Texture-1].Image]).Bounds().Dx())
	for use := range []scene.Use{scene.UseBaseColor, scene.UseRoughness} {
		if mp := out.Materials[0].Maps[use]; mp.Has() {
			assert.Equal(t, s.Images[s.Textures[s.Materials[0].Maps[use].Texture-1].Image].Data,
				out.Images[out.Textures[mp.Texture-1].Image].Data)
		}
	}
}

// sample looks a use of a face up where its coordinates lie between u and v of the square it is.
func sample(t testing.TB, s *scene.Scene, face int, use scene.Use, u, v float64) (color.NRGBA, bool) {
	m := s.Meshes[0]
	mp := s.Materials[m.Material(face)].Maps[use]
	if !mp.Has() {
		return color.NRGBA{}, false
	}
	set := m.UVs[mp.UVSet]
	at := [2]float64{}
	lo, hi := math.Inf(1), math.Inf(-1)
	for c := m.FaceStart[face]; c < m.FaceStart[face+1]; c++ {
		lo, hi = min(lo, m.Points[m.Corners[c]][0]), max(hi, m.Points[m.Corners[c]][0])
	}
	for c := m.FaceStart[face]; c < m.FaceStart[face+1]; c++ { // a square: its corners weigh by where they are
		p := m.Points[m.Corners[c]]
		wu, wv := 1-u, 1-v
		if p[0] > (lo+hi)/2 {
			wu = u
		}
		if p[1] > 0.5 {
			wv = v
		}
		for k := range 2 {
			at[k] += wu * wv * set.Values[set.Index[c]][k]
		}
	}
	img := pixels(t, s.Images[s.Textures[mp.Texture-1].Image])
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	return picturetest.At(img, min(w-1, int(at[0]*float64(w))), min(h-1, int((1-at[1])*float64(h)))), true
}

// Looked up anywhere on the surface, a sheet says what pictures and values said before: colours with
// their factor as light, roughness with its own, normals flat where there were none and green as wanted.
func TestASheetLooksAsItsSlotsDid(t *testing.T) {
	s := newShed("wall", "door", "knob", "tiles")
	smooth := func(x, y int) color.NRGBA { return color.NRGBA{uint8(2 * x), uint8(2 * y), 60, 255} }
	s.paint(0, scene.UseBaseColor, "wall.png", 128, 128, smooth).paint(1, scene.UseBaseColor, "door.png", 128, 64,
		func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(x), 90, uint8(3 * y), 40} // opaque, whatever its alpha
		})
	s.paint(0, scene.UseNormal, "n.png", 128, 128, bump(true, 128)).paint(1, scene.UseRoughness, "r.png", 128, 64,
		func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(2 * x), uint8(2 * x), uint8(2 * x), 255}
		})
	s.paint(3, scene.UseBaseColor, "tiles.png", 64, 64, stripes(8))
	for i := range s.Materials {
		s.Materials[i].BaseColor = [4]float64{1, 1, 1, 1}
	}
	s.Materials[1].BaseColor = [4]float64{0.5, 1, 1, 1}
	s.Materials[1].Roughness, s.Materials[2].Roughness, s.Materials[2].Metallic = 0.5, 0.2, 1
	s.Materials[2].BaseColor = [4]float64{0.9, 0.6, 0.1, 1}
	m := s.Meshes[0]
	for c := m.FaceStart[3]; c < m.FaceStart[4]; c++ { // tiles repeat
		m.UVs[0].Values[m.UVs[0].Index[c]][0] *= 3
	}
	d := Decisions{Sheets: []outfit.Sheet{{Slots: []string{"wall", "door", "knob", "tiles"}, Name: "shed", Padding: 4}},
		Pictures: outfit.Pictures{Green: "down"}}
	out, r := do(t, s, d)
	slots, faces := slotsOf(out)
	assert.Equal(t, []string{"shed", "tiles"}, slots)
	assert.Equal(t, []string{"shed", "shed", "shed", "tiles"}, faces)
	assert.Contains(t, found(r, "not-on-sheet").Text, "tiles: its UVs go beyond 0 to 1"[7:])
	assert.Equal(t, [2]int{4, 2}, [2]int{r.Were, r.Calls})
	require.Len(t, r.Sheets, 1)
	assert.GreaterOrEqual(t, r.Sheets[0].Layout.Fill, 0.85)
	most := 0.0
	off := func(a, b float64) { most = max(most, math.Abs(a-b)) }
	for _, u := range []float64{0.03, 0.21, 0.5, 0.77, 0.96} {
		for _, v := range []float64{0.05, 0.33, 0.6, 0.94} {
			for face := range 3 {
				is, _ := sample(t, out, face, scene.UseBaseColor, u, v)
				assert.Equal(t, uint8(255), is.A)
				was, ok := sample(t, s.Scene, face, scene.UseBaseColor, u, v)
				by := s.Materials[face].BaseColor
				want := [3]float64{by[0], by[1], by[2]}
				if ok {
					want = [3]float64{by[0] * scene.Linear(float64(was.R)/255), by[1] * scene.Linear(float64(was.G)/255),
						by[2] * scene.Linear(float64(was.B)/255)}
				}
				for k, c := range []uint8{is.R, is.G, is.B} {
					off(255*scene.Shown(want[k]), float64(c))
				}
				orm, _ := sample(t, out, face, scene.UseRoughness, u, v)
				rough := s.Materials[face].Roughness
				if was, ok := sample(t, s.Scene, face, scene.UseRoughness, u, v); ok {
					rough *= float64(was.R) / 255
				}
				off(255*rough, float64(orm.G))
				off(255*s.Materials[face].Metallic, float64(orm.B))
				n, _ := sample(t, out, face, scene.UseNormal, u, v)
				if was, ok := sample(t, s.Scene, face, scene.UseNormal, u, v); ok {
					off(float64(was.R), float64(n.R))
					off(255-float64(was.G), float64(n.G))
				} else {
					assert.Equal(t, color.NRGBA{128, 128, 255, 255}, n)
				}
			}
		}
	}
	t.Logf("looked up on the sheet, colours, roughness and normals are at most %.1f of 255 off", most)
	assert.LessOrEqual(t, most, 8.0, "a texel or two aside")
	assert.False(t, out.Materials[0].Maps[scene.UseOcclusion].Has(), "no slot had occlusion")
	assert.Equal(t, scene.Opaque, out.Materials[0].AlphaMode)
}

// Green that points the wrong way is told on a sheet too, and turned there.
func TestGreenIsTurnedOnSheets(t *testing.T) {
	s := newShed("a", "b").paint(0, scene.UseNormal, "a.png", 64, 64, bump(true, 64)).paint(1, scene.UseNormal, "b.png",
		64, 64,
		bump(false, 64))
	_, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b"}}}})
	f := found(r, "green")
	require.NotNil(t, f)
	assert.Contains(t, f.Text, "b.png. ")
	_, r = do(t, s, f.Remedies[0].Decision.(Decisions))
	assert.Nil(t, found(r, "green"))
}

// What is clear on a sheet does not bleed into what is not, when it is made smaller there.
func TestClearPixelsDoNotBleedOnSheets(t *testing.T) {
	leaf := func(x, y int) color.NRGBA {
		if x%2 == 0 {
			return color.NRGBA{20, 160, 30, 255}
		}
		return color.NRGBA{255, 0, 255, 0} // never seen
	}
	s := newShed("leaf", "bark").paint(0, scene.UseBaseColor, "leaf.png", 64, 64, leaf).paint(1, scene.UseBaseColor,
		"bark.png", 64, 64,
		picturetest.Plain(90, 60, 30, 255))
	s.Materials[0].AlphaMode, s.Materials[1].AlphaMode = scene.Mask, scene.Mask
	s.Materials[0].BaseColor, s.Materials[1].BaseColor = [4]float64{1, 1, 1, 1}, [4]float64{1, 1, 1, 1}
	out, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"leaf", "bark"}, Most: 32, Padding: 2}}})
	require.Len(t, r.Sheets, 1)
	img, place := pixels(t, out.Images[0]), r.Sheets[0].Layout.Places[0]
	for x := place.X; x < place.X+place.W; x++ {
		c := picturetest.At(img, x, place.Y+place.H/2)
		assert.Equal(t, [3]uint8{20, 160, 30}, [3]uint8{c.R, c.G, c.B}, "at %d", x)
		assert.InDelta(t, 128, float64(c.A), 80)
	}
}

// A limit on all pictures is one on sheets.
func TestSheetsKeepToTheLimit(t *testing.T) {
	s := newShed("a", "b").paint(0, scene.UseBaseColor, "a.png", 256, 256, stripes(1)).paint(1, scene.UseBaseColor,
		"b.png", 256, 256,
		stripes(2))
	_, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b"}}}, Pictures: outfit.Pictures{Most: 128}})
	assert.LessOrEqual(t, max(r.Pictures[0].W, r.Pictures[0].H), 128)
	_, r = do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b"}, Most: 64}}})
	assert.Equal(t, 64, max(r.Pictures[0].W, r.Pictures[0].H))
}

// What one material can't say of all stays out of the sheet, with its reason.
func TestWhatCannotBeOnASheet(t *testing.T) {
	for why, change := range map[string]func(s shed){
		"in a picture of its own": func(s shed) { s.paint(1, scene.UseOpacity, "o.png", 8, 8, picturetest.Grey(9)) },
		"a picture of heights":    func(s shed) { s.paint(1, scene.UseHeight, "h.png", 8, 8, picturetest.Grey(9)) },
		"in a way of its own": func(s shed) {
			s.Materials[1].Maps[scene.UseBaseColor] = s.Materials[0].Maps[scene.UseBaseColor]
			s.Materials[1].Maps[scene.UseBaseColor].Place = &scene.Placement{Scale: [2]float64{2, 2}}
		},
		"lit otherwise":     func(s shed) { s.Materials[1].Unlit = true },
		"translucent where": func(s shed) { s.Materials[1].AlphaMode = scene.Blend },
		"glows otherwise": func(s shed) {
			s.Materials[0].Emissive, s.Materials[1].Emissive, s.Materials[1].Glow = [3]float64{1, 1, 1}, [3]float64{1, 0, 0}, 5
		},
		"normals of another strength": func(s shed) {
			s.paint(0, scene.UseNormal, "n.png", 8, 8, bump(true, 8))
			s.Materials[1].Maps[scene.UseNormal], s.Materials[1].NormalScale = s.Materials[0].Maps[scene.UseNormal], 0.5
		},
		"occlusion of another strength": func(s shed) {
			s.paint(0, scene.UseOcclusion, "a.png", 8, 8, picturetest.Grey(200))
			s.Materials[1].Maps[scene.UseOcclusion], s.Materials[1].Occlusion = s.Materials[0].Maps[scene.UseOcclusion], 0.5
		},
		"without UVs": func(s shed) { s.Meshes[0].UVs[0].Index[5] = -1 },
	} {
		s := newShed("a", "b", "c").paint(0, scene.UseBaseColor, "a.png", 8, 8, stripes(1))
		change(s)
		out, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b", "c"}}}})
		f := found(r, "not-on-sheet")
		if assert.NotNil(t, f, why) {
			assert.Contains(t, f.Text, why)
		}
		_, faces := slotsOf(out)
		assert.Equal(t, []string{"a", "b", "a"}, faces, why)
	}
	_, r := do(t, newShed("a", "b"), Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "gone"}}}})
	assert.NotNil(t, found(r, "no-sheet"))
}

// A light set has no overlap, leaves the first set alone, and a fit one that is there is kept.
func TestLightSets(t *testing.T) {
	b := new(shape.Builder)
	b.Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Slot(1).Box(geom.Vec3{4, 0, 0}, geom.Vec3{5, 1, 1})
	s := shed{&scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{b.Mesh("m")},
		Materials: []scene.Material{scene.NewMaterial("a"),
			scene.NewMaterial("b")}, Nodes: []scene.Node{{Name: "m", Parent: -1, Mesh: 0, Local: geom.Identity}}}}
	out, r := do(t, s, Decisions{Light: outfit.Light{Size: 256, Padding: 3, Name: "lamp"}})
	require.True(t, r.Light.There)
	assert.False(t, r.Light.Over)
	assert.GreaterOrEqual(t, r.Light.Gap, 3.0)
	assert.Equal(t, 12, r.Light.Charts)
	m := out.Meshes[0]
	require.Len(t, m.UVs, 2)
	assert.Equal(t, s.Meshes[0].UVs[0], m.UVs[0])
	assert.Equal(t, "lamp", m.UVs[1].Name)
	assert.Equal(t, 1, FitSet(ctx, out))
	assert.Equal(t, -1, FitSet(ctx, s.Scene))
	again, r := do(t, shed{out}, Decisions{Light: outfit.Light{Size: 256}})
	assert.True(t, r.Light.Kept)
	assert.Equal(t, out.Meshes, again.Meshes)
	_, r = do(t, s, Decisions{Light: outfit.Light{Size: 16, Padding: 8}})
	assert.NotNil(t, found(r, "light-full"))
	part, r := do(t, s, Decisions{Light: outfit.Light{Size: 256, Slots: []string{"b"}}})
	assert.Equal(t, 6, r.Light.Charts, "room for one slot alone")
	for f := range part.Meshes[0].Faces() {
		for c := part.Meshes[0].FaceStart[f]; c < part.Meshes[0].FaceStart[f+1]; c++ {
			assert.Equal(t, part.Meshes[0].Material(f) == 1, part.Meshes[0].UVs[1].Index[c] >= 0, "and for no other")
		}
	}
	need := func(a *outfit.Ask) { a.Target = a.Target.Copy(); a.Target.Needs.Lightmap = true }
	_, r = do(t, s, Decisions{}, need)
	assert.NotNil(t, found(r, "light-none"))
	_, r = do(t, shed{out}, Decisions{}, need)
	assert.Nil(t, found(r, "light-none"))
}

// What is cut out and what is opaque get a sheet each, and beneath clear texels goes on what is beside them, down to
// the smallest mip.
func TestCutOutAndOpaqueGetASheetEach(t *testing.T) {
	leaf := func(x, y int) color.NRGBA {
		if (x/8+y/8)%2 == 0 {
			return color.NRGBA{20, 160, 30, 255}
		}
		return color.NRGBA{255, 0, 255, 0} // never seen
	}
	s := newShed("leaf", "bark", "fern", "stone")
	for i, at := range []func(x, y int) color.NRGBA{leaf, picturetest.Plain(90, 60, 30, 255), leaf,
		picturetest.Plain(80, 80, 80, 255)} {
		s.paint(i, scene.UseBaseColor, s.Materials[i].Name+".png", 64, 64, at)
		s.Materials[i].BaseColor = [4]float64{1, 1, 1, 1}
	}
	s.Materials[0].AlphaMode, s.Materials[2].AlphaMode = scene.Mask, scene.Mask
	out, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"leaf", "bark", "fern", "stone"}, Name: "all"}}})
	require.Len(t, r.Sheets, 2)
	require.Len(t, out.Materials, 2)
	modes := map[string]scene.AlphaMode{}
	for _, m := range out.Materials {
		modes[m.Name] = m.AlphaMode
	}
	assert.Equal(t, map[string]scene.AlphaMode{"all": scene.Opaque, "all cut out": scene.Mask}, modes)
	for _, sheet := range r.Sheets {
		if sheet.Slot != "all cut out" {
			continue
		}
		i := slices.IndexFunc(out.Materials, func(m scene.Material) bool { return m.Name == sheet.Slot })
		img := pixels(t, out.Images[out.Textures[out.Materials[i].Maps[scene.UseBaseColor].Texture-1].Image])
		for _, place := range sheet.Layout.Places {
			for y := place.Y; y < place.Y+place.H; y++ {
				for x := place.X; x < place.X+place.W; x++ {
					c := picturetest.At(img, x, y)
					require.InDelta(t, 20, float64(c.R), 2, "%d, %d: %v", x, y, c)
					require.InDelta(t, 160, float64(c.G), 2)
				}
			}
		}
	}
	// One of a kind stays out, and says why.
	_, r = do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"leaf", "bark", "stone"}}}})
	require.Len(t, r.Sheets, 1)
	require.NotNil(t, found(r, "not-on-sheet"))
	assert.Contains(t, found(r, "not-on-sheet").Text, "leaf is cut out where the rest of the sheet is not")
}

// A sheet takes no more than what it replaces, unless that is chosen, and then it says so.
func TestSheetsTakeNoMoreThanTheyReplace(t *testing.T) {
	s := newShed("small", "plain", "other").paint(0, scene.UseBaseColor, "s.png", 256, 256, stripes(1)).
		paint(2, scene.UseBaseColor, "o.png", 128, 128, stripes(2))
	for i := range s.Meshes[0].Points { // the one without a picture covers a hundred times the surface
		if p := &s.Meshes[0].Points[i]; p[0] >= 1 {
			p[1] *= 100
		}
	}
	bytesOf := func(w, h int) int64 { _, b := texture.Bytes(w, h); return b }
	_, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"small", "plain", "other"}}}})
	require.Len(t, r.Sheets, 1)
	var is int64
	for _, p := range r.Pictures {
		is += bytesOf(p.W, p.H)
	}
	assert.LessOrEqual(t, is, 2*(bytesOf(256, 256)+bytesOf(128, 128))+64)
	assert.InDelta(t, is, r.Sheets[0].Takes, 64)
	assert.InDelta(t, bytesOf(256, 256)+bytesOf(128, 128), r.Sheets[0].Replaces, 64)
	assert.Equal(t, r.Sheets[0].Takes > r.Sheets[0].Replaces, found(r, "sheet-memory-1") != nil)
	_, r = do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"small", "plain", "other"}, Most: 2048}}})
	f := found(r, "sheet-memory-1")
	require.NotNil(t, f)
	_, r = do(t, s, f.Remedies[0].Decision.(Decisions))
	assert.Nil(t, found(r, "sheet-memory-1"))
}

// A sheet of slots that are on nodes of their own saves no draw call, and says why.
func TestSheetsSayWhereTheySaveNoDrawCall(t *testing.T) {
	s := newShed("a", "b").paint(0, scene.UseBaseColor, "a.png", 64, 64, stripes(1)).paint(1, scene.UseBaseColor, "b.png",
		64, 64, stripes(2))
	_, r := do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b"}}}})
	assert.Nil(t, found(r, "sheet-calls-1"))
	assert.Equal(t, 1, r.Calls)
	part, n := s.Meshes[0].SlotParts()
	cut := s.Meshes[0].Cut(part, len(n))
	s.Meshes = cut
	s.Nodes = append(s.Nodes, s.Nodes[0])
	s.Nodes[1].Name, s.Nodes[1].Mesh = "second", 1
	_, r = do(t, s, Decisions{Sheets: []outfit.Sheet{{Slots: []string{"a", "b"}}}})
	require.NotNil(t, found(r, "sheet-calls-1"))
	assert.Equal(t, 2, r.Calls)
}
