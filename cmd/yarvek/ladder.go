package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/measure/cost"
	"yarvek/core/measure/deviation"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/station/lods"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// rung is a line of ladder's answer. Lengths are metres.
type rung struct {
	LOD        int               `json:"lod"`
	Triangles  int               `json:"triangles"`
	Share      float64           `json:"share"` // of the one before
	Vertices   int               `json:"vertices"`
	DrawCalls  int               `json:"drawCalls"`
	Deviation  deviation.Figures `json:"deviation"` // from the first, the larger of both directions
	From       float64           `json:"from"`      // it takes over at that distance
	Pixels     float64           `json:"pixels"`    // that its largest deviation is there
	Silhouette float64           `json:"silhouettePixels"`
	Screen     float64           `json:"screenShare"` // of the screen's height that the asset has there
}

func ladderCommand() *cobra.Command {
	usual := target.Shipped[0].View
	o := ladderOptions{view: ladder.View{Lines: usual.Lines, Angle: usual.Angle}}
	var out, mesh string
	var a asked
	c := &cobra.Command{Use: "ladder FILE|ZIP -o OUT.(obj|glb|gltf|fbx)", Args: cobra.ExactArgs(1),
		Short: "Make the LODs of a mesh file, and say from where each may take over",
		Long: "Prints one JSON object a LOD: what it costs, how far it is from the first, and from which distance on it " +
			"shows by no more than\n" +
			"the pixels allowed. Writes all of them into one file, as nodes named by the target's pattern, or as a LOD group. " +
			"Without --levels\n" +
			"there are as few as bring most of what could be saved. A short form of prepare: --set says the rest, as --set " +
			"levels=\"50 % from 12 m,3 mm\" or --set vanish=80.",
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case !(o.pixels >= 0.05 && o.pixels <= 50):
				return fmt.Errorf("%g pixels can't be allowed: expected 0.05 to 50", o.pixels)
			case c.Flags().Changed("levels") && o.levels < 1 || o.levels > lods.Most:
				return fmt.Errorf("%d LODs can't be made: expected 1 to %d", o.levels, lods.Most)
			case !(o.share > 0 && o.share < 1):
				return fmt.Errorf("a LOD can't have %g of the triangles of the one before: expected more than 0 and less than 1",
					o.share)
			case o.view.Lines < 1 || !(o.view.Angle > 0 && o.view.Angle < 180):
				return fmt.Errorf("no screen has %d lines over %g degrees", o.view.Lines, o.view.Angle)
			}
			p, err := a.decided(lods.Info.ID)
			if err != nil {
				return err
			}
			d, pixels := o.decided(p.LODs), p.LODs.Pixels
			if pixels > 0 && !c.Flags().Changed("pixels") {
				o.pixels = pixels
			}
			if d.Outside > 0 || slices.ContainsFunc(d.Levels, func(l lods.Level) bool { return l.Hand > 0 }) {
				return errors.New("what is left of the outside, and LODs of the file, are for prepare: ladder makes all of them")
			}
			return ladderFile(c, args[0], mesh, out, d, o)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().Float64Var(&o.pixels, "pixels", 1, "by which a LOD may show where it takes over")
	c.Flags().IntVar(&o.levels, "levels", 0, "LODs besides the first")
	c.Flags().Float64Var(&o.share, "share", 0.5, "of the triangles of the LOD before, with --levels")
	c.Flags().IntVar(&o.view.Lines, "lines", o.view.Lines, "of the screen")
	c.Flags().Float64Var(&o.view.Angle, "angle", o.view.Angle, "degrees that the screen sees upright")
	a.flags(c, lods.Info.ID)
	c.Flags().BoolVar(&o.group, "group", false, "write a LOD group, in formats that know such")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// ladderOptions are what is asked of ladder.
type ladderOptions struct {
	pixels, share float64
	levels        int // 0 for as few as bring the saving
	view          ladder.View
	group         bool
}

// decided are the decisions with the LODs that flags ask for; without any as few as bring the saving.
func (o ladderOptions) decided(d lods.Decisions) lods.Decisions {
	share := 1.0
	if o.levels > 0 {
		d.Levels, d.Few, d.None = nil, false, false
	}
	for range o.levels {
		share *= o.share
		d.Levels = append(d.Levels, lods.Level{Wish: ladder.Wish{Share: share}})
	}
	d.Few = d.Few || len(d.Levels) == 0
	return d
}

func ladderFile(c *cobra.Command, file, mesh, out string, d lods.Decisions, o ladderOptions) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s, ctx := m.scene, c.Context()
	climb, meshes := ladder.Down(ctx, s, d.Making, nil, nil)
	if more := d.Wanted(climb); len(more) > 0 && ctx.Err() == nil {
		climb, meshes = ladder.Down(ctx, s, d.Making, more, nil)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	size := s.Bounds().Size().Max()
	seen := lods.RangeOf(class.Unsorted, o.view, size, d.Vanish)
	placed, left := lods.Plan(d, climb, nil, o.view, o.pixels, seen, lods.Most, nil)
	stick := lods.NewYardstick(ctx, s)
	var list []lods.Fetched
	for _, p := range placed {
		x := lods.Fetched{Placed: p, Scene: ladder.Put(s, meshes[p.Mesh.Step])}
		x.Measured = stick.Measure(ctx, x.Scene)
		x.Visible = climb.Steps[p.Mesh.Step].Visible
		list = append(list, x)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	r := lods.Run(d, lods.Ask{View: o.view, Pixels: o.pixels, Scene: s, Cost: lods.Measured{Cost: cost.OfScene(ctx, s)},
		Slots: s.SlotNames(),
		Whole: climb, Size: size}, list, left)
	enc := json.NewEncoder(c.OutOrStdout())
	delivery := scene.Delivery{Scene: s}
	for i, l := range r.LODs {
		if i > 0 {
			delivery.LODs = append(delivery.LODs, scene.LOD{Scene: l.Scene, From: l.From, Screen: l.Screen})
		}
		if err := enc.Encode(rung{i, l.Cost.Triangles, l.Share, l.Cost.Vertices, l.Cost.DrawCalls, l.Deviation.Worst(),
			l.From, l.Pixels,
			l.Seen, l.Screen}); err != nil {
			return err
		}
	}
	by := export.Decisions{Format: f.ID}
	if o.group {
		by.LODs = export.LODsGroup
	}
	p, err := deliver.Make(ctx, deliver.Order{Delivery: delivery, Decisions: by, Asset: bareName(out),
		Target: ownFrame(s)})
	if err != nil {
		return err
	}
	if err := writeAll(p.Package, out, quietly); err != nil {
		return err
	}
	for _, f := range r.Findings() {
		fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", f.Title, f.Text)
	}
	return certified(c.ErrOrStderr(), p.Certificate)
}
