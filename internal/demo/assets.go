package demo

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

type v3 = geom.Vec3

// stock makes a material with a picture for its base colour.
type stock struct {
	materials []scene.Material
	textures  []scene.Texture
	images    []scene.Image
}

func (k *stock) add(name string, rgb [3]float64, picture string, data []byte) int {
	m := scene.NewMaterial(name)
	m.BaseColor = [4]float64{rgb[0], rgb[1], rgb[2], 1}
	m.Roughness = 0.8
	if data != nil {
		m.BaseColor = [4]float64{1, 1, 1, 1}
		m.Maps[scene.UseBaseColor] = scene.Map{Texture: k.texture(picture, data)}
	}
	k.materials = append(k.materials, m)
	return len(k.materials) - 1
}

func (k *stock) texture(name string, data []byte) int {
	k.images = append(k.images, scene.Image{Name: name, Data: data, MIME: "image/png"})
	k.textures = append(k.textures, scene.Texture{Image: len(k.images) - 1, WrapU: scene.Repeat, WrapV: scene.Repeat})
	return len(k.textures)
}

func (k *stock) scene(name string, meshes ...*scene.Mesh) *scene.Scene {
	s := shape.Scene(name, k.materials, meshes...)
	s.Textures, s.Images = k.textures, k.images
	return s
}

func bollard() *scene.Scene {
	var k stock
	cast := k.add("cast iron", [3]float64{}, "bollard_iron.png", paint(128, iron))
	k.materials[cast].Maps[scene.UseRoughness] = scene.Map{Texture: k.texture("bollard_rough.png", paint(64, roughness))}
	k.materials[cast].Metallic = 0.9
	band := k.add("signal band", [3]float64{0.75, 0.2, 0.1}, "", nil)
	b := new(shape.Builder).Slot(cast).
		Lathe([][2]float64{{.26, 0}, {.26, .06}, {.2, .09}, {.17, .14}, {.15, .4}, {.155, .48}}, 28).
		Lathe([][2]float64{{.155, .56}, {.2, .6}, {.22, .66}, {.2, .72}, {.12, .75}, {0, .76}}, 28).
		Slot(band).Lathe([][2]float64{{.156, .48}, {.156, .56}}, 28)
	return k.scene("mooring-bollard", b.Mesh("bollard"))
}

func lantern() *scene.Scene {
	var k stock
	paintwork := k.add("paintwork", [3]float64{}, "lantern_paint.png", paint(128, whitewash))
	glass := k.add("glass", [3]float64{0.7, 0.85, 0.85}, "", nil)
	k.materials[glass].BaseColor[3], k.materials[glass].AlphaMode, k.materials[glass].Roughness = 0.35, scene.Blend, 0.05
	trim := k.add("trim", [3]float64{0.1, 0.13, 0.15}, "", nil)
	lamp := k.add("lamp", [3]float64{1, 0.9, 0.6}, "", nil)
	k.materials[lamp].Emissive = [3]float64{1, 0.85, 0.5}
	post := new(shape.Builder).Slot(trim).Lathe([][2]float64{{.31, 0}, {.31, .07}, {.25, .07}, {.25, .13}}, 8).
		Slot(paintwork).Lathe([][2]float64{{.09, .13}, {.075, .68}}, 8).
		Slot(trim).Lathe([][2]float64{{.12, .68}, {.12, .75}}, 8).
		Slot(paintwork).Lathe([][2]float64{{.07, .75}, {.06, 1.28}}, 8)
	cage := new(shape.Builder).Slot(trim).Lathe([][2]float64{{.17, 1.28}, {.25, 1.36}}, 8).
		Slot(glass).Lathe([][2]float64{{.225, 1.36}, {.225, 1.84}}, 8).
		Slot(trim).Lathe([][2]float64{{.28, 1.84}, {.28, 1.9}, {.06, 2.08}, {.045, 2.08}, {.03, 2.184}}, 8)
	for i := range 8 {
		a := (float64(i)) * math.Pi / 4
		s, c := math.Sincos(a)
		cage.Place(geom.Affine{M: geom.Rotation(v3{0, 1, 0}, a), T: v3{.232 * s, 1.36, .232 * c}}).
			Box(v3{-.012, 0, -.012}, v3{.012, .48, .012})
	}
	light := new(shape.Builder).Slot(lamp).Lathe([][2]float64{{0, 1.4}, {.07, 1.46}, {.09, 1.56}, {.06, 1.66}, {0, 1.7}},
		12)
	return k.scene("signal-lantern", post.Mesh("lantern_post"), cage.Mesh("lantern_cage"), light.Mesh("lantern_lamp"))
}

