package draft

import (
	"cmp"
	"fmt"
	"html"
	"math"
	"slices"
	"strings"

	"yarvek/core/geom"
)

// Solid is a shape that stands for the asset where things touch. Points are in metres, in the frame of
// the paper.
type Solid struct {
	ID, Letter string
	Name       string // for those who do not see it
	Points     []geom.Vec3
	Faces      [][]int32
}

// Patch is a piece of a surface with how far it is off.
type Patch []geom.Vec3

// Way is where a body goes through, or would.
type Way struct {
	Path   []geom.Vec3
	Open   bool
	Say    string
	Radius float64 // of the body; metres
	Height float64 // of somebody upright, 0 for a ball
}

// Solids hatches shapes over the views, each with its letter, and colours where the mesh sticks out of
// them and where they fill air.
type Solids struct {
	List     []Solid
	Out, Air []Patch
	Ways     []Way
	OutSay   string // of the legend, "" for none
	AirSay   string
	shown    map[string]bool // those whose letter is drawn
}

// hatches is how many ways shapes are hatched in, so that neighbours differ.
const hatches = 4

// hatches says what shapes are hatched with.
func (p *pen) hatches() {
	p.WriteString(`<defs>`)
	for i, d := range [hatches]string{"M0 7L7 0", "M0 0L7 7", "M0 3.5H7", "M3.5 0V7"} {
		fmt.Fprintf(p, `<pattern id="hatch%d" width="7" height="7" patternUnits="userSpaceOnUse"><path d="%s"`+
			` class="hatch"/></pattern>`, i, d)
	}
	p.WriteString(`</defs>`)
}

func (s Solids) draw(c *canvas) {
	c.hatches()
	s.shown = map[string]bool{}
	for _, side := range sides {
		s.view(c, side)
	}
	s.legend(c)
}

// outlined is a shape in a view.
type outlined struct {
	n    int
	path geom.Outline
	near float64
	at   geom.Vec2 // the middle of its outline
}

func (s Solids) view(c *canvas, side Side) {
	l := c.Layout
	place := func(p geom.Vec3) geom.Vec2 {
		x, y := l.place(c.Box, side, p)
		return geom.Vec2{x, y}
	}
	fmt.Fprintf(&c.pen, `<g class="solids" data-side="%d" data-scale="%.6g">`, side, l.Scale)
	var list []outlined
	for i, x := range s.List {
		var flat []geom.Vec2
		near := math.Inf(-1)
		for _, p := range x.Points {
			flat = append(flat, place(p))
			_, _, n := side.project(p)
			near = max(near, n)
		}
		o := geom.OutlineOf(flat)
		if len(o) < 2 {
			continue
		}
		list = append(list, outlined{i, o, near, o.Centre()})
	}
	slices.SortStableFunc(list, func(a, b outlined) int { return cmp.Compare(a.near, b.near) })
	for _, o := range list {
		x := s.List[o.n]
		fmt.Fprintf(&c.pen, `<g class="solid" data-shape="%s" tabindex="%s" role="button" aria-label="%s">`,
			html.EscapeString(x.ID),
			map[bool]string{true: "0", false: "-1"}[side == Front], html.EscapeString(x.Name))
		fmt.Fprintf(&c.pen, `<path class="solid-face" d="%s"/><path class="solid-hatch" fill="url(#hatch%d)" d="%s"/></g>`,
			outlinePath(o.path), o.n%hatches, outlinePath(o.path))
	}
	c.patches("sticks-out", s.Out, side)
	c.patches("air-filled", s.Air, side)
	for _, w := range s.Ways {
		s.way(c, side, w)
	}
	// Letters come last, so that none lies below a shape before it; one that would cover another moves.
	taken := marks{}
	for k, o := range list {
		x, y := o.at[0], o.at[1]
		if s.shown[s.List[o.n].ID] {
			continue // each has its letter once, where nothing lies before it
		}
		hidden := slices.ContainsFunc(list[k+1:], func(p outlined) bool { return p.path.Inside(o.at) > 0 })
		if hidden && side != sides[len(sides)-1] {
			continue
		}
		s.shown[s.List[o.n].ID] = true
		for range 12 {
			if taken.fits(math.Round(x/16), math.Round(y/16)) {
				break
			}
			x, y = x+17, y+3
		}
		if !c.within(side, x, y) {
			continue
		}
		w := 8.0 + 8*float64(len(s.List[o.n].Letter))
		fmt.Fprintf(&c.pen, `<g class="solid-letter" data-letter="%s" transform="translate(%.1f %.1f)"><rect x="%.1f"`+
			` y="-8" width="%.1f" height="16"/>`+
			`<text class="fig mid" y="4.5">%s</text></g>`, html.EscapeString(s.List[o.n].ID), x, y, -w/2, w,
			html.EscapeString(s.List[o.n].Letter))
		c.take(x, y, w, 16)
	}
	c.WriteString(`</g>`)
}

