package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/internal/kittest"
)

// finger is what the page is told of fingers: kind of event, which, and where, in the middle of the drawing and beside
// it.
const finger = `const svg = document.querySelector("#drawing svg"), r = svg.getBoundingClientRect();
	const finger = (kind, id, x, y, on = svg) => on.dispatchEvent(new PointerEvent(kind, { pointerType: "touch",
		pointerId: id, bubbles: true, cancelable: true, clientX: x, clientY: y }));
	const [x, y] = [r.left + r.width / 2, r.top + r.height / 2];
	const place = (px, py) => { const p = new DOMPoint(px, py).matrixTransform(svg.getScreenCTM().inverse());
		return [p.x, p.y] };`

// Two fingers bring the drawing nearer and what is between them stays there, one moves it, a double tap puts it back;
// a long press shows what a press would do, and does nothing.
func TestFingers(t *testing.T) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	visit(t, ctx, h.URL+"/assets/2/size")
	until(t, ctx, `document.querySelector("#drawing svg")`)
	was := js[string](t, ctx, `document.querySelector("#drawing svg").getAttribute("viewBox")`)
	off := js[[]float64](t, ctx, `(() => { `+finger+`
		const before = place(x, y);
		finger("pointerdown", 1, x - 50, y); finger("pointerdown", 2, x + 50, y);
		finger("pointermove", 1, x - 100, y); finger("pointermove", 2, x + 100, y);
		const after = place(x, y);
		finger("pointerup", 1, x - 100, y); finger("pointerup", 2, x + 100, y);
		return [before[0] - after[0], before[1] - after[1]] })()`)
	whole := js[[]float64](t, ctx, `document.querySelector("#drawing svg").dataset.whole.split(" ").map(Number)`)
	assert.InDelta(t, 0, off[0], 0.01*whole[2], "what is between the fingers stays")
	assert.InDelta(t, 0, off[1], 0.01*whole[3])
	now := js[[]float64](t, ctx, `document.querySelector("#drawing svg").getAttribute("viewBox").split(" ").map(Number)`)
	assert.InDelta(t, whole[2]/2, now[2], 0.01*whole[2], "twice as near")

	moved := js[[]float64](t, ctx, `(() => { `+finger+`
		const before = place(x, y);
		finger("pointerdown", 3, x, y); finger("pointermove", 3, x + 60, y + 20);
		const after = place(x + 60, y + 20);
		finger("pointerup", 3, x + 60, y + 20);
		return [before[0] - after[0], before[1] - after[1]] })()`)
	assert.InDelta(t, 0, moved[0], 0.01*whole[2], "it goes with the finger")
	assert.InDelta(t, 0, moved[1], 0.01*whole[3])

	js[bool](t, ctx, `(() => { `+finger+`
		for (const id of [4, 5]) { finger("pointerdown", id, x, y); finger("pointerup", id, x, y) }
		return true })()`)
	until(t, ctx, `!document.querySelector("#drawing svg").classList.contains("nearer")`)
	assert.Len(t, was, len(js[string](t, ctx, `document.querySelector("#drawing svg").dataset.whole`)))

	js[bool](t, ctx, `(() => { `+finger+`
		const b = document.querySelector(".remedies button"), q = b.getBoundingClientRect();
		window.held = b;
		finger("pointerdown", 6, q.left + 9, q.top + 9, b);
		return true })()`)
	until(t, ctx, `document.querySelector("#drawing .ghost")`)
	js[bool](t, ctx, `(() => { `+finger+`
		finger("pointerup", 6, 0, 0, window.held); window.held.click(); return true })()`)
	assert.False(t, js[bool](t, ctx, `document.querySelector("#page").classList.contains("htmx-request")`))
	assert.Contains(t, js[string](t, ctx, `document.querySelector("#tape-size").textContent`), "218",
		"nothing was decided")
}
