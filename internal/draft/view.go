package draft

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"strings"

	"yarvek/core/geom"
)

// View is one finished picture: shading and lines, in pixels of the paper with the
// lower left of the model's box at (0, height) and y downwards.
type View struct {
	Width, Height float64 // of the model's box, in paper pixels
	Image         string  // PNG as a data address
	ImageW        float64 // size the picture is shown at; it begins at (0, Height-ImageH)
	ImageH        float64
	Inset         float64 // margin of the picture round the box
	Path          string  // feature edges as SVG path data, or "" when they are in the picture
	Coarse        bool    // more is there than was drawn
	DotOf         int     // points without faces that each dot stands for; 0 without any
	Spots         []Spot  // where each slot is widest, of views hatched by slot
}

const (
	fine      = 2         // buffer pixels for one paper pixel
	maxPath   = 90_000    // bytes of path data from which on lines go into the picture
	maxLines  = 60_000    // likewise for candidates, before looking
	maxPixels = 6_000_000 // of the buffer
)

// buffer is a depth buffer with shades.
type buffer struct {
	w, h  int
	depth []float32
	shade []uint8 // 0 is paper, 1.. are shades, inkShade is a line
}

const (
	shades   = 14
	inkShade = shades + 1
)

// Draw draws the model from one side at scale pixels a metre. When ctx ends it returns
// early, and what it returns means nothing.
func (m *Model) Draw(ctx context.Context, side Side, scale float64) View {
	v, s := m.shot(ctx, side, scale, fine)
	if s == nil {
		return v
	}
	full := s.fill()
	if !full && ctx.Err() == nil {
		if t, err := m.fine.Get(ctx); err == nil && len(t.tris) < len(m.tris) {
			if s.Model = t; m.hatched != nil {
				s.Model = t.BySlot(ctx, m.hatched)
			}
			s.b.clear()
			s.project()
			s.fillSome()
		} else {
			s.b.clear()
			s.fillNearest()
		}
	}
	v.Coarse = !full || m.coarser
	if ctx.Err() != nil {
		return v
	}
	var ok bool
	if v.Path, ok = s.lines(); !ok {
		v.Path = ""
	}
	s.show(&v)
	return v
}

// Wire is the view with the edges of all triangles that are seen. Of triangles so small that
// nothing but edges would be seen there are none. When ctx ends it returns early, and what it
// returns means nothing.
func (m *Model) Wire(ctx context.Context, side Side, scale float64) View {
	v, s := m.shot(ctx, side, scale, fine)
	if s == nil {
		return v
	}
	s.wire = true
	s.fillSome()
	s.show(&v)
	return v
}

// Silhouetted is the view with its outline in ink and no other lines, as it is seen from afar; of a
// dense model it is made of one that is thinned, as an outline is. When ctx ends it returns early,
// and what it returns means nothing.
func (m *Model) Silhouetted(ctx context.Context, side Side, scale float64) View {
	m, err := m.Sketch(ctx)
	if err != nil {
		return View{}
	}
	v, s := m.shot(ctx, side, scale, fine)
	if s == nil {
		return v
	}
	s.fillSome()
	b := s.b
	bare := make([]bool, len(b.shade))
	for i, sh := range b.shade {
		bare[i] = sh == 0
	}
	for y := range b.h {
		for x := range b.w {
			i := y*b.w + x
			if bare[i] {
				continue
			}
			if x == 0 || y == 0 || x == b.w-1 || y == b.h-1 || bare[i-1] || bare[i+1] || bare[i-b.w] || bare[i+b.w] {
				b.shade[i] = inkShade
			}
		}
	}
	s.show(&v)
	return v
}

// sketchFrom is the number of triangles above which an outline is made of a thinned model.
const sketchFrom = 40_000

// Sketch is the model, or a thinned one of a dense model, which outlines are made of: made once for it and its copies.
// When ctx ends the error is its.
func (m *Model) Sketch(ctx context.Context) (*Model, error) {
	if len(m.tris) <= 3*sketchFrom || m.cells == sketchCells {
		return m, nil
	}
	return m.sketchy.Get(ctx)
}

