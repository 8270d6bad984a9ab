package draft

import (
	"fmt"

	"yarvek/core/geom"
)

// Frame is a frame with a name, to be drawn.
type Frame struct {
	Label string
	Basis geom.Basis
}

// Frames draws frames side by side, each as its three axes seen as on the drawing: to the
// right of the front view, up, and toward the viewer.
func Frames(list []Frame) string {
	const w, h = 148.0, 132.0
	c := &canvas{}
	fmt.Fprintf(&c.pen, `<svg class="drawing frames" viewBox="0 0 %.0f %.0f" role="img" aria-label="`,
		w*float64(len(list)), h)
	for i, f := range list {
		if i > 0 {
			c.WriteString("; ")
		}
		fmt.Fprintf(c, "%s %s is up, %s the front, %s-handed", f.Label, f.Basis.Up, f.Basis.Forward, f.Basis.Handedness())
	}
	c.WriteString(`">`)
	for i, f := range list {
		x := w * float64(i)
		c.tripod(x+44, 62, f.Basis)
		c.pen.text("word known-name", x+12, h-20, f.Label)
		c.pen.text("word label", x+12, h-5, f.Basis.Handedness()+"-handed")
	}
	c.WriteString(`</svg>`)
	return c.String()
}
