package demo

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"

	"yarvek/core/cloud"
	"yarvek/core/format/bundle"
	"yarvek/core/format/collada"
	"yarvek/core/format/pack"
	"yarvek/core/format/ply"
	"yarvek/core/format/usd"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// bell is a scan of the fog bell as it came off the tripod: points with colours, the table it stood on, which was not
// level, and strays of the rail behind it.
func bell() *scene.Scene {
	const onBell, onTable, strays = 42_000, 18_000, 260
	rng := rand.New(rand.NewPCG(417, 11))
	// radius and height
	profile := [][2]float64{{0, .46}, {.07, .45}, {.12, .41}, {.13, .3}, {.16, .16}, {.24, .04}, {.26, 0}}
	lean := geom.Rotation(v3{1, 0, .6}.Unit(), 6.5*math.Pi/180)
	c := &cloud.Cloud{Name: "fog-bell", Type: "float"}
	names := [3]string{"red", "green", "blue"}
	var rgb [3][]float32
	add := func(p v3, colour [3]float64, spread float64) {
		for k := range p {
			p[k] += .0012 * rng.NormFloat64()
		}
		c.Points = append(c.Points, lean.Apply(p).Add(v3{.8, .35, -.4}))
		shade := spread * rng.NormFloat64()
		for k := range rgb {
			rgb[k] = append(rgb[k], float32(math.Round(min(255, max(0, 255*(colour[k]+shade))))))
		}
	}
	for range onBell {
		i := rng.IntN(len(profile) - 1)
		t, turn := rng.Float64(), 2*math.Pi*rng.Float64()
		r := profile[i][0] + t*(profile[i+1][0]-profile[i][0])
		h := profile[i][1] + t*(profile[i+1][1]-profile[i][1])
		green := .1 * noise(3*turn, 9*h, 64, 31) // verdigris
		add(v3{r * math.Cos(turn), h, r * math.Sin(turn)}, [3]float64{.42 - green, .34 + green, .2 + green}, .02)
	}
	for range onTable {
		x, z := .55*(2*rng.Float64()-1), .45*(2*rng.Float64()-1)
		add(v3{x, 0, z}, [3]float64{.55, .5, .42}, .03)
	}
	for range strays {
		add(v3{1.6 * rng.NormFloat64(), .5 + rng.Float64(), -2.2 - .4*rng.Float64()}, [3]float64{.7, .72, .74}, .05)
	}
	for k, name := range names {
		c.Fields = append(c.Fields, cloud.Field{Name: name, Type: "uchar", Single: rgb[k]})
	}
	m := &scene.Mesh{Name: "fog-bell", FaceStart: []int32{0}, Cloud: c}
	return &scene.Scene{Name: "fog-bell", Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{m},
		Nodes: []scene.Node{{Name: "fog-bell", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}}
}

func scan(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
	p, err := ply.Write(ctx, s, pack.Options{Name: s.Name, Basis: geom.GLTF, UnitMetres: 1})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

// inch is one in metres.
const inch = 0.0254

// gauge is a tide gauge from a library of parts that was drawn in inches, with +Z up.
func gauge() *scene.Scene {
	var k stock
	board := k.add("gauge board", [3]float64{}, "gauge_board.png", paint(64, whitewash))
	iron := k.add("bracket iron", [3]float64{.2, .22, .24}, "", nil)
	staff := new(shape.Builder).Slot(board).Box(v3{-3 * inch, 0, -inch}, v3{3 * inch, 96 * inch, inch}).Mesh("staff")
	fixing := new(shape.Builder).Slot(iron)
	for _, h := range []float64{12, 48, 84} {
		fixing.Box(v3{-4 * inch, h * inch, -3 * inch}, v3{4 * inch, (h + 1.5) * inch, -inch})
	}
	return k.scene("tide-gauge", staff, fixing.Mesh("brackets"))
}

func inches(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
	zUp := geom.Basis{Up: geom.PosZ, Forward: geom.NegY}
	p, err := collada.Write(ctx, s, pack.Options{Name: s.Name, Basis: zUp, UnitMetres: inch})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

// beacon is the harbour beacon's mast; what stands on it, and its paint, are variants of the scene it comes in.
func beacon() *scene.Scene {
	var k stock
	paintwork := k.add("mast paint", [3]float64{.85, .85, .8}, "", nil)
	mast := new(shape.Builder).Slot(paintwork).
		Lathe([][2]float64{{.34, 0}, {.34, .08}, {.2, .14}, {.14, 2.4}, {.22, 2.46}, {.22, 2.52}}, 20).Mesh("mast")
	return k.scene("harbour-beacon", mast)
}

// beaconHeads are what may stand on the mast.
func beaconHeads() map[string]*scene.Scene {
	var k, l stock
	glass := k.add("beacon glass", [3]float64{.75, .12, .1}, "", nil)
	k.materials[glass].Emissive = [3]float64{.5, .05, .04}
	lamp := new(shape.Builder).Slot(glass).Lathe([][2]float64{{.16, 2.52}, {.2, 2.66}, {.16, 2.86}, {0, 2.96}}, 20)
	brass := l.add("horn brass", [3]float64{.6, .45, .2}, "", nil)
	horn := new(shape.Builder).Slot(brass).Lathe([][2]float64{{.06, 2.52}, {.06, 2.7}, {.24, 3.1}}, 20)
	return map[string]*scene.Scene{"lamp": k.scene("beacon-lamp", lamp.Mesh("lamp")),
		"horn": l.scene("beacon-horn", horn.Mesh("horn"))}
}

// variants writes the beacon as a scene of layers: the mast, and each head in a file of its own.
func variants(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
	layer := func(s *scene.Scene) (bundle.File, error) {
		p, err := usd.Write(ctx, s, pack.Options{Name: s.Name, Basis: geom.GLTF, UnitMetres: 1})
		if err != nil {
			return bundle.File{}, err
		}
		return p.Files[0], nil
	}
	mast := *s
	mast.Name = "beacon-mast"
	files := make([]bundle.File, 1)
	heads := beaconHeads()
	for _, part := range []*scene.Scene{&mast, heads["lamp"], heads["horn"]} {
		f, err := layer(part)
		if err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	paint := usd.Identifier(s.Materials[0].Name)
	files[0] = bundle.File{Name: s.Name + ".usda", Data: fmt.Appendf(nil, `#usda 1.0
(
    defaultPrim = "beacon"
    metersPerUnit = 1
    upAxis = "Y"
)

def Xform "beacon" (
    variants = {
        string head = "lamp"
        string paint = "white"
    }
    prepend variantSets = ["head", "paint"]
)
{
    def Xform "mast" (
        references = @./%s@
    )
    {
    }

    variantSet "head" = {
        "lamp" {
            def Xform "head" (
                references = @./%s@
            )
            {
            }
        }
        "horn" {
            def Xform "head" (
                references = @./%s@
            )
            {
            }
        }
    }
    variantSet "paint" = {
        "white" {
        }
        "red" {
            over "mast"
            {
                over "Looks"
                {
                    over %q
                    {
                        over "Surface"
                        {
                            color3f inputs:diffuseColor = (0.55, 0.05, 0.04)
                        }
                    }
                }
            }
        }
    }
}
`, files[1].Name, files[2].Name, files[3].Name, paint)}
	return files, nil
}
