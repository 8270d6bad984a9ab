package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/collide/gap"
	"yarvek/core/collide/passage"
	"yarvek/core/collide/solid"
	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/collision"
	"yarvek/core/station/export"
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

// fitWords are the shapes there are, by the words of --shape.
var fitWords = map[string]collision.Form{"box": collision.Box, "obox": collision.Turned, "sphere": collision.Ball,
	"capsule": collision.Capsule, "slab": collision.Slab, "hull": collision.OneHull, "hulls": collision.Hulls}

const fitNames = "box, obox, sphere, capsule, slab, hull, hulls"

// fitFlags are those of collide that say a fit in fewer words than --set.
type fitFlags struct {
	shape            string
	hulls, points    int
	concavity, sheet float64 // millimetres
	keep             float64 // radius of the ball that passages stay open for; metres, 0 for none
	at               []string
	flat             bool
}

func collideCommand() *cobra.Command {
	var out, mesh string
	var a asked
	var by fitFlags
	c := &cobra.Command{Use: "collide FILE|ZIP -o OUT.(obj|glb|gltf|fbx) --shape (" +
		strings.ReplaceAll(fitNames, ", ", "|") + ")",
		Args:  cobra.ExactArgs(1),
		Short: "Fit collision shapes to a mesh file, and say how well they fit",
		Long: "Prints one JSON object: shapes and their points, how much more they hold than the mesh, how far the two are " +
			"apart (metres,\n" +
			"both ways, sampled), passages found and still open, and the time. Writes the mesh with the shapes beside it, " +
			"named by the\n" +
			"target's pattern. One shape is fitted round all of the file, or as many hulls as it takes, up to --max-hulls; a " +
			"single hull\n" +
			"stays outside of the mesh, however few points it may have. A short form of prepare: --set says the rest, as\n" +
			"--set planes=18,\n--set slot=wood, --set nodes=roof or --set within=2mm.",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := by.decided(c, a)
			if err != nil {
				return err
			}
			return collideFile(c, args[0], mesh, out, d)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().StringVar(&by.shape, "shape", "", "one of "+fitNames)
	c.Flags().IntVar(&by.hulls, "max-hulls", collision.UsualHulls, "that there may be")
	c.Flags().IntVar(&by.points, "max-points", collision.UsualPoints, "that a hull may have")
	c.Flags().Float64Var(&by.concavity, "concavity", 0, "millimetres deep that a hollow may be filled to save a hull")
	c.Flags().Float64Var(&by.sheet, "sheet", 0,
		"millimetres thick that open surfaces are taken; 0 for a hundredth of the size")
	c.Flags().Float64Var(&by.keep, "keep-open", 0, "radius in metres of a ball that passages stay open for; 0 for none")
	c.Flags().StringArrayVar(&by.at, "at", nil,
		"X,Y,Z in metres as read: fit to the part nearest to it; may be given again")
	c.Flags().BoolVar(&by.flat, "flat", false, "with --at: only to the flat faces there")
	a.flags(c, collision.Info.ID)
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// decided are the decisions that flags, a prep and values on top come to.
func (by fitFlags) decided(c *cobra.Command, a asked) (collision.Decisions, error) {
	given := func(name string) bool { return c.Flags().Changed(name) }
	form, known := fitWords[by.shape]
	if !known && given("shape") {
		return collision.Decisions{}, fmt.Errorf("%q is no shape: expected one of %s", by.shape, fitNames)
	}
	var sets []string
	set := func(yes bool, name string, value any) {
		if yes {
			sets = append(sets, fmt.Sprintf("%s.%s=%v", collision.Info.ID, name, value))
		}
	}
	hull := form == collision.Hulls || form == collision.OneHull
	set(known, "form", form)
	set(given("max-hulls") && form == collision.Hulls, "most", by.hulls)
	set(given("max-points") && hull, "points", by.points)
	set(by.concavity != 0 && form == collision.Hulls, "concavity", by.concavity)
	set(by.sheet != 0 && form == collision.Hulls, "sheet", by.sheet)
	if given("keep-open") {
		if !(by.keep >= 0) {
			return collision.Decisions{}, errors.New("--keep-open can't be below 0")
		}
		set(by.keep > 0, "tall", 0)
		set(by.keep > 0, "wide", 2*by.keep)
	}
	p, err := asked{file: a.file, sets: append(sets, a.sets...)}.decided(collision.Info.ID)
	d := p.Collision
	switch {
	case err != nil:
		return d, err
	case len(d.Fits) == 0:
		return d, fmt.Errorf("nothing is asked for: give --shape, one of %s", fitNames)
	}
	for _, s := range by.at {
		at, err := figure.TypedPoint(s)
		if err != nil {
			return d, fmt.Errorf("--at %s: expected three numbers with commas between", s)
		}
		d.Fits[0].At, d.Fits[0].Flat = append(d.Fits[0].At, at), by.flat
	}
	if d.Keep == (collision.Keep{}) { // nothing said of passages: none are looked for
		d.Keep.None = true
	}
	return d, d.Validate()
}

// mostBalls bounds the places that are kept open.
const mostBalls = 300

func collideFile(c *cobra.Command, file, mesh, out string, d collision.Decisions) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s, ctx := m.scene, c.Context()
	if s.Dotted() {
		s = s.Hulled(ctx) // shapes are fitted round what is dense
	}
	if len(extents.Points(s)) == 0 {
		return fmt.Errorf("%s has no polygons to fit a shape round", file)
	}
	began := time.Now()
	var ways *passage.Grid
	up := s.Basis.Up.Vec()
	room := collision.Room{Down: up.Mul(-1)}
	if k := d.Keep; !k.None {
		if ways, err = passage.New(ctx, s, passage.Body{Radius: k.Radius, Height: k.Height, Up: up}); err != nil {
			return fmt.Errorf("a body of radius %g m: %w", k.Radius, err)
		}
		room.Open = ways.Balls(mostBalls)
	}
	var list []solid.Solid
	for _, by := range d.Fits {
		meant := by.Meant(s, s.Keys())
		if len(meant) == 0 {
			return fmt.Errorf("%s has no mesh called %s: it has %s", file, strings.Join(by.Nodes, " or "),
				station.Some(s.Keys()))
		}
		if by.Slot != "" && !slices.Contains(s.SlotNames(), by.Slot) {
			return noSlot(s, by.Slot)
		}
		made := collision.FitTo(ctx, s, meant, by, room, func(float64) {})
		list = append(list, made.Solids...)
		for _, w := range said(made, by, len(room.Open)) {
			fmt.Fprintln(c.ErrOrStderr(), w)
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	answer := collided{Shapes: len(list), Ms: time.Since(began).Milliseconds()}
	to := ownFrame(s)
	pattern, err := to.SolidNames()
	if err != nil {
		return err
	}
	with := scene.Delivery{Scene: s}
	asset := bareName(out)
	var forms []*solid.Form
	var stand []passage.Shape
	volume := 0.0
	for i, x := range list {
		name, err := pattern.Name(firstMesh(s), asset, string(x.Kind), i+1)
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
	if d.Surface.Share > 0 {
		touched := collision.SurfaceOf(ctx, s, d.Surface)
		name, err := pattern.Name(firstMesh(s), asset, collision.SurfaceKind, len(list)+1)
		if err != nil {
			return err
		}
		with.Collision = append(with.Collision, scene.Shape{Name: name, Kind: collision.SurfaceKind, Mesh: touched.Mesh,
			Frame: geom.Identity})
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

// said is what is to be known of a fit, and what could not be met, in words. open is how many places were to be kept
// open.
func said(made collision.Made, by collision.Fit, open int) (list []string) {
	if made.Sheets > 0 {
		list = append(list, fmt.Sprintf("%s taken %.4g mm thick; --sheet sets it",
			figure.Plural(made.Sheets, "open part was", "open parts were"), 1000*made.Sheet))
	}
	if most := cmp.Or(by.Most, collision.UsualHulls); made.More > 0 {
		list = append(list, fmt.Sprintf("with %d hulls a passage is filled: it takes --max-hulls %d", most, most+made.More))
	}
	if made.Blocked > 0 {
		list = append(list, fmt.Sprintf("%d of %d places could not be kept open", made.Blocked, open))
	}
	if made.Short {
		list = append(list, "so few points can't be so near: the hull stays outside")
	}
	return list
}

// noSlot says that a scene has no slot of a name.
func noSlot(s *scene.Scene, name string) error {
	return fmt.Errorf("no slot is called %q: the file has %s", name, strings.Join(s.SlotNames(), ", "))
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
