package main

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"

	"github.com/spf13/cobra"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/measure/cost"
	"yarvek/core/prep"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/station/budget"
	"yarvek/core/station/surface"
	"yarvek/core/target"
)

// remedies is what tidy was asked for.
type remedies struct {
	weld, thickness   float64 // millimetres; negative for not asked
	smooth            float64 // degrees; negative for not asked
	waste, order, all bool
	node, slot        string // that get the thickness, instead of all that is open
	asked             asked
}

// tidied is a line of tidy's answer.
type tidied struct {
	surface.Done
	Before float64 `json:"before,omitempty"` // of an order: vertices transformed a triangle
	After  float64 `json:"after,omitempty"`
}

func tidyCommand() *cobra.Command {
	var a remedies
	var out, mesh string
	c := &cobra.Command{Use: "tidy FILE|ZIP -o OUT", Args: cobra.ExactArgs(1),
		Short: "Put a mesh file's surface right",
		Long: "Applies the remedies that are asked for, and prints one JSON object a line: each remedy and what it " +
			"changed.\n" +
			"Nothing is changed that was not asked for; unit and axes stay as far as the format holds them.",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := a.decided()
			if err != nil {
				return err
			}
			if !p.Surface.Mends() && p.Budget == (budget.Decisions{}) {
				return fmt.Errorf("nothing is asked for: give --weld, --waste, --thickness, --smooth, --order, --all or --set")
			}
			return tidyFile(c, args[0], mesh, out, p)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().Float64Var(&a.weld, "weld", -1, "join points within so many millimetres")
	c.Flags().BoolVar(&a.waste, "waste", false, "take out triangles that add nothing to the shape")
	c.Flags().Float64Var(&a.thickness, "thickness", -1,
		"give all that is open so many millimetres of thickness, half to each side")
	c.Flags().StringVar(&a.node, "thick-node", "", "with --thickness: give it to the node of this key alone")
	c.Flags().StringVar(&a.slot, "thick-slot", "", "with --thickness: give it to faces of this slot alone")
	a.asked.flags(c, surface.Info.ID, budget.Info.ID)
	c.Flags().Float64Var(&a.smooth, "smooth", -1, "make normals anew, with edges hard above so many degrees")
	c.Flags().BoolVar(&a.order, "order", false, "order triangles and points for the vertex cache")
	c.Flags().BoolVar(&a.all, "all", false,
		"do all that changes neither shape nor look: join points that stand together, drop empty and doubled faces and "+
			"unused points, turn faces outward, cut bent polygons, mend normals, take out waste, and order")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// decided are the decisions that were asked for: those of a prep and of values, and what flags say on top.
func (a remedies) decided() (prep.Prep, error) {
	p, err := a.asked.decided(surface.Info.ID, budget.Info.ID)
	if err != nil {
		return p, err
	}
	d := &p.Surface
	if a.weld >= 0 {
		d.Weld = cmp.Or(a.weld/1000, surface.Exactly)
	}
	if a.thickness > 0 { // it is asked for, so that open bodies get it too
		*d = d.Thickened(surface.Thick{By: a.thickness / 1000, Node: a.node, Slot: a.slot, Open: a.node+a.slot == ""})
	}
	if a.smooth >= 0 {
		d.Smooth, d.Angle = mend.ByAngle, a.smooth
	}
	if a.all {
		d.Weld = cmp.Or(d.Weld, surface.Exactly)
		d.Empty, d.Doubled, d.Unused, d.Wind, d.Outward, d.Flat, d.Units = true, true, true, true, true, true, true
	}
	p.Budget.Waste = p.Budget.Waste || a.waste || a.all
	p.Budget.Order = p.Budget.Order || a.order || a.all
	return p, p.Validate()
}

func tidyFile(c *cobra.Command, file, mesh, out string, by prep.Prep) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s := m.scene
	enc := json.NewEncoder(c.OutOrStdout())
	enc.SetEscapeHTML(false)
	s, lines := surface.Mended(c.Context(), s, by.Surface)
	for _, l := range lines {
		if err := enc.Encode(tidied{Done: l}); err != nil {
			return err
		}
	}
	if s, err = spared(c, s, by.Budget, enc); err != nil {
		return err
	}
	p, err := format.Write(c.Context(), scene.Delivery{Scene: s}, f, bareName(out), ownFrame(s))
	if err != nil {
		return err
	}
	if err := writeAll(p, out, quietly); err != nil {
		return err
	}
	for _, ch := range p.Changes {
		fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", ch.What, ch.Why)
	}
	return nil
}

// spared takes out waste and orders triangles, as far as that is asked for.
func spared(c *cobra.Command, s *scene.Scene, by budget.Decisions, enc *json.Encoder) (*scene.Scene, error) {
	ctx := c.Context()
	if by.Waste {
		out, went := budget.Changed(ctx, s, budget.Decisions{Waste: true})
		if err := enc.Encode(tidied{Done: surface.Done{Remedy: "waste", What: "triangles that added nothing went",
			Count: went}}); err != nil {
			return s, err
		}
		s = out
	}
	if !by.Order {
		return s, ctx.Err()
	}
	before := costOf(ctx, s)
	out, _ := budget.Changed(ctx, s, budget.Decisions{Order: true})
	after := costOf(ctx, out)
	moved := 0
	for i, m := range out.Meshes {
		if m != s.Meshes[i] {
			moved += m.Triangles()
		}
	}
	round := func(v float64) float64 { return math.Round(v*1e4) / 1e4 }
	return out, cmp.Or(ctx.Err(),
		enc.Encode(tidied{Done: surface.Done{Remedy: "order", What: "triangles were put in another order", Count: moved},
			Before: round(before.MissesATriangle()), After: round(after.MissesATriangle())}))
}

// costOf adds up what all meshes of a scene cost, each once.
func costOf(ctx context.Context, s *scene.Scene) cost.Cost {
	var sum cost.Cost
	for _, m := range s.Meshes {
		sum = sum.Add(cost.Of(ctx, m))
	}
	return sum
}

// ownFrame is a receiver with the axes and the unit of a file itself.
func ownFrame(s *scene.Scene) target.Target {
	t := target.Shipped[0].Copy()
	t.Basis, t.Unit = s.Basis, figure.Unit{Name: "the file's unit", Symbol: "u", Metres: s.UnitMetres}
	return t
}
