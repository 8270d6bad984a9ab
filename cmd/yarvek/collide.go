package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/deviation"
	"yarvek/core/fit"
	"yarvek/core/geom"
	"yarvek/core/measure"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/solid"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// collided is what collide answers. Lengths are metres.
type collided struct {
	Shapes      int     `json:"shapes"`
	Points      int     `json:"points"`
	VolumeRatio float64 `json:"volumeRatio,omitempty"` // of the shape to the mesh; only of a closed one
	GapOut      gap     `json:"gapOut"`                // from points of the mesh to the shape
	GapIn       gap     `json:"gapIn"`                 // from points of the shape to the mesh
	Ms          int64   `json:"ms"`                    // fitting alone
}

type gap struct {
	Max  float64 `json:"max"`
	Mean float64 `json:"mean"`
}

// fitted is a shape round a hull: its kind by the target's words, its mesh, and its exact volume.
type fitted struct {
	kind   string
	mesh   *scene.Mesh
	volume float64
}

// fits are the shapes there are, by the words of --shape.
var fits = map[string]func(ctx context.Context, h *geom.Hull, most int) fitted{
	"box": func(_ context.Context, h *geom.Hull, _ int) fitted {
		b := fit.Upright(h.Points)
		return fitted{"box", solid.Of("", b.Body()), b.Volume()}
	},
	"obox": func(ctx context.Context, h *geom.Hull, _ int) fitted {
		b := fit.Smallest(ctx, h)
		return fitted{"box", solid.Of("", b.Body()), b.Volume()}
	},
	"sphere": func(_ context.Context, h *geom.Hull, _ int) fitted {
		b := fit.SmallestBall(h.Points)
		return fitted{"ball", solid.OfBall("", b), b.Volume()}
	},
	"capsule": func(ctx context.Context, h *geom.Hull, _ int) fitted {
		c := fit.SmallestCapsule(ctx, h)
		return fitted{"capsule", solid.OfCapsule("", c), c.Volume()}
	},
	"slab": func(_ context.Context, h *geom.Hull, _ int) fitted {
		s := fit.SlabOf(h.Points, fit.Slabs[len(fit.Slabs)-1])
		return fitted{"hull", solid.Of("", s.Body), s.Body.Volume()}
	},
	"hull": func(ctx context.Context, h *geom.Hull, most int) fitted {
		b := fit.Around(ctx, h, most)
		return fitted{"hull", solid.Of("", b), b.Volume()}
	},
}

const fitWords = "box, obox, sphere, capsule, slab, hull"

func collideCommand() *cobra.Command {
	var out, mesh, kind string
	most := 64
	c := &cobra.Command{Use: "collide FILE|ZIP -o OUT.(obj|glb|gltf|fbx) --shape (" + strings.ReplaceAll(fitWords, ", ", "|") + ")",
		Args:  cobra.ExactArgs(1),
		Short: "Fit a collision shape round a mesh file, and say how well it fits",
		Long: "Prints one JSON object: points, how much more the shape holds than the mesh, how far the two are apart (metres, both ways,\n" +
			"sampled), and the time. Writes the mesh with the shape beside it, named by the target's pattern. One shape is fitted round all of\n" +
			"the file; a hull stays outside it, however few points it may have.",
		RunE: func(c *cobra.Command, args []string) error {
			if fits[kind] == nil {
				return fmt.Errorf("%q is no shape: expected one of %s", kind, fitWords)
			}
			if most < 8 || most > 4096 {
				return fmt.Errorf("a hull can't have at most %d points: expected 8 to 4096", most)
			}
			return collideFile(c, args[0], mesh, out, kind, most)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().StringVar(&kind, "shape", "", "one of "+fitWords)
	c.Flags().IntVar(&most, "max-points", most, "that a hull may have")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	_ = c.MarkFlagRequired("shape")
	return c
}

func collideFile(c *cobra.Command, file, mesh, out, kind string, most int) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s, ctx := m.scene, c.Context()
	pts := measure.Points(s)
	if len(pts) == 0 {
		return fmt.Errorf("%s has no polygons to fit a shape round", file)
	}
	began := time.Now()
	h := geom.HullWithin(ctx, pts, geom.Finely)
	if len(h.Points) == 0 {
		h.Points = pts // on one line, or in one place
	}
	got := fits[kind](ctx, h, most)
	if err := ctx.Err(); err != nil {
		return err
	}
	answer := collided{Shapes: 1, Points: len(got.mesh.Points), Ms: time.Since(began).Milliseconds()}
	if is := measure.Of(ctx, s); is.Closed && is.Volume != 0 {
		answer.VolumeRatio = got.volume / math.Abs(is.Volume)
	}
	to := ownFrame(s)
	pattern, err := to.Pattern(target.SolidName)
	if err != nil {
		return err
	}
	asset := bareName(out)
	name, err := pattern.Make(map[string]string{"mesh": firstMesh(s), "asset": asset, "kind": got.kind, "n": "1"})
	if err != nil {
		return err
	}
	got.mesh.Name = name
	// Both ways: out from the mesh, and in from the shape.
	d := deviation.Of(ctx, s, shape.Scene(name, nil, got.mesh), 100_000)
	answer.GapOut, answer.GapIn = gap{d.There.Max, d.There.Mean}, gap{d.Back.Max, d.Back.Mean}
	with := scene.Delivery{Scene: s, Collision: []scene.Shape{{Name: name, Mesh: got.mesh, Frame: geom.Identity}}}
	p, err := deliver.Make(ctx, deliver.Order{Delivery: with, Decisions: export.Decisions{Format: f.ID}, Asset: asset, Target: to})
	if err != nil {
		return err
	}
	if err := writeAll(p.Package, out, quietly); err != nil {
		return err
	}
	enc := json.NewEncoder(c.OutOrStdout())
	enc.SetEscapeHTML(false)
	return enc.Encode(answer)
}

// firstMesh is the name of the first node that places a mesh.
func firstMesh(s *scene.Scene) string {
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			return n.Name
		}
	}
	return s.Name
}
