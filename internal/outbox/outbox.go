// Package outbox writes sets of files into a folder of this machine, whole or not at all, and never outside it.
//
// A set is written beside the files it takes the place of, under names of its own, and each file is then given its
// name, the first of the set last: whatever refers to others finds them. What was there before is handed to the caller
// first, who keeps it; [Rollback] puts it back, after an error, after the program was killed, or when somebody asks.
package outbox

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"

	"yarvek/core/fault"
	"yarvek/internal/disk"
)

// File is one file of a set.
type File struct {
	Name string // below the folder, with slashes
	Data []byte
}

// Place is where a file is to go, and what is there.
type Place struct {
	Name string
	SHA  string // of what is to be written
	Was  string // SHA-256 of what is there, "" where nothing is
}

// Digest is the SHA-256 of bytes, as places have it.
func Digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// open opens the folder; the error is for people.
func open(dir string) (*os.Root, error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, trouble(dir, err)
	}
	return root, nil
}

// trouble words what keeps files from a folder.
func trouble(what string, err error) error {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fault.New(fault.Missing, "the folder %s is not there (any more), so nothing was written into it", what).
			Advise("Whoever runs Yarvek should make it, or name another with --outbox")
	case disk.CauseOf(err) == disk.Full:
		return fault.New(fault.Limit, "the disk of %s is full, so nothing was written there", what).Advise("Make room on it")
	case disk.CauseOf(err) == disk.ReadOnly:
		return fault.New(fault.Invalid, "%s can’t be written to, so nothing was", what).
			Advise("Whoever runs Yarvek should see to the right to write there")
	}
	return fmt.Errorf("%s: %w", what, err)
}

// Look tells what is where the files of a set are to go; was gets what is there, before anything is written.
func Look(dir string, files []File, was func(data []byte) error) ([]Place, error) {
	root, err := open(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	var list []Place
	for _, f := range files {
		if !fs.ValidPath(f.Name) {
			return nil, fault.New(fault.Invalid, "“%s” is no name below a folder", fault.Shown(f.Name))
		}
		p := Place{Name: f.Name, SHA: Digest(f.Data)}
		data, err := read(root, f.Name)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		if err == nil {
			p.Was = Digest(data)
			if err := was(data); err != nil {
				return nil, err
			}
		}
		list = append(list, p)
	}
	return list, nil
}

// read reads a file below the folder. One that is none, such as a folder or a link that leads out, is an error for
// people.
func read(root *os.Root, name string) ([]byte, error) {
	info, err := root.Lstat(name)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		return nil, fault.New(fault.Invalid, "%s can’t be looked at: %v", name, err)
	}
	if !info.Mode().IsRegular() {
		return nil, fault.New(fault.Invalid, "“%s” is there already and is no file, so nothing was written", name).
			Advise("Move it away, or give what is sent another name")
	}
	f, err := root.Open(name)
	if err != nil {
		return nil, trouble(name, err)
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return nil, trouble(name, err)
	}
	return data, nil
}

// part is what a file is called until it is given its name.
func part(name, mark string) string {
	dir, base := path.Split(name)
	return dir + "." + base + "." + mark + ".part"
}

// Write writes a set under a mark of its own. After an error some of it may be there: [Rollback] takes that back.
func Write(dir string, files []File, mark string) error {
	root, err := open(dir)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, f := range files {
		if d := path.Dir(f.Name); d != "." {
			if err := root.MkdirAll(d, 0o755); err != nil {
				return trouble(path.Join(dir, d), err)
			}
		}
		if err := write(root, part(f.Name, mark), f.Data); err != nil {
			return trouble(dir, err)
		}
	}
	for i := len(files) - 1; i >= 0; i-- {
		if err := root.Rename(part(files[i].Name, mark), files[i].Name); err != nil {
			return trouble(path.Join(dir, files[i].Name), err)
		}
		between()
	}
	return nil
}

// between is called after each file got its name; tests end there.
var between = func() {}

func write(root *os.Root, name string, data []byte) error {
	f, err := root.Create(name)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Sync(), f.Close())
}

// Rollback puts back what was there before a set was written, where its files are as they were written; before gives
// that by its SHA-256. Files that somebody changed since stay, and are listed.
func Rollback(dir string, places []Place, mark string, before func(sha string) ([]byte, error)) (changed []string,
	err error) {
	root, err := open(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	for _, p := range places {
		_ = root.Remove(part(p.Name, mark))
		now, err := read(root, p.Name)
		switch is := Digest(now); {
		case errors.Is(err, fs.ErrNotExist):
			if p.Was == "" {
				continue
			}
		case err != nil:
			return changed, err
		case is == p.Was:
			continue // it was not come to
		case is != p.SHA:
			changed = append(changed, p.Name)
			continue
		}
		if p.Was == "" {
			if err := root.Remove(p.Name); err != nil {
				return changed, trouble(p.Name, err)
			}
			continue
		}
		data, err := before(p.Was)
		if err != nil {
			return changed, err
		}
		if err := write(root, part(p.Name, mark), data); err != nil {
			return changed, trouble(p.Name, err)
		}
		if err := root.Rename(part(p.Name, mark), p.Name); err != nil {
			return changed, trouble(p.Name, err)
		}
	}
	return changed, nil
}

// Changed lists the files of a set that are not as they were written.
func Changed(dir string, places []Place) ([]string, error) {
	root, err := open(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	var list []string
	for _, p := range places {
		now, err := read(root, p.Name)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		if err != nil || Digest(now) != p.SHA {
			list = append(list, p.Name)
		}
	}
	return list, nil
}
