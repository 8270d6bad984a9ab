package deliver

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// plain is a picture of one colour.
func plain(t testing.TB, c color.NRGBA, name string) scene.Image {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		img.SetNRGBA(i%8, i/8, c)
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return scene.Image{Name: name, MIME: "image/png", Data: b.Bytes(), Width: 8, Height: 8}
}

// dressed is a crate with a material that says something of everything, and corner colours that fade.
func dressed(t testing.TB) *scene.Scene {
	s := crate()
	s.Images = []scene.Image{plain(t, color.NRGBA{200, 40, 30, 255}, "paint.png"),
		plain(t, color.NRGBA{128, 128, 255, 255}, "bumps.png"),
		plain(t, color.NRGBA{90, 90, 90, 255}, "dull.png")}
	for i := range s.Images {
		s.Textures = append(s.Textures, scene.Texture{Name: s.Images[i].Name, Image: i, WrapU: scene.Repeat,
			WrapV: scene.Repeat})
	}
	m := &s.Materials[0]
	m.BaseColor = [4]float64{.5, .25, .75, 1}
	m.Metallic, m.Roughness = 0, 1
	m.Emissive = [3]float64{.2, .1, .4}
	m.Maps[scene.UseBaseColor] = scene.Map{Texture: 1, Place: &scene.Placement{Offset: [2]float64{.25, 0},
		Scale: [2]float64{2, 2}}}
	m.Maps[scene.UseNormal] = scene.Map{Texture: 2}
	m.Maps[scene.UseRoughness] = scene.Map{Texture: 3}
	mesh := *s.Meshes[0]
	mesh.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, .5, 0, 1}}, Index: make([]int32, len(mesh.Corners))}
	s.Meshes[0] = &mesh
	return s
}

// Everything a delivery has is looked at: the file is written of a scene in which one thing was changed after it was
// sent, and a row of its own sees it, in every format that holds it.
func TestEveryPropertyIsLookedAt(t *testing.T) {
	ctx, to := context.Background(), target.Shipped[0]
	drawn := func(f format.Format) bool { return f.Drawn }
	for name, c := range map[string]struct {
		change func(s *scene.Scene)
		code   string
		in     func(f format.Format) bool // which formats have a word for it; nil for all
	}{
		"a colour":     {func(s *scene.Scene) { s.Materials[0].BaseColor[1] = .26 }, "colour", nil},
		"metal":        {func(s *scene.Scene) { s.Materials[1].Metallic = .5 }, "metallic", nil},
		"roughness":    {func(s *scene.Scene) { s.Materials[1].Roughness = .5 }, "roughness", nil},
		"a glow":       {func(s *scene.Scene) { s.Materials[0].Emissive[2] = .5 }, "glow", nil},
		"its strength": {func(s *scene.Scene) { s.Materials[0].Glow = 4 }, "glow", drawn},
		"opacity": {func(s *scene.Scene) {
			s.Materials[1].BaseColor[3], s.Materials[1].AlphaMode = .5,
				scene.Blend
		}, "opacity", nil},
		"a cut-off":  {func(s *scene.Scene) { s.Materials[1].AlphaMode = scene.Mask }, "cut-out", drawn},
		"sides":      {func(s *scene.Scene) { s.Materials[0].TwoSided = true }, "sides", drawn},
		"no light":   {func(s *scene.Scene) { s.Materials[0].Unlit = true }, "lighting", drawn},
		"a strength": {func(s *scene.Scene) { s.Materials[0].NormalScale = .5 }, "strengths", nil},
		"where a picture lies": {func(s *scene.Scene) { s.Materials[0].Maps[scene.UseBaseColor].Place.Offset[0] = .5 },
			"placing", nil},
		"a picture less": {func(s *scene.Scene) { s.Materials[0].Maps[scene.UseNormal] = scene.Map{} }, "textures",
			nil},
		"a picture of another": {func(s *scene.Scene) { s.Images[0] = plain(t, color.NRGBA{30, 40, 200, 255}, "paint.png") },
			"pictures", nil},
		"a pixel of a picture": {func(s *scene.Scene) {
			img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
			for i := range 64 {
				img.SetNRGBA(i%8, i/8, color.NRGBA{200, 40, 30, 255})
			}
			img.SetNRGBA(6, 1, color.NRGBA{160, 40, 30, 255})
			var b bytes.Buffer
			require.NoError(t, png.Encode(&b, img))
			s.Images[0].Data = b.Bytes()
		}, "pictures", nil},
		"a hidden node": {func(s *scene.Scene) { s.Nodes[0].Hidden = true }, "hidden",
			func(f format.Format) bool { return f.Hides }},
		"corners that fade": {func(s *scene.Scene) { s.Meshes[0].Colors.Values[0][3] = .25 }, "fading",
			func(f format.Format) bool { return f.Fades }},
		"no normals": {func(s *scene.Scene) { s.Meshes[0].Normals = scene.Layer[[3]float32]{} }, "corners",
			func(f format.Format) bool { return f.Bare }},
		"another colour at a corner": {func(s *scene.Scene) { s.Meshes[0].Colors.Values[0][0] = .5 }, "corners", nil},
	} {
		for _, f := range format.Written {
			sent, other := dressed(t), dressed(t)
			c.change(other)
			check := func(s *scene.Scene) *Certificate {
				pk, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "crate", to)
				require.NoError(t, err)
				cert, err := Check(ctx, scene.Delivery{Scene: sent}, pk, f, to)
				require.NoError(t, err)
				return cert
			}
			if !f.Physical { // what it has no place for is named on the packing list
				require.True(t, check(sent).Arrived(), "%s: %v", f.ID, failing(check(sent)))
				continue
			}
			require.True(t, check(sent).Equal(), "%s: %v", f.ID, failing(check(sent)))
			if c.in != nil && !c.in(f) {
				continue
			}
			cert := check(other)
			assert.False(t, cert.Arrived(), "%s in %s", name, f.ID)
			assert.False(t, row(t, cert, c.code).Settled(), "%s in %s: %v", name, f.ID, failing(cert))
		}
	}
}

