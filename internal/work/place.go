package work

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/internal/outbox"
	"yarvek/internal/store"
)

// Placing is an export that was written into the folder of its kit.
type Placing = store.Placing

// Placed is the stage of a placing whose files are there.
const Placed = store.Done

// Allow lets a kit's exports be written into a folder of this machine, below it and nowhere else. The kit is given by
// its name, or by its number where two have that name; the error says what is wrong with either.
func (d *Desk) Allow(ctx context.Context, kit, dir string) error {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	switch info, err := os.Stat(abs); {
	case err != nil:
		return fmt.Errorf("the folder for “%s”: %w", kit, err)
	case !info.IsDir():
		return fmt.Errorf("the folder for “%s”: %s is no folder", kit, abs)
	}
	kits, err := d.Kits(ctx)
	if err != nil {
		return err
	}
	var names []string
	var found []int64
	for _, k := range kits {
		names = append(names, fmt.Sprintf("%s (number %d)", k.Name, k.ID))
		if store.Folded(k.Name) == store.Folded(kit) || strconv.FormatInt(k.ID, 10) == kit {
			found = append(found, k.ID)
		}
	}
	switch {
	case len(found) == 0 && len(names) == 0:
		return fmt.Errorf("no kit is called “%s”: there is none yet. Make it first, and start again", kit)
	case len(found) == 0:
		return fmt.Errorf("no kit is called “%s”: expected one of %s", kit, strings.Join(names, ", "))
	case len(found) > 1:
		return fmt.Errorf("%d kits are called “%s”: give the number of one, of %s", len(found), kit,
			strings.Join(names, ", "))
	}
	d.placing.Lock()
	defer d.placing.Unlock()
	if d.outboxes == nil {
		d.outboxes = map[int64]string{}
	}
	d.outboxes[found[0]] = abs
	return nil
}

// Outbox is the folder that a kit's exports may be written into, "" where none is allowed.
func (d *Desk) Outbox(kit int64) string {
	d.placing.Lock()
	defer d.placing.Unlock()
	return d.outboxes[kit]
}

// ForeignError is given for files that are in the way and were not written by Yarvek, or were changed since.
type ForeignError struct{ Names []string }

// Error names them.
func (e *ForeignError) Error() string {
	return fmt.Sprintf("%s there already and %s not as Yarvek wrote it: %s. Nothing was written",
		figure.Plural(len(e.Names), "file is", "files are"), map[bool]string{true: "is", false: "are"}[len(e.Names) == 1],
		strings.Join(e.Names[:min(5, len(e.Names))], ", "))
}

// Place writes an export into the folder of its kit, whole or not at all. Files that Yarvek did not write are in the
// way unless over says that they are to be written over; the error is a *ForeignError then. What was there is kept.
func (d *Desk) Place(ctx context.Context, export int64, over bool) (Placing, error) {
	e, err := d.Sent(ctx, export)
	if err != nil {
		return Placing{}, err
	}
	_, kit, err := d.Owner(ctx, e.AssetID)
	if err != nil {
		return Placing{}, err
	}
	dir := d.Outbox(kit.ID)
	if dir == "" {
		return Placing{}, fault.Input("no folder of this machine is allowed for the kit “%s”", kit.Name).Advise(
			fmt.Sprintf("Whoever runs Yarvek starts it with --outbox \"%s=FOLDER\"", kit.Name))
	}
	files, err := d.outgoing(ctx, e)
	if err != nil {
		return Placing{}, err
	}
	d.writing.Lock() // one at a time, since two may be about the same files
	defer d.writing.Unlock()
	p := Placing{Kit: kit.ID, Export: export, Folder: dir}
	places, err := outbox.Look(dir, files, func(data []byte) error {
		_, _, err := d.store.PutBlob(bytes.NewReader(data))
		return err
	})
	if err != nil {
		return p, err
	}
	var foreign []string
	for _, x := range places {
		ours, err := d.store.Written(ctx, dir, x.Name)
		if err != nil {
			return p, err
		}
		if x.Was != "" && x.Was != ours && x.Was != x.SHA {
			foreign = append(foreign, x.Name)
		}
		p.Files = append(p.Files, store.Placed{Name: x.Name, SHA: x.SHA, Was: x.Was})
	}
	if len(foreign) > 0 && !over {
		return p, fault.From(fault.Invalid, &ForeignError{foreign})
	}
	if p.ID, err = d.store.BeginPlacing(ctx, p); err != nil {
		return p, err
	}
	if err := outbox.Write(dir, files, mark(p.ID)); err != nil {
		return p, errors.Join(err, d.takeBack(context.WithoutCancel(ctx), p))
	}
	p.Stage = store.Done
	return p, d.store.EndPlacing(ctx, p.ID, store.Done)
}

