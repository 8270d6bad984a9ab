package format

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// travel writes a scene and reads it back in the basis and metres it left in.
func travel(t testing.TB, s *scene.Scene, id string) *scene.Scene {
	t.Helper()
	to := target.Framed("own", "own", s.Basis, figure.Units[1])
	f, err := ByID(id)
	require.NoError(t, err)
	pk, err := Write(context.Background(), scene.Delivery{Scene: s}, f, "trip", to)
	require.NoError(t, err)
	got, _, err := Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
	require.NoError(t, err)
	frame := f.Frame(to)
	back := got.Carried(geom.Linear(frame.Basis.To(s.Basis).Scaled(frame.UnitMetres / got.UnitMetres)))
	back.Basis = s.Basis
	return back
}

// part is one mesh node's corners in the world.
type part struct {
	name   string
	points [][]geom.Vec3 // of each polygon
	mats   []string
}

func parts(s *scene.Scene) map[string]part {
	out := map[string]part{}
	f := s.Flattened()
	for i, n := range f.Nodes {
		m := f.Meshes[i]
		p := part{name: n.Name}
		for face := range m.Faces() {
			var ring []geom.Vec3
			for _, c := range m.Corners[m.FaceStart[face]:m.FaceStart[face+1]] {
				ring = append(ring, m.Points[c])
			}
			p.points = append(p.points, ring)
			name := scene.NoSlot
			if k := m.Material(face); k >= 0 {
				name = f.Materials[k].Name
			}
			p.mats = append(p.mats, name)
		}
		out[n.Name] = p
	}
	return out
}

// Random scenes go through every format and come back equal within its limits.
func TestRandomScenesMakeTheRoundTrip(t *testing.T) {
	seeds := uint64(150)
	if testing.Short() {
		seeds = 30
	}
	for seed := range seeds {
		s := shapetest.Scene(seed)
		for _, id := range []string{"glb", "gltf", "fbx", "fbx-one", "fbx-text", "obj", "usdz", "usdc", "usda", "dae"} {
			got := travel(t, s, id)
			where := fmt.Sprintf("seed %d, %s", seed, id)
			for _, m := range got.Meshes {
				require.NoError(t, m.Validate(), where)
			}
			require.Equal(t, s.Count().Triangles, got.Count().Triangles, where)
			require.ElementsMatch(t, s.SlotNames(), got.SlotNames(), where)
			if id != "dae" {
				require.ElementsMatch(t, s.UnusedMaterials(), got.UnusedMaterials(), where)
			}
			a, b := parts(s), parts(got)
			require.Len(t, b, len(a), where)
			tol := 2e-6 * (1 + s.Bounds().Size().Len() + s.Bounds().Center().Len())
			for name, p := range a {
				q, ok := b[name]
				require.True(t, ok, "%s: %q is gone", where, name)
				if id == "glb" || id == "gltf" || id == "dae" { // which write slot by slot
					sameBox(t, p, q, tol, where)
					continue
				}
				require.Len(t, q.points, len(p.points), where)
				require.Equal(t, p.mats, q.mats, where)
				for f := range p.points {
					require.Len(t, q.points[f], len(p.points[f]), where)
					for c := range p.points[f] {
						require.True(t, p.points[f][c].Near(q.points[f][c], tol), "%s: %s face %d: %v %v", where, name, f, p.points[f][c],
							q.points[f][c])
					}
				}
			}
			for _, m := range s.Materials {
				for _, g := range got.Materials {
					if g.Name == m.Name {
						near := 1e-12
						if id == "dae" || strings.HasPrefix(id, "usd") {
							near = 1e-6 // colours as they are shown, an exponent; or 32 bits
						}
						require.InDeltaSlice(t, m.BaseColor[:], g.BaseColor[:], near, where)
						require.InDelta(t, m.Roughness, g.Roughness, max(near, map[string]float64{"dae": 1e-3}[id]), where)
						if id != "dae" {
							require.InDelta(t, m.Metallic, g.Metallic, near, where)
						}
					}
				}
			}
		}
	}
}

func sameBox(t *testing.T, p, q part, tol float64, where string) {
	a, b := geom.EmptyBox(), geom.EmptyBox()
	for _, r := range p.points {
		for _, v := range r {
			a = a.Add(v)
		}
	}
	for _, r := range q.points {
		for _, v := range r {
			b = b.Add(v)
		}
	}
	require.True(t, a.Min.Near(b.Min, tol) && a.Max.Near(b.Max, tol), where)
}

