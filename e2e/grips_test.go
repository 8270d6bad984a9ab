package e2e

import (
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/station/collision"
)

// A shape is sized, turned and moved by its grips, by pointer and by keys, on the drawing and on the turntable; what is
// dragged snaps; and a box is fitted to what is drawn round.
func TestShapesHaveGrips(t *testing.T) {
	_, ctx, now := hutOf(t)
	js[bool](t, ctx, `(() => { const s = document.querySelector("#e-form"); s.value = "box";
		s.dispatchEvent(new Event("change", { bubbles: true })); return true })()`)
	settled(t, ctx, "document.querySelector('#e-form').value === 'box' && document.querySelector('.entry.given #e-form')")
	decided := 0
	after := func() *collision.Report {
		t.Helper()
		decided++
		settled(t, ctx, fmt.Sprintf("document.querySelector('.foot').textContent.includes('decision %d')", 5+decided))
		return now()
	}
	middle := func(sel string) (x, y float64) {
		t.Helper()
		at := js[[]float64](t, ctx, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect();
			return [r.x + r.width / 2, r.y + r.height / 2] })()`, sel))
		return at[0], at[1]
	}
	grip := func(side int, key string) string {
		return fmt.Sprintf(`.grips[data-side="%d"] .grip[data-grip="%s"] path:last-child`, side, key)
	}
	do(t, ctx, chromedp.Click(chromedp.CSS("#choose-A")))
	until(t, ctx, `document.querySelectorAll(".grips").length === 3`)

	// Its right side on the front goes by some 40 pixels of the page; the left one stays.
	was := now().Shapes[0].Form.Bounds()
	x, y := middle(grip(0, "1,0"))
	do(t, ctx, chromedp.DragAndDropXY(x, y, x+40, y))
	now1 := after()
	is := now1.Shapes[0].Form.Bounds()
	changed := 0
	for k := range 3 {
		lo, hi := math.Abs(is.Min[k]-was.Min[k]), math.Abs(is.Max[k]-was.Max[k])
		assert.Less(t, min(lo, hi), 1e-6, "one side of each axis stays")
		if max(lo, hi) > 0.05 {
			changed++
		}
	}
	assert.Equal(t, 1, changed)
	assert.Equal(t, "e0", now1.Shapes[0].ID)
	until(t, ctx, `document.querySelector("#shapes input:checked")?.value === "e0" &&
		document.activeElement.dataset.grip === "1,0"`)

	// By keys: wider by ten centimetres, and turned by thirty degrees on the plan.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.dispatchEvent(new KeyboardEvent("keydown",
		{ key: "ArrowRight", shiftKey: true, bubbles: true }))`))
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	wider := after().Shapes[0].Form.Bounds()
	assert.InDelta(t, 0.1, wider.Size().Sub(is.Size()).Len(), 1e-3)
	js[bool](t, ctx, `(document.querySelector('.grips[data-side="2"] .turning').focus(), true)`)
	for range 6 {
		do(t, ctx, chromedp.KeyEvent(kb.ArrowUp))
	}
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	turned := after().Shapes[0].Form
	up := now().Space.Basis.Up.Vec()
	tilt := 0.0
	for _, a := range turned.Box.Axes {
		if v := geom.Vec3(a); math.Abs(v.Dot(up)) < 0.5 {
			tilt = math.Mod(math.Abs(math.Atan2(v[2], v[0]))*180/math.Pi, 90)
			if up[2] != 0 {
				tilt = math.Mod(math.Abs(math.Atan2(v[1], v[0]))*180/math.Pi, 90)
			}
		}
	}
	assert.Contains(t, []float64{30, 60}, math.Round(tilt))

	// On the turntable a knob of it is pulled.
	js[bool](t, ctx, `(document.querySelector('[data-view="turntable"]').click(), true)`)
	until(t, ctx, `document.querySelector("#turntable canvas").dataset.grips === "e0"`)
	js[bool](t, ctx, `(document.querySelector('[data-view="drawing"]').click(), true)`)

	// What is drawn round on the front gets a box of its own.
	js[bool](t, ctx, `(document.querySelector("#fold-more").open = true)`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#pick-round")))
	until(t, ctx, "document.body.classList.contains('picking')")
	r := js[[]float64](t, ctx, `(() => { const r = document.querySelector('.solids[data-side="0"] .solid-hatch')
		.getBoundingClientRect(); return [r.x, r.y, r.width, r.height] })()`)
	do(t, ctx, chromedp.MouseEvent("mousePressed", r[0]-8, r[1]-8, chromedp.ButtonLeft))
	for _, p := range [][2]float64{{0.5, 0}, {0.5, 0.5}, {0.5, 1}, {0.2, 1}, {0, 1}} {
		do(t, ctx, chromedp.MouseEvent("mouseMoved", r[0]-8+p[0]*r[2], r[1]-8+p[1]*(r[3]+16), chromedp.ButtonLeft))
	}
	do(t, ctx, chromedp.MouseEvent("mouseReleased", r[0]-8, r[1]+r[3]+8, chromedp.ButtonLeft))
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length >= 2")
	require.GreaterOrEqual(t, len(now().Shapes), 2)
}