// mark is what the unfinished files of a placing are known by.
func mark(id int64) string { return fmt.Sprintf("yarvek-%d", id) }

// outgoing are the files of an export, as they lie below the folder of its kit, the main one first.
func (d *Desk) outgoing(ctx context.Context, e Sent) ([]outbox.File, error) {
	files, _, err := d.filesOf(ctx, e.ID)
	if err != nil {
		return nil, err
	}
	var out []outbox.File
	for _, f := range files {
		if len(files) == 1 {
			f.Name = path.Join(e.Packing.Folder, f.Name)
		}
		out = append(out, outbox.File{Name: f.Name, Data: f.Data})
	}
	return out, nil
}

// takeBack puts back what was there before a placing.
func (d *Desk) takeBack(ctx context.Context, p Placing) error {
	var places []outbox.Place
	for _, f := range p.Files {
		places = append(places, outbox.Place{Name: f.Name, SHA: f.SHA, Was: f.Was})
	}
	_, err := outbox.Rollback(p.Folder, places, mark(p.ID), func(sha string) ([]byte, error) {
		f, err := d.store.OpenBlob(sha)
		if err != nil {
			return nil, keptFault("what was there before", err)
		}
		defer f.Close()
		return io.ReadAll(f)
	})
	if err != nil {
		return err
	}
	return d.store.EndPlacing(ctx, p.ID, store.Undone)
}

// Unplace puts back what was there before an export was written into its kit's folder. Where somebody changed a file
// since, nothing is touched, and the error is a *fault.Error that names it.
func (d *Desk) Unplace(ctx context.Context, placing int64) error {
	p, err := d.store.Placing(ctx, placing)
	if err != nil {
		return err
	}
	if p.Stage != store.Done {
		return fault.Input("this was put back already")
	}
	if dir := d.Outbox(p.Kit); dir != p.Folder {
		return fault.Input("the folder %s is not the kit’s any more, so nothing was changed in it", p.Folder)
	}
	d.writing.Lock()
	defer d.writing.Unlock()
	var places []outbox.Place
	for _, f := range p.Files {
		places = append(places, outbox.Place{Name: f.Name, SHA: f.SHA, Was: f.Was})
	}
	changed, err := outbox.Changed(p.Folder, places)
	if err != nil {
		return err
	}
	if len(changed) > 0 {
		return fault.Input("%s changed since, so nothing was put back: %s",
			figure.Plural(len(changed), "file was", "files were"), strings.Join(changed[:min(5, len(changed))], ", "))
	}
	return d.takeBack(ctx, p)
}

// Placings lists where an export was written, the newest first.
func (d *Desk) Placings(ctx context.Context, export int64) ([]Placing, error) {
	return d.store.Placings(ctx, export, "")
}

// settlePlacings puts back what was there before placings that a program began and did not end, as when it was killed.
func (d *Desk) settlePlacings(ctx context.Context) error {
	list, err := d.store.Placings(ctx, 0, store.Begun)
	if err != nil {
		return err
	}
	for _, p := range list {
		if p.Harm != nil {
			continue
		}
		if err := d.takeBack(ctx, p); err != nil {
			d.log.Warn("what was there before an export was written could not be put back", "folder", p.Folder,
				"export", p.Export, "error", err)
		} else {
			d.log.Info("an export that was not written whole was taken back", "folder", p.Folder, "export", p.Export)
		}
	}
	return nil
}

// PlaceLater is Place as a job, whose outcome is the Sent.
func (d *Desk) PlaceLater(ctx context.Context, export int64, over bool) (*Job, error) {
	e, err := d.Sent(ctx, export)
	if err != nil {
		return nil, err
	}
	by, from := store.By(ctx), store.Address(ctx)
	return d.Jobs.Queue(Order{Lane: Arriving, About: fmt.Sprintf("export %d into its folder", export),
		Title: "Writing " + e.Name + " into the kit’s folder", Person: by, Bytes: 3 * e.Size,
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Writing", 0)
			_, err := d.Place(store.As(store.From(ctx, from), by), export, over)
			return e, err
		},
		Again: func(ctx context.Context) (*Job, error) { return d.PlaceLater(ctx, export, over) }}), nil
}
