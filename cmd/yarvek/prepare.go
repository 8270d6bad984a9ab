package main

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// asked is what is decided on the command line: a prep from a file, and values on top of it.
type asked struct {
	file   string
	preset string
	sets   []string
}

// flags gives a command what decides it. Of a short form only decisions of its stations count, whose values may be
// named without the station.
func (a *asked) flags(c *cobra.Command, stations ...string) {
	of := "STATION.NAME=VALUE"
	if len(stations) > 0 {
		of = "NAME=VALUE at " + strings.Join(stations, " or ")
	}
	c.Flags().StringVar(&a.file, "prep", "", "JSON file with recorded decisions to apply")
	c.Flags().StringArrayVar(&a.sets, "set", nil, "decide a value, "+of+"; may be given again. The guide lists them all")
}

// decided is the prep that was asked for. Of stations that are named nothing else is taken, and a value of another is
// an error.
func (a asked) decided(stations ...string) (prep.Prep, error) {
	var p prep.Prep
	if a.file != "" {
		b, err := os.ReadFile(a.file)
		if err != nil {
			return p, err
		}
		if p, err = prep.ParseFile(b); err != nil {
			return p, fmt.Errorf("%s: %w", a.file, err)
		}
	}
	if a.preset != "" {
		b, err := os.ReadFile(a.preset)
		if err != nil {
			return p, err
		}
		_, by, err := export.ParsePreset(b)
		if err != nil {
			return p, fmt.Errorf("%s: %w", a.preset, err)
		}
		p.Export = by.For(p.Export)
	}
	if len(stations) == 0 {
		return p.Decide(a.sets...)
	}
	var only prep.Prep
	for _, id := range stations {
		d, err := p.Of(id)
		if err == nil {
			only, err = only.With(d)
		}
		if err != nil {
			return p, err
		}
	}
	return decidedAt(only, a.sets, stations...)
}

// decidedAt is a prep with values of some stations decided; a name without a station is of the first of them that
// has it.
func decidedAt(p prep.Prep, sets []string, stations ...string) (prep.Prep, error) {
	sets = slices.Clone(sets)
	for i, s := range sets {
		name, _, _ := strings.Cut(s, "=")
		at, _, dotted := strings.Cut(name, ".")
		if dotted && !slices.Contains(stations, at) {
			return p, fmt.Errorf("%s is decided at another station: give it to prepare", name)
		}
		if dotted {
			continue
		}
		at = stations[0]
		for _, id := range stations {
			if _, err := prep.Entry(id + "." + name); err == nil {
				at = id
				break
			}
		}
		sets[i] = at + "." + s
	}
	return p.Decide(sets...)
}

