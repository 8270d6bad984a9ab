package draft

import (
	"fmt"
	"html"
	"math"
	"strings"

	"yarvek/core/geom"
)

// Stage is one moment of a trial on the test floor: outlines of what is there, in metres, x to the
// right along the ground and y up from it.
type Stage struct {
	Say      string // below it
	Outlines [][]geom.Vec2
	Guest    []geom.Vec2
	Centre   geom.Vec2 // of mass
}

// Walk is where somebody came from, seen from above, with where they were stopped.
type Walk struct {
	Path    []geom.Vec2 // x to the right, y up the paper; metres
	Stopped bool
}

// FloorSheet is what the test floor shows on paper.
type FloorSheet struct {
	Asset, Kit string
	Title      string
	Stages     []Stage
	Energy     []float64 // joules, at even times
	Seconds    float64   // of all of it
	Rest       float64   // when it came to rest, 0 for never
	Walks      []Walk
	Plan       [][]geom.Vec2 // outlines seen from above, for the walks
	WalksSay   string
	Cells      [][2]string // of the title block
	Say        string      // in the place of all, "" for nothing
}

// Where things are on the paper of a test floor.
const (
	floorL, floorR   = 54.0, 846.0
	stripT, stripB   = 96.0, 372.0
	lowerT, lowerB   = 436.0, 590.0
	energyL, energyR = 540.0, 846.0
)

// Draw makes the sheet.
func (f FloorSheet) Draw() Drawn {
	c := &canvas{Drawing: &Drawing{Asset: f.Asset, Kit: f.Kit}}
	fmt.Fprintf(&c.pen, `<svg class="drawing floor" viewBox="0 0 %.0f %.0f" preserveAspectRatio="xMaxYMid" role="group"`+
		` aria-label="%s">`,
		paperW, paperH, html.EscapeString("Test floor of "+f.Asset+": "+f.Title))
	c.border()
	if f.Say != "" {
		c.text("word mid", paperW/2, paperH/2-40, f.Say)
	} else {
		c.hatches()
		c.text("word ladder-title", floorL, 62, f.Title)
		f.strip(c)
		f.walks(c)
		f.energy(c)
	}
	f.block(c)
	c.WriteString(`</svg>`)
	return Drawn{SVG: c.String(), Zones: map[int]string{}}
}

// strip draws the stages one beside the other, all at one scale, on one ground.
func (f FloorSheet) strip(c *canvas) {
	if len(f.Stages) == 0 {
		return
	}
	lo, hi, top := math.Inf(1), math.Inf(-1), 0.0
	each := func(use func(p geom.Vec2)) {
		for _, s := range f.Stages {
			for _, o := range s.Outlines {
				for _, p := range o {
					use(p)
				}
			}
			for _, p := range s.Guest {
				use(p)
			}
		}
	}
	each(func(p geom.Vec2) { lo, hi, top = min(lo, p[0]), max(hi, p[0]), max(top, p[1]) })
	n := float64(len(f.Stages))
	k := min((floorR-floorL)/(n*max(hi-lo, 1e-9)*1.06), (stripB-stripT)/max(top, 1e-9))
	cell := (floorR - floorL) / n
	var trail strings.Builder
	for i, s := range f.Stages {
		mid := floorL + cell*(float64(i)+0.5)
		place := func(p geom.Vec2) geom.Vec2 { return geom.Vec2{mid + (p[0]-(lo+hi)/2)*k, stripB - p[1]*k} }
		for j, o := range s.Outlines {
			path := make([]geom.Vec2, len(o))
			for m, p := range o {
				path[m] = place(p)
			}
			fmt.Fprintf(&c.pen, `<path class="floor-body" d="%s"/><path class="floor-hatch" fill="url(#hatch%d)" d="%s"/>`,
				outlinePath(path), j%hatches,
				outlinePath(path))
		}
		if len(s.Guest) > 0 {
			path := make([]geom.Vec2, len(s.Guest))
			for m, p := range s.Guest {
				path[m] = place(p)
			}
			fmt.Fprintf(&c.pen, `<path class="floor-guest" d="%s"/>`, outlinePath(path))
		}
		at := place(s.Centre)
		fmt.Fprintf(&c.pen, `<circle class="floor-centre" cx="%.1f" cy="%.1f" r="3.4"/>`, at[0], at[1])
		fmt.Fprintf(&trail, "%c%.1f %.1f", "ML"[min(i, 1)], at[0], at[1])
		c.text("fig floor-fig mid", mid, stripB+24, s.Say)
	}
	fmt.Fprintf(&c.pen, `<path class="floor-trail" d="%s"/>`, trail.String())
	c.ground(floorL-8, floorR+8, stripB)
}

