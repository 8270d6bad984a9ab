package slots

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

var ctx = context.Background()

// shed is a row of squares of one metre along x, a slot each, whose UVs are 0 to 1; the pictures of its
// slots are made by [shed.paint].
type shed struct{ *scene.Scene }

func newShed(names ...string) shed {
	s := &scene.Scene{Name: "shed", Basis: geom.GLTF, UnitMetres: 1}
	b := new(shape.Builder)
	for i, n := range names {
		b.Slot(i).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{float64(i) + u, v, 0} })
		m := scene.NewMaterial(n)
		m.BaseColor = [4]float64{0.1 * float64(i%10), 0.2, 0.3, 1}
		s.Materials = append(s.Materials, m)
	}
	s.Meshes = []*scene.Mesh{b.Mesh("shed")}
	s.Nodes = []scene.Node{{Name: "shed", Parent: -1, Mesh: 0, Local: geom.Identity}}
	return shed{s}
}

// paint gives a slot a picture.
func (s shed) paint(slot int, use scene.Use, name string, w, h int, at func(x, y int) color.NRGBA) shed {
	var b bytes.Buffer
	if err := png.Encode(&b, picturetest.Painted(w, h, at)); err != nil {
		panic(err)
	}
	return s.give(slot, use, name, w, h, b.Bytes())
}

func (s shed) give(slot int, use scene.Use, name string, w, h int, data []byte) shed {
	s.Images = append(s.Images, scene.Image{Name: name, Data: data, MIME: "image/png", Width: w, Height: h})
	s.Textures = append(s.Textures, scene.Texture{Name: name, Image: len(s.Images) - 1, WrapU: scene.Repeat,
		WrapV: scene.Repeat})
	s.Materials[slot].Maps[use] = scene.Map{Texture: len(s.Textures)}
	return s
}

// stripes tells pixels apart.
func stripes(r uint8) func(x, y int) color.NRGBA {
	return func(x, y int) color.NRGBA { return color.NRGBA{r, uint8(4 * x), uint8(4 * y), 255} }
}

// bump is a normal map of a wave over w by h, green up or down.
func bump(up bool, n int) func(x, y int) color.NRGBA {
	return func(x, y int) color.NRGBA {
		k := 2 * math.Pi / float64(n)
		dx, dy := math.Cos(k*float64(x))*math.Sin(k*float64(y)), math.Sin(k*float64(x))*math.Cos(k*float64(y)) // y downward
		g := dy
		if !up {
			g = -dy
		}
		l := math.Sqrt(dx*dx + dy*dy + 1)
		c := func(v float64) uint8 { return uint8(math.Round(127.5 + 127.5*v/l)) }
		return color.NRGBA{c(-dx), c(g), c(1), 255}
	}
}

func do(t testing.TB, s shed, d Decisions, by ...func(*outfit.Ask)) (*scene.Scene, *Report) {
	t.Helper()
	require.NoError(t, d.Validate())
	ask := outfit.Ask{Target: target.Shipped[0]}
	for _, f := range by {
		f(&ask)
	}
	out, r, err := Do(ctx, s.Scene, nil, d, ask, class.Unsorted)
	require.NoError(t, err)
	return out, r
}

// found is a finding by its code.
func found(r *Report, code string) *finding.Finding {
	list := r.Findings()
	if i := slices.IndexFunc(list, func(f finding.Finding) bool { return f.Code == "slots/"+code }); i >= 0 {
		return &list[i]
	}
	return nil
}

// names are those of a scene's slots in order, with what each face of its first mesh has.
func slotsOf(s *scene.Scene) (slots []string, faces []string) {
	for _, m := range s.Materials {
		slots = append(slots, m.Name)
	}
	m := s.Meshes[s.Nodes[0].Mesh]
	for f := range m.Faces() {
		if k := m.Material(f); k >= 0 {
			faces = append(faces, s.Materials[k].Name)
		} else {
			faces = append(faces, "none")
		}
	}
	return slots, faces
}

// pixels decodes a picture with the standard library.
func pixels(t testing.TB, im scene.Image) image.Image { return picturetest.Read(t, im.Data) }

func TestNothingDecidedChangesNothing(t *testing.T) {
	s := newShed("wall", "door").paint(0, scene.UseBaseColor, "wall.png", 8, 8, stripes(1))
	out, r := do(t, s, Decisions{})
	assert.Equal(t, s.Materials, out.Materials)
	assert.Equal(t, s.Images, out.Images)
	assert.Equal(t, s.Meshes, out.Meshes)
	assert.Empty(t, Decisions{}.Lines())
	assert.Equal(t, 2, r.Calls)
	assert.InDelta(t, 0.5, r.Slots[0].Share, 1e-12)
}

