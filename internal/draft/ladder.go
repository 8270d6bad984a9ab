package draft

import (
	"fmt"
	"html"
	"math"

	"yarvek/core/figure"
	"yarvek/core/finding"
)

// Rung is a LOD on the ladder drawing.
type Rung struct {
	Number    int
	View      View // the front, at the size it is drawn at
	Triangles int
	From      float64 // metres from which on it stands; 0 of the first
	Pixels    float64 // by which it may show there
	Metres    float64 // the length by which it may show
	High      float64 // pixels of the screen that it is high where it is drawn as seen from
	Lens      *Lens   // what its outline differs by from the one before, nil of the first
}

// Lens is a place of an outline, magnified.
type Lens struct {
	Image string  // a data address, LensSide paper pixels a side
	Times float64 // larger than on the screen
	Off   float64 // pixels of the screen that the outlines are apart
}

// Ladder is a drawing of LODs along a distance axis, over the triangles they have there.
type Ladder struct {
	Asset, Kit string
	Revision   int
	Dots       bool                           // Triangles of rungs are points without faces
	Lines      int                            // of the screen
	Factor     float64                        // of the size on the screen that LODs are drawn at: 1, or less
	Near, Far  float64                        // metres, of the axis
	Vanish     float64                        // metres, 0 for never
	Allowed    float64                        // pixels
	Fade       float64                        // share of the distance over which one fades into the next
	NearAt     func(distance float64) float64 // pixels that a metre of the asset has at most
	Rungs      []Rung
	Say        string // what stands in the place of LODs, "" when they are there
	Balloons   []RungBalloon
}

// RungBalloon ties a finding to a LOD.
type RungBalloon struct {
	Number   int
	Severity finding.Severity
	Rung     int // in Rungs
}

// Where things are on the paper of a ladder.
const (
	ladderL, ladderR = 70.0, 846.0
	standY           = 330.0 // the ground that LODs stand on
	chartT, chartB   = 404.0, 512.0
	LensSide         = 136
	lensX, lensY     = 690.0, 150.0
)

// RungRoom is how high a LOD can be drawn, in paper pixels.
const RungRoom = 236

// x is where a distance is on the axis.
func (l *Ladder) x(d float64) float64 {
	t := math.Log(d/l.Near) / math.Log(l.Far/l.Near)
	return ladderL + (ladderR-ladderL)*min(1, max(0, t))
}

// Draw puts the drawing together. The handles on the axis are sliders of the page.
func (l *Ladder) Draw() Drawn {
	out := Drawn{Zones: map[int]string{}}
	c := &canvas{Drawing: &Drawing{Asset: l.Asset, Kit: l.Kit, Revision: l.Revision}}
	fmt.Fprintf(&c.pen, `<svg class="drawing ladder" viewBox="0 0 %.0f %.0f" preserveAspectRatio="xMaxYMid"`+
		` role="group" aria-label="%s" `+
		`data-near="%g" data-far="%g" data-left="%.0f" data-right="%.0f">`, paperW, paperH, html.EscapeString(l.describe()),
		l.Near, l.Far,
		ladderL, ladderR)
	c.border()
	title := fmt.Sprintf("Each LOD at the size it has on a screen of %s lines where it takes over", figure.Count(l.Lines))
	if l.Factor < 1 {
		title = fmt.Sprintf("Each LOD where it takes over, at %s of its size on a screen of %s lines", part(l.Factor),
			figure.Count(l.Lines))
	}
	c.text("word ladder-title", 48, 54, title)
	at := l.stand(c)
	l.chart(c)
	above := map[int]float64{} // balloons that a LOD has already
	for _, b := range l.Balloons {
		x, y := at[b.Rung], standY-40-31*above[b.Rung]
		above[b.Rung]++
		c.balloon(b.Number, b.Severity, min(max(x-26, innerL+16), innerR-16), y)
		out.Zones[b.Number] = Zone(x, y)
	}
	l.title(c)
	c.WriteString(`</svg>`)
	out.SVG = c.String()
	return out
}

// of is what rungs are counted in, short a mark of it that stands behind a figure.
func (l *Ladder) of() string {
	if l.Dots {
		return "points"
	}
	return "triangles"
}

func (l *Ladder) short() string {
	if l.Dots {
		return " pts"
	}
	return " tri"
}

func (l *Ladder) counted(r Rung) string {
	return figure.Plural(r.Triangles, l.of()[:len(l.of())-1], l.of())
}

