// Docs writes those parts of the documentation that are made of the program: the schema of a prep, and in the guide
// the table of what can be decided at each station.
//
//	go run ./tools/docs [-check] [FOLDER]
//
// With -check it writes nothing, and fails where something would be written.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/prep"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

func main() {
	check := flag.Bool("check", false, "write nothing, and fail where something would be written")
	flag.Parse()
	dir := "docs"
	if flag.NArg() > 0 {
		dir = flag.Arg(0)
	}
	if err := run(dir, *check); err != nil {
		fmt.Fprintln(os.Stderr, "docs:", err)
		os.Exit(1)
	}
}

// run writes the files of a folder, or tells which of them is not as it would be written.
func run(dir string, check bool) error {
	schema, err := prep.Schema()
	if err != nil {
		return err
	}
	guide := filepath.Join(dir, "guide.md")
	was, err := os.ReadFile(guide)
	if err != nil {
		return err
	}
	is, err := tables(string(was))
	if err != nil {
		return fmt.Errorf("%s: %w", guide, err)
	}
	for name, text := range map[string][]byte{filepath.Join(dir, "prep.schema.json"): schema, guide: []byte(is)} {
		had, err := os.ReadFile(name)
		if err == nil && bytes.Equal(had, text) {
			continue
		}
		if check {
			return fmt.Errorf("%s is not what the program says: run make docs", name)
		}
		if err := os.WriteFile(name, text, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// tables is the guide with the table of each station between its marks.
func tables(guide string) (string, error) {
	given := entry.Given{Target: target.Shipped[0], Class: class.Unsorted}
	for _, in := range prep.Stations() {
		begin, end := "<!-- decided at "+in.ID+" -->\n", "<!-- end -->"
		before, rest, ok := strings.Cut(guide, begin)
		if !ok {
			return "", fmt.Errorf("has no line %q", strings.TrimSpace(begin))
		}
		_, after, ok := strings.Cut(rest, end)
		if !ok {
			return "", fmt.Errorf("has no %q behind %q", end, strings.TrimSpace(begin))
		}
		guide = before + begin + "\n" + prep.Table(in.ID, given) + "\n" + end + after
	}
	return guide, nil
}