func outlinePath(list []geom.Vec2) string {
	var b strings.Builder
	for i, p := range list {
		fmt.Fprintf(&b, "%c%.1f %.1f", "ML"[min(i, 1)], p[0], p[1])
	}
	b.WriteString("Z")
	return b.String()
}

// mostPatches bounds the pieces that are coloured in a view.
const mostPatches = 1500

// patches colours what of pieces looks at the viewer.
func (c *canvas) patches(class string, list []Patch, side Side) {
	var b strings.Builder
	n := 0
	for _, p := range list {
		var area float64
		var flat []geom.Vec2
		for _, q := range p {
			x, y := c.Layout.place(c.Box, side, q)
			flat = append(flat, geom.Vec2{x, y})
		}
		for i, q := range flat {
			area += q.Cross(flat[(i+1)%len(flat)])
		}
		if area > -0.6 || n == mostPatches { // y grows downward: what looks at the viewer goes round the other way
			continue
		}
		n++
		b.WriteString(outlinePath(flat))
	}
	if n > 0 {
		fmt.Fprintf(&c.pen, `<path class="%s" d="%s"/>`, class, b.String())
	}
}

// way draws where a body goes, with the body at the mouth in the front view.
func (s Solids) way(c *canvas, side Side, w Way) {
	class := "way filled"
	if w.Open {
		class = "way"
	}
	var d strings.Builder
	var last geom.Vec2
	for i, p := range w.Path {
		x, y := c.Layout.place(c.Box, side, p)
		q := geom.Vec2{x, y}
		if i > 0 && math.Hypot(q[0]-last[0], q[1]-last[1]) < 3 && i < len(w.Path)-1 {
			continue
		}
		fmt.Fprintf(&d, "%c%.1f %.1f", "ML"[min(d.Len(), 1)], x, y)
		last = q
	}
	fmt.Fprintf(&c.pen, `<path class="%s" d="%s"/>`, class, d.String())
	if len(w.Path) == 0 {
		return
	}
	x, y := c.Layout.place(c.Box, side, w.Path[0])
	r, h := w.Radius*c.Layout.Scale, max(w.Height, 2*w.Radius)*c.Layout.Scale
	if side == Plan {
		h = 2 * r
	}
	if r > 2 && c.within(side, x, y) {
		fmt.Fprintf(&c.pen, `<rect class="%s body" x="%.1f" y="%.1f" width="%.1f" height="%.1f" rx="%.1f"/>`, class, x-r,
			y-h/2, 2*r, h, r)
	}
	if side == Front {
		c.label(class, "word halo", w.Say, append([]spot{{x: x, y: y + 4, at: middle}}, around(x, y, max(r, 8))...)...)
	}
}

// legend says the colours, below the views.
func (s Solids) legend(c *canvas) {
	x, y := fieldL+2, innerB-66.0 // above what a look at a decision says
	for _, k := range []struct{ class, say string }{{"sticks-out", s.OutSay}, {"air-filled", s.AirSay}} {
		if k.say == "" {
			continue
		}
		c.rect(k.class, x, y-10, 22, 12)
		c.text("word label", x+30, y, k.say)
		y += 20
	}
}

// soft is the cosine of the angle below which an edge of a shape is no line on the turntable.
const soft = 0.94

// lines are the edges of a shape that show, for the turntable.
func (s Solid) lines() (list [][2]geom.Vec3) {
	first := map[[2]int32]geom.Vec3{} // the normal of the face beside each edge
	for _, f := range s.Faces {
		if len(f) < 3 {
			continue
		}
		o := s.Points[f[0]]
		n := s.Points[f[1]].Sub(o).Cross(s.Points[f[2]].Sub(o)).Unit()
		for i, k := range f {
			j := f[(i+1)%len(f)]
			e := [2]int32{min(k, j), max(k, j)}
			m, ok := first[e]
			if !ok {
				first[e] = n
			} else if m.Dot(n) < soft {
				list = append(list, [2]geom.Vec3{s.Points[k], s.Points[j]})
			}
		}
	}
	return list
}