// Normals that are gone from the written file are seen, by its bytes alone.
func TestNormalsTakenOutOfAnOBJ(t *testing.T) {
	ctx, to := context.Background(), target.Shipped[0]
	pk, err := format.Write(ctx, scene.Delivery{Scene: dressed(t)}, as(t, "obj"), "crate", to)
	require.NoError(t, err)
	var lines []string
	for _, l := range strings.Split(string(pk.Files[0].Data), "\n") {
		if strings.HasPrefix(l, "vn ") {
			continue
		}
		if strings.HasPrefix(l, "f ") {
			var corners []string
			for _, w := range strings.Fields(l)[1:] {
				p := strings.Split(w, "/")
				corners = append(corners, p[0]+"/"+p[1])
			}
			l = "f " + strings.Join(corners, " ")
		}
		lines = append(lines, l)
	}
	pk.Files[0].Data = []byte(strings.Join(lines, "\n"))
	c, err := Check(ctx, scene.Delivery{Scene: dressed(t)}, pk, as(t, "obj"), to)
	require.NoError(t, err)
	assert.False(t, c.Arrived())
	assert.Contains(t, row(t, c, "corners").Arrived, "without their normals")
}

// What a format can't hold is accepted when the packing list names it, and only that.
func TestOnlyWhatIsNamedIsAccepted(t *testing.T) {
	ctx, to := context.Background(), target.Shipped[0]
	sent := dressed(t)
	sent.Materials[0].TwoSided, sent.Materials[1].TwoSided, sent.Materials[0].Glow = true, true, 3
	pk, err := format.Write(ctx, scene.Delivery{Scene: sent}, as(t, "obj"), "crate", to)
	require.NoError(t, err)
	c, err := Check(ctx, scene.Delivery{Scene: sent}, pk, as(t, "obj"), to)
	require.NoError(t, err)
	assert.True(t, c.Arrived(), failing(c))
	assert.False(t, c.Equal())
	assert.Equal(t, "Arrived, less 3 things", c.Sentence())
	// With one line of the list gone, the same difference is none that is accepted.
	pk.Changes = slices.DeleteFunc(pk.Changes, func(ch pack.Change) bool { return ch.Of == "lid" })
	c, err = Check(ctx, scene.Delivery{Scene: sent}, pk, as(t, "obj"), to)
	require.NoError(t, err)
	assert.False(t, c.Arrived())
	assert.Equal(t, "Arrived different", c.Sentence())
	assert.False(t, row(t, c, "sides").Settled())
	assert.True(t, row(t, c, "glow").Settled())
}

