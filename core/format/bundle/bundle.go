// Package bundle is a set of uploaded files that refer to one another: a mesh
// file with its material libraries, buffers and pictures. References are looked
// up inside the set and nowhere else.
package bundle

import (
	"errors"
	"fmt"
	"path"
	"sort"
	"strings"
	"unicode"

	"yarvek/core/fault"
	"yarvek/core/naming"
)

// File is one file of a set, under its cleaned, slash-separated name. Its bytes are in
// Data, or come from Load each time they are asked for, so that a large set need not be
// held in memory.
type File struct {
	Name string
	Data []byte
	Load func() ([]byte, error)
}

// bytes gives the content, which a file on disk reads now.
func (f File) bytes() ([]byte, error) {
	if f.Load != nil {
		return f.Load()
	}
	return f.Data, nil
}

// Bundle is the set. The zero Bundle is empty.
type Bundle struct {
	// Chosen is which of several variants of a mesh file is meant, by the variants' key (scene.Variants); nil for those
	// that the file chooses.
	Chosen map[string]string

	files []File
	exact map[string]int
	fold  map[string][]int // by lower-case name
	base  map[string][]int // by lower-case last part
}

// New makes a set of files whose names are already cleaned.
func New(files []File) *Bundle {
	b := &Bundle{exact: map[string]int{}, fold: map[string][]int{}, base: map[string][]int{}}
	for _, f := range files {
		if _, dup := b.exact[f.Name]; dup {
			continue
		}
		i := len(b.files)
		b.files = append(b.files, f)
		b.exact[f.Name] = i
		l := strings.ToLower(f.Name)
		b.fold[l] = append(b.fold[l], i)
		b.base[path.Base(l)] = append(b.base[path.Base(l)], i)
	}
	return b
}

// Choosing is the set with variants chosen.
func (b *Bundle) Choosing(chosen map[string]string) *Bundle {
	out := *b
	out.Chosen = chosen
	return &out
}

// Order lists the files as they stand in the set, as in an archive.
func (b *Bundle) Order() []string {
	var names []string
	for _, f := range b.files {
		names = append(names, f.Name)
	}
	return names
}

// Names lists the files in order of name.
func (b *Bundle) Names() []string {
	names := b.Order()
	sort.Strings(names)
	return names
}

// Open gives the bytes of the file of exactly this name. One that is not in the set is a
// *fault.Error of the kind Missing.
func (b *Bundle) Open(name string) ([]byte, error) {
	i, ok := b.exact[name]
	if !ok {
		e := fault.AtByte(name, -1, "%v", ErrMissing)
		e.Kind, e.Cause = fault.Missing, ErrMissing
		return nil, e
	}
	data, err := b.files[i].bytes()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return data, nil
}

// The reasons Find gives for not finding.
var (
	ErrMissing = errors.New("is not among the files")
	ErrOutside = errors.New("points outside the uploaded files, so it was not opened")
)

// Match tells how a reference was matched when not to the letter.
type Match int

// From the best match to the loosest.
const (
	Exact  Match = iota
	Folded       // upper and lower case differ
	ByBase       // only the last part of the name is the same
)

// Find resolves a reference made in the file named from, and gives that file with its
// bytes in Data. See Resolve.
func (b *Bundle) Find(from, ref string) (File, Match, error) {
	name, match, err := b.Resolve(from, ref)
	if err != nil {
		return File{}, match, err
	}
	data, err := b.Open(name)
	return File{Name: name, Data: data}, match, err
}

// Resolve resolves a reference made in the file named from, without opening anything. A
// reference that leaves the set (an address, an absolute path, "..") is never followed;
// the file of the same last name within the set stands in for it when there is exactly
// one.
func (b *Bundle) Resolve(from, ref string) (string, Match, error) {
	slashed := strings.ReplaceAll(ref, `\`, "/")
	joined, err := Clean(path.Join(path.Dir(from), slashed))
	outside := err != nil || isAbsolute(slashed)
	if !outside {
		for _, name := range []string{joined, path.Clean(slashed)} {
			if _, ok := b.exact[name]; ok {
				return name, Exact, nil
			}
			if l := b.fold[strings.ToLower(name)]; len(l) == 1 {
				return b.files[l[0]].Name, Folded, nil
			}
		}
	}
	if l := b.base[strings.ToLower(path.Base(slashed))]; len(l) == 1 {
		return b.files[l[0]].Name, ByBase, nil
	}
	if outside {
		return "", 0, ErrOutside
	}
	return "", 0, ErrMissing
}

// Reason is what an error of Find says, without its file: that it is missing, or outside of the set.
func Reason(err error) string {
	if errors.Is(err, ErrOutside) {
		return ErrOutside.Error()
	}
	return ErrMissing.Error()
}

// isAbsolute tells paths that begin at a root, of any system.
func isAbsolute(name string) bool {
	if strings.HasPrefix(name, "/") {
		return true
	}
	// A drive letter or a scheme: anything up to a colon before the first slash.
	colon, slash := strings.IndexByte(name, ':'), strings.IndexByte(name, '/')
	return colon > 0 && (slash < 0 || colon < slash)
}

// Clean makes a name from outside safe to use as the name of a file in a set:
// slashes only, no absolute path, no way upwards, nothing that [naming.Plain] refuses.
func Clean(name string) (string, error) {
	n := strings.ReplaceAll(name, `\`, "/")
	if n == "" || isAbsolute(n) || len(n) > 1000 {
		return "", fmt.Errorf("%q is no name within a set of files", fault.Shorten(name))
	}
	if err := naming.Plain(n); err != nil {
		return "", fmt.Errorf("%q is no file name: %w", fault.Shorten(name), err)
	}
	n = path.Clean(n)
	if n == "." || n == ".." || strings.HasPrefix(n, "../") {
		return "", fmt.Errorf("%q leads out of the set of files", fault.Shorten(name))
	}
	return n, nil
}

// Safe turns any name into the name of one file: no folders, nothing a file
// system objects to, never empty.
func Safe(name string) string {
	var sb strings.Builder
	for _, r := range name {
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '-' || r == '_' || r == '.':
			sb.WriteRune(r)
		case sb.Len() > 0:
			sb.WriteByte('_')
		}
		if sb.Len() >= 100 {
			break
		}
	}
	s := strings.Trim(sb.String(), "._")
	if s == "" {
		return "unnamed"
	}
	if base, _, _ := strings.Cut(s, "."); reserved[strings.ToLower(base)] {
		return base + "_" + s[len(base):]
	}
	return s
}

// reserved are the names that Windows gives to devices, whatever suffix stands behind them: a file of such a name can't
// be unpacked there ("Naming Files, Paths, and Namespaces" in the Windows API documentation).
var reserved = func() map[string]bool {
	m := map[string]bool{"con": true, "prn": true, "aux": true, "nul": true, "conin$": true, "conout$": true}
	for _, port := range []string{"com", "lpt"} {
		for _, n := range "0123456789" {
			m[port+string(n)] = true
		}
	}
	return m
}()
