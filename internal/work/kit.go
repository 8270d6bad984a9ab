package work

import (
	"context"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/internal/store"
)

// Kits lists all kits, the newest first.
func (d *Desk) Kits(ctx context.Context) ([]Kit, error) { return d.store.Kits(ctx, false) }

// RemovedKits lists those that were taken off the first page.
func (d *Desk) RemovedKits(ctx context.Context) ([]Kit, error) { return d.store.Kits(ctx, true) }

// RemoveKit takes a kit off the first page, or puts it back. Nothing is deleted.
func (d *Desk) RemoveKit(ctx context.Context, kit int64, removed bool) error {
	return d.store.RemoveKit(ctx, kit, removed)
}

// Kit finds one.
func (d *Desk) Kit(ctx context.Context, kit int64) (Kit, error) { return d.store.Kit(ctx, kit) }

// NewKit begins a kit for a target, given by its ID.
func (d *Desk) NewKit(ctx context.Context, name, targetID string) (Kit, error) {
	clean, err := CleanName(name)
	if err != nil {
		return Kit{}, err
	}
	t, err := d.Target(ctx, targetID, 0)
	if err != nil {
		return Kit{}, err
	}
	return d.store.NewKit(ctx, clean, t)
}

// RenameKit gives a kit another name; was is the one the page showed, and the error ErrStale when it has another by
// now.
func (d *Desk) RenameKit(ctx context.Context, kit int64, was, name string) error {
	clean, err := CleanName(name)
	if err != nil {
		return err
	}
	return d.store.RenameKit(ctx, kit, was, clean)
}

// SetTarget gives a kit another target, by its ID, or another revision of the one it has; 0 is
// the newest.
func (d *Desk) SetTarget(ctx context.Context, kit int64, id string, revision int) error {
	t, err := d.Target(ctx, id, revision)
	if err != nil {
		return err
	}
	return d.store.SetTarget(ctx, kit, t)
}

// Bounds of a kit's grid, in metres.
const (
	gridLeast = 0.001
	gridMost  = 1000
)

// SetGrid gives a kit the module of its pieces in metres, 0 for none.
func (d *Desk) SetGrid(ctx context.Context, kit int64, metres float64) error {
	if metres != 0 && !(metres >= gridLeast && metres <= gridMost) {
		return fault.Input("a grid of %g m can't be meant: give a length from 1 mm to 1 km, or nothing", metres)
	}
	return d.store.SetGrid(ctx, kit, metres)
}

// Assets lists a kit's assets in the order they came.
func (d *Desk) Assets(ctx context.Context, kit int64) ([]Asset, error) {
	return d.store.Assets(ctx, kit, false)
}

// Removed lists those that were taken out of it.
func (d *Desk) Removed(ctx context.Context, kit int64) ([]Asset, error) {
	return d.store.Assets(ctx, kit, true)
}

// Neighbours are the assets before and after one in its kit, 0 for none.
func (d *Desk) Neighbours(ctx context.Context, a Asset) (prev, next int64, err error) {
	return d.store.Neighbours(ctx, a)
}

// Stamp names all that the pages of an asset show of what is kept; it is cheap to ask for.
func (d *Desk) Stamp(ctx context.Context, asset int64) (string, error) {
	return d.store.Stamp(ctx, asset)
}

// KitStamp names all that the pages of a kit show of what is kept, or with 0 the first page.
func (d *Desk) KitStamp(ctx context.Context, kit int64) (string, error) {
	return d.store.KitStamp(ctx, kit)
}

// Revisions lists all revisions of an asset, the newest first, without their files.
func (d *Desk) Revisions(ctx context.Context, asset int64) ([]Revision, error) {
	return d.store.Revisions(ctx, asset)
}

// Bring makes an asset of files that need no reading first, as a demo kit's.
func (d *Desk) Bring(ctx context.Context, kit int64, name string, u *Upload) (Asset, error) {
	if len(u.files) == 0 {
		return Asset{}, fault.Input("no file was sent")
	}
	return d.store.NewAsset(ctx, kit, name, u.files[0].Name, u.files)
}

// Step is where an asset is in its history of decisions.
func (d *Desk) Step(ctx context.Context, asset int64) (store.Step, error) {
	return d.store.Step(ctx, asset)
}

// Prep is the decisions that are in force for an asset.
func (d *Desk) Prep(ctx context.Context, asset int64) (prep.Prep, error) {
	step, err := d.store.Step(ctx, asset)
	if err != nil {
		return prep.Prep{}, err
	}
	return prep.Parse(step.JSON)
}
