package web

import (
	"fmt"
	"html/template"
	"math"
	"strconv"
	"strings"

	"yarvek/core/collide/gap"
	"yarvek/core/collide/solid"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/collision"
	"yarvek/internal/show"
)

var collisionRoom = room{
	id:     collision.Info.ID,
	decode: decideCollision,
	page: func(c *call, ws worksheet) (any, error) {
		r, d := c.o.Result.Collision, c.o.Prep.Collision
		p := collisionPage{worksheet: ws, Report: r, Decided: d, Progress: c.making(r.Pending, ws.Station.ID)}
		return p, nil
	},
	words: template.FuncMap{
		"times": func(v float64) string { return figure.Significant(v, 3) },
		"bars":  bars,
		"forms": func() []collision.NamedForm { return collision.Forms },
		"off": func(v float64) string {
			if v < 5e-5 {
				return "–"
			}
			return figure.Length(v)
		},
		"mass":  func(volume, density float64) float64 { return volume * density },
		"sumof": func(list []collision.Fitted) (n int) { return piecesOf(list) },
	},
}

func piecesOf(list []collision.Fitted) (n int) {
	for _, f := range list {
		n += f.Pieces
	}
	return n
}

// collisionPage is what Collision's worksheet shows.
type collisionPage struct {
	worksheet
	Report   *collision.Report
	Decided  collision.Decisions
	Progress making
}

// Points and Planes are all there are.
func (p collisionPage) Points() int { n, _ := p.Report.Total(); return n }

// Planes are the sides of all shapes.
func (p collisionPage) Planes() int { _, n := p.Report.Total(); return n }

// OpenWays is how many passages are open.
func (p collisionPage) OpenWays() int { return len(p.Report.Ways) - len(p.Report.Filled()) }

// Bar is one bar of the histogram of gaps.
type Bar struct {
	X, Height float64
	Class     string
}

// Histogram is the bars with what they lie between.
type Histogram struct {
	Bars     []Bar
	Out, Air string // the ends of the axis
}

// histogram bars are as high as the root of their share: most of a surface has no gap to speak of.
func bars(b gap.Between, limit, air float64) *Histogram {
	if !(b.Step > 0) {
		return nil
	}
	h := &Histogram{Out: figure.Length(b.Out.Max), Air: figure.Length(b.In.Max)}
	for i, v := range b.Histogram {
		bar := Bar{X: 150 + 12*float64(i-gap.Bins), Height: 44 * math.Sqrt(v)}
		if v > 0 {
			bar.Height = max(bar.Height, 1.5)
		}
		switch {
		case i < gap.Bins && float64(gap.Bins-i)*b.Step > limit && float64(gap.Bins-1-i)*b.Step >= limit-b.Step/2:
			bar.Class = "out"
		case i >= gap.Bins && float64(i-gap.Bins)*b.Step >= air-b.Step/2:
			bar.Class = "air"
		}
		h.Bars = append(h.Bars, bar)
	}
	return h
}

// decideCollision turns Collision's form into decisions.
func decideCollision(f *form, p *prep.Prep) {
	d := &p.Collision
	switch act := f.str("act"); act {
	case "fit":
		fit := collision.Fit{Form: collision.Form(f.str("sort"))}
		if f.on("add") {
			d.Fits, d.None = append(append([]collision.Fit(nil), d.Fits...), fit), false
		} else {
			*d = d.With(fit)
		}
	case "picked":
		fit := collision.Fit{Form: collision.Form(f.str("sort")), At: []geom.Vec3{f.point("at")}, Flat: f.on("flat")}
		d.Fits, d.None = append(append([]collision.Fit(nil), d.Fits...), fit), false
	case "drawn":
		d.Fits, d.None = append(append([]collision.Fit(nil), d.Fits...), f.fitDrawn()), false
	case "asfile":
		*d = d.AsFile()
	case "add":
		f.addShape(d)
	case "edit":
		f.editShapes(d)
	default:
		f.unknown()
	}
}

// onPaper is what turns directions of the drawing, to its right, up and toward the viewer, into those of
// the outcome.
func (f *form) onPaper() (report *collision.Report, toScene geom.Mat3, ok bool) {
	o, err := f.open()
	if err != nil {
		f.check(err)
		return nil, geom.Mat3{}, false
	}
	stop, err := o.Result.Stop(collision.Info.ID)
	if err != nil {
		f.check(err)
		return nil, geom.Mat3{}, false
	}
	return o.Result.Collision, stop.Stand.Transpose(), true
}

