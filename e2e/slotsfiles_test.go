package e2e

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "golang.org/x/image/webp" // decodes what we wrote

	"yarvek/core/deliver"
	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/export"
	"yarvek/core/station/slots"
	"yarvek/core/target"
)

// gauges is four squares, a slot each: a dial with all pictures, a rim with two, glass that is clear, and
// a plate of values alone.
func gauges(t testing.TB) *scene.Scene {
	b := new(shape.Builder)
	var mats []scene.Material
	for i, n := range []string{"dial", "rim", "glass", "plate"} {
		b.Slot(i).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{float64(i) + u, v, 0} })
		mats = append(mats, scene.NewMaterial(n))
	}
	mats[2].AlphaMode = scene.Blend
	mats[3].BaseColor = [4]float64{0.2, 0.4, 0.1, 1}
	s := shape.Scene("gauges", mats, b.Mesh("gauges"))
	paint := func(slot int, use scene.Use, name string, w, h int, c color.NRGBA) {
		data := picturetest.PNG(t, picturetest.Painted(w, h, func(x, y int) color.NRGBA {
			k := c
			if (x/8+y/8)%2 == 1 && use == scene.UseBaseColor {
				k.R /= 2
			}
			return k
		}))
		s.Images = append(s.Images, scene.Image{Name: name, MIME: "image/png", Data: data, Width: w, Height: h})
		s.Textures = append(s.Textures, scene.Texture{Name: name, Image: len(s.Images) - 1, WrapU: scene.Repeat,
			WrapV: scene.Repeat})
		s.Materials[slot].Maps[use] = scene.Map{Texture: len(s.Textures)}
	}
	paint(0, scene.UseBaseColor, "dial.png", 96, 48, color.NRGBA{200, 40, 30, 255})
	paint(0, scene.UseNormal, "dial_n.png", 64, 64, color.NRGBA{150, 100, 240, 255})
	paint(0, scene.UseRoughness, "dial_r.png", 64, 64, color.NRGBA{90, 90, 90, 255})
	paint(0, scene.UseMetallic, "dial_m.png", 64, 64, color.NRGBA{240, 240, 240, 255})
	paint(0, scene.UseOcclusion, "dial_o.png", 64, 64, color.NRGBA{120, 120, 120, 255})
	paint(0, scene.UseEmissive, "dial_e.png", 16, 16, color.NRGBA{0, 90, 10, 255})
	s.Materials[0].Emissive, s.Materials[0].Metallic = [3]float64{1, 1, 1}, 1
	paint(1, scene.UseBaseColor, "rim.png", 64, 64, color.NRGBA{20, 140, 130, 255})
	paint(2, scene.UseBaseColor, "glass.png", 32, 32, color.NRGBA{30, 60, 200, 128})
	s.Materials[2].Maps[scene.UseOpacity] = s.Materials[2].Maps[scene.UseBaseColor]
	s.Materials[2].Maps[scene.UseOpacity].Channel = scene.Alpha
	return s
}

