package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/station/collision"
	"yarvek/internal/kittest"
	"yarvek/internal/work"
)

// hutOf opens the demo's tide-gauge hut at Collision.
func hutOf(t *testing.T) (*house, context.Context, func() *collision.Report) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	visit(t, ctx, h.URL+"/assets/5/collision")
	until(t, ctx, "document.fonts.status === 'loaded'")
	return h, ctx, func() *collision.Report {
		var o *work.Opened
		o, err := h.desk.Open(context.Background(), 5)
		require.NoError(t, err)
		return o.Result.Collision
	}
}

// The hut's single hull fills its doorway; hulls make it walkable. A shape is dragged, and moved by
// keys; all of it is sent and read back, and tried on the test floor.
func TestAHutIsMadeWalkable(t *testing.T) {
	h, ctx, now := hutOf(t)
	assert.Contains(t, text(t, ctx, ".finding h2"), "is filled")
	do(t, ctx, chromedp.Click(chromedp.CSS(".finding .remedies .btn-ink")))
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length > 3")
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "open for a walker")
	require.Len(t, now().Filled(), 0)

	// The first shape of the front view is dragged to the right by 30 pixels of the page.
	before := now()
	id := js[string](t, ctx, `[...document.querySelectorAll('.solids[data-side="0"] .solid')].at(-1).dataset.shape`)
	require.NotEmpty(t, id)
	var was geom.Box
	for _, s := range before.Shapes {
		if s.ID == id {
			was = s.Form.Bounds()
		}
	}
	at := js[[]float64](t, ctx, `(() => { const all = document.querySelectorAll('.solids[data-side="0"] .solid');
		const r = all[all.length - 1].querySelector(".solid-hatch").getBoundingClientRect(); return [r.x + r.width / 2,
			r.y + r.height / 2] })()`)
	do(t, ctx, chromedp.DragAndDropXY(at[0], at[1], at[0]+30, at[1]))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 6')")
	moved := now()
	require.Len(t, moved.Shapes, len(before.Shapes))
	last := moved.Shapes[len(moved.Shapes)-1]
	assert.Equal(t, "e0", last.ID)
	shift := last.Form.Bounds().Center().Sub(was.Center())
	assert.Greater(t, shift.Len(), 0.1)
	assert.Less(t, shift.Len(), 2.0)

	// It has the focus; arrow keys move it on by ten centimetres up, and Enter decides.
	until(t, ctx, `document.activeElement?.dataset?.shape === "e0"`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.dispatchEvent(new KeyboardEvent("keydown",
		{ key: "ArrowUp", shiftKey: true, bubbles: true }))`))
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 7')")
	up := now().Shapes[len(moved.Shapes)-1].Form.Bounds().Center().Sub(last.Form.Bounds().Center())
	assert.InDelta(t, 0.1, up.Len(), 1e-3)
	until(t, ctx, `document.activeElement?.dataset?.shape === "e0"`)

	// Both moves are undone.
	for _, n := range []string{"6", "5"} {
		do(t, ctx, chromedp.Click(chromedp.CSS("#undo")))
		settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision "+n+"')")
	}
	assert.Len(t, now().Filled(), 0)

	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-export")))
	until(t, ctx, "document.querySelector('#e-shapes')")
	do(t, ctx, chromedp.Click(chromedp.CSS("#send")))
	until(t, ctx, `[...document.querySelectorAll("table tr")].some((r) => r.textContent.includes("Collision") &&
		r.textContent.includes("hull of walls"))`)

	visit(t, ctx, h.URL+"/assets/5/floor?kind=walk")
	until(t, ctx, "document.querySelector('#trials')")
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "walked at it")
	do(t, ctx, chromedp.Click(chromedp.CSS("#try-drop")))
	until(t, ctx, "document.querySelector('#try-drop.btn-ink')")
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "Nothing sank in")
	do(t, ctx, chromedp.Click(chromedp.CSS("#play")))
	until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0 &&
		Number(document.querySelector("#playing").dataset.at) > 3`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
}

// By the worksheet alone, with keys: a fit, a copy, a split and a merge.
func TestShapesAreChangedByKeys(t *testing.T) {
	kittest.InFull(t, "TestAHutIsMadeWalkable")
	_, ctx, now := hutOf(t)
	press := func(sel string) {
		t.Helper()
		do(t, ctx, chromedp.Focus(chromedp.CSS(sel)))
		do(t, ctx, chromedp.KeyEvent(kb.Enter))
	}
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`(() => { const s = document.querySelector("#e-form"); s.value = "box";
		s.dispatchEvent(new Event("change", { bubbles: true })) })()`))
	settled(t, ctx, "document.querySelector('#e-form').value === 'box' && document.querySelector('.entry.given #e-form')")
	require.Len(t, now().Shapes, 1)
	do(t, ctx, chromedp.Focus(chromedp.CSS("#editing summary")))
	do(t, ctx, chromedp.KeyEvent(kb.Enter))
	choose := func(letters ...string) {
		for _, l := range letters {
			do(t, ctx, chromedp.Focus(chromedp.CSS("#choose-"+l)))
			do(t, ctx, chromedp.KeyEvent(" "))
		}
	}
	choose("A")
	press("#dosplit")
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length === 2")
	assert.Equal(t, "true", js[string](t, ctx, "String(document.querySelector('#editing').open)"), "the fold stays open")
	halves := now()
	assert.InDelta(t, halves.Shapes[0].Form.Volume(), halves.Shapes[1].Form.Volume(), 1e-6)
	choose("A", "B")
	press("#domerge")
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length === 1")
	choose("A")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#right").value = "2 m"`))
	press("#docopy")
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length === 2")
	two := now()
	d := two.Shapes[1].Form.Bounds().Center().Sub(two.Shapes[0].Form.Bounds().Center())
	assert.InDelta(t, 2, d.Len(), 1e-6)
	// A box round the part that is pointed at, besides what there is.
	js[bool](t, ctx, `(document.querySelector("#fold-more").open = true)`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#pick-body")))
	until(t, ctx, "document.body.classList.contains('picking')")
	at := js[[]float64](t, ctx, `(() => {
		const r = document.querySelector('.solids[data-side="0"] .solid-hatch').getBoundingClientRect();
		return [r.x + r.width / 2, r.y + r.height / 2] })()`)
	do(t, ctx, chromedp.MouseClickXY(at[0], at[1]))
	settled(t, ctx, "document.querySelectorAll('#shapes tbody tr').length === 3")
}