// Twins are equal in every value and in the bytes of every picture, whatever their names; what differs in
// one value is a near twin, what differs in a picture is none.
func TestTwinsAreToldByContent(t *testing.T) {
	s := newShed("wood", "wood.001", "planks", "other")
	for i := range s.Materials {
		s.Materials[i].BaseColor = [4]float64{0.3, 0.2, 0.1, 1}
	}
	s.Materials[2].Roughness = 0.97
	s.paint(0, scene.UseBaseColor, "a.png", 8, 8, stripes(7)).paint(1, scene.UseBaseColor, "b.png", 8, 8, stripes(7)).
		paint(2, scene.UseBaseColor, "c.png", 8, 8, stripes(7)).paint(3, scene.UseBaseColor, "d.png", 8, 8, stripes(9))
	_, r := do(t, s, Decisions{})
	f := found(r, "twins-wood")
	require.NotNil(t, f)
	assert.Contains(t, f.Title, "wood and wood.001")
	near := found(r, "near-wood-planks")
	require.NotNil(t, near)
	assert.Contains(t, near.Text, "roughness alone")
	for _, f := range r.Findings() {
		assert.NotContains(t, f.Title, "other", "its picture is another one")
	}
	assert.NotNil(t, found(r, "double"), "a.png is there three times")
	out, r := do(t, s, f.Remedies[0].Decision.(Decisions))
	slots, faces := slotsOf(out)
	assert.Equal(t, []string{"wood", "planks", "other"}, slots)
	assert.Equal(t, []string{"wood", "wood", "planks", "other"}, faces)
	assert.Equal(t, [2]int{4, 3}, [2]int{r.Were, r.Calls})
	assert.Nil(t, found(r, "twins-wood"))
}

func TestSlotsThatSayNothing(t *testing.T) {
	s := newShed("wall", "Material.003", "rust")
	s.Materials[1].BaseColor = [4]float64{0.8, 0.8, 0.8, 1}
	m := s.Meshes[0]
	for c := m.FaceStart[2]; c < m.FaceStart[3]; c++ { // rust is a sliver
		m.Points[m.Corners[c]][1] *= 0.001
	}
	m.Slots = append(m.Slots, -1)
	s.Materials = append(s.Materials, scene.NewMaterial("old"))
	s.Images = append(s.Images,
		scene.Image{Name: "lost.png", Data: s.paint(0, scene.UseBaseColor, "w.png", 4, 4, stripes(1)).Images[0].Data})
	_, r := do(t, s, Decisions{})
	for _, code := range []string{"blank-Material.003", "sliver-rust", "unused", "orphans"} {
		assert.NotNil(t, found(r, code), code)
	}
	m.Slot[2] = 3
	_, r = do(t, s, Decisions{})
	require.NotNil(t, found(r, "no-slot"))
	out, _ := do(t, s, Decisions{Joins: []outfit.Join{{Slot: scene.NoSlot, Into: "wall"}}, Drop: true})
	slots, faces := slotsOf(out)
	assert.Equal(t, []string{"wall", "Material.003"}, slots)
	assert.Equal(t, []string{"wall", "Material.003", "wall"}, faces)
}

// Slots are joined one after the other; what goes round in a circle is one slot, and none is lost.
func TestJoinsChainAndCircle(t *testing.T) {
	s := newShed("a", "b", "c", "d")
	out, _ := do(t, s, Decisions{Joins: []outfit.Join{{Slot: "a", Into: "b"}, {Slot: "b", Into: "c"},
		{Slot: "c", Into: "a"}}})
	_, faces := slotsOf(out)
	assert.Equal(t, []string{"c", "c", "c", "d"}, faces)
}

