package main

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/internal/work"
)

// How far companions are looked for beside a mesh: how many files, and how many folders
// deep.
const (
	maxBeside = 20000
	maxDeep   = 3
)

// open gives the meshes of a file and the set they stand in: the file itself with what lies
// beside it, or what a zip holds. The set is used before close.
func open(file string) (set *bundle.Bundle, meshes []string, close func(), err error) {
	if !bundle.IsArchive(file) {
		set, name, err := load(file)
		return set, []string{name}, func() {}, err
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, nil, err
	}
	close = func() { _ = f.Close() }
	info, err := f.Stat()
	if err == nil {
		l := work.DefaultLimits
		set, err = bundle.Archive(filepath.Base(file), f, info.Size(), l.ZipFiles, l.Unzipped, l.ZipRatio)
	}
	if err != nil {
		close()
		return nil, nil, nil, err
	}
	for _, n := range set.Names() {
		if format.IsMesh(n) {
			meshes = append(meshes, n)
		}
	}
	if len(meshes) == 0 {
		close()
		return nil, nil, nil, fmt.Errorf("%s: holds no FBX, glTF, GLB or OBJ file", file)
	}
	return set, meshes, close, nil
}

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

// mesh is one mesh of a file, read, and the set it stood in, which is used before close.
type mesh struct {
	scene *scene.Scene
	found []finding.Finding
	close func()
}

// readMesh reads a file's mesh, or the one of a zip that is named, with variants chosen.
func readMesh(ctx context.Context, file, name string, chosen map[string]string) (*mesh, error) {
	set, meshes, done, err := open(file)
	if err != nil {
		return nil, err
	}
	of := cmp.Or(name, meshes[0])
	if name == "" && len(meshes) > 1 || !slices.Contains(meshes, of) {
		done()
		return nil, fmt.Errorf("%s holds the meshes %s: name one with --mesh", file, strings.Join(meshes, ", "))
	}
	s, found, err := format.Read(ctx, set.Choosing(chosen), of, nil)
	if err != nil {
		done()
		return nil, err
	}
	return &mesh{s, found, done}, nil
}

// formatOf is the format that a file's suffix chooses.
func formatOf(out string) (format.Format, error) {
	f, err := format.BySuffix(filepath.Ext(out))
	if err != nil {
		return f, fmt.Errorf("%s: %w", out, err)
	}
	return f, nil
}

// readFor is the format that the suffix of out chooses, and a mesh file that is to be written in it,
// with its mesh of that name where it holds several. The caller closes the mesh.
func readFor(ctx context.Context, out, file, name string) (format.Format, *mesh, error) {
	f, err := formatOf(out)
	if err != nil {
		return f, nil, err
	}
	m, err := readMesh(ctx, file, name, nil)
	return f, m, err
}

// bareName is a file's name without its folder and its suffix.
func bareName(file string) string { return strings.TrimSuffix(filepath.Base(file), filepath.Ext(file)) }

// writeAll writes a package: the main file has the name asked for, the others stand beside it. said
// is called with each.
func writeAll(p *pack.Package, out string, said func(to string, bytes int)) error {
	for i, f := range p.Files {
		to := filepath.Join(filepath.Dir(out), f.Name)
		if i == 0 {
			to = out
		}
		if err := os.WriteFile(to, f.Data, 0o644); err != nil {
			return err
		}
		said(to, len(f.Data))
	}
	return nil
}

// quietly says nothing of a file that was written.
func quietly(string, int) {}

func inspectCommand() *cobra.Command {
	var asJSON, brief bool
	c := &cobra.Command{Use: "inspect FILE...", Short: "Say what mesh files hold", Args: cobra.MinimumNArgs(1),
		Long: "Prints one record a file, and for a zip one for each mesh in it: with --json a JSON object a line, else a " +
			"short text.\nExits with 1 when a file can't be read.",
		RunE: func(c *cobra.Command, args []string) error {
			failed := false
			enc := json.NewEncoder(c.OutOrStdout())
			enc.SetEscapeHTML(false)
			l := newLive(c.ErrOrStderr())
			defer l.clear()
			for _, file := range args {
				list := inspectFile(c.Context(), file, brief, l)
				l.clear()
				for _, rec := range list {
					failed = failed || rec.Error != ""
					if asJSON {
						if err := enc.Encode(rec); err != nil {
							return err
						}
						continue
					}
					fmt.Fprintln(c.OutOrStdout(), text(rec))
				}
			}
			if failed {
				return errSaid
			}
			return nil
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object a line")
	c.Flags().BoolVar(&brief, "brief", false,
		"counts, bounds, materials, pictures and what was left alone: nothing is measured over the surface")
	return c
}

// inspectFile gives a record of the file, or of each mesh of a zip, under both names.
func inspectFile(ctx context.Context, file string, brief bool, l *live) []record {
	set, meshes, done, err := open(file)
	if err != nil {
		return []record{{File: file, Error: err.Error()}}
	}
	defer done()
	var list []record
	for _, name := range meshes {
		rec := recordOf(ctx, set, name, brief, l)
		if rec.File = file; bundle.IsArchive(file) {
			rec.File = file + "/" + name
		}
		list = append(list, rec)
	}
	return list
}

func text(r record) string {
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

// certified says how what was written arrived. What arrived otherwise without being accepted by name ends the
// command with its own exit code.
func certified(w io.Writer, cert *deliver.Certificate) error {
	for _, row := range cert.Rows {
		switch {
		case row.Equal:
		case row.Settled():
			fmt.Fprintf(w, "arrived without: %s\n", strings.Join(row.Accepted, "; "))
		default:
			fmt.Fprintf(w, "arrived different: %s: sent %s, arrived %s. %s\n", row.What, row.Sent, row.Arrived, row.Why)
		}
	}
	defer fmt.Fprintln(w, "second opinion: not asked; Export's page has the browser read it too")
	switch {
	case cert.Equal():
		fmt.Fprintln(w, "read back equal")
	case cert.Arrived():
		fmt.Fprintf(w, "read back: %s\n", strings.ToLower(cert.Sentence()[:1])+cert.Sentence()[1:])
	default:
		return errDifferent
	}
	return nil
}
