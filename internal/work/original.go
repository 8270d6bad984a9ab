package work

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/internal/store"
)

// Original writes all files of a revision to w as a zip, byte for byte as they came.
type Original struct {
	Name string // of the zip
	list []store.File
	desk *Desk
}

// Original finds the files of a revision.
func (d *Desk) Original(ctx context.Context, asset int64, number int) (Original, error) {
	a, err := d.store.Asset(ctx, asset)
	if err != nil {
		return Original{}, err
	}
	r, err := d.store.Revision(ctx, asset, number)
	if err != nil {
		return Original{}, err
	}
	return Original{fmt.Sprintf("%s revision %d.zip", bundle.Safe(a.Name), number), r.Files, d}, nil
}

// WriteTo packs them. Packed files are not packed once more: it takes as long as copying.
func (o Original) WriteTo(w io.Writer) (int64, error) {
	count := &counted{w: w}
	z := zip.NewWriter(count)
	for _, f := range o.list {
		out, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Store,
			Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err != nil {
			return count.n, err
		}
		in, err := o.desk.store.OpenBlob(f.SHA)
		if err != nil {
			return count.n, keptFault(f.Name, err)
		}
		_, err = io.Copy(out, in)
		_ = in.Close()
		if err != nil {
			return count.n, err
		}
	}
	return count.n, z.Close()
}

// counted counts what goes through.
type counted struct {
	w io.Writer
	n int64
}

// Write passes p on.
func (c *counted) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += int64(n)
	return n, err
}

// Join makes an asset the next revision of another of its kit: its files are kept there for
// Review to show, and it is taken out of the kit itself, both or neither. It returns the number of the
// revision.
func (d *Desk) Join(ctx context.Context, asset, into int64) (number int, err error) {
	number, err = d.store.Join(ctx, asset, into)
	if errors.Is(err, store.ErrNotOfKit) {
		return 0, fault.Input("it can only become a revision of another asset of its kit")
	}
	return number, err
}