// The order that is decided holds in the asset and in every LOD, also in one without some of the slots.
func TestOrderHoldsInLODs(t *testing.T) {
	s := newShed("a", "b", "c", "d")
	d := Decisions{Order: []string{"c", "a"}, Joins: []outfit.Join{{Slot: "d", Into: "b"}}}
	came := s.Scene
	p := outfit.NewPlan(ctx, came, s.MaterialKeys(), outfit.Wishes(d), outfit.Ask{Target: target.Shipped[0]})
	lod := s.Clone()
	at := func(x float64) func(u, v float64) geom.Vec3 {
		return func(u, v float64) geom.Vec3 { return geom.Vec3{x + u, v, 0} }
	}
	lod.Meshes[0] = new(shape.Builder).Slot(0).Grid(1, 1, at(0)).Slot(2).Grid(1, 1, at(2)).Mesh("shed")
	for _, x := range []*scene.Scene{p.Apply(ctx, came, nil), p.Apply(ctx, lod, nil)} {
		slots, _ := slotsOf(x)
		assert.Equal(t, []string{"c", "a", "b"}, slots)
		used := x.Meshes[0].UsedSlots()
		assert.True(t, slices.IsSorted(used), "slots of a mesh stand in that order: %v", used)
	}
	coarse := p.Apply(ctx, lod, nil)
	_, faces := slotsOf(coarse)
	assert.Equal(t, []string{"c", "a"}, faces, "faces stand in that order too: some formats tell it by nothing else")
	for f, want := range []float64{2, 0} { // and each is still where it was
		m := coarse.Meshes[0]
		low := math.Inf(1)
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			low = min(low, m.Points[m.Corners[c]][0])
		}
		assert.Equal(t, want, low)
	}
}

// Faces are picked by themselves, with what lies in their plane, with their part and with their chart.
func TestFacesAreMoved(t *testing.T) {
	b := new(shape.Builder)
	b.Slot(0).Box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 1, 1}).Box(geom.Vec3{3, 0, 0}, geom.Vec3{4, 1, 1})
	s := shed{&scene.Scene{Name: "x", Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{b.Mesh("m")},
		Materials: []scene.Material{scene.NewMaterial("a"),
			scene.NewMaterial("b")}}}
	s.Nodes = []scene.Node{{Name: "one", Parent: -1, Mesh: 0, Local: geom.Identity},
		{Name: "two", Parent: -1, Mesh: 0, Local: geom.Translation(geom.Vec3{0, 5, 0})}}
	count := func(d Decisions, node int) int {
		out, _ := do(t, s, d)
		n := 0
		m := out.Meshes[out.Nodes[node].Mesh]
		for f := range m.Faces() {
			if k := m.Material(f); k >= 0 && out.Materials[k].Name != "a" {
				n++
			}
		}
		return n
	}
	front := geom.Vec3{0.5, 0.5, 1.01}
	for _, c := range []struct {
		m        outfit.Move
		one, two int
	}{
		{outfit.Move{To: "b", At: []geom.Vec3{front}, Reach: outfit.OneFace}, 1, 0},
		{outfit.Move{To: "b", At: []geom.Vec3{front}, Reach: outfit.Flat}, 1, 0},
		{outfit.Move{To: "b", At: []geom.Vec3{front}, Reach: outfit.Part}, 6, 0},
		{outfit.Move{To: "b", At: []geom.Vec3{front}, Reach: outfit.Chart}, 1, 0},
		{outfit.Move{To: "b", At: []geom.Vec3{front, {3.5, 0.5, 1.2}}, Reach: outfit.OneFace}, 2, 0},
		{outfit.Move{To: "b", At: []geom.Vec3{front.Add(geom.Vec3{0, 5, 0})}, Reach: outfit.Part}, 0, 6},
		{outfit.Move{To: "new", Node: "two"}, 0, 12},
		{outfit.Move{To: "b", From: "a"}, 12, 12},
		{outfit.Move{To: "b", From: "b"}, 0, 0},
		{outfit.Move{To: scene.NoSlot, Node: "one"}, 0, 0},
	} {
		d := Decisions{Moves: []outfit.Move{c.m}}
		assert.Equal(t, [2]int{c.one, c.two}, [2]int{count(d, 0), count(d, 1)}, "%+v", c.m)
	}
	out, _ := do(t, s, Decisions{Moves: []outfit.Move{{To: "new", Node: "two"}}})
	assert.Len(t, out.Meshes, 2, "the node has a mesh of its own, once")
	assert.Same(t, s.Meshes[0], s.Scene.Meshes[0])
	assert.Equal(t, 12, s.Meshes[0].Faces(), "what came is as it was")
}