func vane() *scene.Scene {
	var k stock
	iron := k.add("wrought iron", [3]float64{}, "vane_iron.png", paint(128, iron))
	gilt := k.add("gilt", [3]float64{0.8, 0.6, 0.2}, "", nil)
	mast := new(shape.Builder).Slot(iron).Lathe([][2]float64{{.16, 0}, {.16, .04}, {.05, .07}, {.03, .1}, {.022, 1.7},
		{0, 1.74}}, 12)
	for i, l := range []float64{.3, .3, .3, .3} {
		mast.Place(geom.Linear(geom.Rotation(v3{0, 1, 0}, float64(i)*math.Pi/2))).Box(v3{-.01, 1.18, 0}, v3{.01, 1.2, l})
	}
	arrow := new(shape.Builder).Slot(gilt).
		Prism([][2]float64{{-.42, 1.5}, {-.3, 1.5}, {-.24, 1.53}, {.3, 1.53}, {.3, 1.47}, {.46, 1.55}, {.3, 1.63}, {.3, 1.57},
			{-.24, 1.57}, {-.3, 1.64}, {-.42, 1.64}, {-.36, 1.57}}, -.012, .012)
	return k.scene("weather-vane", mast.Mesh("mast"), arrow.Mesh("arrow"))
}

func boardwalk() *scene.Scene {
	var k stock
	wood := k.add("planks", [3]float64{}, "boardwalk_planks.png", paint(256, planks))
	b := new(shape.Builder).Slot(wood)
	for i := range 10 {
		x := -1 + float64(i)*.2
		subdivided(b, v3{x + .008, .2, -.75}, v3{x + .192, .24, .75}, 9)
	}
	for _, z := range []float64{-.6, 0, .6} {
		b.Box(v3{-1, .1, z - .05}, v3{1, .2, z + .05})
	}
	for _, x := range []float64{-.8, .8} {
		for _, z := range []float64{-.6, .6} {
			b.Box(v3{x - .05, 0, z - .05}, v3{x + .05, .1, z + .05})
		}
	}
	return k.scene("boardwalk-2m", b.Mesh("boardwalk"))
}

// subdivided adds a box each side of which is cut into n by n quads that show nothing, and is a
// sheet of its own, as a tool leaves it that was told to divide and not to join.
func subdivided(b *shape.Builder, lo, hi v3, n int) {
	z := hi.Sub(lo)
	x, y, d := v3{z[0], 0, 0}, v3{0, z[1], 0}, v3{0, 0, z[2]}
	for _, side := range [][3]v3{
		{lo.Add(d), x, y}, {lo.Add(x), x.Mul(-1), y}, {hi.Sub(y), d.Mul(-1), y}, {lo, d, y},
		{lo.Add(y).Add(d), x, d.Mul(-1)}, {lo, x, d},
	} {
		b.Grid(n, n, func(u, v float64) v3 { return side[0].Add(side[1].Mul(u)).Add(side[2].Mul(v)) })
	}
}

