// Command checkfolder says of every mesh below a folder what must be fixed before it leaves for an engine with +Y up
// and metres. It is an example of the core by itself, without pages or a database.
//
//	go run ./examples/checkfolder DIR
package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/target"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: checkfolder DIR")
		os.Exit(2)
	}
	held, err := check(context.Background(), os.Args[1])
	if err != nil {
		fmt.Fprintln(os.Stderr, "checkfolder:", err)
		os.Exit(2)
	}
	if held > 0 {
		os.Exit(1)
	}
}

// check judges all meshes of a folder, and counts those that something must be fixed of.
func check(ctx context.Context, dir string) (held int, err error) {
	folder := os.DirFS(dir)
	var files []bundle.File
	err = fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			files = append(files, bundle.File{Name: name, Load: func() ([]byte, error) { return fs.ReadFile(folder, name) }})
		}
		return err
	})
	set := bundle.New(files)
	for _, f := range files {
		if err != nil || !format.IsMesh(f.Name) {
			continue
		}
		scene, found, err := format.Read(ctx, set, f.Name, nil)
		if err != nil {
			held++
			fmt.Printf("%s: %v\n", filepath.Join(dir, f.Name), err)
			continue
		}
		in := prep.Input{Key: f.Name, Scene: scene, Findings: found, Revision: 1, Target: target.Shipped[0], Holds: true}
		result, err := prep.Run(ctx, in, prep.Prep{}, nil)
		if err != nil {
			return held, err
		}
		for _, x := range result.Findings() {
			if x.Severity == finding.MustFix {
				held++
				fmt.Printf("%s: %s. %s\n", filepath.Join(dir, f.Name), x.Title, x.Text)
			}
		}
	}
	return held, err
}