// part says a factor: half, a third, 1/8.
func part(f float64) string {
	switch n := math.Round(1 / f); n {
	case 2:
		return "half"
	case 3:
		return "a third"
	case 4:
		return "a quarter"
	default:
		return fmt.Sprintf("1/%.0f", n)
	}
}

func (l *Ladder) describe() string {
	if len(l.Rungs) < 2 {
		return fmt.Sprintf("%s has no LODs", l.Asset)
	}
	s := fmt.Sprintf("Ladder of %s: ", l.Asset)
	for i, r := range l.Rungs {
		if i > 0 {
			s += "; "
		}
		s += fmt.Sprintf("LOD %d of %s", r.Number, l.counted(r))
		if r.From > 0 {
			s += " from " + figure.Length(r.From)
		}
	}
	return s
}

// stand draws the LODs on their ground, each over its place on the axis where there is room, and
// gives the middle of each.
func (l *Ladder) stand(c *canvas) []float64 {
	c.ground(40, 862, standY)
	if l.Say != "" {
		c.text("word mid", paperW/2, 200, l.Say)
	}
	at := make([]float64, len(l.Rungs))
	width := func(i int) float64 { return max(l.Rungs[i].View.Width, 66) }
	edge := 40.0
	for i, r := range l.Rungs {
		x := ladderL - 20 + r.View.Width/2
		if r.From > 0 {
			x = l.x(r.From)
		}
		at[i] = max(x, edge+8+width(i)/2)
		edge = at[i] + width(i)/2
	}
	edge = 866
	for i := len(at) - 1; i >= 0; i-- { // what went beyond the paper moves back
		at[i] = min(at[i], edge-width(i)/2-4)
		edge = at[i] - width(i)/2 - 4
	}
	worst := 0
	for i, r := range l.Rungs {
		if r.Lens != nil && (worst == 0 || r.Lens.Off > l.Rungs[worst].Lens.Off) {
			worst = i
		}
	}
	for i, r := range l.Rungs {
		label := fmt.Sprintf("LOD %d, %s", r.Number, l.counted(r))
		lit := ""
		if i == worst && i > 0 {
			lit = " lit"
		}
		focus := ""
		if r.Lens != nil {
			label += fmt.Sprintf(", its outline is off by %s from the one before", pixelsWord(r.Lens.Off))
			focus = ` tabindex="0"`
		}
		fmt.Fprintf(&c.pen, `<g class="rung%s" data-lod="%d" role="img" aria-label="%s"%s>`, lit, r.Number,
			html.EscapeString(label), focus)
		v := r.View
		c.rect("rung-field", at[i]-width(i)/2-3, standY-max(v.Height, 24)-4, width(i)+6, max(v.Height, 24)+44)
		if v.Height < 5 && v.Width < 5 {
			c.line("leader", at[i], standY-44, at[i], standY-v.Height-4)
			c.arrow("leader-head", at[i], standY-v.Height-3, 0, 1)
		}
		c.WriteString(v.SVG(at[i]-v.Width/2, standY))
		if r.From > 0 {
			c.WriteString(fmt.Sprintf(`<path class="rung-tie" d="M%.1f %.1fV%.1fL%.1f %.1f"/>`, at[i], standY+40, standY+46,
				l.x(r.From), chartT-8))
		}
		c.pen.text("word rung-name mid", at[i], standY+20, fmt.Sprintf("LOD %d", r.Number))
		c.pen.text("fig rung-tris mid", at[i], standY+35, figure.Count(r.Triangles)+l.short())
		if r.Lens != nil {
			l.lens(c, i, at[i])
		}
		c.WriteString(`</g>`)
	}
	return at
}

func pixelsWord(p float64) string { return figure.Significant(p, 2) + " px" }