// fitDrawn is what is fitted to what was drawn round, by places of the paper.
func (f *form) fitDrawn() collision.Fit {
	fit := collision.Fit{Form: collision.Form(f.str("sort"))}
	places, err := placesOf(f.str("round"))
	f.check(err)
	o, err := f.open()
	f.check(err)
	if f.err != nil {
		return fit
	}
	round, err := show.Around(o, places)
	f.check(err)
	fit.Round = &round
	return fit
}

// addShape adds a shape of a size, in the middle of the asset or where something was picked.
func (f *form) addShape(d *collision.Decisions) {
	r, _, ok := f.onPaper()
	if !ok {
		return
	}
	o, _ := f.open()
	box := o.Result.Delivery.Scene.Bounds()
	at := box.Center()
	if f.str("pick") != "" {
		at = r.Space.Placed.Apply(f.point("pick"))
	}
	size := box.Size().Max() / 4
	if f.str("size") != "" {
		size = f.length("size", "The size")
	}
	got, err := d.Added(r.Space, solid.Kind(f.str("kind")), at, size)
	f.check(err)
	if err == nil {
		*d = got
	}
}

// editShapes changes the shapes that are ticked, by numbers along the axes of the drawing.
func (f *form) editShapes(d *collision.Decisions) {
	r, to, ok := f.onPaper()
	if !ok {
		return
	}
	e := collision.Edit{Do: collision.Do(f.str("do"))}
	length := func(name, label string) float64 {
		if f.str(name) == "" {
			return 0
		}
		return f.length(name, label)
	}
	switch e.Do {
	case collision.Move, collision.Copy:
		e.By = to.Apply(geom.Vec3{length("right", "To the right"), length("up", "Up"), length("front", "To the front")})
	case collision.Turn:
		angle := f.number("angle", "The angle")
		axis, sign := f.axisOf(to, f.str("about"))
		if to.Det() < 0 {
			sign = -sign // a mirrored frame turns the other way round
		}
		e.By[axis] = sign * angle
	case collision.Size:
		k := geom.Vec3{1, 1, 1}
		for i, name := range []string{"wide", "high", "deep"} {
			if s := f.str(name); s != "" {
				axis, _ := f.axisOf(to, strconv.Itoa(i))
				k[axis] = f.numberOf(strings.TrimSuffix(s, "%"), "The size") / 100
			}
		}
		e.By = k
		if text := f.str("hold"); text != "" {
			for i, s := range strings.Split(text, ",") {
				side, err := strconv.Atoi(s)
				if err != nil || side < -1 || side > 1 {
					f.fail("%q is no side that is held: expected -1, 0 or 1", s)
				}
				axis, sign := f.axisOf(to, strconv.Itoa(i))
				e.Hold[axis] = side * int(sign)
			}
		}
	case collision.Mirror, collision.Split:
		e.Axis, _ = f.axisOf(to, f.str("about"))
		e.At = length("at", "The place")
	case collision.Snap:
		o, err := f.open()
		f.check(err)
		if e.Grid = length("grid", "The grid"); e.Grid == 0 && err == nil {
			e.Grid = collision.GridOf(o.Kit.Grid)
		}
	}
	if f.err != nil {
		return
	}
	got, err := d.Changed(f.r.Context(), r.Space, f.strs("shape"), e)
	f.check(err)
	if err == nil {
		*d = got
	}
}

// axisOf is the axis of the outcome that one of the drawing lies along, 0 to the right, 1 up and 2 toward
// the viewer, with its sign.
func (f *form) axisOf(to geom.Mat3, name string) (int, float64) {
	n, err := strconv.Atoi(name)
	if err != nil || n < 0 || n > 2 {
		f.fail("%q is no direction of the drawing", name)
		return 0, 1
	}
	a := geom.AxisAlong(geom.Vec3(to.Col(n)))
	return a.Index(), a.Sign()
}

// Sentence says what there is.
func (p collisionPage) Sentence() string {
	r := p.Report
	s := fmt.Sprintf("%s hold it", r.Figure())
	if len(r.Shapes) == 1 {
		s = fmt.Sprintf("%s holds it", r.Figure())
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