// keeps says which words of a row of docs/formats.md mean that something survives.
var keeps = regexp.MustCompile(`^(kept|one|up to 8)`)

// tabled are the formats that the table of docs/formats.md has columns for, in their order.
var tabled = []string{"glb", "fbx", "obj", "usdz", "dae", "ply", "stl"}

// The table in docs/formats.md is tried, row by row: what it says is kept comes
// back, and what it says is not does not.
func TestTheTableOfFormatsIsTrue(t *testing.T) {
	text, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	rows := map[string][]string{}
	for line := range strings.Lines(string(text)) {
		if cells := strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|"); len(cells) == 8 {
			for i := range cells {
				cells[i] = strings.TrimSpace(cells[i])
			}
			rows[cells[0]] = cells[1:]
		}
	}
	s := full()
	m := func(s *scene.Scene) *scene.Mesh { return s.Meshes[0] }
	paint := func(s *scene.Scene) scene.Material {
		for _, m := range s.Materials {
			if m.Name == "paint" {
				return m
			}
		}
		return scene.Material{}
	}
	for row, has := range map[string]func(s *scene.Scene) bool{
		"tree of nodes":                   func(s *scene.Scene) bool { return len(s.Nodes) == 3 && s.Nodes[2].Parent == 0 },
		"hidden nodes":                    func(s *scene.Scene) bool { return s.Nodes[len(s.Nodes)-1].Hidden },
		"empty nodes, markers among them": func(s *scene.Scene) bool { return s.Nodes[0].Mesh < 0 },
		"instances": func(s *scene.Scene) bool {
			return s.Count().Instances == 2 &&
				s.Count().Meshes == 1
		},
		"polygons":                 func(s *scene.Scene) bool { return s.Count().Polygons == full().Count().Polygons },
		"normals":                  func(s *scene.Scene) bool { return m(s).Normals.Has() },
		"tangents":                 func(s *scene.Scene) bool { return m(s).Tangents.Has() },
		"smoothing groups":         func(s *scene.Scene) bool { return m(s).Smooth != nil },
		"UV sets beyond the first": func(s *scene.Scene) bool { return len(m(s).UVs) == 2 },
		"names of UV sets":         func(s *scene.Scene) bool { return len(m(s).UVs) > 0 && m(s).UVs[0].Name == "skin" },
		"vertex colours": func(s *scene.Scene) bool {
			return m(s).Colors.Has() && math.Abs(float64(m(s).Colors.Values[0][0])-.5) < .005
		},
		"opacity of vertex colours": func(
			s *scene.Scene) bool {
			return m(s).Colors.Has() && math.Abs(float64(m(s).Colors.Values[0][3])-.25) < .005
		},
		"materials no face uses, unless they are left behind at Slots": func(
			s *scene.Scene) bool {
			return len(s.UnusedMaterials()) == 1
		},
		"base colour, metallic, roughness, emissive, opacity": func(s *scene.Scene) bool {
			p := paint(s)
			near := func(want, got []float64) bool {
				return !slices.ContainsFunc(want, func(v float64) bool { return math.Abs(v-got[slices.Index(want, v)]) > 1e-12 })
			}
			return near([]float64{.5, .25, 1, .75}, p.BaseColor[:]) && p.Metallic == .25 &&
				near([]float64{1, 0, .5}, p.Emissive[:])
		},
		"normal map and its scale": func(s *scene.Scene) bool {
			p := paint(s)
			return p.Maps[scene.UseNormal].Has() &&
				p.NormalScale == .5
		},
		"occlusion map": func(s *scene.Scene) bool { return paint(s).Maps[scene.UseOcclusion].Has() },
		"height map":    func(s *scene.Scene) bool { return paint(s).Maps[scene.UseHeight].Has() },
		"alpha cut-off": func(s *scene.Scene) bool {
			p := paint(s)
			return p.AlphaMode == scene.Mask &&
				p.AlphaCutoff == .25
		},
		"two-sided":            func(s *scene.Scene) bool { return paint(s).TwoSided },
		"unlit":                func(s *scene.Scene) bool { return paint(s).Unlit },
		"strength of the glow": func(s *scene.Scene) bool { return paint(s).Glow == 3 },
		"texture scale and place": func(s *scene.Scene) bool {
			p := paint(s).Maps[scene.UseNormal].Place
			return p != nil && p.Scale == [2]float64{2, 4}
		},
		"texture wrapping": func(s *scene.Scene) bool {
			m := paint(s).Maps[scene.UseNormal]
			return m.Has() && s.Textures[m.Texture-1].WrapU == scene.Clamp
		},
		"unit": func(s *scene.Scene) bool { return s.UnitHow != scene.Assumed },
		"axes": func(s *scene.Scene) bool { return s.BasisHow != scene.Assumed },
	} {
		cells, ok := rows[row]
		if !assert.True(t, ok, "docs/formats.md has no row %q", row) {
			continue
		}
		for i, id := range tabled {
			assert.Equal(t, keeps.MatchString(cells[i]), has(travel(t, s, id)), "%s in %s: the table says %q", row, id, cells[i])
		}
		delete(rows, row)
	}
	const sights = "cameras and lights, where they are asked for"
	seen := full()
	seen.Sights = []scene.Sight{{Name: "lamp", Along: geom.Vec3{0, 0, -1}, Up: geom.Vec3{0, 1, 0},
		Light: &scene.Light{Kind: scene.Spot, Color: [3]float64{1, .5, 0}, Strength: 3, Inner: 10, Outer: 20}}}
	for i, id := range tabled {
		got := travel(t, seen, id)
		assert.Equal(t, keeps.MatchString(rows[sights][i]), len(got.Sights) == 1 && got.Sights[0].Light.Strength == 3,
			"%s in %s", sights, id)
	}
	delete(rows, sights)
	const groups = "LOD groups with where each takes over"
	g := full()
	g.Nodes[0].Kind, g.Nodes[0].Thresholds, g.Nodes[0].Coverage, g.Nodes[2].Hidden = scene.KindLOD, []float64{12},
		[]float64{0.25, 0}, false
	for i, id := range tabled {
		got := travel(t, g, id)
		kept := got.Nodes[0].Kind == scene.KindLOD && len(got.Nodes) == 3 && got.Nodes[2].Parent == 0 &&
			(len(got.Nodes[0].Thresholds) == 1 && math.Abs(got.Nodes[0].Thresholds[0]-12) < 1e-9 ||
				len(got.Nodes[0].Coverage) == 2)
		assert.Equal(t, keeps.MatchString(rows[groups][i]), kept, "%s in %s: %+v", groups, id, got.Nodes)
	}
	delete(rows, groups)
	delete(rows, "")
	for row := range rows {
		assert.Regexp(t, `^(---|pictures|separate|skins)`, row, "a row that no test tries")
	}
}

