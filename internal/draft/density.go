package draft

import (
	"context"
	"fmt"
	"image/color"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// densityColors are the steps of a scale, from few triangles to many.
var densityColors = [5]color.NRGBA{{0xdf, 0xe8, 0xf7, 255}, {0xb9, 0xcd, 0xec, 255}, {0x8d, 0xac, 0xdf, 255},
	{0x56, 0x7f, 0xcb, 255},
	{0x1f, 0x4f, 0xbf, 255}}

// densities are where the steps begin, in triangles a square metre.
var densities = [5]float64{0, 100, 1_000, 10_000, 100_000}

// stepOf is the step of a density.
func stepOf(d float64) uint8 {
	k := uint8(0)
	for int(k)+1 < len(densities) && d >= densities[k+1] {
		k++
	}
	return k
}

// ByDensity is the model shaded by how many triangles a square metre has, instead of by light. It
// shares all else. A view too dense for its triangles to be drawn one by one is shaded by light
// all the same. When ctx ends it returns early, and what it returns means nothing.
func (m *Model) ByDensity(ctx context.Context) *Model {
	out := *m
	area, n := make([]float64, len(m.faces)), make([]float64, len(m.faces))
	for t, f := range m.faceOf {
		if t&0xffff == 0 && ctx.Err() != nil {
			return m
		}
		p, q, r := m.points[m.tris[3*t]], m.points[m.tris[3*t+1]], m.points[m.tris[3*t+2]]
		area[f] += q.Sub(p).Cross(r.Sub(p)).Len() / 2
		n[f]++
	}
	out.tint = make([]uint8, len(m.faces))
	for f := range out.tint {
		if area[f] > 0 {
			out.tint[f] = stepOf(n[f] / area[f])
		}
	}
	return &out
}

// DensityScale is the key to that shading.
type DensityScale struct{}

func (DensityScale) draw(c *canvas) {
	const w, h = 52, 12
	x, y := innerL+14.0, baseY+46.0
	c.text("word", x, y-6, "Triangles a square metre")
	for i, col := range densityColors {
		fmt.Fprintf(&c.pen, `<rect x="%.1f" y="%.1f" width="%d" height="%d" fill="#%02x%02x%02x"/>`, x+float64(i*w), y, w, h,
			col.R, col.G, col.B)
		if i > 0 {
			c.text("fig small-fig", x+float64(i*w)-8, y+h+12, figure.Count(int(densities[i])))
		}
	}
	c.take(x+2.5*w, y+4, 2.5*w+20, 26)
}

// Flaw is where something is wrong: a point, a line, or the outline of a face.
type Flaw struct {
	At    []geom.Vec3
	Class string // of severity
	Open  bool   // a line that is no outline
}

// Flaws are marked where they are.
type Flaws []Flaw

func (list Flaws) draw(c *canvas) {
	drawn := [3]marks{{}, {}, {}}
	c.WriteString(`<g class="flaws">`)
	for _, f := range list {
		for i, side := range sides {
			lowX, lowY, highX, highY := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
			path := ""
			for k, p := range f.At {
				x, y := c.Layout.place(c.Box, side, p)
				lowX, lowY, highX, highY = min(lowX, x), min(lowY, y), max(highX, x), max(highY, y)
				path += fmt.Sprintf("%c%.1f %.1f", "ML"[min(k, 1)], x, y)
			}
			if len(f.At) == 0 || !c.within(side, (lowX+highX)/2, (lowY+highY)/2) || !drawn[i].fits(lowX, lowY, highX, highY) {
				continue
			}
			if max(highX-lowX, highY-lowY) < 3 { // too small to be seen as what it is
				x, y := (lowX+highX)/2, (lowY+highY)/2
				path = fmt.Sprintf("M%.1f %.1fh6v6h-6z", x-3, y-3)
			} else if !f.Open && len(f.At) > 2 {
				path += "Z"
			}
			fmt.Fprintf(&c.pen, `<path class="%s" d="%s"/>`, f.Class, path)
		}
	}
	c.WriteString(`</g>`)
}
