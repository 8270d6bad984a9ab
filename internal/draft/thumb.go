package draft

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"

	"yarvek/core/geom"
)

// Turned is the model under a map of the frame of the paper. The edges and faces are
// shared.
func (m *Model) Turned(by geom.Mat3) *Model {
	out := (&Model{tris: m.tris, faceOf: m.faceOf, edges: m.edges, Box: m.Box.Carried(by)}).withLater()
	out.points = make([]geom.Vec3, len(m.points))
	for i, p := range m.points {
		out.points[i] = by.Apply(p)
	}
	if !by.SwapsAxes() {
		out.Box = geom.EmptyBox()
		for _, i := range m.tris {
			out.Box = out.Box.Add(out.points[i])
		}
	}
	normal := by.Cofactor()
	if by.Det() < 0 {
		normal = normal.Scaled(-1)
	}
	out.faces = make([]geom.Vec3, len(m.faces))
	for i, n := range m.faces {
		out.faces[i] = normal.Apply(n).Unit()
	}
	return out
}

// Thumb is a small drawing of the front after a map of the frame of the paper, in a
// square of px pixels, standing on a ground line. The error is ctx's.
func (m *Model) Thumb(ctx context.Context, by geom.Mat3, px float64) (string, error) {
	t, err := m.coarse(ctx)
	if err != nil {
		return "", err
	}
	t = t.Turned(by)
	size := t.Box.Size()
	if t.Box.IsEmpty() || size.Max() < Least {
		return fmt.Sprintf(`<svg viewBox="0 0 %.0f %.0f"></svg>`, px, px), nil
	}
	scale := (px - 14) / max(size[0], size[1], size[2])
	v := t.Draw(ctx, Front, scale)
	p := &pen{}
	fmt.Fprintf(p, `<svg viewBox="0 0 %.0f %.0f" aria-hidden="true">`, px, px)
	p.WriteString(v.SVG((px-v.Width)/2, px-7))
	p.line("ground", 3, px-7, px-3, px-7)
	p.WriteString(`</svg>`)
	return p.String(), ctx.Err()
}

// Turntable packs the model for the solid view: three little-endian uint32 counts
// (points, triangles, edges), then float32 points, uint32 triangle corners and
// uint32 ends of hard edges. The frame is the paper's, in metres.
func (m *Model) Turntable() []byte {
	hard := 0
	for _, e := range m.edges {
		if e.hard {
			hard++
		}
	}
	b := make([]byte, 0, 12+12*len(m.points)+4*len(m.tris)+8*hard)
	u32 := func(v uint32) { b = binary.LittleEndian.AppendUint32(b, v) }
	u32(uint32(len(m.points)))
	u32(uint32(len(m.tris) / 3))
	u32(uint32(hard))
	for _, p := range m.points {
		for _, c := range p {
			u32(math.Float32bits(float32(c)))
		}
	}
	for _, t := range m.tris {
		u32(uint32(t))
	}
	for _, e := range m.edges {
		if e.hard {
			u32(uint32(e.a))
			u32(uint32(e.b))
		}
	}
	return b
}

// Standing is a view on a ground line, in a picture of w by h pixels.
func Standing(v View, w, h float64) string {
	p := &pen{}
	fmt.Fprintf(p, `<svg class="standing" viewBox="0 0 %.0f %.0f" aria-hidden="true">`, w, h)
	p.line("ground", 4, h-8, w-4, h-8)
	p.WriteString(v.SVG((w-v.Width)/2, h-8))
	p.WriteString(`</svg>`)
	return p.String()
}