// full is a scene with everything the table speaks of.
func full() *scene.Scene {
	m := new(shape.Builder).Slot(0).Prism([][2]float64{{0, 0}, {2, 0}, {3, 1}, {2, 2}, {0, 2}}, 0,
		1).Slot(1).Box(geom.Vec3{4, 0, 0},
		geom.Vec3{5, 1, 1}).Mesh("body")
	m.UVs[0].Name = "skin"
	m.UVs = append(m.UVs, scene.UVSet{Name: "bake", Layer: m.UVs[0].Layer})
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{.5, .25, 1, .25}}, Index: make([]int32, len(m.Corners))}
	m.Tangents = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}}, Index: make([]int32, len(m.Corners))}
	paint, wood := scene.NewMaterial("paint"), scene.NewMaterial("wood")
	paint.BaseColor, paint.Metallic, paint.Roughness, paint.Emissive = [4]float64{.5, .25, 1, .75}, .25, .5,
		[3]float64{1, 0, .5}
	paint.AlphaMode, paint.AlphaCutoff, paint.TwoSided, paint.Unlit, paint.Glow, paint.NormalScale = scene.Mask, .25,
		true, true, 3, .5
	paint.Maps[scene.UseNormal] = scene.Map{Texture: 1, Place: &scene.Placement{Scale: [2]float64{2, 4}}}
	paint.Maps[scene.UseOcclusion] = scene.Map{Texture: 1, Channel: scene.Red}
	paint.Maps[scene.UseHeight] = scene.Map{Texture: 1}
	s := shape.Scene("full", []scene.Material{paint, wood, scene.NewMaterial("spare")}, m)
	s.Images = []scene.Image{{Name: "n.png", MIME: "image/png", Data: []byte("\x89PNG")}}
	s.Textures = []scene.Texture{{Name: "n", WrapU: scene.Clamp, WrapV: scene.Clamp}}
	s.Nodes = []scene.Node{{Name: "root", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(geom.Vec3{1, 0, 0})},
		{Name: "one", Kind: scene.KindMesh, Parent: 0, Local: geom.Identity},
		{Name: "two", Kind: scene.KindMesh, Parent: 0, Local: geom.Translation(geom.Vec3{9, 0, 0}), Hidden: true}}
	return s
}