func hut() *scene.Scene {
	var k stock
	wall := k.add("boarding", [3]float64{}, "hut_boarding.png", paint(256, planks))
	roof := k.add("roof felt", [3]float64{0.16, 0.18, 0.2}, "", nil)
	frame := k.add("frames", [3]float64{}, "hut_paint.png", paint(128, whitewash))
	pane := k.add("pane", [3]float64{0.5, 0.65, 0.7}, "", nil)
	const w, d, t = 1.6, 1.2, .1
	walls := new(shape.Builder).Slot(wall).
		// The front is a gable with a doorway cut out of it.
		Prism([][2]float64{{-w, 0}, {-.95, 0}, {-.95, 2.05}, {0, 2.05}, {0, 0}, {w, 0}, {w, 2.5}, {0, 3.4}, {-w, 2.5}}, d-t,
			d).
		Prism([][2]float64{{-w, 0}, {w, 0}, {w, 2.5}, {0, 3.4}, {-w, 2.5}}, -d, -d+t).
		Box(v3{-w, 0, -d + t}, v3{-w + t, 2.5, d - t}).
		Box(v3{w - t, 0, -d + t}, v3{w, 2.5, d - t})
	cover := new(shape.Builder).Slot(roof).
		Prism([][2]float64{{-w - .15, 2.41}, {0, 3.42}, {w + .15, 2.41}, {w + .15, 2.5}, {0, 3.5}, {-w - .15, 2.5}}, -d-.15,
			d+.15)
	door := new(shape.Builder).Slot(frame).Box(v3{-1.02, 0, d}, v3{-.95, 2.12, d + .03}).Box(v3{0, 0, d},
		v3{.07, 2.12, d + .03}).
		Box(v3{-.95, 2.05, d}, v3{0, 2.12, d + .03})
	window := new(shape.Builder).Slot(frame).Box(v3{.5, 1.2, d}, v3{1.2, 1.26, d + .03}).Box(v3{.5, 1.84, d},
		v3{1.2, 1.9, d + .03}).
		Box(v3{.5, 1.26, d}, v3{.56, 1.84, d + .03}).Box(v3{1.14, 1.26, d}, v3{1.2, 1.84, d + .03}).
		Slot(pane).Box(v3{.56, 1.26, d}, v3{1.14, 1.84, d + .012})
	return k.scene("tide-gauge-hut", walls.Mesh("walls"), cover.Mesh("roof"), door.Mesh("door_frame"),
		window.Mesh("window"))
}

// dinghy has a single-sided hull whose starboard half is the port half mirrored.
func dinghy() *scene.Scene {
	var k stock
	hull := k.add("hull", [3]float64{}, "dinghy_hull.png", paint(128, whitewash))
	wood := k.add("thwarts", [3]float64{}, "dinghy_wood.png", paint(128, planks))
	k.materials[hull].Maps[scene.UseNormal] = scene.Map{Texture: k.texture("dinghy_bumps.png", paint(128, dents))}
	k.materials[wood].Maps[scene.UseRoughness] = scene.Map{Texture: k.texture("dinghy_rough.png",
		paintOn(96, 64, roughness))}
	half := new(shape.Builder).Slot(hull).Grid(28, 10, func(u, v float64) v3 {
		z := 1.55 - 3.1*u
		bow := math.Pow(math.Max(0, 2*math.Abs(u-.42)), 2.4)
		beam := .62 * (1 - .92*math.Min(1, bow))
		if u > .42 {
			beam = .62 * (1 - .4*math.Min(1, bow))
		}
		keel := -.12 + .5*math.Pow(math.Max(0, 1-u*3), 2)
		side := .36 + .34*math.Pow(math.Max(0, 1-1.7*u), 2)
		t := v * math.Pi / 2
		return v3{-beam * math.Sin(t), keel + (side-keel)*(1-math.Cos(t)), z}
	})
	seats := new(shape.Builder).Slot(wood).Box(v3{-.5, .2, -.15}, v3{.5, .24, .1}).Box(v3{-.36, .2, -1.2},
		v3{.36, .24, -.9}).
		Box(v3{-.3, .21, -.1}, v3{.3, .24, .05}) // a board let into the seat, flush with it: the two flicker
	s := k.scene("dinghy", half.Mesh("hull_half"), seats.Mesh("thwarts"))
	s.Nodes = append(s.Nodes, scene.Node{Name: "hull_half_mirrored", Kind: scene.KindMesh, Parent: -1, Mesh: 0,
		Local: geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}})
	s.Nodes[0].Name = "hull half"
	return s
}