// Outline is the view without its shading, which is "" where there are too many lines for a
// page. Of a dense model it is made of one that is thinned. When ctx ends it returns early, and what it returns means
// nothing.
func (m *Model) Outline(ctx context.Context, side Side, scale float64) View {
	m, err := m.Sketch(ctx)
	if err != nil {
		return View{}
	}
	v, s := m.shot(ctx, side, scale, 1)
	if s == nil {
		return v
	}
	s.fillSome()
	if ctx.Err() == nil {
		v.Path, _ = s.lines()
	}
	return v
}

// shot begins a view of the model from one side, with k pixels of the buffer for one of the
// paper, or fewer when the paper is large; nil of what has no triangles.
func (m *Model) shot(ctx context.Context, side Side, scale, k float64) (View, *shot) {
	u0, v0, w, h := side.extent(m.Box)
	v := View{Width: w * scale, Height: h * scale}
	if len(m.tris)+len(m.dots) == 0 {
		return v, nil
	}
	for (v.Width*k+4)*(v.Height*k+4) > maxPixels {
		k /= 2
	}
	b := &buffer{w: int(math.Ceil(v.Width*k)) + 4, h: int(math.Ceil(v.Height*k)) + 4}
	b.depth = make([]float32, b.w*b.h)
	b.shade = make([]uint8, b.w*b.h)
	b.clear()
	s := &shot{ctx: ctx, Model: m, side: side, b: b, u0: u0, v0: v0, scale: scale * k, k: k}
	_, _, s.near0 = side.project(m.Box.Min)
	_, _, near1 := side.project(m.Box.Max)
	s.depth = math.Abs(near1 - s.near0)
	s.project()
	return v, s
}

// clear makes all of it bare paper, as far away as can be.
func (b *buffer) clear() {
	clear(b.shade)
	for i := range b.depth {
		b.depth[i] = float32(math.Inf(-1))
	}
}

// shot is one view in the making.
type shot struct {
	ctx context.Context
	*Model
	side   Side
	b      *buffer
	u0, v0 float64
	near0  float64
	depth  float64
	scale  float64 // buffer pixels a metre
	k      float64 // buffer pixels a paper pixel
	xy     []float32
	near   []float32
	wire   bool // edges of triangles are drawn
}

// margin keeps lines along the edge of the box inside the buffer.
const margin = 2

// project puts every point of the model on the paper: pixels across and down, and depth
// away from the viewer.
func (s *shot) project() {
	s.xy = make([]float32, 2*len(s.points))
	s.near = make([]float32, len(s.points))
	for i, p := range s.points {
		if i&0x7fff == 0 && s.ctx.Err() != nil {
			return
		}
		u, v, n := s.side.project(p)
		s.xy[2*i] = float32((u-s.u0)*s.scale + margin)
		s.xy[2*i+1] = float32(float64(s.b.h) - margin - (v-s.v0)*s.scale)
		s.near[i] = float32((n - s.near0) * s.scale)
	}
}

// light comes from above the viewer's left shoulder.
var light = geom.Vec3{-0.45, 0.75, 0.6}.Unit()

// shadeOf is the grey of a face by its normal, in the frame of the paper.
func (s *shot) shadeOf(n geom.Vec3) uint8 {
	u, v, near := s.side.project(n)
	if near < 0 {
		u, v, near = -u, -v, -near // seen from behind
	}
	l := geom.Vec3{u, v, near}.Dot(light)*0.5 + 0.5
	return uint8(1 + min(shades-1, max(0, int(l*shades))))
}

// fillSteps bounds the pixels that the triangles of a view are tried on, half a second of
// work: a hundred times over all the paper. Where there are more, triangles of a pixel and
// those that lie on others go first; where there still are, the nearest are drawn first,
// so that what is left out lies behind a hundred others.
const fillSteps = 120_000_000

