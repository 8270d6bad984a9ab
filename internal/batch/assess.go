package batch

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/split"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/report"
)

// Input is one asset to be judged and, where it is to be sent, written.
type Input struct {
	Set     *bundle.Bundle
	Mesh    string // within the set
	File    string // what it is called in the report
	Name    string // of the asset, for names of files
	Prep    prep.Prep
	Target  target.Target
	Shelf   prep.Shelf
	Release string // why it may leave though something must be fixed, "" for not
}

// Assess judges an asset and makes what leaves of it. Nothing is made of one that is held. What is wrong with the asset
// is in the report; the error is ctx's alone.
func Assess(ctx context.Context, in Input) (a report.Asset, p *deliver.Parcel, err error) {
	a = report.Asset{File: in.File}
	defer func() {
		if broke := split.Recovered(recover()); broke != nil {
			a, p, err = report.Asset{File: in.File, Status: report.Unread,
				Error: "it broke off here, which is a fault of Yarvek: " + firstLine(broke.Error())}, nil, nil
		}
	}()
	unread := func(err error) (report.Asset, *deliver.Parcel, error) {
		if ctx.Err() != nil {
			return a, nil, ctx.Err()
		}
		a.Status, a.Error = report.Unread, said(err, in.Mesh)
		return a, nil, nil
	}
	s, found, err := format.Read(ctx, in.Set.Choosing(in.Prep.Source.Variants), in.Mesh, nil)
	if err != nil {
		return unread(err)
	}
	if _, ok := in.Target.Class(in.Prep.Size.Class); !ok {
		return unread(fault.Input("%q is no class of the target", in.Prep.Size.Class))
	}
	a.Decided = prep.Diff(prep.Prep{}, in.Prep)
	r, err := prep.Run(ctx, prep.Input{Key: in.File, Scene: s, Findings: found, Revision: 1, Target: in.Target, Make: true,
		Shelf: in.Shelf}, in.Prep, nil)
	if err != nil {
		return unread(err)
	}
	a.Judged(r)
	if mustFix, _ := r.Open(); mustFix > 0 && in.Release == "" {
		a.Status = report.Held
		return a, nil, nil
	}
	p, err = deliver.Make(ctx, deliver.Order{Delivery: r.Delivery, Decisions: in.Prep.Export, Asset: in.Name,
		Class: a.Class, Target: in.Target})
	if err != nil {
		return unread(err)
	}
	a.Status, a.Less = report.Sent, p.Certificate.Less()
	if !p.Certificate.Arrived() {
		a.Status = report.Different
		for _, row := range p.Certificate.Rows {
			if !row.Settled() {
				a.Arrival = append(a.Arrival, row.What+": sent "+row.Sent+", arrived "+row.Arrived)
			}
		}
	}
	return a, p, nil
}

func firstLine(s string) string { l, _, _ := strings.Cut(s, "\n"); return l }

// said is why a file can't be sent, without its own name before it.
func said(err error, mesh string) string {
	var e *fault.Error
	if errors.As(err, &e) && e.File == mesh {
		return e.Plain()
	}
	var at *fs.PathError // whose path is of this machine
	if errors.As(err, &at) {
		return filepath.Base(at.Path) + ": " + at.Err.Error()
	}
	return err.Error()
}

// prepOf is what is decided for a task: by its folder, by the preset, and by its own prep above all.
func (p *Plan) prepOf(t Task) (prep.Prep, []byte, error) {
	if t.wrong != nil {
		return prep.Prep{}, nil, t.wrong
	}
	d := prep.Prep{}
	d.Size.Class = t.Class
	d, err := d.Decide(t.Decide...)
	if err != nil {
		return d, nil, err
	}
	d.Export = t.send.For(d.Export)
	if t.Prep == "" {
		return d, nil, nil
	}
	raw, err := os.ReadFile(t.Prep)
	if err != nil {
		return d, nil, err
	}
	own, err := prep.ParseFile(raw)
	if err != nil {
		return d, raw, fault.Input("%s: %v", filepath.Base(t.Prep), err)
	}
	if own.Size.Class == "" {
		own.Size.Class = d.Size.Class
	}
	if own.Export == (export.Decisions{}) {
		own.Export = d.Export
	}
	return own, raw, nil
}

// input is a task ready to be judged. Files are read when a reader asks for them.
func (p *Plan) input(t Task) Input {
	files := []bundle.File{{Name: t.File, Load: p.load(t.File)}}
	for _, name := range p.near(path.Dir(t.File)) {
		files = append(files, bundle.File{Name: name, Load: p.load(name)})
	}
	return Input{Set: bundle.New(files), Mesh: t.File, File: t.File,
		Name: t.Name}
}

// besideDeep is how many folders deep what belongs to a mesh is looked for.
const besideDeep = 3

// near are the files that may belong to a mesh of a folder, sorted: in it, and in those below it.
func (p *Plan) near(dir string) (list []string) {
	for at, files := range p.beside {
		rel, below := strings.CutPrefix(at, dir+"/")
		if at == dir || dir == "." && strings.Count(at, "/") < besideDeep || below && strings.Count(rel, "/") < besideDeep {
			list = append(list, files...)
		}
	}
	slices.Sort(list)
	return list
}

// Checked is what is said of an asset that was judged and made though it is held, to see whether it would arrive.
func Checked(a report.Asset) report.Asset {
	switch {
	case a.Status == report.Sent && a.MustFix() > 0:
		a.Status = report.Held
	case a.Status == report.Sent:
		a.Status = report.Sound
	}
	a.Files = nil
	return a
}

// Check judges all meshes of a plan without writing anything: as many at once as there are processors. by is decided
// for those that have no prep of their own.
func (p *Plan) Check(ctx context.Context, t target.Target, by prep.Prep) ([]report.Asset, error) {
	list := make([]report.Asset, len(p.Tasks))
	errs := make([]error, len(p.Tasks))
	err := split.Each(ctx, len(p.Tasks), func(i int) {
		task := p.Tasks[i]
		d, _, err := p.prepOf(task)
		if err != nil {
			list[i] = report.Asset{File: task.File, Status: report.Unread, Error: said(err, task.File)}
			return
		}
		if task.Prep == "" {
			class := d.Size.Class
			if d = by; d.Size.Class == "" {
				d.Size.Class = class
			}
		}
		in := p.input(task)
		in.Prep, in.Target, in.Release = d, t, "checked"
		a, _, err := Assess(ctx, in)
		a.Preset = task.Preset
		list[i], errs[i] = Checked(a), err
	})
	for _, t := range p.Unread {
		list = append(list, report.Asset{File: t.File, Status: report.Unread, Error: said(t.Err, "")})
	}
	return list, errors.Join(append(errs, err)...)
}
