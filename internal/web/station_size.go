package web

import (
	"html/template"
	"slices"
	"strconv"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/prep"
	"yarvek/core/station/size"
	"yarvek/internal/draft"
	"yarvek/internal/show"
)

var sizeRoom = room{
	id:     size.Info.ID,
	decode: decideSize,
	settle: alongItself,
	page: func(c *call, ws worksheet) (any, error) {
		rep := c.o.Result.Size
		body, err := rep.Body().Get(c.r.Context())
		if err != nil {
			return nil, err
		}
		return sizePage{worksheet: ws, Report: rep, Decided: c.o.Prep.Size, Body: body, Lean: size.Lean(body),
			Outline: rep.Outline(body),
			Ruler:   ruler(c.r, c.o, size.Info.ID), FigureHeight: figureHeight(c.r),
			Cube: trusted(draft.CubeTest(rep.Unit.Metres))}, nil
	},
	words: template.FuncMap{
		"offwords": func(by float64) string {
			if by < 0 {
				return figure.Length(-by) + " short of"
			}
			return figure.Length(by) + " longer than"
		},
		"cells": func(n int, grid float64) string { return strconv.FormatFloat(float64(n)*grid, 'g', 9, 64) },
		"bakeways": func() [][2]string {
			return [][2]string{{string(size.BakeAll), "rotation and scale"}, {string(size.BakeScale), "scale"},
				{string(size.BakeRotation), "rotation"}, {"", "nothing"}}
		},
	},
}

// sizePage is what Size's worksheet shows. Lengths are metres.
type sizePage struct {
	worksheet
	Report       *size.Report
	Decided      size.Decisions
	Body         extents.Body
	Lean         float64 // of the body's length, radians
	Outline      float64 // from above, square metres
	Ruler        *show.Measured
	FigureHeight float64
	Cube         template.HTML
}

// alongItself says along which direction an extent was meant when it was set, so that it means the same however the
// asset is stood later.
func alongItself(f *form, p *prep.Prep) {
	d := &p.Size
	if d.Fit == "" || d.Fit == size.ByFactor || d.Fit == size.Between || !f.has("fit") {
		return
	}
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return
	}
	d.Along = o.Result.Size.Along(d.Fit)
}

// decideSize turns Size’s form into decisions.
func decideSize(f *form, p *prep.Prep) {
	d := &p.Size
	switch f.str("act") {
	case "fit":
		e, length := size.Extent(f.str("fit")), f.length("length", "The length")
		o, err := f.open()
		if err != nil {
			f.err = first(f.err, err)
			return
		}
		*d = d.Fitted(e, o.Result.Size.Along(e), length)
	case "between":
		*d = d.Fitted(size.Between, geom.Vec3{}, f.length("length", "The length"))
		d.From, d.To = f.point("from"), f.point("to")
	case "bake":
		was := d.Nodes
		if d.Bake, d.Nodes = size.Bake(f.str("bake")), f.strs("node"); d.Bake == size.BakeNone {
			d.Nodes = nil
		} else if len(was) > 0 {
			d.Nodes = append(d.Nodes, f.unseen(was)...)
		}
	default:
		f.unknown()
	}
}

// unseen are those of the nodes that are baked which the form had not shown when it was
// sent: its list comes in pieces, and what has not come can't have been unticked.
func (f *form) unseen(baked []string) []string {
	if !f.has("upto") {
		return nil
	}
	upto := 0
	for _, s := range f.strs("upto") {
		n, err := strconv.Atoi(s)
		f.check(err)
		upto = max(upto, n)
	}
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return nil
	}
	seen := map[string]bool{}
	for _, n := range o.Result.Size.Placed[:min(upto, len(o.Result.Size.Placed))] {
		seen[n.Key] = true
	}
	return slices.DeleteFunc(slices.Clone(baked), func(k string) bool { return seen[k] })
}