// walks draws the asset from above with everybody who walked at it.
func (f FloorSheet) walks(c *canvas) {
	if len(f.Walks) == 0 {
		return
	}
	c.text("word ladder-title", floorL, lowerT-14, f.WalksSay)
	lo, hi := geom.Vec2{math.Inf(1), math.Inf(1)}, geom.Vec2{math.Inf(-1), math.Inf(-1)}
	use := func(p geom.Vec2) {
		for k := range 2 {
			lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
		}
	}
	for _, o := range f.Plan {
		for _, p := range o {
			use(p)
		}
	}
	for _, w := range f.Walks {
		for _, p := range w.Path {
			use(p)
		}
	}
	k := min(420/max(hi[0]-lo[0], 1e-9), (lowerB-lowerT)/max(hi[1]-lo[1], 1e-9))
	place := func(p geom.Vec2) geom.Vec2 {
		return geom.Vec2{floorL + 210 + (p[0]-(lo[0]+hi[0])/2)*k, (lowerT+lowerB)/2 - (p[1]-(lo[1]+hi[1])/2)*k}
	}
	for _, o := range f.Plan {
		path := make([]geom.Vec2, len(o))
		for m, p := range o {
			path[m] = place(p)
		}
		fmt.Fprintf(&c.pen, `<path class="floor-body" d="%s"/>`, outlinePath(path))
	}
	for _, w := range f.Walks {
		if len(w.Path) < 2 {
			continue
		}
		class := "floor-walk"
		if w.Stopped {
			class += " stopped"
		}
		var d strings.Builder
		for i, p := range w.Path {
			q := place(p)
			fmt.Fprintf(&d, "%c%.1f %.1f", "ML"[min(i, 1)], q[0], q[1])
		}
		fmt.Fprintf(&c.pen, `<path class="%s" d="%s"/>`, class, d.String())
		a, b := place(w.Path[len(w.Path)-2]), place(w.Path[len(w.Path)-1])
		l := math.Hypot(b[0]-a[0], b[1]-a[1])
		if w.Stopped || l == 0 {
			fmt.Fprintf(&c.pen, `<circle class="%s end" cx="%.1f" cy="%.1f" r="3.6"/>`, class, b[0], b[1])
		} else {
			c.arrow(class+" head", b[0], b[1], (b[0]-a[0])/l, (b[1]-a[1])/l)
		}
	}
}

// energy draws how much of it is left.
func (f FloorSheet) energy(c *canvas) {
	if len(f.Energy) < 2 || !(f.Seconds > 0) {
		return
	}
	const bottom = lowerB - 66
	c.text("word ladder-title", energyL, lowerT-14, "Energy, joules")
	most, least := f.Energy[0], f.Energy[0]
	for _, e := range f.Energy {
		most, least = max(most, e), min(least, e)
	}
	c.pen.line("axis", energyL, lowerT, energyL, bottom)
	c.pen.line("axis", energyL, bottom, energyR, bottom)
	var d strings.Builder
	for i, e := range f.Energy {
		x := energyL + (energyR-energyL)*float64(i)/float64(len(f.Energy)-1)
		y := bottom - (bottom-lowerT)*(e-least)/math.Max(most-least, 1e-12)
		fmt.Fprintf(&d, "%c%.1f %.1f", "ML"[min(i, 1)], x, y)
	}
	fmt.Fprintf(&c.pen, `<path class="floor-energy" d="%s"/>`, d.String())
	c.text("fig small-fig end", energyL-5, lowerT+6, fmt.Sprintf("%.3g", most))
	c.text("fig small-fig end", energyL-5, bottom, fmt.Sprintf("%.3g", least))
	if f.Rest > 0 && f.Rest < f.Seconds {
		x := energyL + (energyR-energyL)*f.Rest/f.Seconds
		c.pen.line("floor-rest", x, lowerT, x, bottom)
		c.text("word floor-fig", min(x+5, energyR-46), lowerT+10, "at rest")
	}
}

// block is the title block.
func (f FloorSheet) block(c *canvas) {
	const h = 58.0
	p := &c.pen
	x, y := innerR-titleW, innerB-h
	p.rect("title-block", x, y, titleW, h)
	p.line("title-rule", x, y+24, x+titleW, y+24)
	p.text("title-name", x+9, y+17, shorten(f.Asset, 24))
	p.text("word title-kit end", x+titleW-9, y+16, "test floor")
	for i, cell := range f.Cells {
		cx := x + float64(i)*titleW/float64(len(f.Cells))
		if i > 0 {
			p.line("title-rule", cx, y+24, cx, y+h)
		}
		p.text("word title-key", cx+6, y+36, cell[0])
		p.text("fig title-val", cx+6, y+51, cell[1])
	}
}
