package target

import (
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/target/class"
)

const radian = math.Pi / 180

// Shipped are the conventions that cover most receivers. They are complete, and nobody writes
// to them; one copies them.
var Shipped = []Target{
	Framed("y-up-metres-right", "Y up · metres · right-handed", geom.Basis{Up: geom.PosY, Forward: geom.PosZ},
		figure.Metre),
	Framed("z-up-centimetres-left", "Z up · centimetres · left-handed", geom.Basis{Up: geom.PosZ, Forward: geom.PosX,
		Left: true}, figure.Units[1]),
	Framed("y-up-metres-left", "Y up · metres · left-handed", geom.Basis{Up: geom.PosY, Forward: geom.PosZ, Left: true},
		figure.Metre),
	Framed("z-up-metres-right", "Z up · metres · right-handed", geom.Basis{Up: geom.PosZ, Forward: geom.NegY},
		figure.Metre),
}

// Framed is a target with a frame of its own, and all else as the shipped ones have it.
func Framed(id, name string, b geom.Basis, u figure.Unit) Target {
	own := Reading{HonoursUnit: true, HonoursAxes: true, HonoursHand: true, KeepsNodes: true, Unit: u, Basis: b}
	standard := Reading{HonoursUnit: true, HonoursAxes: true, HonoursHand: true, KeepsNodes: true, Unit: figure.Metre,
		Basis: geom.GLTF}
	bare := Reading{KeepsNodes: true, Unit: u, Basis: b}
	return Target{ID: id, Revision: 1, Name: name, Basis: b, Unit: u,
		Reads:   Reads{FBX: own, GLTF: standard, OBJ: bare, COLLADA: own, USD: own, PLY: bare, STL: bare},
		Prefers: "glb",
		Arrival: Offset{Scale: 1},
		Needs:   Needs{IndexBits: 32},
		Classes: class.Usual,
		View:    View{Lines: 1080, Angle: 60, Tolerance: 1},
		Textures: Textures{Largest: 4096, PowerOfTwo: true, GreenUp: true, Packing: "none", Formats: map[string]string{
			"colour": "png", "normal": "png", "metal": "png", "rough": "png", "shade": "png", "glow": "png", "opacity": "png",
			"height": "png", "orm": "png"}},
		Solids: []Solid{{Kind: "box", For: "walking and physics"}, {Kind: "ball", For: "physics"},
			{Kind: "capsule", For: "physics"}, {Kind: "hull", For: "walking and physics"},
			{Kind: "surface", For: "shots, and walking where nothing simpler is there"}},
		Mixes: true,
		Pivot: Pivot{Place: "base"},
		Names: Names{Rules: naming.Rules{Letters: naming.AnyLetter, Marks: " -_.,+()&'#=@!", Case: naming.AsIs, Longest: 120},
			File: "{asset}", LOD: "{mesh} lod {n}", Solid: "{mesh} solid {kind} {n2}",
			Texture: "{slot} {role}", Folder: "{kit}"},
	}
}

// ByID finds a shipped target.
func ByID(id string) (Target, bool) {
	if i := slices.IndexFunc(Shipped, func(t Target) bool { return t.ID == id }); i >= 0 {
		return Shipped[i], true
	}
	return Target{}, false
}