func shutter() *scene.Scene {
	var k stock
	wood := k.add("storm wood", [3]float64{}, "shutter.png", paint(128, planks))
	twin := k.add("storm wood 2", [3]float64{}, "shutter_copy.png", paint(128, planks))
	iron := k.add("hinge iron", [3]float64{0.15, 0.16, 0.17}, "", nil)
	k.add("unused lacquer", [3]float64{0.4, 0.1, 0.1}, "", nil)
	b := new(shape.Builder).Slot(wood).Box(v3{-.4, 0, -.02}, v3{-.33, 1.3, .02}).Box(v3{.33, 0, -.02}, v3{.4, 1.3, .02}).
		Slot(twin).Box(v3{-.33, 0, -.02}, v3{.33, .09, .02}).Box(v3{-.33, 1.21, -.02}, v3{.33, 1.3, .02})
	for i := range 12 {
		y := .12 + float64(i)*.09
		b.Place(geom.Affine{M: geom.Rotation(v3{1, 0, 0}, .6), T: v3{0, y + .035, 0}}).Slot(wood).Box(v3{-.33, -.04, -.006},
			v3{.33, .04, .006})
	}
	h := new(shape.Builder).Slot(iron).Box(v3{-.46, .2, .02}, v3{-.2, .26, .03}).Box(v3{-.46, 1.04, .02},
		v3{-.2, 1.1, .03})
	return k.scene("storm shutter", b.Mesh("shutter leaf"), h.Mesh("hinges"))
}

func anemometer() *scene.Scene {
	var k stock
	metal := k.add("anodised", [3]float64{}, "anemometer_metal.png", paint(128, iron))
	cup := k.add("cups", [3]float64{0.85, 0.85, 0.82}, "", nil)
	mast := new(shape.Builder).Slot(metal).Lathe([][2]float64{{.12, 0}, {.12, .02}, {.03, .05}, {.025, 1.2}, {.045, 1.22},
		{.045, 1.32},
		{0, 1.36}}, 16)
	bowl := new(shape.Builder).Slot(cup).Place(geom.Linear(geom.Rotation(v3{0, 0, 1}, math.Pi/2))).
		Lathe([][2]float64{{0, -.05}, {.03, -.042}, {.048, -.02}, {.05, 0}, {.046, 0}, {.028, -.038}, {0, -.045}}, 16)
	s := k.scene("anemometer", mast.Mesh("mast"), bowl.Mesh("cup"))
	s.Nodes = s.Nodes[:1]
	s.Nodes = append(s.Nodes, scene.Node{Name: "rotor", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(v3{0, 1.28, 0})})
	for i := range 3 {
		turn := geom.Linear(geom.Rotation(v3{0, 1, 0}, float64(i)*2*math.Pi/3))
		s.Nodes = append(s.Nodes, scene.Node{Name: []string{"cup A", "cup B", "cup C"}[i], Kind: scene.KindMesh, Parent: 1,
			Mesh:  1,
			Local: turn.Mul(geom.Translation(v3{0, 0, .18}))})
	}
	// A person put in for scale and forgotten.
	s.Meshes = append(s.Meshes, new(shape.Builder).Slot(cup).Box(v3{.7, 0, -.12}, v3{1.15, 1.8, .12}).Mesh("scale_dummy"))
	s.Nodes = append(s.Nodes, scene.Node{Name: "scale_dummy", Kind: scene.KindMesh, Parent: -1, Mesh: 2,
		Local: geom.Identity})
	return s.Carried(geom.Translation(v3{38.2, 0, -12.4}))
}

// rock is what a scanner makes of a boulder: dense, askew, sunk into the ground.
func rock() *scene.Scene {
	var k stock
	st := k.add("shore rock", [3]float64{}, "rock_albedo.png", paint(256, stone))
	b := new(shape.Builder).Slot(st).Grid(220, 110, func(u, v float64) v3 {
		t, f := v*math.Pi, math.Mod(u, 1)*2*math.Pi // the seam closes to the last bit
		d := v3{-math.Sin(t) * math.Cos(f), -math.Cos(t), math.Sin(t) * math.Sin(f)}
		n := 0.0
		for o, amp := 2.0, .22; o <= 32; o, amp = o*2, amp/2 {
			// Noise over the directions, three slices blended by how much they are faced.
			n += amp * (noise(d[0]*o+9, d[1]*o+9, 64, 21)*d[2]*d[2] + noise(d[1]*o+9, d[2]*o+9, 64, 22)*d[0]*d[0] +
				noise(d[2]*o+9, d[0]*o+9, 64, 23)*d[1]*d[1] - .5)
		}
		r := .75 + n
		return v3{d[0] * r * 1.25, d[1]*r*.8 + .25, d[2] * r}
	})
	s := k.scene("shore-rock", b.Mesh("scan_0417"))
	return s.Carried(geom.Linear(geom.Rotation(v3{0, 0, 1}, .12)))
}
