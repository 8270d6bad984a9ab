package draft

import (
	"context"
	"fmt"

	"yarvek/core/geom"
)

// Thumb is a small drawing of the front after a map of the frame of the paper, in a
// square of px pixels, standing on a ground line: SVG that needs no style. The error is
// ctx's.
func (m *Model) Thumb(ctx context.Context, by geom.Mat3, px float64) (string, error) {
	t, err := m.coarse(ctx)
	if err != nil {
		return "", err
	}
	t = t.Carried(geom.Linear(by), geom.EmptyBox())
	p := &pen{}
	fmt.Fprintf(p, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %.0f %.0f">`, px, px)
	if size := t.Box.Size(); !t.Box.IsEmpty() && size.Max() >= Least {
		v := t.Draw(ctx, Front, (px-14)/size.Max())
		p.WriteString(`<g fill="none" stroke="#16232b" stroke-width="1" stroke-linecap="round" stroke-linejoin="round">`)
		p.WriteString(v.SVG((px-v.Width)/2, px-7))
		fmt.Fprintf(p, `<path d="M3 %.1fH%.1f"/></g>`, px-7, px-3)
	}
	p.WriteString(`</svg>`)
	return p.String(), ctx.Err()
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