// What is the same in another form is no difference.
func TestNoFalseAlarms(t *testing.T) {
	ctx := context.Background()
	bare := geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}
	for name, c := range map[string]struct {
		change func(s *scene.Scene)
		to     func(t *target.Target)
	}{
		"a UV set no corner uses": {func(s *scene.Scene) {
			m := *s.Meshes[0]
			m.UVs = append(slices.Clone(m.UVs),
				scene.UVSet{Name: "spare", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{0, 0}},
					Index: slices.Repeat([]int32{-1}, len(m.Corners))}})
			s.Meshes[0] = &m
		}, nil},
		"opacity in a picture of its own": {func(s *scene.Scene) {
			s.Images = append(s.Images, plain(t, color.NRGBA{100, 100, 100, 255}, "veil.png"))
			s.Textures = append(s.Textures, scene.Texture{Name: "veil.png", Image: 3, WrapU: scene.Repeat, WrapV: scene.Repeat})
			s.Materials[1].AlphaMode = scene.Blend
			s.Materials[1].Maps[scene.UseOpacity] = scene.Map{Texture: 4}
		}, nil},
		"a veil that fades by its value, with an alpha that does not count": {func(s *scene.Scene) {
			s.Images = append(s.Images, plain(t, color.NRGBA{10, 100, 200, 100}, "veil.png"))
			s.Textures = append(s.Textures, scene.Texture{Name: "veil.png", Image: 3, WrapU: scene.Repeat, WrapV: scene.Repeat})
			m := &s.Materials[1]
			m.AlphaMode, m.BaseColor[3] = scene.Blend, .5
			m.Maps[scene.UseBaseColor] = scene.Map{Texture: 4}
		}, nil},
		"two nodes of one name": {func(s *scene.Scene) {
			s.Nodes = append(s.Nodes, s.Nodes[0], s.Nodes[0])
			s.Nodes[1].Mesh, s.Nodes[1].Kind, s.Nodes[2].Mesh, s.Nodes[2].Kind = -1, scene.KindEmpty, -1, scene.KindEmpty
		}, nil},
		"a node without a name":            {func(s *scene.Scene) { s.Nodes[0].Name = "" }, nil},
		"an opaque colour with an opacity": {func(s *scene.Scene) { s.Materials[1].BaseColor[3] = .5 }, nil},
		"a target that assumes what is written": {func(*scene.Scene) {}, func(t *target.Target) {
			t.Basis = bare
			t.Reads.FBX.HonoursAxes, t.Reads.FBX.Basis = false, bare
		}},
		"a target with a frame of its own for glTF": {func(*scene.Scene) {}, func(t *target.Target) {
			t.Reads.GLTF.HonoursAxes, t.Reads.GLTF.Basis = false, geom.Basis{Up: geom.PosZ, Forward: geom.NegY}
			t.Reads.GLTF.HonoursUnit, t.Reads.GLTF.Unit = false, figure.Units[1]
		}},
		"a target that is left-handed in glTF too": {func(*scene.Scene) {}, func(t *target.Target) {
			t.Reads.GLTF.HonoursAxes, t.Reads.GLTF.Basis = false, bare
		}},
	} {
		for _, f := range format.Written {
			to := target.Shipped[0].Copy()
			sent := dressed(t)
			c.change(sent)
			if c.to != nil {
				c.to(&to)
			}
			sent = sent.Carried(geom.Linear(geom.GLTF.To(to.Basis)))
			sent.Basis = to.Basis
			pk, err := format.Write(ctx, scene.Delivery{Scene: sent}, f, "crate", to)
			require.NoError(t, err)
			cert, err := Check(ctx, scene.Delivery{Scene: sent}, pk, f, to)
			require.NoError(t, err)
			if !assert.True(t, cert.Arrived(), "%s in %s", name, f.ID) {
				for _, r := range cert.Rows {
					if !r.Settled() {
						t.Logf("%s: %s, not %s: %s", r.What, r.Arrived, r.Sent, r.Why)
					}
				}
			}
		}
	}
}

// The first figures are those of the mesh alone, whatever stands round it; what differs is always said.
func TestTheFirstFiguresAreTheMesh(t *testing.T) {
	ctx, to := context.Background(), target.Shipped[0]
	s := crate()
	hull := new(shape.Builder).Box(geom.Vec3{-1.1, -0.1, -2.1}, geom.Vec3{1.1, 3.6, 2.1}).Mesh("")
	hull.Slots = []int{-1}
	d := scene.Delivery{Scene: s,
		Collision: []scene.Shape{{Name: "crate hulls", Of: "crate", Kind: "hull", Mesh: hull, Frame: geom.Identity}}}
	pk, err := format.Write(ctx, d, as(t, "glb"), "crate", to)
	require.NoError(t, err)
	c, err := Check(ctx, d, pk, as(t, "glb"), to)
	require.NoError(t, err)
	assert.Equal(t, "2.00\u202fm", row(t, c, "width").Sent)
	assert.Equal(t, "24", row(t, c, "triangles").Sent)
	assert.NotContains(t, row(t, c, "slots").Sent, scene.NoSlot)
	// The same names in another order are no longer a row without a word.
	cert := &Certificate{}
	cert.list("parts", "Parts", "name", []string{"a", "b", "c"}, []string{"a", "c", "b"})
	assert.Contains(t, cert.Rows[0].Arrived, "another order: the first that differs is “c”, sent as “b”")
}
