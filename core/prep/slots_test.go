package prep_test

import (
	"context"
	"image/color"
	"math"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/axes"
	"yarvek/core/station/lods"
	"yarvek/core/station/size"
	"yarvek/core/station/slots"
)

// buoys is three balls of a slot each, of 2 000 triangles, whose UVs are 0 to 1, the first two with a
// picture of side by side pixels.
func buoys(t testing.TB, side int) *scene.Scene {
	b := new(shape.Builder)
	for i := range 3 {
		b.Slot(i).Grid(40, 25, func(u, v float64) geom.Vec3 {
			s, c := math.Sincos(2 * math.Pi * u)
			w, h := math.Sincos(math.Pi * (0.02 + 0.96*v))
			return geom.Vec3{3*float64(i) + w*c, 1 - h, -w * s}
		})
	}
	s := shape.Scene("buoys", []scene.Material{scene.NewMaterial("red"), scene.NewMaterial("green"),
		scene.NewMaterial("chain")},
		b.Mesh("buoys"))
	for i, name := range []string{"red.png", "green.png"} {
		data := picturetest.PNG(t, picturetest.Painted(side, side,
			func(x, y int) color.NRGBA { return color.NRGBA{uint8(100*i + 50), uint8(x), uint8(y), 255} }))
		s.Images = append(s.Images, scene.Image{Name: name, Data: data, MIME: "image/png", Width: side, Height: side})
		s.Textures = append(s.Textures, scene.Texture{Image: i, WrapU: scene.Repeat, WrapV: scene.Repeat})
		s.Materials[i].Maps[scene.UseBaseColor] = scene.Map{Texture: i + 1}
	}
	return s
}

// LODs have the slots of the asset in its order, its pictures, and coordinates that lie on the places of
// the sheet; a light set is unfolded for each of them.
func TestLODsHaveTheSlotsOfTheAsset(t *testing.T) {
	p := prep.Prep{LODs: lods.Decisions{Levels: []lods.Level{{Wish: ladder.Wish{Share: 0.4}},
		{Wish: ladder.Wish{Share: 0.1}}}},
		Slots: slots.Decisions{Order: []string{"chain"},
			Sheets: []outfit.Sheet{{Slots: []string{"red", "green"}, Name: "buoy"}},
			Names:  []outfit.Name{{Slot: "chain", To: "steel"}}, Light: outfit.Light{Size: 512}}}
	r := preptest.Run(t, buoys(t, 64), p, preptest.YUp)
	require.Len(t, r.Delivery.LODs, 2)
	require.Len(t, r.Slots.Sheets, 1)
	all := []*scene.Scene{r.Delivery.Scene, r.Delivery.LODs[0].Scene, r.Delivery.LODs[1].Scene}
	last := math.MaxInt
	for n, s := range all {
		assert.Less(t, s.Count().Triangles, last)
		last = s.Count().Triangles
		require.Len(t, s.Materials, 2)
		assert.Equal(t, []string{"steel", "buoy"}, []string{s.Materials[0].Name, s.Materials[1].Name})
		for _, m := range s.Meshes {
			require.Len(t, m.UVs, 2, "LOD %d", n)
			for f := range m.Faces() {
				// Which ball a face is of is known by where it stands.
				var at geom.Vec3
				for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
					at = at.Add(m.Points[m.Corners[c]].Mul(1 / float64(m.FaceStart[f+1]-m.FaceStart[f])))
				}
				ball := int((at[0] - all[0].Bounds().Min[0] + 0.1) / 3)
				if ball == 2 {
					assert.Equal(t, 0, m.Material(f))
					continue
				}
				require.Equal(t, 1, m.Material(f))
				place := r.Slots.Sheets[0].Layout.Places[ball]
				w, h := float64(r.Slots.Sheets[0].Layout.W), float64(r.Slots.Sheets[0].Layout.H)
				for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
					uv := m.UVs[0].Values[m.UVs[0].Index[c]]
					x, y := uv[0]*w, (1-uv[1])*h
					assert.True(t, x >= float64(place.X) && x <= float64(place.X+place.W) && y >= float64(place.Y) &&
						y <= float64(place.Y+place.H),
						"LOD %d: %v is not on %v", n, uv, place)
				}
			}
		}
	}
	assert.Equal(t, len(all[0].Images), len(all[2].Images))
}

