package work

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/compare"
	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/internal/draft"
	"yarvek/internal/store"
)

// AddFiles gives an asset's source further files, as its next revision. Companions
// of the mesh, such as a missing picture, are used at once; a new mesh is only kept,
// for Review to show, and TakeRevision to put in force. A mesh of another name
// replaces the old one when it is the only one sent.
func (d *Desk) AddFiles(ctx context.Context, id int64, u *Upload) (number int, used bool, err error) {
	if len(u.files) == 0 {
		if len(u.Refused) > 0 {
			return 0, false, inputError("%s %s", u.Refused[0].Name, u.Refused[0].Why)
		}
		return 0, false, inputError("no file was sent")
	}
	rev, err := d.Store.Current(ctx, id)
	if err != nil {
		return 0, false, err
	}
	next := store.Revision{Main: rev.Main}
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
		return 0, false, inputError("%d meshes were sent and none is called %s; send the one that follows it", len(meshes), rev.Main)
	}
	for _, f := range rev.Files {
		if !u.names[f.Name] && (f.Name != rev.Main || next.Main == rev.Main) {
			next.Files = append(next.Files, f)
		}
	}
	next.Files = append(next.Files, u.files...)
	if _, err := d.source(ctx, next); err != nil {
		return 0, false, inputError("%v", err)
	}
	if sourceKey(next) == sourceKey(rev) {
		return rev.Number, true, nil // byte for byte what is in force
	}
	used = len(meshes) == 0
	number, err = d.Store.AddRevision(ctx, id, next.Main, next.Files, used)
	return number, used, err
}

// Review is a revision beside the one in force.
type Review struct {
	Sheet    *Sheet // as it is in force
	Revision store.Revision
	Unread   string // why the revision can't be read, "" when it can
	Next     *Sheet // the same prep over the revision
	compare.Comparison
	Older         bool
	Before, After string // front views at one scale, as SVG
}

// Review runs the prep in force over a revision and compares.
func (d *Desk) Review(ctx context.Context, id int64, number int) (*Review, error) {
	sh, err := d.Open(ctx, id)
	if err != nil {
		return nil, err
	}
	r := &Review{Sheet: sh, Older: number < sh.Revision.Number}
	if r.Revision, err = d.Store.Revision(ctx, id, number); err != nil {
		return nil, err
	}
	src, err := d.source(ctx, r.Revision)
	if err != nil {
		r.Unread = err.Error()
		return r, nil
	}
	next := *sh
	next.Revision = r.Revision
	if next.Result, err = d.run(ctx, sh.Kit, r.Revision, src, sh.Prep); err != nil {
		return nil, err
	}
	r.Next = &next
	r.Comparison = compare.Results(sh.Result, next.Result)
	r.pictures(d)
	return r, nil
}

// reviewPixels is the width of one of the two pictures.
const reviewPixels = 380

// pictures draws both fronts at one scale.
func (r *Review) pictures(d *Desk) {
	a, b := r.Sheet.Result.Axes.Size, r.Next.Result.Axes.Size
	largest := max(a[0], a[1], b[0], b[1])
	if largest == 0 {
		return
	}
	scale := reviewPixels * 0.8 / largest
	height := min(reviewPixels*0.72, max(a[1], b[1])*scale+24)
	draw := func(sh *Sheet) string {
		s, key := sh.Shown("pivot")
		v, err := cached(d, "front", fmt.Sprintf("%s %g", key, scale), func() (draft.View, error) {
			return d.models.get(key, s).Draw(draft.Front, scale), nil
		})
		if err != nil {
			return ""
		}
		return draft.Standing(v, reviewPixels, height)
	}
	r.Before, r.After = draw(r.Sheet), draw(r.Next)
}

// TakeRevision puts a revision in force. Decisions that find no node in it are
// pointed at others, or dropped where the name is empty; those not named stay as
// they are, and are said to be lost. base is the prep the page showed.
func (d *Desk) TakeRevision(ctx context.Context, id int64, number, base int, points map[prep.Ref]string) error {
	p, err := d.prepAt(ctx, id, base)
	if err != nil {
		return err
	}
	was := string(p.JSON())
	var refs []prep.Ref
	for ref := range points {
		refs = append(refs, ref)
	}
	slices.SortFunc(refs, func(a, b prep.Ref) int { return strings.Compare(a.Station+a.Key, b.Station+b.Key) })
	for _, ref := range refs {
		p = p.Repointed(ref, points[ref])
	}
	if err := p.Validate(); err != nil {
		return inputError("%v", err)
	}
	if string(p.JSON()) == was {
		return d.Store.UseRevision(ctx, id, number)
	}
	return d.Store.TakeRevision(ctx, id, number, base, p.JSON(), fmt.Sprintf("Point decisions anew for revision %d", number))
}