// Pictures that were put right are decoded by independent loaders in every format: of the size they left
// in, for what they are, as light or as numbers, and pixel for pixel what was meant.
func TestIndependentReadersTakePictures(t *testing.T) {
	b := newBench(t)
	webp := target.Shipped[0].Copy()
	for role := range webp.Textures.Formats {
		webp.Textures.Formats[role] = "webp"
	}
	for n, c := range []struct {
		name string
		to   target.Target
		d    slots.Decisions
	}{
		{"as they came", target.Shipped[0], slots.Decisions{}},
		{"put right", target.Shipped[0],
			slots.Decisions{Pictures: outfit.Pictures{Most: 32, Power: "down", Pack: "orm", Green: "down",
				Strip: true},
				Own: []outfit.Own{{Picture: "dial_n.png", Green: "up"}}}},
		{"a sheet", target.Shipped[1],
			slots.Decisions{Sheets: []outfit.Sheet{{Slots: []string{"dial", "rim", "plate"}, Name: "front"}}}},
		{"in another order", target.Shipped[1], slots.Decisions{Order: []string{"plate", "glass", "dial"}}},
		{"moved and joined", target.Shipped[0],
			slots.Decisions{Moves: []outfit.Move{{From: "dial", To: "plate"}, {From: "rim", To: "bolts"}},
				Joins: []outfit.Join{{Slot: "glass", Into: "bolts"}}, Drop: true}},
		{"in another format", webp, slots.Decisions{Pictures: outfit.Pictures{Formats: "target"}}},
	} {
		r, err := prep.Run(context.Background(), prep.Input{Key: "gauges", Scene: gauges(t), Target: c.to},
			prep.Prep{Slots: c.d}, nil)
		require.NoError(t, err)
		s := r.Delivery.Scene
		for k, f := range []string{"glb", "gltf", "fbx", "fbx-one", "fbx-75", "fbx-text", "obj"} {
			if testing.Short() && k%3 != n%3 {
				continue // each in some formats by turns
			}
			t.Run(c.name+"/"+f, func(t *testing.T) {
				made, err := deliver.Make(context.Background(),
					deliver.Order{Delivery: r.Delivery, Decisions: export.Decisions{Format: f},
						Asset:  "gauges",
						Target: c.to})
				require.NoError(t, err)
				got := b.load(t, made.Package.Files)
				for _, row := range made.Certificate.Rows {
					if row.Code == "textures" && f == "obj" && !row.Equal { // MTL has no word for occlusion, which is said
						assert.Contains(t, row.Why, "occlusion")
						continue
					}
					assert.True(t, row.Equal, "%+v", row)
				}
				if len(c.d.Order) > 0 { // every loader meets them in the order that was decided
					assert.Equal(t, []string{"plate", "glass", "dial", "rim"}, got.Slots)
				}
				for _, m := range s.Materials {
					seen := got.Pictures[strings.ReplaceAll(m.Name, " ", "_")]
					if len(seen) == 0 {
						seen = got.Pictures[m.Name]
					}
					for use, word := range knownTo(f) {
						mp := m.Maps[use]
						is, ok := seen[word]
						if !assert.Equal(t, mp.Has(), ok, "%s: %s", m.Name, use) || !ok {
							continue
						}
						im := s.Images[s.Textures[mp.Texture-1].Image]
						img, _, err := image.Decode(bytes.NewReader(im.Data))
						require.NoError(t, err)
						w, h := img.Bounds().Dx(), img.Bounds().Dy()
						light := use == scene.UseBaseColor || use == scene.UseEmissive
						if use == scene.UseRoughness || use == scene.UseMetallic || use == scene.UseOcclusion {
							continue // put together by glTF; looked at below
						}
						assert.Equal(t, [2]int{w, h}, [2]int{is.Width, is.Height}, "%s: %s", m.Name, use)
						assert.Equal(t, map[bool]string{true: "srgb", false: ""}[light], is.Space, "%s: %s", m.Name, use)
						want := color.NRGBAModel.Convert(img.At(w/2, h/2)).(color.NRGBA)
						for k, v := range []uint8{want.R, want.G, want.B, want.A} {
							assert.InDelta(t, float64(v), float64(is.Pixel[k]), 2, "%s: %s", m.Name, use)
						}
					}
					if strings.HasPrefix(f, "gl") && m.Maps[scene.UseRoughness].Has() {
						want := channel(t, s, m.Maps[scene.UseRoughness])
						assert.InDelta(t, want, float64(seen["roughnessMap"].Pixel[1]), 2, "%s: roughness is green", m.Name)
						assert.InDelta(t, channel(t, s, m.Maps[scene.UseMetallic]), float64(seen["metalnessMap"].Pixel[2]), 2,
							"%s: metallic is blue", m.Name)
						assert.Equal(t, "", seen["roughnessMap"].Space)
					}
				}
			})
		}
	}
}

// knownTo are the uses that the independent loader of a format knows, by its word.
func knownTo(f string) map[scene.Use]string {
	switch {
	case strings.HasPrefix(f, "gl"):
		return map[scene.Use]string{scene.UseBaseColor: "map", scene.UseNormal: "normalMap",
			scene.UseRoughness: "roughnessMap",
			scene.UseMetallic:  "metalnessMap", scene.UseOcclusion: "aoMap", scene.UseEmissive: "emissiveMap"}
	case f == "obj":
		return map[scene.Use]string{scene.UseBaseColor: "map", scene.UseNormal: "normalMap", scene.UseEmissive: "emissiveMap"}
	}
	return map[scene.Use]string{scene.UseBaseColor: "map", scene.UseNormal: "normalMap", scene.UseEmissive: "emissiveMap"}
}

// channel is what a map reads in the middle of its picture.
func channel(t testing.TB, s *scene.Scene, mp scene.Map) float64 {
	if !mp.Has() {
		return 255
	}
	img, _, err := image.Decode(bytes.NewReader(s.Images[s.Textures[mp.Texture-1].Image].Data))
	require.NoError(t, err)
	c := color.NRGBAModel.Convert(img.At(img.Bounds().Dx()/2, img.Bounds().Dy()/2)).(color.NRGBA)
	return float64([]uint8{c.R, c.R, c.G, c.B, c.A}[mp.Channel])
}