// A node of the same name elsewhere is another node.
func TestNodesAreToldByTheirPlace(t *testing.T) {
	b := new(shape.Builder)
	b.Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1})
	s := shed{&scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{b.Mesh("m")},
		Materials: []scene.Material{scene.NewMaterial("a")}}}
	for i, n := range []string{"left", "right"} {
		s.Nodes = append(s.Nodes, scene.Node{Name: n, Parent: -1, Mesh: -1, Local: geom.Identity},
			scene.Node{Name: "leaf", Parent: 2 * i, Mesh: 0, Local: geom.Identity})
	}
	out, _ := do(t, s, Decisions{Moves: []outfit.Move{{To: "b", Node: "right/leaf"}}})
	assert.Equal(t, []int{0}, out.Meshes[out.Nodes[1].Mesh].UsedSlots())
	assert.Equal(t, []int{1}, out.Meshes[out.Nodes[3].Mesh].UsedSlots())
}

// What was decided for slots, pictures and nodes that went is told, and can be dropped.
func TestLostSlotsAreTold(t *testing.T) {
	d := Decisions{Joins: []outfit.Join{{Slot: "gone", Into: "wall"}}, Names: []outfit.Name{{Slot: "past", To: "x"}},
		Order:    []string{"off", "wall"},
		Looks:    []outfit.Look{{Slot: "away", Sides: 1}},
		Assigned: []outfit.Assigned{{Slot: "wall", Use: scene.UseNormal, Picture: strings.Repeat("ab", 32)}},
		Sheets:   []outfit.Sheet{{Slots: []string{"wall", "torn"}}}}
	_, r := do(t, newShed("wall"), d)
	f := found(r, "lost-slot")
	require.NotNil(t, f)
	for _, k := range []string{"gone", "past", "off", "away", "torn", "abababab"} {
		assert.Contains(t, f.Text, k)
	}
	left := f.Remedies[0].Decision.(Decisions)
	assert.Equal(t, []string{"wall"}, left.Order)
	left.Order = nil
	assert.Empty(t, left.Lines())
}

func TestNamesFollowTheKitsMap(t *testing.T) {
	lines := []outfit.MapLine{{From: "Wood.001", To: "oak"}, {From: "metal *", To: "steel #"},
		{From: "", To: "rusted iron"}}
	with := func(a *outfit.Ask) { a.Map = lines }
	out, r := do(t, newShed("wood.001", "metal pipe", "rusted irn", "glass"), Decisions{}, with)
	slots, _ := slotsOf(out)
	assert.Equal(t, "oak", slots[0], "a line that is the name, whatever its case")
	assert.Contains(t, slots[1], "steel")
	assert.Equal(t, outfit.ByMap, r.Slots[1].By)
	near := found(r, "near-name-rusted irn")
	require.NotNil(t, near)
	assert.NotNil(t, found(r, "not-there"))
	out, r = do(t, newShed("wood.001", "metal pipe", "rusted irn", "glass"), near.Remedies[0].Decision.(Decisions), with)
	assert.Equal(t, "rusted iron", out.Materials[2].Name)
	assert.Nil(t, found(r, "near-name-rusted irn"))
	out, _ = do(t, newShed("wood.001"), Decisions{Unmapped: true}, with)
	assert.Equal(t, "wood.001", out.Materials[0].Name)
}

// Names that become one when they are cleaned are told apart by numbers that nobody has.
func TestNamesClashAfterCleaning(t *testing.T) {
	rules := func(a *outfit.Ask) {
		a.Target = a.Target.Copy()
		a.Target.Names.Marks, a.Target.Names.Letters, a.Target.Names.Case, a.Target.Names.Longest = "_", "latin", "lower", 12
	}
	s := newShed("Wood?1", "wood:1", "wood_1_2", "a very long name for wood", "a very long name for ash")
	_, r := do(t, s, Decisions{}, rules)
	assert.NotNil(t, found(r, "names"))
	d := Decisions{Clean: true}
	out, r := do(t, s, d, rules)
	for range 5 {
		i := slices.IndexFunc(r.Findings(), func(f finding.Finding) bool { return strings.HasPrefix(f.Code, "slots/clash-") })
		if i < 0 {
			break
		}
		d = r.Findings()[i].Remedies[0].Decision.(Decisions)
		out, r = do(t, s, d, rules)
	}
	slots, _ := slotsOf(out)
	seen := map[string]bool{}
	for _, n := range slots {
		assert.False(t, seen[strings.ToLower(n)], "%v", slots)
		seen[strings.ToLower(n)] = true
		assert.LessOrEqual(t, len(n), 12, n)
		assert.NotContains(t, n, " ")
	}
	assert.Nil(t, found(r, "names"))
}

