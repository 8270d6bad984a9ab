package work

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"path"
	"strings"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// Everywhere tells how the file of an export arrives at every target of the house, as its bytes say, in the order of
// the targets' page.
func (d *Desk) Everywhere(ctx context.Context, export int64) ([]deliver.Standing, error) {
	e, err := d.store.Export(ctx, export)
	if err != nil {
		return nil, err
	}
	files, by, err := d.filesOf(ctx, export)
	if err != nil {
		return nil, err
	}
	targets, err := d.Targets(ctx)
	if err != nil {
		return nil, err
	}
	s, _, err := format.Read(ctx, bundle.New(files), files[0].Name, nil)
	if err != nil {
		return nil, err
	}
	var list []deliver.Standing
	for _, t := range targets {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		list = append(list, deliver.Stand(s, by, t, &e.Target))
	}
	return list, nil
}

// Received is what a target makes of the file of an export: in its basis, where it stands it; metres.
func (d *Desk) Received(ctx context.Context, export int64, t target.Target) (*scene.Scene, error) {
	files, by, err := d.filesOf(ctx, export)
	if err != nil {
		return nil, err
	}
	return deliver.Receive(ctx, files, by, t)
}

// filesOf are the files of an export, the main one first, and their format.
func (d *Desk) filesOf(ctx context.Context, export int64) ([]bundle.File, format.Format, error) {
	e, f, err := d.Download(ctx, export)
	if err != nil {
		return nil, format.Format{}, err
	}
	defer f.Close()
	files, err := unwrapped(e, f)
	if err != nil {
		return nil, format.Format{}, err
	}
	by, err := format.ByID(e.Format)
	return files, by, err
}

// unwrapped are the files of an export, the main one first; see [wrapped].
func unwrapped(e store.Export, f io.Reader) ([]bundle.File, error) {
	data, err := io.ReadAll(io.LimitReader(f, e.Size))
	if err != nil {
		return nil, err
	}
	if !strings.EqualFold(path.Ext(e.Name), ".zip") {
		return []bundle.File{{Name: e.Name, Data: data}}, nil
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fault.New(fault.Damaged, "the package “%s” can't be opened: %v", e.Name, err)
	}
	var files []bundle.File
	for _, in := range z.File {
		r, err := in.Open()
		if err != nil {
			return nil, err
		}
		b, err := io.ReadAll(io.LimitReader(r, int64(in.UncompressedSize64)))
		_ = r.Close()
		if err != nil {
			return nil, err
		}
		files = append(files, bundle.File{Name: in.Name, Data: b})
	}
	return files, nil
}
