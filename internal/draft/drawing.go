package draft

import (
	"cmp"
	"fmt"
	"html"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// The paper is 902 by 640 pixels; it scales with the window.
const (
	paperW, paperH = 902.0, 640.0
	innerL, innerT = 24.0, 24.0
	innerR, innerB = 878.0, 616.0
	fieldL, fieldR = 52.0, 862.0
	fieldT, baseY  = 52.0, 488.0
	viewGap        = 46.0
	sideGap        = 92.0
	dimRoom        = 62.0
)

// Balloon ties a finding to a place.
type Balloon struct {
	Number   int
	Severity finding.Severity
	At       geom.Vec3 // metres, in the frame of the paper
}

// Drawing is everything one sheet of paper says. It knows no station: what is shown of
// a model besides its three views is given as layers.
type Drawing struct {
	Asset, Kit string
	Unit       figure.Unit // of the figures in the title block
	Revision   int
	Counts     scene.Counts
	Basis      geom.Basis // whose letters the axes carry
	Views      [3]View    // by Side, drawn at the layout's scale
	Box        geom.Box   // of the model, in the frame of the paper; metres
	Layout     Layout
	Layers     []Layer // from the lowest to the topmost
	Balloons   []Balloon
}

// canvas is a drawing in the making. Layers leave on it what later ones keep clear of.
type canvas struct {
	pen
	*Drawing
	account
	offX, offY float64 // where a pivot beyond the paper is pointed at
	off        bool
}

// Least is the smallest extent, in metres, that anything is drawn of: the scale for a
// smaller one would be no number.
const Least = 1e-100

// Layout is where the views stand.
type Layout struct {
	Scale     float64 // paper pixels a metre
	Ratio     float64 // drawn at 1 to Ratio
	fx, sx    float64 // left of front and side view
	planY     float64 // base of the plan
	floor     float64 // paper y of the box's base
	groundY   float64
	knownX    float64
	things    []known
	w, h, d   float64 // pixels
	nothing   string  // why there is nothing to draw, "" when there is
	groundOff float64 // metres from the base down to the ground, negative when sunk
}

// Ask is what the layout depends on besides the box.
type Ask struct {
	Known  bool    // stand known things beside it
	Height float64 // of the artist's own figure, 0 for the usual ones
	// Ground draws the ground at the origin's height rather than at the base.
	Ground bool
	Bare   bool // nothing beside it
}

// millimetres of paper a pixel is (CSS: 96 pixels an inch).
const pixelMM = 25.4 / 96

// Arrange finds the scale and the places of the views for a model's box.
func Arrange(box geom.Box, ask Ask) Layout {
	size := box.Size()
	var l Layout
	switch {
	case box.IsEmpty():
		l.nothing = "Nothing to draw: no polygons go on."
	case size.Max() < Least:
		l.nothing = "Nothing to draw: it has no extent that could be seen at any scale."
	}
	if l.nothing != "" {
		size = geom.Vec3{1, 1, 1}
	}
	rise := size[1]
	if ask.Ground && l.nothing == "" {
		if off := box.Min[1]; math.Abs(off) <= 0.6*max(size[1], size.Max()*0.2) {
			l.groundOff = off
			rise += max(off, 0)
		}
	}
	flat := 0. // further room for the figure of a height too short to stand along it
	fit := func(things []known) float64 {
		w, h := row(things)
		room := fieldR - fieldL - dimRoom - flat - sideGap
		gaps := 0.0
		if len(things) > 0 {
			gaps = 52 * float64(len(things)) // the gap beside each, and what a speck's name needs
		}
		k := (room - gaps) / (size[0] + size[2] + w)
		k = min(k, (baseY-fieldT-viewGap)/(rise+size[2]))
		if h > 0 {
			k = min(k, (baseY-fieldT-20)/h)
		}
		return k
	}
	k := fit(nil)
	choices := [][]known{{person}}
	if ask.Known {
		choices = [][]known{{person, cube, door}, {cube, person}, {cube}, {small}}
	}
	if ask.Bare {
		choices = nil
	} else if ask.Height > 0 {
		choices = append([][]known{{ownHeight(ask.Height), cube}, {ownHeight(ask.Height)}}, choices...)
	}
	for _, things := range choices {
		if with := fit(things); with >= 0.55*k {
			l.things, k = things, with
			break
		}
	}
	if size[1]*k < 80 && len(l.things) > 0 {
		flat = 36
		k = fit(l.things)
	}
	l.Ratio = niceRatio(1000 / (k * pixelMM))
	l.Scale = 1000 / (l.Ratio * pixelMM)
	l.w, l.h, l.d = size[0]*l.Scale, size[1]*l.Scale, size[2]*l.Scale

	knownW := 0.0
	for _, t := range l.things {
		knownW += max(t.w*l.Scale, 26) + 24
	}
	total := knownW + dimRoom + flat + l.w + sideGap + l.d
	x := fieldL + max(0, (fieldR-fieldL-total)/2)
	l.knownX = x
	l.fx = x + knownW + dimRoom + flat
	l.sx = l.fx + l.w + sideGap
	up := max(l.groundOff, 0) * l.Scale
	height := l.h + up + viewGap + l.d
	l.groundY = baseY - max(0, (baseY-fieldT-height)/3)
	l.floor = l.groundY - l.groundOff*l.Scale
	if l.groundOff < 0 {
		l.floor = l.groundY
		l.groundY += l.groundOff * l.Scale
	}
	l.planY = l.floor - l.h - viewGap
	return l
}

// niceRatio rounds a scale up to one a draughtsman would choose.
func niceRatio(n float64) float64 {
	p := math.Pow(10, math.Floor(math.Log10(n)))
	steps := []float64{1, 1.25, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10}
	if n < 1 {
		steps = []float64{1, 1.25, 2, 2.5, 4, 5, 8, 10} // those whose inverse is round too
	}
	for _, m := range steps {
		if m*p >= n*(1-1e-9) {
			return m * p
		}
	}
	return 10 * p
}

// place gives the paper position of a point in a view.
func (l Layout) place(box geom.Box, side Side, p geom.Vec3) (x, y float64) {
	u0, v0, _, _ := side.extent(box)
	u, v, _ := side.project(p)
	x0, y0 := l.corner(side)
	return x0 + (u-u0)*l.Scale, y0 - (v-v0)*l.Scale
}

// Ground is the height of the ground that is drawn for a model's box; metres.
func (l Layout) Ground(box geom.Box) float64 {
	if box.IsEmpty() {
		return 0
	}
	return box.Min[1] - l.groundOff
}

// Drawn is a finished drawing.
type Drawn struct {
	SVG   string
	Zones map[int]string // of each balloon, such as "B3"
}

// Draw puts the drawing together.
func (s *Drawing) Draw() Drawn {
	c := &canvas{Drawing: s}
	out := Drawn{Zones: map[int]string{}}
	fmt.Fprintf(&c.pen, `<svg class="drawing" viewBox="0 0 %.0f %.0f" preserveAspectRatio="xMaxYMid" role="group"`+
		` aria-label="%s">`,
		paperW, paperH, html.EscapeString(s.describe()))
	c.border()
	c.regions = append(c.regions, region{innerR - titleW, innerB - titleH, innerR, innerB})
	c.tripod(62, 104, s.Basis)
	if s.Layout.nothing != "" {
		c.text("word mid", paperW/2, paperH/2-40, s.Layout.nothing)
	} else {
		c.views()
		if slices.ContainsFunc(s.Views[:], func(v View) bool { return v.Coarse }) {
			c.text("word label", fieldL+8, baseY+92, "Drawn coarsely: more triangles than paper can show. Figures are of all.")
		}
		for _, l := range s.Layers {
			l.draw(c)
		}
		c.balloons(&out)
		c.placeLabels()
	}
	c.titleBlock()
	c.WriteString(`</svg>`)
	out.SVG = c.String()
	return out
}

// describe says the drawing for those who do not see it.
func (s *Drawing) describe() string {
	z := s.Box.Size()
	return fmt.Sprintf("Measured drawing of %s: %s wide, %s high, %s deep", s.Asset,
		figure.Length(z[0]), figure.Length(z[1]), figure.Length(z[2]))
}

// border draws the frame of the sheet with its zones, 1 to 8 across and A to F down.
func (s *canvas) border() { s.borderTo(paperH) }

// borderTo is that of a sheet so high.
func (s *canvas) borderTo(high float64) {
	p := &s.pen
	innerB := high - innerT
	p.rect("sheet-edge", 10, 10, paperW-20, high-20)
	p.rect("sheet-frame", innerL, innerT, innerR-innerL, innerB-innerT)
	for i := range 8 {
		w := (innerR - innerL) / 8
		x := innerL + float64(i)*w
		if i > 0 {
			p.line("zone-tick", x, 10, x, innerT)
			p.line("zone-tick", x, innerB, x, high-10)
		}
		p.text("zone mid", x+w/2, 21, fmt.Sprint(i+1))
	}
	for i := range 6 {
		h := (innerB - innerT) / 6
		y := innerT + float64(i)*h
		if i > 0 {
			p.line("zone-tick", 10, y, innerL, y)
			p.line("zone-tick", innerR, y, paperW-10, y)
		}
		p.text("zone mid", 17, y+h/2+4, string(rune('A'+i)))
	}
}

// Zone names the field of the border's grid a place on the paper lies in.
func Zone(x, y float64) string {
	c := min(7, max(0, int((x-innerL)/(innerR-innerL)*8)))
	r := min(5, max(0, int((y-innerT)/(innerB-innerT)*6)))
	return fmt.Sprintf("%c%d", 'A'+r, c+1)
}

// views draws the three views, each where the layout puts it, with its name below or
// above.
func (s *canvas) views() {
	l := s.Layout
	// Centre lines tie the views together.
	cx := l.fx + l.w/2
	s.line("centre", cx, l.planY+6, cx, l.floor-l.h-6)
	s.ground(max(fieldL-16, l.knownX-14), min(fieldR, l.sx+l.d+28), l.groundY)
	s.WriteString(s.Views[Plan].SVG(l.fx, l.planY))
	s.WriteString(s.Views[Front].SVG(l.fx, l.floor))
	s.WriteString(s.Views[RightSide].SVG(l.sx, l.floor))
	top := l.planY - l.d
	s.label("", "word label", s.Views[Plan].named("Plan"), spot{x: l.fx, y: max(44, top-9)},
		spot{x: l.fx + l.w, y: max(44, top-9), at: ending},
		spot{x: l.fx + l.w + 10, y: max(60, top+10)}, spot{x: l.fx - 10, y: l.planY, at: ending})
	below := max(l.floor, l.groundY) + 22
	for _, v := range []struct {
		name string
		x, w float64
	}{{s.Views[Front].named("Front"), l.fx, l.w}, {s.Views[RightSide].named("Right side"), l.sx, l.d}} {
		s.label("", "word label", v.name, spot{x: v.x + v.w/2, y: below, at: middle}, spot{x: v.x, y: below, at: ending},
			spot{x: v.x + v.w, y: below}, spot{x: v.x + v.w/2, y: below + 44, at: middle})
	}
	x := l.knownX
	for _, t := range l.things {
		w, h := t.w*l.Scale, t.h*l.Scale
		slot := max(w, 26)
		left := x + (slot-w)/2
		t.shape(&s.pen, left, l.groundY, l.Scale)
		s.take(left+w/2, l.groundY-h/2, w, h)
		if h < 16 {
			// A speck stays a speck, and a pointer says so.
			s.line("leader", left+w/2, l.groundY-54, left+w/2, l.groundY-h-3)
			s.arrow("leader-head", left+w/2, l.groundY-h-2, 0, 1)
			s.text("word known-name mid", left+w/2, l.groundY-72, t.name)
			s.text("fig known-fig mid", left+w/2, l.groundY-58, t.figure)
		} else {
			s.text("word known-name mid", left+w/2, l.groundY+22, t.name)
			s.text("fig known-fig mid", left+w/2, l.groundY+36, t.figure)
		}
		x += slot + 24
	}
}

// named is what a view is called, with how many points each of its dots stands for.
func (v View) named(name string) string {
	if v.DotOf > 1 {
		return fmt.Sprintf("%s · a dot for %s points", name, figure.Count(v.DotOf))
	}
	return name
}

// balloons stand in a column between the views, so that leaders do not cross; when the
// column is full they move up, then closer.
func (s *canvas) balloons(out *Drawn) {
	if len(s.Balloons) == 0 {
		return
	}
	l := s.Layout
	list := make([]tied, len(s.Balloons))
	for i, b := range s.Balloons {
		ax, ay := l.place(s.Box, Front, b.At)
		if s.off && !s.within(Front, ax, ay) {
			ax, ay = s.offX, s.offY-9
		}
		ax = min(max(ax, innerL+12), innerR-12)
		ay = min(max(ay, innerT+12), baseY+24)
		list[i] = tied{b, ax, ay}
		out.Zones[b.Number] = Zone(ax, ay)
	}
	slices.SortStableFunc(list, func(a, b tied) int { return cmp.Compare(a.y, b.y) })
	const top = fieldT + 20
	bottom := max(top, min(baseY-10, max(l.floor, l.groundY)-8)) // above the names of the views
	step := min(34, (bottom-top)/float64(max(1, len(list)-1)))
	places := make([]float64, len(list))
	last := math.Inf(-1)
	for i := range list {
		places[i] = max(list[i].y-22, l.floor-l.h+14, last+step)
		last = places[i]
	}
	limit := bottom
	for i := len(list) - 1; i >= 0; i-- {
		places[i] = min(places[i], limit)
		limit = places[i] - step
	}
	x := l.fx + l.w + sideGap/2
	uncross(list, x, places)
	for i, b := range list {
		s.leader(b.Severity, x, places[i], b.x, b.y)
	}
	for i, b := range list {
		s.balloon(b.Number, b.Severity, x, places[i])
	}
}

// tied is a balloon with the place on the paper it is tied to.
type tied struct {
	Balloon
	x, y float64
}

// uncross orders balloons for the places of a column at x, from the top down, so that no
// two leaders cross. To the topmost place goes the one whose leader has all others of its
// side below it: the rest, and the places left, lie beyond that line (Bekos et al. 2007,
// "Boundary labeling: models and efficient algorithms for rectangular maps", for leaders of
// one bend; straight ones need no more than this).
func uncross(list []tied, x float64, places []float64) {
	for i, y := range places {
		best := i
		for k := i + 1; k < len(list); k++ {
			if goesFirst(list[k], list[best], x, y) {
				best = k
			}
		}
		b := list[best]
		copy(list[i+1:best+1], list[i:best])
		list[i] = b
	}
}

// goesFirst tells whether the leader from (x, y) to a lies above the one to b; of two to
// different sides of the column, whether a lies higher.
func goesFirst(a, b tied, x, y float64) bool {
	if (a.x < x) != (b.x < x) {
		return a.y < b.y
	}
	turn := (a.x-x)*(b.y-y) - (a.y-y)*(b.x-x) // which way it is from a to b
	if a.x < x {
		return turn < -1e-9
	}
	return turn > 1e-9
}

// The size of the title block, in the lower right corner.
const titleW, titleH = 352.0, 72.0

// titleBlock draws what the sheet shows: asset, kit, scale, unit, revision and counts.
func (s *canvas) titleBlock() {
	p := &s.pen
	const w, h = titleW, titleH
	x, y := innerR-w, innerB-h
	p.rect("title-block", x, y, w, h)
	p.line("title-rule", x, y+27, x+w, y+27)
	p.text("title-name", x+9, y+19, shorten(s.Asset, 24))
	p.text("word title-kit end", x+w-9, y+18, shorten(s.Kit, max(10, 46-len([]rune(s.Asset))*4/3)))
	ratio := "1 : " + figure.Significant(s.Layout.Ratio, 4)
	if s.Layout.Ratio < 1 {
		ratio = figure.Significant(1/s.Layout.Ratio, 4) + " : 1"
	}
	cells := [][2]string{
		{"Drawn at", ratio}, {"Unit", s.Unit.Symbol}, {"Rev.", fmt.Sprint(s.Revision)},
		{"Points", figure.Count(s.Counts.Points + s.Counts.Dots)}, {"Triangles", figure.Count(s.Counts.Triangles)},
		{"Slots", fmt.Sprint(s.Counts.Slots)},
	}
	widths := []float64{80, 42, 36, 78, 78, 38}
	cx := x
	for i, c := range cells {
		if i > 0 {
			p.line("title-rule", cx, y+27, cx, y+h)
		}
		p.text("word title-key", cx+6, y+42, c[0])
		p.text("fig title-val", cx+6, y+60, c[1])
		cx += widths[i]
	}
}

// shorten cuts a text to n letters, the last of them dots.
func shorten(s string, n int) string {
	r := []rune(s)
	if len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}