func TestBareSlotsLeaveNamesAlone(t *testing.T) {
	s := newShed("wall").paint(0, scene.UseBaseColor, "w.png", 8, 8, stripes(3))
	s.Materials[0].TwoSided = true
	out, r := do(t, s, Decisions{Bare: true})
	want := scene.NewMaterial("wall")
	want.TwoSided = true
	assert.Equal(t, []scene.Material{want}, out.Materials)
	assert.Empty(t, out.Images)
	assert.Empty(t, r.Pictures)
}

// Opacity is held against what the picture's alpha holds.
func TestAlphaIsHeldAgainstThePicture(t *testing.T) {
	mask := func(x, y int) color.NRGBA { return color.NRGBA{10, 20, 30, uint8(255 * (x / 4 % 2))} }
	soft := func(x, y int) color.NRGBA { return color.NRGBA{10, 20, 30, uint8(8 * x)} }
	for _, c := range []struct {
		name string
		mode scene.AlphaMode
		at   func(x, y int) color.NRGBA
		code string
	}{
		{"full", scene.Blend, picturetest.Plain(1, 2, 3, 255), "full-wall"}, {"a mask", scene.Blend, mask, "mask-wall"},
		{"soft", scene.Blend, soft, ""},
		{"cut out", scene.Mask, mask, ""}, {"opaque", scene.Opaque, soft, "unused-alpha-wall"},
		{"opaque and full", scene.Opaque, picturetest.Plain(1, 2, 3, 255), ""},
	} {
		s := newShed("wall").paint(0, scene.UseBaseColor, "w.png", 32, 8, c.at)
		s.Materials[0].AlphaMode = c.mode
		s.Materials[0].BaseColor = [4]float64{1, 1, 1, 1}
		_, r := do(t, s, Decisions{})
		for _, code := range []string{"full-wall", "mask-wall", "unused-alpha-wall"} {
			assert.Equal(t, code == c.code, found(r, code) != nil, "%s: %s", c.name, code)
		}
		if c.code != "" {
			_, r = do(t, s, found(r, c.code).Remedies[0].Decision.(Decisions))
			assert.Nil(t, found(r, c.code), c.name)
		}
	}
	s := newShed("wall", "glass")
	s.Materials[1].AlphaMode, s.Materials[1].BaseColor[3] = scene.Blend, 0.4
	apart := func(a *outfit.Ask) { a.Target = a.Target.Copy(); a.Target.Mixes = false }
	_, r := do(t, s, Decisions{}, apart)
	assert.NotNil(t, found(r, "mixed"))
	_, r = do(t, s, Decisions{})
	assert.Nil(t, found(r, "mixed"))
}

// Whatever is found, each remedy that is offered can be taken, and what it was offered for is found no more.
func TestEveryRemedyHelps(t *testing.T) {
	ask := func(a *outfit.Ask) {
		a.Target = a.Target.Copy()
		a.Target.Names.Marks, a.Target.Textures.Packing, a.Target.Textures.Largest, a.Target.Mixes,
			a.Target.Needs.Lightmap = "_", "orm",
			64, false, true
		a.Target.Textures.Formats["colour"] = "jpeg"
		a.Map = []outfit.MapLine{{From: "", To: "walls"}}
	}
	c := class.Unsorted
	c.Budget.Slots, c.Budget.TextureBytes = 3, 4000
	s := newShed("wall!", "wall", "Material", "walls ", "glass", "dust")
	s.Materials[2].BaseColor = [4]float64{1, 1, 1, 1}
	s.Materials[4].AlphaMode, s.Materials[4].TwoSided = scene.Blend, true
	s.Materials[1].BaseColor, s.Materials[3].BaseColor = s.Materials[0].BaseColor, s.Materials[0].BaseColor
	s.Materials[3].Roughness = 0.98
	m := s.Meshes[0]
	for k := m.FaceStart[5]; k < m.FaceStart[6]; k++ {
		m.Points[m.Corners[k]][1] *= 0.001
	}
	s.Materials = append(s.Materials, scene.NewMaterial("old"))
	s.paint(4, scene.UseBaseColor, "glass.png", 100, 30, stripes(2)).paint(4, scene.UseNormal, "glass_n.png", 64, 64,
		bump(false, 64)).
		paint(4, scene.UseRoughness, "glass_r.png", 32, 32, picturetest.Plain(90, 90, 90, 255)).paint(4, scene.UseMetallic,
		"glass_m.png",
		32, 32, picturetest.Plain(9, 9, 9, 255)).
		paint(5, scene.UseNormal, "noise.png", 32, 32, func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(100 + (x*7+y*13)%60), 128, 240,
				255}
		})
	s.give(4, scene.UseEmissive, "torn.png", 10, 10, []byte("\x89PNG\r\n\x1a\nno more"))
	one := func(d Decisions) *Report {
		a := outfit.Ask{Target: target.Shipped[0]}
		ask(&a)
		require.NoError(t, d.Validate())
		_, r, err := Do(ctx, s.Scene, nil, d, a, c)
		require.NoError(t, err)
		return r
	}
	codes := map[string]bool{}
	for _, f := range one(Decisions{}).Findings() {
		codes[strings.TrimPrefix(f.Code, "slots/")] = true
		for _, rem := range f.Remedies {
			after := one(rem.Decision.(Decisions))
			assert.Nil(t, found(after, strings.TrimPrefix(f.Code, "slots/")), "%s: %s", f.Title, rem.Label)
			assert.NotEmpty(t, rem.Decision.(Decisions).Lines(), rem.Label)
		}
	}
	for _, want := range []string{"twins-wall!", "names", "blank-Material", "many", "memory", "unused", "sliver-dust",
		"mixed",
		"two-sided", "sides", "large",
		"green", "packing", "formats", "light-none", "picture-torn.png", "near-wall!-walls ", "full-glass"} {
		assert.True(t, codes[want], "%s of %v", want, codes)
	}
}

