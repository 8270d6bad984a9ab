package main

import (
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/target"
)

// arrivals is the answer of arrive.
type arrivals struct {
	File    string             `json:"file"`
	Format  string             `json:"format"`
	Equal   bool               `json:"equal"` // at every target
	Targets []deliver.Standing `json:"targets"`
}

func arriveCommand() *cobra.Command {
	var mesh string
	var names []string
	var asJSON bool
	c := &cobra.Command{Use: "arrive FILE|ZIP [--target T]…", Args: cobra.ExactArgs(1),
		Short: "Say how a mesh file arrives at targets, whoever wrote it",
		Long: "Reads the file as each target would and sets that against what a receiver has that honours all the file " +
			"says: which way it stands and\n" +
			"looks, which side of its faces is out, how tall it is, where its origin is, whether LODs, collision, slots and " +
			"pictures are known.\n" +
			"Without --target it asks every target that ships. Exits with 3 where something arrives otherwise.",
		RunE: func(c *cobra.Command, args []string) error {
			list := target.Shipped
			if len(names) > 0 {
				list = nil
			}
			for _, n := range names {
				t, err := targetOf(n)
				if err != nil {
					return err
				}
				list = append(list, t)
			}
			m, err := readMesh(c.Context(), args[0], mesh, nil)
			if err != nil {
				return err
			}
			defer m.close()
			f, err := format.Of(m.scene)
			if err != nil {
				return err
			}
			a := arrivals{File: filepath.Base(args[0]), Format: f.Name, Equal: true}
			for _, t := range list {
				s := deliver.Stand(m.scene, f, t, nil)
				a.Targets, a.Equal = append(a.Targets, s), a.Equal && s.Equal()
			}
			if asJSON {
				e := json.NewEncoder(c.OutOrStdout())
				e.SetIndent("", "  ")
				err = e.Encode(a)
			} else {
				err = a.table(c.OutOrStdout())
			}
			if err == nil && !a.Equal {
				return fmt.Errorf("%w%w", errDifferent, errSaid) // the table says what
			}
			return err
		}}
	c.Flags().StringArrayVar(&names, "target", nil, "a target file, or one of "+targetIDs()+"; may be given again")
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip")
	c.Flags().BoolVar(&asJSON, "json", false, "as one JSON object")
	return c
}

// table writes a line a thing and a column a target; what arrives otherwise has a “!”.
func (a arrivals) table(w io.Writer) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprint(t, a.File)
	for _, s := range a.Targets {
		fmt.Fprint(t, "\t", s.Target)
	}
	fmt.Fprintln(t)
	for i, h := range deliver.Headings {
		fmt.Fprint(t, h)
		for _, s := range a.Targets {
			c, mark := s.Cells()[i], ""
			if !c.OK {
				mark = "! "
			}
			fmt.Fprint(t, "\t", mark, c.Says)
		}
		fmt.Fprintln(t)
	}
	return t.Flush()
}