// Lines and points without a polygon come in as guides, so that they can be named.
func TestGuidesAreToldFromEmptyNodes(t *testing.T) {
	obj := "o keel\nv 0 0 0\nv 1 0 0\nl 1 2\nl 2 1\no hull\nv 0 1 0\nf 1 2 3\n"
	s, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.obj", Data: []byte(obj)}}), "a.obj", nil)
	require.NoError(t, err)
	require.Len(t, s.Nodes, 2)
	assert.Equal(t, scene.Node{Name: "keel", Kind: scene.KindGuide, Parent: -1, Mesh: -1, Local: geom.Identity},
		s.Nodes[0])
	assert.Equal(t, 2, s.CountLeft("line"))
	doc := `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0,1]}],"nodes":[{"name":"curve","mesh":0},
		{"name":"aim"}],
		"meshes":[{"primitives":[{"mode":3,"attributes":{"POSITION":0}}]}],"accessors":[{"componentType":5126,"count":2,
			"type":"VEC3"}]}`
	s, _, err = Read(context.Background(), bundle.New([]bundle.File{{Name: "a.gltf", Data: []byte(doc)}}), "a.gltf", nil)
	require.NoError(t, err)
	require.Len(t, s.Nodes, 2)
	assert.Equal(t, []scene.Kind{scene.KindGuide, scene.KindEmpty}, []scene.Kind{s.Nodes[0].Kind, s.Nodes[1].Kind})
}

