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
)

var collisionRoom = room{
	id:     collision.Info.ID,
	decode: decideCollision,
	page: func(c *call, ws worksheet) (any, error) {
		r, d := c.o.Result.Collision, c.o.Prep.Collision
		p := collisionPage{worksheet: ws, Report: r, Decided: d, Progress: c.making(r.Pending, ws.Station.ID)}
		s := c.o.Result.Delivery.Scene
		keys := s.Keys()
		for i, n := range s.Nodes {
			if n.Mesh >= 0 {
				p.Nodes = append(p.Nodes, [2]string{keys[i], n.Name})
			}
		}
		for _, name := range s.SlotNames() {
			p.Slots = append(p.Slots, [2]string{name, name})
		}
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
	Nodes    [][2]string // keys and names of those with a mesh
	Slots    [][2]string
	Progress making
}

// First is the first fit, for what stands in its fields.
func (p collisionPage) First() collision.Fit {
	if len(p.Decided.Fits) == 0 {
		return collision.Fit{}
	}
	return p.Decided.Fits[0]
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
		fit := f.fit()
		if f.on("add") {
			d.Fits, d.None = append(append([]collision.Fit(nil), d.Fits...), fit), false
		} else {
			*d = d.With(fit)
		}
	case "picked":
		fit := collision.Fit{Form: collision.Form(f.str("sort")), At: []geom.Vec3{f.point("at")}, Flat: f.on("flat")}
		d.Fits, d.None = append(append([]collision.Fit(nil), d.Fits...), fit), false
	case "none":
		*d = d.With()
	case "asfile":
		*d = d.AsFile()
	case "keep":
		f.keep(d)
	case "limits":
		d.Gap, d.Air, d.Density = 0, 0, 0
		if f.str("gap") != "" {
			d.Gap = f.length("gap", "The gap")
		}
		if f.str("air") != "" {
			d.Air = f.length("air", "The air")
		}
		if f.str("density") != "" {
			d.Density = f.number("density", "The density")
		}
	case "surface":
		d.Surface = collision.Surface{}
		if f.str("share") != "" {
			d.Surface = collision.Surface{Share: f.numberOf(strings.TrimSuffix(f.str("share"), "%"), "The share") / 100,
				TwoSided: f.on("two")}
		}
		if d.Surface.Share > 0 {
			d.None = false
		}
	case "add":
		f.addShape(d)
	case "edit":
		f.editShapes(d)
	default:
		f.unknown()
	}
}

// fit reads what is to be fitted.
func (f *form) fit() collision.Fit {
	x := collision.Fit{Form: collision.Form(f.str("sort")), Most: f.optional("most"), Points: f.optional("points"),
		Planes: f.optional("planes"),
		Each:   f.on("each"), Slot: f.str("slot")}
	if s := f.str("concavity"); s != "" {
		x.Concavity = f.lengthOf(s, "The hollow")
	}
	if s := f.str("sheet"); s != "" && x.Form == collision.Hulls {
		x.Sheet = f.lengthOf(s, "The thickness")
	}
	if s := f.str("within"); s != "" && x.Form == collision.OneHull {
		x.Within = f.lengthOf(s, "How far it may stick out")
	}
	for _, k := range f.strs("node") {
		if k != "" {
			x.Nodes = append(x.Nodes, k)
		}
	}
	if x.Form != collision.Hulls {
		x.Most, x.Concavity = 0, 0
	}
	if x.Form != collision.Slab {
		x.Planes = 0
	}
	if x.Form != collision.Hulls && x.Form != collision.OneHull {
		x.Points = 0
	}
	return x
}

// keep reads the body that passages stay open for.
func (f *form) keep(d *collision.Decisions) {
	switch f.str("who") {
	case "walker":
		d.Keep = collision.Keep{Radius: f.length("wide", "The width") / 2, Height: f.length("tall", "The height")}
		if d.Keep == collision.Walker {
			d.Keep = collision.Keep{}
		}
	case "ball":
		d.Keep = collision.Keep{Radius: f.length("wide", "The width") / 2}
	case "nobody":
		d.Keep = collision.Keep{None: true}
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
	case collision.Mirror, collision.Split:
		e.Axis, _ = f.axisOf(to, f.str("about"))
		e.At = length("at", "The place")
	case collision.Snap:
		o, err := f.open()
		f.check(err)
		if e.Grid = length("grid", "The grid"); e.Grid == 0 && err == nil {
			if e.Grid = o.Kit.Grid; e.Grid == 0 {
				e.Grid = 0.1
			}
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

// Who is whom passages stay open for, as the form names it.
func (p collisionPage) Who() string {
	switch k := p.Report.Keep; {
	case k.None:
		return "nobody"
	case k.Height > 0:
		return "walker"
	}
	return "ball"
}

// WhoList are those that may come through.
func (p collisionPage) WhoList() [][2]string {
	return [][2]string{{"walker", "A walker"}, {"ball", "A ball"}, {"nobody", "Nobody"}}
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
