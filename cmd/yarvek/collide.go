package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/collide/decompose"
	"yarvek/core/collide/fit"
	"yarvek/core/collide/gap"
	"yarvek/core/collide/passage"
	"yarvek/core/collide/solid"
	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// collided is what collide answers. Lengths are metres.
type collided struct {
	Shapes      int     `json:"shapes"`
	Points      int     `json:"points"`
	VolumeRatio float64 `json:"volumeRatio,omitempty"` // of the shapes together to the mesh; only of a closed one
	GapOut      gapped  `json:"gapOut"`                // from points of the mesh to the shapes
	GapIn       gapped  `json:"gapIn"`                 // from points of the shapes, outside of all others, to the mesh
	// Passages is of those the body named by --keep-open finds, nil without one.
	Passages *passages `json:"passages,omitempty"`
	Ms       int64     `json:"ms"` // finding passages and shapes
}

type gapped struct {
	Max  float64 `json:"max"`
	Mean float64 `json:"mean"`
}

type passages struct {
	Found int `json:"found"`
	Open  int `json:"open"`
}

// fitting is what a shape is asked for.
type fitting struct {
	kind       string
	hulls      int
	points     int
	concavity  float64 // metres
	keep       float64 // radius of the ball that passages stay open for; metres, 0 for none
	scene      *scene.Scene
	open       []fit.Ball
	sheet      float64  // metres that open surfaces are taken thick, 0 for the usual
	notes      []string // what is to be known, in words
	impossible []string // what could not be met, in words
}

// one is the shapes that a single one is fitted round all with.
func one(f func(ctx context.Context, h *geom.Hull, most int) solid.Solid) func(context.Context,
	*fitting) []solid.Solid {
	return func(ctx context.Context, a *fitting) []solid.Solid {
		pts := extents.Points(a.scene)
		h := geom.HullWithin(ctx, pts, geom.Finely)
		if len(h.Points) == 0 {
			h.Points = pts // in one place
		}
		return []solid.Solid{f(ctx, h, a.points)}
	}
}

// fits are the shapes there are, by the words of --shape.
var fits = map[string]func(context.Context, *fitting) []solid.Solid{
	"box":  one(func(_ context.Context, h *geom.Hull, _ int) solid.Solid { return solid.OfBox(fit.Upright(h.Points)) }),
	"obox": one(func(ctx context.Context, h *geom.Hull, _ int) solid.Solid { return solid.OfBox(fit.Smallest(ctx, h)) }),
	"sphere": one(func(_ context.Context, h *geom.Hull, _ int) solid.Solid {
		return solid.OfBall(fit.SmallestBall(h.Points))
	}),
	"capsule": one(func(ctx context.Context, h *geom.Hull, _ int) solid.Solid {
		return solid.OfCapsule(fit.SmallestCapsule(ctx, h))
	}),
	"slab": one(func(_ context.Context, h *geom.Hull, _ int) solid.Solid {
		return solid.OfBody(fit.SlabOf(h.Points, fit.Slabs[len(fit.Slabs)-1]).Body)
	}),
	"hull": one(func(ctx context.Context, h *geom.Hull, most int) solid.Solid {
		return solid.OfBody(fit.Around(ctx, h, most))
	}),
	"hulls": func(ctx context.Context, a *fitting) []solid.Solid {
		r := decompose.Of(ctx, a.scene, decompose.Options{Hulls: a.hulls, Points: a.points, Concavity: a.concavity,
			Open:  a.open,
			Sheet: a.sheet, Down: a.scene.Basis.Up.Vec().Mul(-1)})
		var list []solid.Solid
		for _, h := range r.Hulls {
			list = append(list, solid.OfBody(h.Body))
		}
		if r.Needs > a.hulls {
			a.impossible = append(a.impossible, fmt.Sprintf("with %d hulls a passage is filled: it takes --max-hulls %d",
				a.hulls, r.Needs))
		}
		if r.Sheets > 0 {
			a.notes = append(a.notes, fmt.Sprintf("%s taken %.4g mm thick; --sheet sets it",
				figure.Plural(r.Sheets, "open part was", "open parts were"), 1000*r.Sheet))
		}
		if n := len(r.Blocked); n > 0 {
			a.impossible = append(a.impossible, fmt.Sprintf("%d of %d places could not be kept open", n, len(a.open)))
		}
		return list
	},
}

const fitWords = "box, obox, sphere, capsule, slab, hull, hulls"

