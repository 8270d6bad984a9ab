package work

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// Cure is another way of sending what an export sent, by which more of it arrives.
type Cure struct {
	Label    string
	Effect   string // what was seen to come out of it
	Decision export.Decisions
}

// Cures is what was found for an export at a target.
type Cures struct {
	Target string   // its name
	ID     string   // of it
	Wrong  []string // what arrives otherwise there
	List   []Cure   // the best first; none where nothing that Export decides helps
	Names  bool     // the target does not know names that say LOD or collision: its patterns are another way
}

// mostCures bounds how many are offered.
const mostCures = 3

// Cures looks for other ways to send what an export sent, by its own decisions on its revision, so that more of it
// arrives at a target of the house: it writes each, reads it back, and compares. Nothing is kept of it.
func (d *Desk) Cures(ctx context.Context, sent int64, at string, progress func(string, float64)) (Cures, error) {
	r, err := d.remake(ctx, sent, progress)
	if err != nil {
		return Cures{}, err
	}
	t := r.export.Target
	if at != "" && at != t.ID {
		if t, err = d.Target(ctx, at, 0); err != nil {
			return Cures{}, err
		}
	}
	files, by, err := d.filesOf(ctx, sent)
	if err != nil {
		return Cures{}, err
	}
	now, err := r.seen(ctx, files, by, t, r.export.Certificate)
	if err != nil {
		return Cures{}, err
	}
	out := Cures{Target: t.Name, ID: t.ID}
	for _, w := range now {
		out.Wrong = append(out.Wrong, w.says)
		out.Names = out.Names || w.key == "LODs" || w.key == "Collision"
	}
	if len(now) == 0 {
		return out, nil
	}
	type found struct {
		Cure
		left, changed int
	}
	var list []found
	ways := waysBeside(r.by)
	for i, w := range ways {
		if err := ctx.Err(); err != nil {
			return Cures{}, err
		}
		if progress != nil {
			progress("Trying "+strings.ToLower(w.Label[:1])+w.Label[1:], float64(i)/float64(len(ways)))
		}
		p, err := r.make(ctx, w.Decision)
		if err != nil {
			if fault.KindOf(err) != 0 {
				continue // it can't be sent so
			}
			return Cures{}, err
		}
		then, err := r.seen(ctx, p.Package.Files, p.Format, t, *p.Certificate)
		if err != nil {
			return Cures{}, err
		}
		if len(then) >= len(now) || slices.ContainsFunc(then, func(x wrong) bool {
			return !slices.ContainsFunc(now, func(y wrong) bool { return x.key == y.key })
		}) {
			continue // it helps nothing, or breaks something else
		}
		w.Effect = "Then all of it arrives."
		if len(then) > 0 {
			w.Effect = fmt.Sprintf("Then %d of %s are right; what stays is %s.", len(now)-len(then),
				figure.Plural(len(now), "thing", "things"), then[0].says)
		}
		list = append(list, found{w, len(then), i})
	}
	slices.SortStableFunc(list, func(a, b found) int {
		return cmp.Or(cmp.Compare(a.left, b.left), cmp.Compare(a.changed, b.changed))
	})
	for _, f := range list[:min(mostCures, len(list))] {
		out.List = append(out.List, f.Cure)
	}
	return out, nil
}

// wrong is something that arrives otherwise.
type wrong struct{ key, says string }

// waysBeside are the other ways to send: with transforms baked, in other forms, in other formats.
func waysBeside(now export.Decisions) (list []Cure) {
	add := func(label string, change func(*export.Decisions)) {
		d := now
		if change(&d); d != now {
			list = append(list, Cure{Label: label, Decision: d})
		}
	}
	add("Bake transforms", func(d *export.Decisions) { d.Bake = true })
	add("Cut polygons into triangles", func(d *export.Decisions) { d.Triangles = true })
	if now.LODs == export.LODsGroup {
		add("Name LODs by the target’s pattern", func(d *export.Decisions) { d.LODs = export.LODsNamed })
	}
	for _, variant := range []bool{false, true} {
		for _, f := range format.Written {
			if (f.Variant != "") != variant {
				continue
			}
			add("Send as "+f.Name, func(d *export.Decisions) { d.Format = f.ID })
			if f.Bakes {
				add("Send as "+f.Name+" with transforms baked",
					func(d *export.Decisions) { d.Format, d.Bake = f.ID, true })
			}
		}
	}
	return list
}

// CuresLater is Cures as a job, whose outcome is that.
func (d *Desk) CuresLater(ctx context.Context, sent int64, at string) (*Job, error) {
	e, err := d.store.Export(ctx, sent)
	if err != nil {
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: fmt.Sprintf("cures of export %d", sent), Of: at,
		Title: "Looking for what would cure it", Person: store.By(ctx), Bytes: 40 * e.Size,
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Reading it", 0)
			return d.Cures(ctx, sent, at, job.Report)
		},
		Again: func(ctx context.Context) (*Job, error) { return d.CuresLater(ctx, sent, at) }}), nil
}

// remade is what an export was made of, once more.
type remade struct {
	export Sent
	opened *Opened
	by     export.Decisions
}

// remake opens an asset as it was when an export was made of it: the same revision, decisions and target.
func (d *Desk) remake(ctx context.Context, sent int64, progress func(string, float64)) (*remade, error) {
	e, err := d.Sent(ctx, sent)
	if err != nil {
		return nil, err
	}
	st, err := d.store.State(ctx, e.AssetID)
	if err != nil {
		return nil, err
	}
	if st.Revision, err = d.store.Revision(ctx, e.AssetID, e.Revision); err != nil {
		return nil, err
	}
	st.Kit.Target = e.Target
	p, err := prep.Parse(e.Prep)
	if err != nil {
		return nil, err
	}
	o, err := d.run(ctx, st, p, "")
	if err != nil {
		return nil, err
	}
	if o.Result.Pending() {
		if o, err = d.whole(ctx, o, progress); err != nil {
			return nil, err
		}
	}
	return &remade{e, o, p.Export}, nil
}

// make sends it by other decisions of Export.
func (r *remade) make(ctx context.Context, by export.Decisions) (*deliver.Parcel, error) {
	return deliver.Make(ctx, deliver.Order{Delivery: r.opened.Result.Delivery, Decisions: by, Asset: r.opened.Asset.Name,
		Kit: r.opened.Kit.Name, Class: className(r.opened), Target: r.export.Target})
}

// seen is what arrives otherwise of files at a target: by the certificate where it is the one they were sent for, and
// by what it makes of their bytes.
func (r *remade) seen(ctx context.Context, files []bundle.File, f format.Format, t target.Target,
	cert deliver.Certificate) ([]wrong, error) {
	s, _, err := format.Read(ctx, bundle.New(files), files[0].Name, nil)
	if err != nil {
		return nil, err
	}
	var list []wrong
	for i, c := range deliver.Stand(s, f, t, &r.export.Target).Cells() {
		if !c.OK {
			list = append(list, wrong{deliver.Headings[i], deliver.Headings[i] + ": " + c.Says})
		}
	}
	if t.Equal(r.export.Target) {
		for _, row := range cert.Rows {
			if !row.Settled() {
				list = append(list, wrong{row.Code, row.What})
			}
		}
	}
	return list, nil
}
