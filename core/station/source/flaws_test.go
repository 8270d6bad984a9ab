package source

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// Broken meshes are told and never ticked.
func TestBrokenMeshesAreTold(t *testing.T) {
	turned := func() *scene.Mesh {
		m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("cube")
		for f := range m.Faces() {
			slices.Reverse(m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
		}
		return m
	}
	line := &scene.Mesh{Name: "line", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {0, 1, 0}},
		FaceStart: []int32{0, 3}, Corners: []int32{0, 1, 2}, Slots: []int{-1}}
	half := &scene.Mesh{Name: "half", Points: line.Points, FaceStart: []int32{0, 3, 6},
		Corners: []int32{0, 1, 2, 0, 1, 3}, Slots: []int{-1}}
	paint := scene.NewMaterial("paint")
	paint.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	painted := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("painted")
	bare := *painted
	bare.UVs = nil
	for name, c := range map[string]struct {
		m    *scene.Mesh
		code string
		sev  finding.Severity
	}{
		"sound":      {new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("x"), "", 0},
		"inside out": {turned(), "source/inside-out", finding.Look},
		"no area":    {line, "source/no-surface", finding.MustFix},
		"one flat":   {half, "source/flat-faces", finding.Look},
		"textured":   {painted, "", 0},
		"no UVs":     {&bare, "source/no-uvs", finding.Look},
	} {
		s := shape.Scene("x", []scene.Material{paint}, c.m)
		s.Textures = []scene.Texture{{}}
		s.Images = []scene.Image{{Name: "p.png"}}
		_, r := do(t, s, Decisions{})
		var codes []string
		for _, f := range r.Findings() {
			if f.Severity > finding.Note &&
				slices.Contains([]string{"source/inside-out", "source/no-surface", "source/flat-faces", "source/no-uvs"}, f.Code) {
				codes = append(codes, f.Code)
				assert.Equal(t, c.sev, f.Severity, name)
			}
		}
		if c.code == "" {
			assert.Empty(t, codes, name)
		} else {
			assert.Equal(t, []string{c.code}, codes, name)
		}
		// A mirrored place of a sound mesh is no mesh inside out.
		s.Nodes[0].Local.M[0][0] = -1
		_, r = do(t, s, Decisions{})
		assert.Equal(t, c.code == "source/inside-out", finding1(r, "source/inside-out") != nil, name)
	}
}