// lens draws what a LOD's outline differs by from the one before it; the page shows one at a time.
func (l *Ladder) lens(c *canvas, i int, x float64) {
	r := l.Rungs[i]
	const rad = LensSide / 2
	c.WriteString(`<g class="lens">`)
	fmt.Fprintf(&c.pen, `<path class="leader" d="M%.1f %.1fL%.1f %.1f"/>`, x, standY-min(r.View.Height/2, 60), lensX,
		lensY+rad)
	fmt.Fprintf(&c.pen, `<clipPath id="lens-%d"><circle cx="%g" cy="%g" r="%d"/></clipPath>`+
		`<circle class="lens-paper" cx="%g" cy="%g" r="%d"/>`,
		r.Number, lensX, lensY, rad, lensX, lensY, rad)
	if r.Lens.Image != "" {
		fmt.Fprintf(&c.pen, `<image href="%s" x="%g" y="%g" width="%d" height="%d" clip-path="url(#lens-%d)"/>`,
			r.Lens.Image, lensX-rad,
			lensY-rad, LensSide, LensSide, r.Number)
	}
	fmt.Fprintf(&c.pen, `<circle class="lens-rim" cx="%g" cy="%g" r="%d"/>`, lensX, lensY, rad)
	c.pen.text("word lens-name", lensX+rad+12, lensY-10, fmt.Sprintf("LOD %d to %d", l.Rungs[i-1].Number, r.Number))
	c.pen.text("fig lens-name", lensX+rad+12, lensY+8, "× "+figure.Significant(r.Lens.Times, 2))
	c.pen.text("fig lens-off", lensX+rad+12, lensY+28, "off "+pixelsWord(r.Lens.Off))
	c.rect("lens-gone", lensX+rad+12, lensY+40, 9, 9)
	c.pen.text("word lens-name", lensX+rad+26, lensY+49, "gone")
	c.rect("lens-new", lensX+rad+62, lensY+40, 9, 9)
	c.pen.text("word lens-name", lensX+rad+76, lensY+49, "new")
	c.WriteString(`</g>`)
}

// chart draws triangles and deviation over the distance, with a handle for each LOD. It is long because it
// draws one picture from the back to the front.
func (l *Ladder) chart(c *canvas) {
	most, off := 1, 1.5*l.Allowed
	for _, r := range l.Rungs {
		most = max(most, r.Triangles)
		off = max(off, 1.1*r.Pixels)
	}
	high := func(n int) float64 { return chartB - (chartB-chartT-14)*float64(n)/float64(most) }
	rise := func(px float64) float64 { return max(chartT, chartB-(chartB-chartT)*px/off) }
	end := l.Far
	if l.Vanish > 0 && l.Vanish < end {
		end = l.Vanish
	}
	fill := fmt.Sprintf("M%.1f %.1f", ladderL, chartB)
	edge := ""
	for i, r := range l.Rungs {
		to := end
		if i+1 < len(l.Rungs) {
			to = l.Rungs[i+1].From
		}
		x0, x1, y := ladderL, l.x(to), high(r.Triangles)
		if i > 0 {
			x0 = l.x(r.From)
		}
		fill += fmt.Sprintf("L%.1f %.1fL%.1f %.1f", x0, y, x1, y)
		if i == 0 {
			edge = fmt.Sprintf("M%.1f %.1fH%.1f", x0, y, x1)
		} else {
			edge += fmt.Sprintf("V%.1fH%.1f", y, x1)
		}
	}
	fill += fmt.Sprintf("V%.1fZ", chartB)
	if end < l.Far {
		edge += fmt.Sprintf("V%.1f", chartB)
	}
	free := 0.0
	for _, d := range ticks(l.Near, l.Far) {
		x := l.x(d)
		c.line("ladder-grid", x, chartT, x, chartB)
		c.line("ladder-tick", x, chartB, x, chartB+5)
		say := tickWord(d)
		if half := figureAdvance * float64(len([]rune(say))) / 2; x-half > free {
			c.pen.text("fig mid", x, chartB+30, say)
			free = x + half + 8
		}
	}
	fmt.Fprintf(&c.pen, `<path class="ladder-fill" d="%s"/><path class="ladder-step" d="%s"/>`, fill, edge)
	for _, r := range l.Rungs[min(1, len(l.Rungs)):] {
		if l.Fade > 0 {
			x0, x1 := l.x(r.From*(1-l.Fade/2)), l.x(r.From*(1+l.Fade/2))
			c.rect("ladder-fade", x0, chartT, x1-x0, chartB-chartT)
		}
	}
	if len(l.Rungs) > 1 {
		y := rise(l.Allowed)
		c.line("ladder-allowed", ladderL, y, ladderR, y)
		c.pen.text("fig ladder-limit end", ladderR, y-4, pixelsWord(l.Allowed))
		for i, r := range l.Rungs[1:] {
			to := end
			if i+2 < len(l.Rungs) {
				to = l.Rungs[i+2].From
			}
			path := ""
			const n = 24
			for k := range n + 1 {
				d := r.From * math.Pow(to/r.From, float64(k)/n)
				path += fmt.Sprintf("%c%.1f %.1f", "ML"[min(k, 1)], l.x(d), rise(r.Metres*l.NearAt(d)))
			}
			fmt.Fprintf(&c.pen, `<path class="ladder-off" d="%s"/>`, path)
		}
	}
	c.line("ladder-axis", ladderL, chartB, ladderR, chartB)
	c.line("ladder-axis", ladderL, chartT, ladderL, chartB)
	c.rect("ladder-key", ladderL, chartB+46, 14, 10)
	c.pen.text("word label", ladderL+20, chartB+55, l.of()+" drawn, "+figure.Count(most)+" at most")
	c.line("ladder-off", ladderL, chartB+71, ladderL+14, chartB+71)
	c.pen.text("word label ladder-off-name", ladderL+20, chartB+75, "may show by, pixels; dashed: what is allowed")
	for _, r := range l.Rungs[min(1, len(l.Rungs)):] {
		x := l.x(r.From)
		fmt.Fprintf(&c.pen, `<g class="handle" data-lod="%d" tabindex="0" role="slider" aria-label="LOD %d takes over at" `+
			`aria-orientation="horizontal" aria-valuemin="%g" aria-valuemax="%g" aria-valuenow="%g" aria-valuetext="%s" `+
			`data-pixels="%g" data-from="%g" transform="translate(%.1f 0)">`,
			r.Number, r.Number, l.Near, l.Far, r.From, figure.Length(r.From), r.Pixels, r.From, x)
		fmt.Fprintf(&c.pen, `<line class="handle-line" y1="%g" y2="%g"/><rect class="handle-field" x="-12" y="%g"`+
			` width="24" height="34"/>`+
			`<path class="handle-mark" d="M-6 %gH6V%gL0 %gL-6 %gZ"/><text class="fig handle-say mid" y="%g"></text></g>`,
			chartT-6, chartB, chartB-10, chartB-1,
			chartB+10, chartB+16, chartB+10, chartT-14)
	}
}

