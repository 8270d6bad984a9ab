package bundle

import (
	"archive/zip"
	"fmt"
	"io"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
)

// IsArchive tells by its suffix a file that holds others.
func IsArchive(name string) bool { return strings.EqualFold(path.Ext(name), ".zip") }

// Hidden tells names that archiving programs add for themselves; manifest.xml is that of a .zae, and says no more than
// which of its files comes first.
func Hidden(name string) bool {
	return strings.HasPrefix(path.Base(name), ".") || strings.HasPrefix(name, "__") || name == "manifest.xml"
}

// Archive makes a set of a zip of size bytes, whose entries are unpacked when they are asked
// for: each to no more than most bytes and ratio times the zip, or a megabyte. Entries
// without a name that is safe are left out. The zip must stay open as long as the set is used.
func Archive(name string, zipped io.ReaderAt, size int64, entries int, most, ratio int64) (*Bundle, error) {
	z, err := zip.NewReader(zipped, size)
	if err != nil {
		return nil, fault.AtByte(name, -1, "is no zip that can be opened: %v",
			err).Advise("It may be cut short; send it again")
	}
	if len(z.File) > entries {
		return nil, fault.AtByte(name, -1, "holds %d files: expected at most %d", len(z.File), entries).Beyond().
			Advise("Pack the meshes it is about")
	}
	room := min(most, max(1<<20, size*ratio))
	var files []File
	for _, e := range z.File {
		clean, err := Clean(e.Name)
		if strings.HasSuffix(e.Name, "/") || Hidden(e.Name) || err != nil {
			continue
		}
		files = append(files, File{Name: clean, Load: func() ([]byte, error) {
			r, err := e.Open()
			if err != nil {
				return nil, fmt.Errorf("%s can't be unpacked: %w", fault.Shown(name), err)
			}
			defer r.Close()
			data, err := io.ReadAll(io.LimitReader(r, room+1))
			switch {
			case err != nil:
				return nil, fmt.Errorf("%s can't be unpacked: %w", fault.Shown(name), err)
			case int64(len(data)) > room:
				return nil, fault.AtByte(clean, -1, "unpacks to more than %s, which no mesh of a zip of this size does",
					figure.Bytes(room)).Beyond()
			}
			return data, nil
		}})
	}
	return New(files), nil
}