func prepareCommand() *cobra.Command {
	var out, targetID, mesh, release, save, grid, slotMap string
	var check bool
	var a asked
	c := &cobra.Command{Use: "prepare FILE|ZIP -o OUT", Args: cobra.ExactArgs(1),
		Aliases: []string{"export"},
		Short:   "Prepare a mesh file and write it for a target, as the pages do",
		Long: "Prints what was decided and what there is to say of it, writes it, reads it back and says whether it " +
			"arrived equal.\n" +
			"Decisions come from a prep, as a page of Source gives it, and from values on top, such as --set " +
			"collision.most=24.\n" +
			"What can hold it is looked for; --check looks for all that the pages tell.\n" +
			"Exits with 1, and writes nothing, when something must be fixed and no reason for releasing it is given, and with " +
			"3\n" +
			"when what was written arrived different.",
		RunE: func(c *cobra.Command, args []string) error {
			t, err := targetOf(targetID)
			if err != nil {
				return err
			}
			p, err := a.decided()
			if err != nil {
				return err
			}
			if _, ok := t.Class(p.Size.Class); !ok {
				return work.NoClass(t, p.Size.Class)
			}
			for _, line := range prep.Diff(prep.Prep{}, p) {
				fmt.Fprintf(c.OutOrStdout(), "decided: %s\n", line)
			}
			if save != "" {
				if err := os.WriteFile(save, append(p.JSON(), '\n'), 0o644); err != nil {
					return err
				}
			}
			in := prep.Input{Target: t, Make: true, Holds: !check}
			if grid != "" {
				if in.Grid, err = figure.ParseLength(grid, figure.Metre); err != nil {
					return fmt.Errorf("--grid: %w", err)
				}
			}
			if slotMap != "" {
				b, err := os.ReadFile(slotMap)
				if err != nil {
					return err
				}
				if in.SlotMap, err = work.ParseSlotMap(string(b)); err != nil {
					return fmt.Errorf("%s: %w", slotMap, err)
				}
			}
			return prepareFile(c, args[0], mesh, out, release, in, p)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().StringVar(&targetID, "target", target.Shipped[0].ID, "a target file, or one of "+targetIDs())
	a.flags(c)
	c.Flags().StringVar(&a.preset, "preset", "", "JSON file with how it is sent, as Export's page gives it")
	c.Flags().StringVar(&save, "save-prep", "", "JSON file to write all decisions to")
	c.Flags().StringVar(&grid, "grid", "", "the kit's grid, such as 50cm, for modular pieces")
	c.Flags().StringVar(&slotMap, "slot-map", "", "file with the kit's map of slot names, a line each")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	c.Flags().BoolVar(&check, "check", false, "look for faces that flicker and for how UVs lie, too, as the pages do")
	c.Flags().StringVar(&release, "release", "", "the reason for writing it although findings must be fixed")
	_ = c.MarkFlagRequired("out")
	return c
}

func targetIDs() string {
	var ids []string
	for _, t := range target.Shipped {
		ids = append(ids, t.ID)
	}
	return strings.Join(ids, ", ")
}

func prepareFile(c *cobra.Command, file, mesh, out, release string, in prep.Input, p prep.Prep) error {
	f, err := formatOf(out)
	if err != nil {
		return err
	}
	m, err := readMesh(c.Context(), file, mesh, p.Source.Variants)
	if err != nil {
		return err
	}
	defer m.close()
	in.Key, in.Scene, in.Findings, in.Revision = file, m.scene, m.found, 1
	r, err := prep.Run(c.Context(), in, p, prep.NewMemo(1<<30)) // what is asked for twice is made once
	if err != nil {
		return err
	}
	for _, stop := range r.Stops() {
		for _, f := range stop.Report.Findings() {
			fmt.Fprintf(c.OutOrStdout(), "%s: %s: %s. %s\n", f.Severity, stop.Name, f.Title, f.Text)
		}
	}
	switch mustFix, _ := r.Open(); {
	case mustFix > 0 && strings.TrimSpace(release) == "":
		fmt.Fprintf(c.OutOrStdout(), "held: nothing was written. Put right what must be fixed, or give --release REASON\n")
		return errSaid
	case mustFix > 0:
		fmt.Fprintf(c.OutOrStdout(), "released: %s\n", strings.TrimSpace(release))
	}
	// Of several formats with that suffix it is the one that is decided, or the target's.
	if chosen, err := p.Export.Chosen(in.Target.Prefers); err == nil && strings.EqualFold(chosen.Suffix, f.Suffix) {
		f = chosen
	}
	p.Export.Format, p.Export.Name = f.ID, ""
	parcel, err := deliver.Make(c.Context(), deliver.Order{Delivery: r.Delivery, Decisions: p.Export,
		Asset: bareName(out), Target: in.Target})
	if err != nil {
		return err
	}
	if err := writeAll(parcel.Package, out,
		func(to string, n int) { fmt.Fprintf(c.OutOrStdout(), "wrote %s, %d bytes\n", to, n) }); err != nil {
		return err
	}
	for _, ch := range parcel.Package.Changes {
		fmt.Fprintf(c.OutOrStdout(), "changed: %s: %s\n", ch.What, ch.Why)
	}
	return certified(c.OutOrStdout(), parcel.Certificate)
}
