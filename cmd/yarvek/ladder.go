package main

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/deviation"
	"yarvek/core/ladder"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
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
	o := ladder.Options{View: ladder.View{Lines: usual.Lines, Angle: usual.Angle}}
	var out, mesh string
	c := &cobra.Command{Use: "ladder FILE|ZIP -o OUT.(obj|glb|gltf|fbx)", Args: cobra.ExactArgs(1),
		Short: "Make the LODs of a mesh file, and say from where each may take over",
		Long: "Prints one JSON object a LOD: what it costs, how far it is from the first, and from which distance on it shows by no more than\n" +
			"the pixels allowed. Writes all of them into one file, as nodes named by the target's pattern.",
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case !(o.Pixels > 0 && o.Pixels <= 100):
				return fmt.Errorf("%g pixels can't be allowed: expected more than 0 and up to 100", o.Pixels)
			case o.Levels < 1 || o.Levels > mostLevels:
				return fmt.Errorf("%d LODs can't be made: expected 1 to %d", o.Levels, mostLevels)
			case !(o.Share > 0 && o.Share < 1):
				return fmt.Errorf("a LOD can't have %g of the triangles of the one before: expected more than 0 and less than 1", o.Share)
			case o.View.Lines < 1 || !(o.View.Angle > 0 && o.View.Angle < 180):
				return fmt.Errorf("no screen has %d lines over %g degrees", o.View.Lines, o.View.Angle)
			}
			return ladderFile(c, args[0], mesh, out, o)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().Float64Var(&o.Pixels, "pixels", 1, "by which a LOD may show where it takes over")
	c.Flags().IntVar(&o.Levels, "levels", 3, "LODs besides the first")
	c.Flags().Float64Var(&o.Share, "share", 0.5, "of the triangles of the LOD before")
	c.Flags().IntVar(&o.View.Lines, "lines", o.View.Lines, "of the screen")
	c.Flags().Float64Var(&o.View.Angle, "angle", o.View.Angle, "degrees that the screen sees upright")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// mostLevels is how many LODs there may be besides the first.
const mostLevels = 8

func ladderFile(c *cobra.Command, file, mesh, out string, o ladder.Options) error {
	f, err := formatOf(out)
	if err != nil {
		return err
	}
	m, err := readMesh(c.Context(), file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s := m.scene
	list := ladder.Of(c.Context(), s, o)
	if err := c.Context().Err(); err != nil {
		return err
	}
	enc := json.NewEncoder(c.OutOrStdout())
	d := scene.Delivery{Scene: s}
	for i, l := range list {
		if i > 0 {
			d.LODs = append(d.LODs, scene.LOD{Scene: l.Scene, From: l.From})
		}
		if err := enc.Encode(rung{i, l.Cost.Triangles, l.Share, l.Cost.Vertices, l.Cost.DrawCalls, l.Deviation.Worst(), l.From, l.Pixels,
			l.Silhouette, l.Screen}); err != nil {
			return err
		}
	}
	p, err := deliver.Make(c.Context(), deliver.Order{Delivery: d, Decisions: export.Decisions{Format: f.ID},
		Asset: bareName(out), Target: ownFrame(s)})
	if err != nil {
		return err
	}
	if err := writeAll(p.Package, out, quietly); err != nil {
		return err
	}
	for _, row := range p.Certificate.Rows {
		if !row.Equal {
			fmt.Fprintf(c.ErrOrStderr(), "arrived different: %s: sent %s, arrived %s. %s\n", row.What, row.Sent, row.Arrived, row.Why)
		}
	}
	if len(list)-1 < o.Levels {
		fmt.Fprintf(c.ErrOrStderr(), "%d of %d LODs: a further one would have hardly fewer triangles\n", len(list)-1, o.Levels)
	}
	return nil
}
