package scene

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
)

// dressed is a scene of two triangles with a material that has a picture.
func dressed() *Scene {
	m := NewMaterial("iron")
	m.Maps[UseBaseColor] = Map{Texture: 1}
	return &Scene{
		Images: []Image{{Name: "rust.png", Data: []byte("rust")}, {Name: "moss.png", Data: []byte("moss")}},
		Textures: []Texture{{Name: "rust", Image: 0, WrapU: Repeat, WrapV: Repeat},
			{Image: 1, WrapU: Repeat, WrapV: Repeat}},
		Materials: []Material{m, NewMaterial("stone")},
		Meshes: []*Mesh{{Name: "gate", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 1, 0}},
			FaceStart: []int32{0, 3, 6}, Corners: []int32{0, 1, 2, 1, 3, 2}, Slots: []int{0, 1}, Slot: []int32{0, 1}}},
	}
}

// What a material's sum tells apart is how it looks: each value, each picture and how it lies, and neither names nor
// numbers in lists.
func TestMaterialSumsTellLooksApart(t *testing.T) {
	was := dressed().MaterialSum(0)
	for name, change := range map[string]func(s *Scene){
		"name":          func(s *Scene) { s.Materials[0].Name = "old iron" },
		"texture name":  func(s *Scene) { s.Textures[0].Name = "" },
		"picture name":  func(s *Scene) { s.Images[0].Name, s.Images[0].Path = "a.png", "b/a.png" },
		"another image": func(s *Scene) { s.Images[1].Data = []byte("lichen") },
		"order": func(s *Scene) {
			s.Images[0], s.Images[1] = s.Images[1], s.Images[0]
			s.Textures[0].Image, s.Textures[1].Image = 1, 0
			s.Textures[0], s.Textures[1] = s.Textures[1], s.Textures[0]
			s.Materials[0].Maps[UseBaseColor].Texture = 2
		},
	} {
		s := dressed()
		change(s)
		assert.Equal(t, was, s.MaterialSum(0), name)
	}
	for name, change := range map[string]func(s *Scene){
		"colour":  func(s *Scene) { s.Materials[0].BaseColor[2] = .25 },
		"rough":   func(s *Scene) { s.Materials[0].Roughness = .31 },
		"sides":   func(s *Scene) { s.Materials[0].TwoSided = true },
		"alpha":   func(s *Scene) { s.Materials[0].AlphaMode = Mask },
		"picture": func(s *Scene) { s.Images[0].Data = []byte("rusT") },
		"gone":    func(s *Scene) { s.Materials[0].Maps[UseBaseColor] = Map{} },
		"use": func(s *Scene) {
			s.Materials[0].Maps[UseEmissive], s.Materials[0].Maps[UseBaseColor] = Map{Texture: 1}, Map{}
		},
		"set":     func(s *Scene) { s.Materials[0].Maps[UseBaseColor].UVSet = 1 },
		"channel": func(s *Scene) { s.Materials[0].Maps[UseBaseColor].Channel = Red },
		"placed":  func(s *Scene) { s.Materials[0].Maps[UseBaseColor].Place = &Placement{Scale: [2]float64{2, 2}} },
		"wrap":    func(s *Scene) { s.Textures[0].WrapU = Clamp },
	} {
		s := dressed()
		change(s)
		assert.NotEqual(t, was, s.MaterialSum(0), name)
	}
	assert.NotEqual(t, was, dressed().MaterialSum(1))
}

// A mesh's sum is of its shape and of which faces share a slot, whatever it and its slots are called or numbered.
func TestMeshSumsTellShapesApart(t *testing.T) {
	was := dressed().Meshes[0].Sum()
	for name, change := range map[string]func(m *Mesh){
		"name":  func(m *Mesh) { m.Name = "door" },
		"slots": func(m *Mesh) { m.Slots = []int{7, 3} },
		"turned slots": func(m *Mesh) {
			m.Slots, m.Slot = []int{1, 0}, []int32{1, 0}
		},
	} {
		m := dressed().Meshes[0]
		change(m)
		assert.Equal(t, was, m.Sum(), name)
	}
	for name, change := range map[string]func(m *Mesh){
		"point":    func(m *Mesh) { m.Points[3][0] = 1.0000001 },
		"cut":      func(m *Mesh) { m.Corners = []int32{0, 1, 3, 0, 3, 2} },
		"one slot": func(m *Mesh) { m.Slot = []int32{0, 0} },
		"normals":  func(m *Mesh) { m.Normals.Values = [][3]float32{{0, 0, 1}} },
		"smooth":   func(m *Mesh) { m.Smooth = []uint32{1, 1} },
	} {
		m := dressed().Meshes[0]
		change(m)
		assert.NotEqual(t, was, m.Sum(), name)
	}
}

// Each value that a material, a texture or a map has is in the sums: one that a later field would add, too.
func TestSumsLeaveNoFieldOut(t *testing.T) {
	whole := func() *Scene {
		s := dressed()
		s.Materials[0].Maps[UseBaseColor].Place = &Placement{Scale: [2]float64{1, 1}}
		return s
	}
	shapes, looks := whole().ShapeSum(), whole().MaterialSum(0)
	elsewhere := map[string]bool{"Name": true, "Image": true, "Texture": true} // not how a material looks
	var vary func(path string, at func(s *Scene) reflect.Value)
	vary = func(path string, at func(s *Scene) reflect.Value) {
		v := at(whole())
		switch v.Kind() {
		case reflect.Struct:
			for i := range v.NumField() {
				vary(path+"."+v.Type().Field(i).Name, func(s *Scene) reflect.Value { return at(s).Field(i) })
			}
			return
		case reflect.Array:
			for i := range v.Len() {
				if v.Type().Elem() != reflect.TypeFor[Map]() || Use(i) == UseBaseColor {
					vary(fmt.Sprintf("%s[%d]", path, i), func(s *Scene) reflect.Value { return at(s).Index(i) })
				}
			}
			return
		case reflect.Pointer:
			vary(path, func(s *Scene) reflect.Value { return at(s).Elem() })
			return
		}
		s := whole()
		switch v := at(s); v.Kind() {
		case reflect.String:
			v.SetString(v.String() + "x")
		case reflect.Float64:
			v.SetFloat(v.Float() + .125)
		case reflect.Bool:
			v.SetBool(!v.Bool())
		default:
			v.SetInt(v.Int() + 1)
		}
		assert.NotEqual(t, shapes, s.ShapeSum(), path)
		if at := strings.LastIndex(path, "."); !elsewhere[path[at+1:]] {
			assert.NotEqual(t, looks, s.MaterialSum(0), path)
		}
	}
	vary("material", func(s *Scene) reflect.Value { return reflect.ValueOf(&s.Materials[0]).Elem() })
	vary("texture", func(s *Scene) reflect.Value { return reflect.ValueOf(&s.Textures[0]).Elem() })
}
