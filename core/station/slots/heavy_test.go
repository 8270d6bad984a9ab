package slots

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// manySlots is n triangles in a row, a slot each, of which change says how they look.
func manySlots(n int, change func(i int, m *scene.Material)) shed {
	s := shed{&scene.Scene{Name: "many", Basis: geom.GLTF, UnitMetres: 1,
		Nodes: []scene.Node{{Name: "many", Parent: -1, Mesh: 0, Local: geom.Identity}}}}
	m := &scene.Mesh{Name: "many", FaceStart: []int32{0}, UVs: []scene.UVSet{{}}}
	m.UVs[0].Values = [][2]float64{{0, 0}, {1, 0}, {0, 1}}
	for i := range n {
		x := float64(i)
		m.Points = append(m.Points, geom.Vec3{x, 0, 0}, geom.Vec3{x + 1, 0, 0}, geom.Vec3{x, 1, 0})
		m.Corners = append(m.Corners, int32(3*i), int32(3*i+1), int32(3*i+2))
		m.FaceStart = append(m.FaceStart, int32(3*i+3))
		m.UVs[0].Index = append(m.UVs[0].Index, 0, 1, 2)
		m.Slots, m.Slot = append(m.Slots, i), append(m.Slot, int32(i))
		mat := scene.NewMaterial(fmt.Sprintf("slot %d", i))
		change(i, &mat)
		s.Materials = append(s.Materials, mat)
	}
	s.Meshes = []*scene.Mesh{m}
	return s
}

// What many slots cost grows with their number, whatever is wrong with them: all are twins, none are, all
// say nothing, all are clear, all use one picture, all are called alike. What is said of them is bounded.
func TestManySlotsTakeTheirTime(t *testing.T) {
	picture := picturetest.PNG(t, picturetest.Painted(4, 4, picturetest.Grey(9)))
	many := []int{2000, 8000}
	if testing.Short() {
		many = []int{1000, 4000}
	}
	for name, change := range map[string]func(i int, m *scene.Material){
		"twins": func(i int, m *scene.Material) { m.BaseColor[0] = 0.3 },
		"apart": func(i int, m *scene.Material) { m.BaseColor[0] = float64(i) * 1e-5 },
		"blank": func(i int, m *scene.Material) { m.Name, m.Roughness = fmt.Sprintf("Material.%d", i), float64(i)*1e-5 },
		"clear": func(i int, m *scene.Material) { m.AlphaMode, m.Roughness = scene.Blend, float64(i)*1e-5 },
		"picture": func(i int, m *scene.Material) {
			m.Maps[scene.UseBaseColor], m.Roughness = scene.Map{Texture: 1}, float64(i)*1e-5
		},
		"alike": func(i int, m *scene.Material) {
			m.Name, m.Roughness = fmt.Sprintf("wood%c%d", "!?"[i%2], i/2), float64(i)*1e-5
		},
	} {
		var took []time.Duration
		for _, n := range many {
			s := manySlots(n, change)
			if name == "picture" {
				s.give(0, scene.UseBaseColor, "one.png", 4, 4, picture)
			}
			ask := outfit.Ask{Target: target.Shipped[0].Copy()}
			ask.Target.Names.Marks, ask.Target.Mixes = " ", false
			for i := range 200 {
				ask.Map = append(ask.Map, outfit.MapLine{To: fmt.Sprintf("material %d of the project", i)},
					outfit.MapLine{From: fmt.Sprintf("old %d *", i), To: "new"})
			}
			began := time.Now()
			_, r, err := Do(ctx, s.Scene, nil, Decisions{}, ask, class.Unsorted)
			took = append(took, time.Since(began))
			require.NoError(t, err)
			assert.NotEmpty(t, r.Slots)
			assert.LessOrEqual(t, len(r.Findings()), 100, name)
			for _, f := range r.Findings() {
				for _, rem := range f.Remedies {
					assert.NoError(t, rem.Decision.(Decisions).Validate(), "%s: %s", f.Title, rem.Label)
				}
			}
		}
		t.Logf("%-8s 2 000 and 8 000 slots in %v, %v", name, took[0].Round(time.Millisecond), took[1].Round(time.Millisecond))
	}
}