// fill draws the triangles into the depth buffer, a sample at the middle of each pixel, by
// edge functions (Pineda 1988, "A parallel algorithm for polygon rasterization"). It tells
// whether that was all of them: beyond fillSteps it gives up.
func (s *shot) fill() bool {
	shade := s.shadeAll()
	steps := 0
	for t := range len(s.tris) / 3 {
		if t&0x3fff == 0 && s.ctx.Err() != nil {
			return false
		}
		if steps += s.triangle(t, shade[s.faceOf[t]]); steps > fillSteps {
			return false
		}
	}
	return true
}

// fillSome draws all triangles, or the nearest where that takes too many steps.
func (s *shot) fillSome() {
	if !s.fill() && s.ctx.Err() == nil {
		s.b.clear()
		s.fillNearest()
	}
}

// show puts the buffer into a view as its picture.
func (s *shot) show(v *View) {
	v.DotOf = s.stipple()
	if s.hatched != nil {
		s.hatch(v)
	}
	v.ImageW, v.ImageH, v.Inset = float64(s.b.w)/s.k, float64(s.b.h)/s.k, margin/s.k
	v.Image = s.b.dataURI()
}

// fillNearest draws the nearest triangles, as many as fillSteps allows.
func (s *shot) fillNearest() {
	shade := s.shadeAll()
	steps := 0
	for done, t := range s.nearestFirst() {
		if done&0xff == 0 && s.ctx.Err() != nil {
			return
		}
		if steps += s.triangle(int(t), shade[s.faceOf[t]]); steps > fillSteps {
			return
		}
	}
}

// shadeAll gives every face its grey.
func (s *shot) shadeAll() []uint8 {
	shade := make([]uint8, len(s.faces))
	if s.tint != nil && len(s.tint) == len(s.faces) {
		for i, step := range s.tint {
			shade[i] = inkShade + 1 + step
		}
		return shade
	}
	for i, n := range s.faces {
		if i&0x7fff == 0 && s.ctx.Err() != nil {
			return shade
		}
		shade[i] = s.shadeOf(n)
	}
	return shade
}

// nearestFirst orders the triangles by their nearest corner.
func (s *shot) nearestFirst() []int32 {
	order := make([]int32, len(s.tris)/3)
	near := make([]float32, len(order))
	for t := range order {
		order[t] = int32(t)
		near[t] = max(s.near[s.tris[3*t]], s.near[s.tris[3*t+1]], s.near[s.tris[3*t+2]])
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Or(cmp.Compare(near[b], near[a]), cmp.Compare(a, b)) })
	return order
}

// triangle draws one. Its rows are gone through between where its sides cross them, and a
// pixel more at either end; the edge functions alone decide. It tells about how many pixels
// it tried: its area, and for each of its rows what finding its ends is worth.
func (s *shot) triangle(t int, sh uint8) int {
	b := s.b
	i, j, k := s.tris[3*t], s.tris[3*t+1], s.tris[3*t+2]
	ax, ay, bx, by, cx, cy := s.xy[2*i], s.xy[2*i+1], s.xy[2*j], s.xy[2*j+1], s.xy[2*k], s.xy[2*k+1]
	lowX, highX := min(ax, bx, cx), max(ax, bx, cx)
	lowY, highY := min(ay, by, cy), max(ay, by, cy)
	// The middles of pixels between the ends; most triangles of a dense mesh have none.
	x0, x1 := max(0, above(lowX-0.5)), min(b.w-1, below(highX-0.5))
	y0, y1 := max(0, above(lowY-0.5)), min(b.h-1, below(highY-0.5))
	area := (bx-ax)*(cy-ay) - (by-ay)*(cx-ax)
	if area == 0 || x1 < x0 || y1 < y0 {
		return 4
	}
	inv := 1 / area
	za, zb, zc := s.near[i], s.near[j], s.near[k]
	// Of an edge, how much of a barycentric coordinate half a pixel is.
	var ha, hb, hc float32 = -1, -1, -1
	if s.wire && abs32(area) > wireLeast {
		half := 0.7 * abs32(inv)
		ha, hb, hc = half*length(cx-bx, cy-by), half*length(ax-cx, ay-cy), half*length(bx-ax, by-ay)
	}
	for y := y0; y <= y1; y++ {
		py := float32(y) + 0.5
		row := y * b.w
		from, to := x0, x1
		if x1-x0 > 3 {
			l, r := highX, lowX
			for _, e := range [3][4]float32{{ax, ay, bx, by}, {bx, by, cx, cy}, {cx, cy, ax, ay}} {
				if lo, hi := min(e[1], e[3]), max(e[1], e[3]); lo <= py && py <= hi {
					if lo == hi {
						l, r = min(l, e[0], e[2]), max(r, e[0], e[2])
						continue
					}
					x := e[0] + (py-e[1])/(e[3]-e[1])*(e[2]-e[0])
					l, r = min(l, x), max(r, x)
				}
			}
			from, to = max(x0, int(l-1.5)), min(x1, int(r+1.5))
		}
		for x := from; x <= to; x++ {
			px := float32(x) + 0.5
			w0 := ((bx-px)*(cy-py) - (by-py)*(cx-px)) * inv
			w1 := ((cx-px)*(ay-py) - (cy-py)*(ax-px)) * inv
			w2 := 1 - w0 - w1
			if w0 < 0 || w1 < 0 || w2 < 0 {
				continue
			}
			if z := w0*za + w1*zb + w2*zc; z > b.depth[row+x] {
				b.depth[row+x] = z
				b.shade[row+x] = sh
				if w0 < ha || w1 < hb || w2 < hc {
					b.shade[row+x] = inkShade
				}
			}
		}
	}
	return int(abs32(area)/2) + 8*(y1-y0+1) + 4
}