func collideCommand() *cobra.Command {
	var out, mesh string
	a := fitting{hulls: 16, points: 64}
	c := &cobra.Command{Use: "collide FILE|ZIP -o OUT.(obj|glb|gltf|fbx) --shape (" +
		strings.ReplaceAll(fitWords, ", ", "|") + ")",
		Args:  cobra.ExactArgs(1),
		Short: "Fit collision shapes to a mesh file, and say how well they fit",
		Long: "Prints one JSON object: shapes and their points, how much more they hold than the mesh, how far the two are " +
			"apart (metres,\n" +
			"both ways, sampled), passages found and still open, and the time. Writes the mesh with the shapes beside it, " +
			"named by the\n" +
			"target's pattern. One shape is fitted round all of the file, or as many hulls as it takes, up to --max-hulls; a " +
			"single hull\n" +
			"stays outside of the mesh, however few points it may have.",
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case fits[a.kind] == nil:
				return fmt.Errorf("%q is no shape: expected one of %s", a.kind, fitWords)
			case a.points < 8 || a.points > 4096:
				return fmt.Errorf("a hull can't have at most %d points: expected 8 to 4096", a.points)
			case a.hulls < 1 || a.hulls > 1024:
				return fmt.Errorf("there can't be at most %d hulls: expected 1 to 1024", a.hulls)
			case !(a.concavity >= 0) || !(a.keep >= 0):
				return fmt.Errorf("--concavity and --keep-open can't be below 0")
			}
			return collideFile(c, args[0], mesh, out, a)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().StringVar(&a.kind, "shape", "", "one of "+fitWords)
	c.Flags().IntVar(&a.hulls, "max-hulls", a.hulls, "that there may be")
	c.Flags().IntVar(&a.points, "max-points", a.points, "that a hull may have")
	c.Flags().Float64Var(&a.concavity, "concavity", 0, "millimetres deep that a hollow may be filled to save a hull")
	c.Flags().Float64Var(&a.sheet, "sheet", 0,
		"millimetres thick that open surfaces are taken; 0 for a hundredth of the size")
	c.Flags().Float64Var(&a.keep, "keep-open", 0, "radius in metres of a ball that passages stay open for; 0 for none")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	_ = c.MarkFlagRequired("shape")
	return c
}

// mostBalls bounds the places that are kept open.
const mostBalls = 300

func collideFile(c *cobra.Command, file, mesh, out string, a fitting) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s, ctx := m.scene, c.Context()
	if len(extents.Points(s)) == 0 {
		return fmt.Errorf("%s has no polygons to fit a shape round", file)
	}
	a.scene = s
	a.concavity, a.sheet = a.concavity/1000, a.sheet/1000
	began := time.Now()
	var ways *passage.Grid
	if a.keep > 0 {
		if ways, err = passage.New(ctx, s, passage.Body{Radius: a.keep}); err != nil {
			return fmt.Errorf("--keep-open %g: %w", a.keep, err)
		}
		a.open = ways.Balls(mostBalls)
	}
	list := fits[a.kind](ctx, &a)
	if err := ctx.Err(); err != nil {
		return err
	}
	answer := collided{Shapes: len(list), Ms: time.Since(began).Milliseconds()}
	for _, w := range append(a.notes, a.impossible...) {
		fmt.Fprintln(c.ErrOrStderr(), w)
	}
	to := ownFrame(s)
	pattern, err := to.Pattern(target.SolidName)
	if err != nil {
		return err
	}
	with := scene.Delivery{Scene: s}
	asset := bareName(out)
	var forms []*solid.Form
	var stand []passage.Shape
	volume := 0.0
	for i, x := range list {
		name, err := pattern.Make(map[string]string{"mesh": firstMesh(s), "asset": asset, "kind": string(x.Kind),
			"n": strconv.Itoa(i + 1)})
		if err != nil {
			return err
		}
		form := x.Form(ctx)
		m := form.Mesh(name)
		with.Collision = append(with.Collision, scene.Shape{Name: name, Mesh: m, Frame: geom.Identity})
		forms, stand = append(forms, form), append(stand, form)
		answer.Points += len(m.Points)
		volume += form.Volume()
	}
	is := extents.Of(ctx, s)
	closed := is.Closed && is.Volume != 0
	if closed {
		answer.VolumeRatio = volume / math.Abs(is.Volume)
	}
	if ways != nil {
		answer.Passages = &passages{Found: len(ways.Found)}
		for _, open := range ways.Open(stand, passage.Slack) {
			if open {
				answer.Passages.Open++
			}
		}
	}
	b := gap.NewMesh(ctx, s, closed).Of(ctx, forms, 0)
	answer.GapOut, answer.GapIn = gapped{b.Out.Max, b.Out.Mean}, gapped{b.In.Max, b.In.Mean}
	p, err := deliver.Make(ctx, deliver.Order{Delivery: with, Decisions: export.Decisions{Format: f.ID}, Asset: asset,
		Target: to})
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
