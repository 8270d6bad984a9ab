package draft

import (
	"fmt"

	"yarvek/core/geom"
)

// Turned is the model seen in another basis: m maps the frame of the paper. The
// edges and faces are shared.
func (m *Model) Turned(by geom.Mat3) *Model {
	out := *m
	out.Box = geom.EmptyBox()
	out.points = make([]geom.Vec3, len(m.points))
	for i, p := range m.points {
		out.points[i] = by.Apply(p)
	}
	out.faces = make([]geom.Vec3, len(m.faces))
	for i, n := range m.faces {
		out.faces[i] = by.Apply(n)
	}
	if !m.Box.IsEmpty() {
		a, b := by.Apply(m.Box.Min), by.Apply(m.Box.Max)
		out.Box = geom.EmptyBox().Add(a).Add(b)
	}
	return &out
}

// Thumb is a small drawing of the front, in a square of px pixels, standing on a
// ground line. By a quarter view: from is the basis the model was made of and as
// the basis to see it in.
func (m *Model) Thumb(from, as geom.Basis, px float64) string {
	by := as.To(geom.GLTF).Mul(geom.GLTF.To(from))
	t := m.Turned(by)
	size := t.Box.Size()
	if t.Box.IsEmpty() || size.Max() == 0 {
		return fmt.Sprintf(`<svg viewBox="0 0 %.0f %.0f"></svg>`, px, px)
	}
	scale := (px - 14) / max(size[0], size[1], size[2])
	v := t.Draw(Front, scale)
	p := &pen{}
	fmt.Fprintf(p, `<svg viewBox="0 0 %.0f %.0f" aria-hidden="true">`, px, px)
	p.WriteString(v.SVG((px-v.Width)/2, px-7))
	p.line("ground", 3, px-7, px-3, px-7)
	p.WriteString(`</svg>`)
	return p.String()
}