func TestDecisionsThatCannotBeMeant(t *testing.T) {
	many := make([]geom.Vec3, maxPicks+1)
	for name, d := range map[string]Decisions{
		"move to nothing": {Moves: []outfit.Move{{From: "a"}}},
		"move of nothing": {Moves: []outfit.Move{{To: "a"}}},
		"reach":           {Moves: []outfit.Move{{To: "a", At: []geom.Vec3{{}}, Reach: "all"}}},
		"no place":        {Moves: []outfit.Move{{To: "a", At: []geom.Vec3{{math.NaN(), 0, 0}}, Reach: outfit.Part}}},
		"too many picks":  {Moves: []outfit.Move{{To: "a", At: many, Reach: outfit.Part}}},
		"into itself":     {Joins: []outfit.Join{{Slot: "a", Into: "a"}}},
		"no name":         {Names: []outfit.Name{{Slot: "a", To: "  "}}},
		"long name":       {Names: []outfit.Name{{Slot: "a", To: strings.Repeat("x", 300)}}},
		"side":            {Pictures: outfit.Pictures{Most: -1}},
		"power":           {Pictures: outfit.Pictures{Power: "sideways"}},
		"green":           {Pictures: outfit.Pictures{Green: "left"}},
		"packing":         {Pictures: outfit.Pictures{Pack: "rgb"}},
		"format":          {Pictures: outfit.Pictures{Formats: "bmp"}},
		"quality":         {Pictures: outfit.Pictures{Quality: 101}},
		"role":            {Pictures: outfit.Pictures{Roles: []string{"taste"}}},
		"own":             {Own: []outfit.Own{{Picture: "a", Green: "left"}}},
		"sheet of one":    {Sheets: []outfit.Sheet{{Slots: []string{"a"}}}},
		"padding":         {Light: outfit.Light{Size: 512, Padding: 1000}},
		"light":           {Light: outfit.Light{Size: -1}},
		"look":            {Looks: []outfit.Look{{Slot: "a", Alpha: "GLASS"}}},
		"sides":           {Looks: []outfit.Look{{Slot: "a", Sides: 3}}},
		"use of none":     {Assigned: []outfit.Assigned{{Slot: "a", Use: scene.Uses}}},
	} {
		assert.Error(t, d.Validate(), name)
	}
}

func TestMovesFollowRenamedNodes(t *testing.T) {
	d := Decisions{Moves: []outfit.Move{{To: "b", Node: "old"}, {To: "b", Node: "kept"}}}
	assert.Equal(t, []string{"kept", "old"}, d.Refs())
	var to station.Decisions = d.Repoint("old", "new")
	assert.Equal(t, []string{"kept", "new"}, to.(Decisions).Refs())
	assert.Equal(t, []string{"kept"}, d.Repoint("old", "").(Decisions).Refs())
}

func TestLettersGoOn(t *testing.T) {
	for n, want := range map[int]string{0: "a", 25: "z", 26: "aa", 27: "ab", 51: "az", 52: "ba", 701: "zz", 702: "aaa"} {
		assert.Equal(t, want, Letter(n), fmt.Sprint(n))
	}
}
