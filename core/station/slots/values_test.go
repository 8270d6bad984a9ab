package slots

import (
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
)

// A value that stands for a picture is what the picture came to: its mean in light, times the factor.
// IEC 61966-2-1 makes 0.21404 of 128/255 as near as 0.2159.
func TestValuesStandForPictures(t *testing.T) {
	half := func(x, _ int) color.NRGBA { // black, and white at every second pixel
		v := uint8(255 * (x % 2))
		return color.NRGBA{v, v, v, 255}
	}
	s := newShed("lamp").paint(0, scene.UseEmissive, "e.png", 8, 8, half).
		paint(0, scene.UseBaseColor, "c.png", 8, 8, picturetest.Grey(128)).
		paint(0, scene.UseRoughness, "r.png", 8, 8, picturetest.Grey(51)).
		paint(0, scene.UseMetallic, "m.png", 8, 8, picturetest.Plain(0, 0, 102, 255)).
		paint(0, scene.UseOpacity, "o.png", 8, 8, half)
	m := &s.Materials[0]
	m.BaseColor, m.Emissive, m.Roughness, m.Metallic = [4]float64{1, 0.5, 1, 1}, [3]float64{1, 1, 0.5}, 0.5, 1
	m.AlphaMode = scene.Blend
	m.Maps[scene.UseMetallic].Channel = scene.Blue
	without := Decisions{Pictures: outfit.Pictures{Without: []string{"glow", "colour", "rough", "metal", "opacity"}}}
	var apart Decisions
	for _, u := range []scene.Use{scene.UseEmissive, scene.UseBaseColor, scene.UseRoughness, scene.UseMetallic,
		scene.UseOpacity} {
		apart.Assigned = append(apart.Assigned, outfit.Assigned{Slot: "lamp", Use: u})
	}
	for name, d := range map[string]Decisions{"no pictures for a role": without, "pictures taken out": apart} {
		out, _ := do(t, s, d)
		got := out.Materials[0]
		assert.InDeltaSlice(t, []float64{0.5, 0.5, 0.25}, got.Emissive[:], 1e-9, name)
		assert.InDeltaSlice(t, []float64{0.21586, 0.10793, 0.21586, 0.5}, got.BaseColor[:], 1e-4, name)
		assert.InDelta(t, 0.1, got.Roughness, 1e-9, name)
		assert.InDelta(t, 0.4, got.Metallic, 1e-9, name)
		for _, mp := range got.Maps {
			assert.False(t, mp.Has(), name)
		}
	}
	// A glow whose picture was never there has none.
	m.Maps[scene.UseEmissive] = scene.Map{Texture: 1}
	s.Images[0].Data = nil
	out, _ := do(t, s, without)
	assert.Zero(t, out.Materials[0].Emissive)
}

// A coloured picture where heights go is offered as what it is.
func TestAColouredHeightIsOfferedAsNormal(t *testing.T) {
	s := newShed("rock").paint(0, scene.UseHeight, "rock.png", 16, 16, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(16 * x), uint8(16 * y), 20, 255}
	})
	_, r := do(t, s, Decisions{})
	assert.NotEqual(t, picture.Grey, r.Pictures[0].Was[0].Facts.Shows)
	f := found(r, "coloured-rock.png")
	require.NotNil(t, f)
	out, r := do(t, s, f.Remedies[0].Decision.(Decisions))
	got := out.Materials[0]
	assert.True(t, got.Maps[scene.UseNormal].Has())
	assert.False(t, got.Maps[scene.UseHeight].Has())
	assert.Nil(t, found(r, "coloured-rock.png"))
}