// A decision about slots leaves all before it alone, and is worked out once.
func TestSlotsAreWorkedOutOnce(t *testing.T) {
	m := prep.NewMemo(256 << 20)
	in := prep.Input{Key: "k", Scene: buoys(t, 64), Target: preptest.YUp}
	run := func(p prep.Prep) *prep.Result {
		r, err := prep.Run(context.Background(), in, p, m)
		require.NoError(t, err)
		return r
	}
	d := prep.Prep{Slots: slots.Decisions{Pictures: outfit.Pictures{Most: 32},
		Joins: []outfit.Join{{Slot: "chain", Into: "red"}}}}
	plain, was := run(prep.Prep{}), run(d)
	again := run(d)
	for i, s := range was.Stops() {
		if s.ID == slots.Info.ID || s.ID == "export" {
			assert.NotEqual(t, plain.Stops()[i].Key, s.Key, s.ID)
			continue
		}
		assert.Equal(t, plain.Stops()[i].Key, s.Key, s.ID)
	}
	assert.Greater(t, again.Hits, was.Hits)
	assert.Same(t, preptest.After(t, was, slots.Info.ID), preptest.After(t, again, slots.Info.ID))
	// Another size makes the same pictures of the same bytes.
	d.Size = size.Decisions{Unit: "cm"}
	other := run(d)
	assert.Equal(t, was.Delivery.Scene.Images[0].Data, other.Delivery.Scene.Images[0].Data)
	assert.Same(t, &was.Delivery.Scene.Images[0].Data[0], &other.Delivery.Scene.Images[0].Data[0])
	in.SlotMap = []outfit.MapLine{{From: "green", To: "moss"}}
	assert.Equal(t, []string{"red", "moss"}, run(d).Delivery.Scene.SlotNames())
}

// shelf keeps what it is given.
type shelf struct{ sync.Map }

func (s *shelf) Load(key string) ([]byte, bool) {
	b, ok := s.Map.Load(key)
	if !ok {
		return nil, false
	}
	return b.([]byte), true
}

func (s *shelf) Save(key string, b []byte) { s.Store(key, slices.Clone(b)) }

// Large pictures are made when that is asked for, and until then it is said that they are not.
func TestLargePicturesAreWaitedFor(t *testing.T) {
	kept := &shelf{}
	in := prep.Input{Key: "k", Scene: buoys(t, 1400), Target: preptest.YUp, Shelf: kept}
	p := prep.Prep{Slots: slots.Decisions{Pictures: outfit.Pictures{Power: "down"}}}
	run := func() *prep.Result {
		r, err := prep.Run(context.Background(), in, p, prep.NewMemo(256<<20))
		require.NoError(t, err)
		return r
	}
	before := run()
	assert.True(t, before.Slots.Pending)
	assert.True(t, before.Pending())
	assert.Equal(t, 1024, before.Slots.Pictures[0].W, "the size is known before")
	in.Make = true
	var steps []string
	var mu sync.Mutex
	in.Progress = func(step string, f float64) {
		mu.Lock()
		defer mu.Unlock()
		if !slices.Contains(steps, step) {
			steps = append(steps, step)
		}
		assert.True(t, f >= 0 && f <= 1, "%s %g", step, f)
	}
	done := run()
	assert.False(t, done.Slots.Pending)
	assert.Contains(t, steps, "Making pictures")
	img := picturetest.Read(t, done.Delivery.Scene.Images[0].Data)
	assert.Equal(t, 1024, img.Bounds().Dx())
	in.Make, in.Progress = false, nil
	again := run()
	assert.False(t, again.Slots.Pending, "what was made is on the shelf")
	assert.Equal(t, done.Delivery.Scene.Images[0].Data, again.Delivery.Scene.Images[0].Data)
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	in.Make = true
	in.Shelf = nil
	_, err := prep.Run(ended, in, p, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// Picked places are those of the asset as Source leaves it, however it is turned, scaled and moved after.
func TestPickedFacesFollowTheStance(t *testing.T) {
	s := buoys(t, 8)
	p := prep.Prep{Size: size.Decisions{Bake: size.BakeAll, Unit: "cm"}, Axes: axes.Decisions{Pose: geom.Vec3{10, 20, 30},
		Drop: true},
		Slots: slots.Decisions{Moves: []outfit.Move{{To: "float", At: []geom.Vec3{{3, 2.1, 0}}, Reach: outfit.Part}}}}
	p.LODs = lods.Decisions{Levels: []lods.Level{{Wish: ladder.Wish{Share: 0.4}}}}
	r := preptest.Run(t, s, p, preptest.ZUpLeft)
	out := r.Delivery.Scene
	n := map[string]int{}
	m := out.Meshes[0]
	for f := range m.Faces() {
		n[out.Materials[m.Material(f)].Name]++
	}
	assert.Equal(t, map[string]int{"red": 1000, "chain": 1000, "float": 1000}, n)
	assert.ElementsMatch(t, []string{"red", "chain", "float"}, r.Delivery.LODs[0].Scene.SlotNames(),
		"the LOD's faces go with them")
}
