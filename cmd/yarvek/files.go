package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/inspect"
	"yarvek/core/prep"
	"yarvek/core/target"
)

// How far companions are looked for beside a mesh: how many files, and how many folders
// deep.
const (
	maxBeside = 20000
	maxDeep   = 3
)

// load gathers a mesh file and the files beside it that it refers to. Nothing outside its
// folder is opened, and nothing is read before a reader asks for it.
func load(file string) (*bundle.Bundle, string, error) {
	dir, name := filepath.Dir(file), filepath.Base(file)
	if _, err := os.Stat(file); err != nil {
		return nil, "", err
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, "", err
	}
	defer root.Close()
	read := func(p string) func() ([]byte, error) {
		return func() ([]byte, error) {
			root, err := os.OpenRoot(dir)
			if err != nil {
				return nil, err
			}
			defer root.Close()
			return root.ReadFile(p)
		}
	}
	files := []bundle.File{{Name: name, Load: read(name)}}
	n := 0
	err = fs.WalkDir(root.FS(), ".", func(p string, d fs.DirEntry, err error) error {
		if n++; n > maxBeside {
			return fs.SkipAll
		}
		switch {
		case err != nil || p == name || p == ".":
		case d.IsDir() && strings.Count(p, "/") >= maxDeep:
			return fs.SkipDir
		case d.Type().IsRegular():
			files = append(files, bundle.File{Name: p, Load: read(p)})
		}
		return nil
	})
	return bundle.New(files), name, err
}

func inspectCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "inspect FILE...", Short: "Say what mesh files hold", Args: cobra.MinimumNArgs(1),
		Long: "Prints one record a file: with --json a JSON object a line, else a short text.\nExits with 1 when a file can't be read.",
		RunE: func(c *cobra.Command, args []string) error {
			failed := false
			enc := json.NewEncoder(c.OutOrStdout())
			enc.SetEscapeHTML(false)
			for _, file := range args {
				rec := inspectFile(c.Context(), file)
				failed = failed || rec.Error != ""
				if asJSON {
					if err := enc.Encode(rec); err != nil {
						return err
					}
					continue
				}
				fmt.Fprintln(c.OutOrStdout(), text(rec))
			}
			if failed {
				return errSaid
			}
			return nil
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object a line")
	return c
}

func inspectFile(ctx context.Context, file string) inspect.Record {
	set, name, err := load(file)
	if err != nil {
		return inspect.Record{File: file, Error: err.Error()}
	}
	rec := inspect.File(ctx, set, name)
	rec.File = file
	return rec
}

func text(r inspect.Record) string {
	if r.Error != "" {
		return r.File + ": can't be read: " + r.Error
	}
	s := fmt.Sprintf("%s: %s %s, unit %g m (%s), %s up, %s forward, %s-handed (%s)\n", r.File, r.Format, r.FormatVersion,
		r.UnitMetres, r.UnitHow, r.Up, r.Forward, r.Handedness, r.AxesHow)
	s += fmt.Sprintf("  %d nodes, %d meshes, %d instances, %d polygons, %d triangles, %d points\n",
		r.Nodes, r.Meshes, r.Instances, r.Polygons, r.Triangles, r.Points)
	s += fmt.Sprintf("  slots: %s\n", strings.Join(r.Slots, ", "))
	if r.Bounds != nil {
		s += fmt.Sprintf("  bounds: %.6g to %.6g\n", r.Bounds.Min, r.Bounds.Max)
	}
	for _, f := range r.Findings {
		s += fmt.Sprintf("  %s: %s. %s\n", f.Severity, f.Title, f.Text)
	}
	return strings.TrimRight(s, "\n")
}

func exportCommand() *cobra.Command {
	var out, targetID, prepFile string
	c := &cobra.Command{Use: "export FILE -o OUT.(glb|gltf|fbx|obj)", Args: cobra.ExactArgs(1),
		Short: "Prepare a mesh file and write it for a target",
		RunE: func(c *cobra.Command, args []string) error {
			t, ok := target.ByID(targetID)
			if !ok {
				return fmt.Errorf("%q is no target: expected one of %s", targetID, targetIDs())
			}
			var p prep.Prep
			if prepFile != "" {
				b, err := os.ReadFile(prepFile)
				if err != nil {
					return err
				}
				if p, err = prep.Parse(b); err != nil {
					return fmt.Errorf("%s: %w", prepFile, err)
				}
			}
			return exportFile(c, args[0], out, t, p)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().StringVar(&targetID, "target", target.Shipped[0].ID, "one of "+targetIDs())
	c.Flags().StringVar(&prepFile, "prep", "", "JSON file with recorded decisions to apply")
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

func exportFile(c *cobra.Command, file, out string, t target.Target, p prep.Prep) error {
	f, err := format.BySuffix(filepath.Ext(out))
	if err != nil {
		return fmt.Errorf("%s: %w", out, err)
	}
	set, name, err := load(file)
	if err != nil {
		return err
	}
	s, found, err := format.Read(c.Context(), set, name, nil)
	if err != nil {
		return err
	}
	r, err := prep.Run(c.Context(), prep.Input{Key: file, Scene: s, Findings: found, Revision: 1, Target: t}, p, nil)
	if err != nil {
		return err
	}
	p.Export.Format, p.Export.Name = f.ID, ""
	parcel, err := deliver.Make(c.Context(), deliver.Order{Delivery: r.Delivery, Decisions: p.Export,
		Name: strings.TrimSuffix(filepath.Base(out), filepath.Ext(out)), Target: t})
	if err != nil {
		return err
	}
	// The main file has the name asked for, the others stand beside it.
	for i, f := range parcel.Package.Files {
		to := filepath.Join(filepath.Dir(out), f.Name)
		if i == 0 {
			to = out
		}
		if err := os.WriteFile(to, f.Data, 0o644); err != nil {
			return err
		}
		fmt.Fprintf(c.OutOrStdout(), "wrote %s, %d bytes\n", to, len(f.Data))
	}
	for _, ch := range parcel.Package.Changes {
		fmt.Fprintf(c.OutOrStdout(), "changed: %s: %s\n", ch.What, ch.Why)
	}
	for _, row := range parcel.Certificate.Rows {
		if !row.Equal {
			fmt.Fprintf(c.OutOrStdout(), "arrived different: %s: sent %s, arrived %s. %s\n", row.What, row.Sent, row.Arrived, row.Why)
		}
	}
	if parcel.Certificate.Equal() {
		fmt.Fprintln(c.OutOrStdout(), "read back equal")
	}
	return nil
}