// tickWord says a round distance.
func tickWord(d float64) string {
	switch {
	case d >= 1000:
		return figure.Significant(d/1000, 3) + " km"
	case d < 0.1:
		return figure.Significant(d*1000, 3) + " mm"
	}
	return figure.Significant(d, 3) + " m"
}

// ticks are round distances on the axis: 1, 2 and 5 of each power of ten.
func ticks(near, far float64) []float64 {
	var list []float64
	for p := math.Floor(math.Log10(near)); p <= math.Ceil(math.Log10(far)); p++ {
		for _, k := range []float64{1, 2, 5} {
			if d := k * math.Pow(10, p); d >= near*0.999 && d <= far*1.001 {
				list = append(list, d)
			}
		}
	}
	return list
}

// title is the title block of a ladder.
func (l *Ladder) title(c *canvas) {
	const w, h = titleW, 44.0
	x, y := innerR-w, innerB-h
	c.rect("title-block", x, y, w, h)
	c.pen.text("title-name", x+9, y+18, shorten(l.Asset, 24))
	c.pen.text("word title-kit end", x+w-9, y+18, shorten(l.Kit, max(10, 46-len([]rune(l.Asset))*4/3)))
	c.pen.text("fig title-val", x+9, y+36, fmt.Sprintf("Rev. %d", l.Revision))
	c.pen.text("fig title-val end", x+w-9, y+36,
		fmt.Sprintf("%s of %s lines", figure.Plural(max(0, len(l.Rungs)-1), "LOD", "LODs"),
			figure.Count(l.Lines)))
}

// Pair is two LODs beside one another, with all their edges, standing on one ground: SVG that
// brings its colours along.
func Pair(a, b View, under [2]string, w, h float64) string {
	p := &pen{}
	fmt.Fprintf(p, `<svg xmlns="http://www.w3.org/2000/svg" class="pair" viewBox="0 0 %.0f %.0f" role="img"`+
		` aria-label="%s">`, w, h,
		html.EscapeString(under[0]+" beside "+under[1]))
	fmt.Fprintf(p, `<path d="M10 %.1fH%.1f" stroke="#16232b" fill="none"/>`, h-44, w-10)
	for i, v := range []View{a, b} {
		x := w/4 + float64(i)*w/2
		p.WriteString(v.SVG(x-v.Width/2, h-44))
		fmt.Fprintf(p, `<text x="%.1f" y="%.1f" text-anchor="middle" font-family="IBM Plex Mono, monospace" font-size="13" `+
			`fill="#16232b">%s</text>`, x,
			h-18, html.EscapeString(under[i]))
	}
	p.WriteString(`</svg>`)
	return p.String()
}