// What a format says it can hold is written and read: each field is true, and each
// that is not set is not kept.
func TestFormatsHoldWhatTheySay(t *testing.T) {
	s := full()
	for len(s.Meshes[0].UVs) < 10 {
		s.Meshes[0].UVs = append(s.Meshes[0].UVs, scene.UVSet{Name: fmt.Sprint("set ", len(s.Meshes[0].UVs)),
			Layer: s.Meshes[0].UVs[0].Layer})
	}
	m := s.Meshes[0]
	m.Normals = m.SmoothNormals()
	s.Meshes = append(s.Meshes, new(shape.Builder).Slot(1).Box(geom.Vec3{7, 0, 0}, geom.Vec3{8, 1, 1}).Mesh("post"))
	s.Meshes[1].UVs[0].Name = "skin"
	s.Nodes = append(s.Nodes, scene.Node{Name: "lamp", Kind: scene.KindEmpty, Parent: 0, Mesh: -1, Local: geom.Identity},
		scene.Node{Name: "post", Kind: scene.KindMesh, Parent: 0, Mesh: 1, Local: geom.Identity})
	s.Sights = []scene.Sight{{Name: "look-out", Along: geom.Vec3{1, 0, 0}, Up: geom.Vec3{0, 1, 0},
		Camera: &scene.Camera{Angle: 40, Aspect: 1, Near: 1, Far: 9}}}
	require.NoError(t, m.Validate())
	for _, f := range Written {
		for _, to := range target.Shipped {
			sent := s.Carried(geom.Linear(s.Basis.To(to.Basis)))
			sent.Basis = to.Basis
			pk, err := Write(context.Background(), scene.Delivery{Scene: sent}, f, "x", to)
			require.NoError(t, err)
			got, id, err := Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
			require.NoError(t, err, "%s %v", f.ID, id)
			where := f.ID + " for " + to.ID

			frame := f.Frame(to)
			if f.Declares {
				assert.Equal(t, frame.Basis, got.Basis, where)
				assert.InDelta(t, frame.UnitMetres, got.UnitMetres, 1e-12, where)
			}
			assert.Equal(t, f.Declares, got.UnitHow != scene.Assumed && got.BasisHow != scene.Assumed, "%s declares", where)
			assert.Equal(t, f.Fixed != nil, frame == *khronos && f.Fixed == khronos, "%s: one frame for all targets", where)
			assert.Equal(t, f.Polygons, got.Count().Polygons == sent.Count().Polygons, "%s polygons", where)
			assert.Equal(t, f.Tangents, got.Meshes[0].Tangents.Has(), "%s tangents", where)
			assert.Equal(t, f.Tree, slices.ContainsFunc(got.Nodes, func(n scene.Node) bool {
				return n.Name == "post" && n.Parent >= 0
			}), "%s tree", where)
			assert.Equal(t, f.Several, len(got.Meshes) > 1, "%s several meshes", where)
			assert.Equal(t, f.Slots, len(got.Meshes[0].UsedSlots()) > 1, "%s slots", where)
			assert.Equal(t, f.Normals, got.Meshes[0].Normals.Has(), "%s normals", where)
			assert.Equal(t, f.Colours, got.Meshes[0].Colors.Has(), "%s colours", where)
			assert.Equal(t, f.Empties, slices.ContainsFunc(got.Nodes, func(n scene.Node) bool { return n.Name == "lamp" }),
				"%s empties", where)
			assert.Equal(t, f.Sights, len(got.Sights) == 1, "%s cameras", where)
			m := got.Meshes[0]
			if f.Colours {
				assert.Equal(t, f.Fades, m.Colors.Values[m.Colors.Index[0]][3] < .5, "%s opacity of colours", where)
			}
			assert.Equal(t, f.Hides, slices.ContainsFunc(got.Nodes, func(n scene.Node) bool { return n.Hidden }),
				"%s hidden nodes", where)
			assert.Equal(t, f.Slots, len(got.Materials) > 0, "%s materials", where)
			assert.Equal(t, f.Drawn, f.Slots && got.Materials[0].TwoSided, "%s how materials are drawn", where)
			assert.Len(t, got.UVSetNames(), min(10, f.UVSets), "%s UV sets", where)
			if f.Bakes {
				moved := func(s *scene.Scene) (n int) {
					for _, w := range s.Worlds() {
						if w.T.Len() > 1e-9 {
							n++
						}
					}
					return n
				}
				assert.Positive(t, moved(got), "%s keeps transforms unless it is asked not to", where)
				flat, err := Write(context.Background(), scene.Delivery{Scene: sent.Flattened()}, f, "x", to)
				require.NoError(t, err)
				bare, _, err := Read(context.Background(), bundle.New(flat.Files), flat.Files[0].Name, nil)
				require.NoError(t, err)
				assert.Zero(t, moved(bare), "%s bakes", where)
			}
		}
	}
}

// What is told of formats in words and in targets is that of the one list.
func TestListsOfFormatsAgree(t *testing.T) {
	to := target.Shipped[0]
	for _, f := range Written {
		to.Prefers = f.ID
		assert.NoError(t, to.Check(), "a target may prefer %s", f.ID)
		assert.True(t, IsMesh("a"+f.Suffix), "%s is read again", f.Suffix)
	}
	to.Prefers = "stone"
	for _, f := range Written {
		assert.ErrorContains(t, to.Check(), f.ID, "and what may be preferred is said")
	}
	b, err := json.Marshal(to.Reads)
	require.NoError(t, err)
	var keys map[string]any
	require.NoError(t, json.Unmarshal(b, &keys))
	for _, r := range Rules() {
		assert.Contains(t, keys, r.Key, "a target says what its receiver does with %s", r.One)
		delete(keys, r.Key)
	}
	assert.Empty(t, keys, "and of nothing else")
	assert.Equal(t, "FBX, OBJ, GLB, glTF, COLLADA, PLY, USD or STL", Names())
	with, without := Keeping(func(f Format) bool { return f.Empties })
	assert.Equal(t, [2]string{"FBX, glTF, COLLADA and USD", "OBJ, PLY and STL"}, [2]string{with, without})
	_, err = BySuffix(".stone")
	assert.ErrorContains(t, err, "expected .glb, .gltf, .fbx, .obj, .usdz, .usdc, .usda, .dae, .ply or .stl")
	assert.Equal(t, "model/obj", MediaType(".OBJ"))
	assert.Empty(t, MediaType(".stone"))
	table, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	for _, r := range Rules() {
		assert.Contains(t, strings.Split(string(table), "\n")[4], r.Name, "the table of docs/formats.md has a column for %s",
			r.One)
	}
}
