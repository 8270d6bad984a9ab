package main

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
)

// entry is a file of an archive.
type entry struct {
	name    string
	body    []byte
	program bool // can be run
}

func (e entry) mode() os.FileMode {
	if e.program {
		return 0o755
	}
	return 0o644
}

// archive writes a folder of files: a zip for Windows, else a tar, which keeps what can be run. All have the time of
// the commit and belong to nobody.
func (r *release) archive(name string, p platform, list []entry) (err error) {
	suffix, write := ".tar.gz", r.tar
	if p.system == "windows" {
		suffix, write = ".zip", r.zip
	}
	f, err := os.Create(filepath.Join(r.out, name+suffix))
	if err != nil {
		return err
	}
	if err := write(f, name, list); err != nil {
		_ = f.Close()
		return err
	}
	return f.Close()
}

func (r *release) zip(w io.Writer, folder string, list []entry) error {
	z := zip.NewWriter(w)
	for _, e := range list {
		h := &zip.FileHeader{Name: folder + "/" + e.name, Method: zip.Deflate, Modified: r.at}
		h.SetMode(e.mode())
		to, err := z.CreateHeader(h)
		if err == nil {
			_, err = to.Write(e.body)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

func (r *release) tar(w io.Writer, folder string, list []entry) error {
	g, err := gzip.NewWriterLevel(w, gzip.BestCompression)
	if err != nil {
		return err
	}
	t := tar.NewWriter(g)
	dir := tar.Header{Typeflag: tar.TypeDir, Name: folder + "/", Mode: 0o755, ModTime: r.at}
	if err := t.WriteHeader(&dir); err != nil {
		return err
	}
	for _, e := range list {
		h := tar.Header{Typeflag: tar.TypeReg, Name: folder + "/" + e.name, Mode: int64(e.mode()), Size: int64(len(e.body)),
			ModTime: r.at}
		if err := t.WriteHeader(&h); err != nil {
			return err
		}
		if _, err := t.Write(e.body); err != nil {
			return err
		}
	}
	if err := t.Close(); err != nil {
		return err
	}
	return g.Close()
}
