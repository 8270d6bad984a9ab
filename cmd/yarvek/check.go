package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/target"
	"yarvek/internal/batch"
	"yarvek/internal/report"
)

// exitCode ends a command whose message is already out with a code of its own.
type exitCode int

// Error is nothing: what there is to say was said.
func (exitCode) Error() string { return "" }

// ended is how a command ends that made a report.
func ended(r report.Report) error {
	if code := r.Worst(); code != 0 {
		return exitCode(code)
	}
	return nil
}

// reported writes a report in a form: text, json or junit.
func reported(w io.Writer, r report.Report, form string) error {
	switch form {
	case "text":
		r.Text(w)
	case "json":
		_, err := w.Write(r.JSON())
		return err
	case "junit":
		return r.JUnit(w)
	default:
		return fmt.Errorf("--format %s: expected text, json or junit", form)
	}
	return nil
}

func checkCommand() *cobra.Command {
	var targetID, class, prepFile, form string
	var sets []string
	c := &cobra.Command{Use: "check FILE|DIR…", Args: cobra.MinimumNArgs(1),
		Short: "Say everything that the stations find in mesh files, and whether they would arrive",
		Long: "Judges each mesh as the pages do, with all LODs and shapes that are decided, writes it in memory and reads\n" +
			"it back. Nothing is written. Of a folder all meshes below it are judged, by their own NAME.prep.json and by\n" +
			"the yarvek.json of their folders.\nExits with 0 where nothing must be fixed, 1 where something must, 2 where a " +
			"file can't be read, 3 where one would arrive otherwise.",
		Example: "  yarvek check props/hut.glb --target y-up-metres-right\n" +
			"  yarvek check props --format junit > report.xml",
		RunE: func(c *cobra.Command, args []string) error {
			if !slices.Contains([]string{"text", "json", "junit"}, form) {
				return fmt.Errorf("--format %s: expected text, json or junit", form)
			}
			t, err := targetOf(targetID)
			if err != nil {
				return err
			}
			by, err := asked{file: prepFile, sets: sets}.decided()
			if err != nil {
				return err
			}
			if class != "" {
				by.Size.Class = class
			}
			out := report.Report{Target: t.Name}
			for _, arg := range args {
				if info, err := os.Stat(arg); err == nil && info.IsDir() {
					list, err := checkDir(c, arg, t, by)
					if err != nil {
						return err
					}
					out.Assets = append(out.Assets, list...)
					continue
				}
				list, err := checkFile(c, arg, t, by)
				if err != nil {
					return err
				}
				out.Assets = append(out.Assets, list...)
			}
			out.Sort()
			if err := reported(c.OutOrStdout(), out, form); err != nil {
				return err
			}
			return ended(out)
		}}
	c.Flags().StringVar(&targetID, "target", target.Shipped[0].ID, "a target file, or one of "+targetIDs())
	c.Flags().StringVar(&class, "class", "", "the class of all, by its ID in the target")
	c.Flags().StringVar(&prepFile, "prep", "", "JSON file with recorded decisions for all that have none of their own")
	c.Flags().StringArrayVar(&sets, "set", nil, "decide a value, STATION.NAME=VALUE; may be given again")
	c.Flags().StringVar(&form, "format", "text", "text, json or junit")
	return c
}

// checkFile judges a file, or each mesh of a zip.
func checkFile(c *cobra.Command, file string, t target.Target, by prep.Prep) ([]report.Asset, error) {
	name := filepath.ToSlash(file)
	set, meshes, done, err := open(file)
	if err != nil {
		return []report.Asset{{File: name, Status: report.Unread, Error: err.Error()}}, nil
	}
	defer done()
	var list []report.Asset
	for _, m := range meshes {
		called := name
		if bundle.IsArchive(file) {
			called = name + "/" + m
		}
		a, _, err := batch.Assess(c.Context(), batch.Input{Set: set, Mesh: m, File: called, Name: bareName(m), Prep: by,
			Target: t, Release: "checked"})
		if err != nil {
			return nil, err
		}
		list = append(list, batch.Checked(a))
	}
	return list, nil
}

// checkDir judges all meshes below a folder.
func checkDir(c *cobra.Command, dir string, t target.Target, by prep.Prep) ([]report.Asset, error) {
	p, err := batch.New(c.Context(), dir, batch.Options{})
	if err != nil {
		return nil, err
	}
	return p.Check(c.Context(), t, by)
}

func diffCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "diff A B", Args: cobra.ExactArgs(2),
		Short: "Say what changed from one report to a later one, or from one mesh file to another",
		Long: "A and B are reports, as batch, check --format json and a kit's page give them, or two revisions or\n" +
			"exports of a mesh: its file, or a zip with all that belongs to it.\n" +
			"Exits with 1 where something is worse.",
		Example: "  yarvek diff monday.json friday.json\n  yarvek diff hut-1.fbx hut-2.fbx",
		RunE: func(c *cobra.Command, args []string) error {
			a, err := reportOf(c, args[0])
			if err != nil {
				return err
			}
			b, err := reportOf(c, args[1])
			if err != nil {
				return err
			}
			if len(a.Assets) == 1 && len(b.Assets) == 1 { // two files are one asset
				b.Assets[0].File, b.Assets[0].Name = a.Assets[0].File, a.Assets[0].Name
			}
			list := report.Compare(a, b)
			if asJSON {
				enc := json.NewEncoder(c.OutOrStdout())
				enc.SetIndent("", "  ")
				if err := enc.Encode(append([]report.Change{}, list...)); err != nil {
					return err
				}
			} else {
				sayChanges(c.OutOrStdout(), list)
			}
			if slices.ContainsFunc(list, func(x report.Change) bool { return len(x.Worse) > 0 }) {
				return exitCode(1)
			}
			return nil
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "as a JSON list")
	return c
}

// reportOf reads a report, or makes one of a mesh file.
func reportOf(c *cobra.Command, file string) (report.Report, error) {
	if strings.EqualFold(filepath.Ext(file), ".json") {
		b, err := os.ReadFile(file)
		if err != nil {
			return report.Report{}, err
		}
		r, err := report.Parse(b)
		if err != nil {
			return r, fmt.Errorf("%s: %w", file, err)
		}
		return r, nil
	}
	list, err := checkFile(c, file, target.Shipped[0], prep.Prep{})
	if err == nil && len(list) == 1 && list[0].Status == report.Unread {
		err = fmt.Errorf("%s: %s", file, list[0].Error)
	}
	return report.Report{Target: target.Shipped[0].Name, Assets: list}, err
}

func sayChanges(w io.Writer, list []report.Change) {
	if len(list) == 0 {
		fmt.Fprintln(w, "nothing changed")
	}
	for _, x := range list {
		fmt.Fprintln(w, x.Asset)
		for _, l := range []struct {
			mark  string
			lines []string
		}{{"+", x.Better}, {"!", x.Worse}, {" ", x.Other}} {
			for _, line := range l.lines {
				fmt.Fprintf(w, "  %s %s\n", l.mark, line)
			}
		}
	}
}