// wireLeast is twice the area, in pixels of the buffer, from which on a triangle shows its edges.
const wireLeast = 24

func length(x, y float32) float32 { return float32(math.Hypot(float64(x), float64(y))) }

// above is the least whole number that is not less than v; v is not far below zero.
func above(v float32) int {
	n := int(v)
	if float32(n) < v {
		n++
	}
	return n
}

// below is the greatest whole number that is not more than v.
func below(v float32) int {
	n := int(v)
	if float32(n) > v {
		n--
	}
	return n
}

// palette runs from the paper's light shade to its dark one; the last is ink.
var palette = func() color.Palette {
	p := color.Palette{color.NRGBA{}}
	lo, hi := [3]float64{184, 196, 192}, [3]float64{240, 244, 241}
	for i := range shades {
		t := float64(i) / (shades - 1)
		p = append(p, color.NRGBA{uint8(lo[0] + t*(hi[0]-lo[0])), uint8(lo[1] + t*(hi[1]-lo[1])),
			uint8(lo[2] + t*(hi[2]-lo[2])), 255})
	}
	p = append(p, color.NRGBA{0x16, 0x23, 0x2b, 255})
	for _, c := range densityColors {
		p = append(p, c)
	}
	p = append(p, hatchPaper, hatchLine)
	return p
}()

// dataURI is the shading as a PNG within the drawing.
func (b *buffer) dataURI() string {
	img := &image.Paletted{Pix: b.shade, Stride: b.w, Rect: image.Rect(0, 0, b.w, b.h), Palette: palette}
	var buf bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.DefaultCompression}
	if err := enc.Encode(&buf, img); err != nil {
		return "" // a buffer in memory takes every write
	}
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes())
}

// SVG places the view with its lower left corner at (x, y).
func (v View) SVG(x, y float64) string {
	var sb strings.Builder
	fmt.Fprintf(&sb, `<g transform="translate(%.1f %.1f)">`, x, y-v.Height)
	if v.Image != "" {
		// The buffer has a margin of its own round the box.
		fmt.Fprintf(&sb, `<image href="%s" x="%.2f" y="%.2f" width="%.2f" height="%.2f"/>`,
			v.Image, -v.Inset, v.Height-v.ImageH+v.Inset, v.ImageW, v.ImageH)
	}
	if v.Path != "" {
		fmt.Fprintf(&sb, `<path class="edge" d="%s"/>`, v.Path)
	}
	sb.WriteString(`</g>`)
	return sb.String()
}
