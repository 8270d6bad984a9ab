package work

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/compare"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/internal/store"
)

// AddFiles gives an asset's source further files, as its next revision. Companions
// of the mesh, such as a missing picture, are used at once; a new mesh is only kept,
// for Review to show, and TakeRevision to put in force. A mesh of another name
// replaces the old one when it is the only one sent.
func (d *Desk) AddFiles(ctx context.Context, asset int64, u *Upload) (number int, used bool, err error) {
	if len(u.files) == 0 {
		if len(u.Refused) > 0 {
			return 0, false, fault.Input("%s %s", u.Refused[0].Name, u.Refused[0].Why)
		}
		return 0, false, fault.Input("no file was sent")
	}
	if err := d.roomFor(ctx, asset, u); err != nil {
		return 0, false, err
	}
	for {
		rev, err := d.store.Current(ctx, asset)
		if err != nil {
			return 0, false, err
		}
		next, used, err := u.after(rev)
		if err != nil {
			return 0, false, err
		}
		if next.Files, err = d.asked(ctx, next, u); err != nil {
			return 0, false, err
		}
		if _, err := d.source(ctx, next, nil); err != nil {
			return 0, false, err
		}
		if sourceKey(next, nil) == sourceKey(rev, nil) {
			return rev.Number, true, nil // byte for byte what is in force
		}
		number, err = d.store.AddRevision(ctx, asset, rev.Number, next.Main, next.Files, used)
		// Other files came in meanwhile: put together anew, so that none of them is lost.
		if !errors.Is(err, ErrStale) {
			return number, used, err
		}
	}
}

// asked leaves of a revision's files those of the upload that its mesh does not refer to: a
// picture of another name, or a foreign file, is never part of it. When nothing of the upload
// is left the error says what the mesh asks for.
func (d *Desk) asked(ctx context.Context, next Revision, u *Upload) ([]store.File, error) {
	wanted := map[string]bool{next.Main: true}
	for _, c := range format.Companions(ctx, d.bundleOf(next.Files), next.Main) {
		wanted[c] = true
	}
	var files []store.File
	var foreign []string
	took := false
	for _, f := range next.Files {
		if !u.names[f.Name] {
			files = append(files, f)
		} else if wanted[f.Name] {
			files, took = append(files, f), true
		} else {
			foreign = append(foreign, f.Name)
		}
	}
	if took || len(foreign) == 0 {
		return files, nil
	}
	var missing []string
	if r, err := d.source(ctx, Revision{Main: next.Main, Files: files}, nil); err == nil {
		for _, f := range r.findings {
			if f.Missing() {
				missing = append(missing, f.Title)
			}
		}
	}
	say := fmt.Sprintf("%s does not refer to %s, so nothing was changed", next.Main, station.Some(foreign))
	if len(missing) > 0 {
		return nil, fault.Input("%s. What it asks for: %s", say, strings.Join(missing[:min(len(missing), 3)], "; "))
	}
	return nil, fault.Input("%s. It asks for nothing that is not there", say)
}

// after is the revision that follows one when the upload's files are added to it, and
// whether it may be used unseen: when no mesh is among them.
func (u *Upload) after(rev Revision) (next Revision, unseen bool, err error) {
	next = Revision{Main: rev.Main}
	var meshes []string
	for _, f := range u.files {
		if format.IsMesh(f.Name) {
			meshes = append(meshes, f.Name)
		}
	}
	switch {
	case len(meshes) == 0 || slices.Contains(meshes, rev.Main):
	case len(meshes) == 1:
		next.Main = meshes[0]
	default:
		return next, false, fault.Input("%d meshes were sent and none is called %s; send the one that follows it",
			len(meshes), rev.Main)
	}
	for _, f := range rev.Files {
		if !u.names[f.Name] && (f.Name != rev.Main || next.Main == rev.Main) {
			next.Files = append(next.Files, f)
		}
	}
	next.Files = append(next.Files, u.files...)
	return next, len(meshes) == 0, nil
}

// Review is a revision beside the one in force.
type Review struct {
	Now      *Opened // as it is in force
	Revision Revision
	Unread   string  // why the revision can't be read, "" when it can
	Next     *Opened // the same prep over the revision, nil when it can't be read
	compare.Comparison
	Older bool
}

// Review runs the prep in force over a revision and compares.
func (d *Desk) Review(ctx context.Context, asset int64, number int) (*Review, error) {
	now, err := d.Open(ctx, asset)
	if err != nil {
		return nil, err
	}
	r := &Review{Now: now, Older: number < now.Revision.Number}
	if r.Revision, err = d.store.Revision(ctx, asset, number); err != nil {
		return nil, err
	}
	st := now.State
	st.Revision = r.Revision
	next, err := d.run(ctx, st, now.Prep, "")
	switch {
	case fault.KindOf(err) != 0:
		r.Unread = err.Error()
		return r, nil
	case err != nil:
		return nil, err
	}
	r.Next = next
	r.Comparison = compare.Results(ctx, now.Result, next.Result)
	return r, ctx.Err()
}

// TakeRevision puts a revision in force. Decisions that find no node in it are
// pointed at others, or dropped where the name is empty; those not named stay as
// they are, and are said to be lost. base is the prep the page showed.
func (d *Desk) TakeRevision(ctx context.Context, asset int64, number, base int, points map[prep.Ref]string) error {
	st, err := d.store.State(ctx, asset)
	if err != nil {
		return err
	}
	p, err := prep.Parse(st.Step.JSON)
	if err != nil {
		return err
	}
	was := string(p.JSON())
	refs := make([]prep.Ref, 0, len(points))
	for ref := range points {
		refs = append(refs, ref)
	}
	slices.SortFunc(refs, func(a, b prep.Ref) int {
		return cmp.Or(cmp.Compare(a.Station, b.Station),
			cmp.Compare(a.Key, b.Key))
	})
	for _, ref := range refs {
		if p, err = p.Repointed(ref, points[ref]); err != nil {
			return err
		}
	}
	if err := p.Validate(); err != nil {
		return err
	}
	if string(p.JSON()) == was {
		return d.store.TakeRevision(ctx, asset, number, base, nil, "")
	}
	return d.store.TakeRevision(ctx, asset, number, base, p.JSON(), fmt.Sprintf("Point decisions anew for revision %d",
		number))
}
