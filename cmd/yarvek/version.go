package main

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/internal/build"
)

// version is what a build says of itself.
type version struct {
	build.Build
	Rules   int      `json:"rules"`   // of the stations: two builds of the same rules decide the same
	Readers int      `json:"readers"` // version of the readers, likewise
	Reads   []string `json:"reads"`   // suffixes
	Writes  []string `json:"writes"`  // IDs, as --set export.format takes them
}

func versionCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "version", Short: "Say which build this is, and which formats it reads and writes",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			v := version{Build: build.This(), Rules: prep.Rules, Readers: format.Version, Reads: format.Suffixes()}
			for _, f := range format.Written {
				v.Writes = append(v.Writes, f.ID)
			}
			if !asJSON {
				return v.tell(c.OutOrStdout())
			}
			e := json.NewEncoder(c.OutOrStdout())
			e.SetIndent("", "  ")
			return e.Encode(v)
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "as JSON")
	return c
}

// tell writes it for a person.
func (v version) tell(w io.Writer) error {
	var names []string
	for _, f := range format.Written {
		if f.Variant == "" {
			names = append(names, f.Name)
		}
	}
	commit := v.Commit
	if commit == "" {
		commit = "not known"
	}
	if v.Changed {
		commit += ", changed since"
	}
	_, err := fmt.Fprintf(w, "Yarvek %s\ncommit  %s\nbuilt   by Go %s for %s\nrules   %d, readers %d\nreads   %s\n"+
		"writes  %s\n",
		v.Version, commit, v.Go, v.System, v.Rules, v.Readers, strings.Join(v.Reads, " "),
		strings.Join(slices.Compact(names), ", "))
	return err
}
