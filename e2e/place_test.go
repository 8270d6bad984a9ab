package e2e

import (
	"context"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

// js asks the page.
func js[T any](t *testing.T, ctx context.Context, code string) T {
	t.Helper()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](code))
	require.NoError(t, err, code)
	return v
}

// count is how many decisions the asset's tape has had.
func (h *house) count(t *testing.T) int {
	t.Helper()
	o, err := h.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	return o.Asset.Changes
}

// A decision leaves the artist where they were: scrolled, with the same sections open, what
// was typed elsewhere, the focus on the same control; and Back leads to the station before.
func TestADecisionLeavesThePlace(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-size")))
	until(t, ctx, `document.querySelector("#do-fit")`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-source")))
	until(t, ctx, `document.querySelector("#treelist")`)
	entries := js[int](t, ctx, `history.length`)
	js[bool](t, ctx, `(() => {
		document.querySelector("#cropping").open = true;
		document.querySelector("#match").value = "half typed";
		document.querySelector(".worksheet").scrollTop = 700;
		document.querySelector("#node-1").focus({ preventScroll: true });
		return true })()`)
	scroll := js[float64](t, ctx, `document.querySelector(".worksheet").scrollTop`)
	require.Greater(t, scroll, 300.0)
	before := h.count(t)
	do(t, ctx, chromedp.KeyEvent("\r"))
	until(t, ctx, `document.querySelector("#node-1")?.textContent.trim() === "Keep" &&
		document.querySelector("#say").textContent.includes("post")`)
	require.Equal(t, before+1, h.count(t))
	assert.InDelta(t, scroll, js[float64](t, ctx, `document.querySelector(".worksheet").scrollTop`), 60,
		"a finding may go")
	assert.True(t, js[bool](t, ctx, `document.querySelector("#cropping").open`), "the section stays open")
	assert.Equal(t, "half typed", js[string](t, ctx, `document.querySelector("#match").value`))
	assert.Equal(t, "node-1", js[string](t, ctx, `document.activeElement.id`))

	// A refusal leaves what was typed where it was typed.
	js[bool](t, ctx, `(() => { const f = document.querySelector("#rulereach"); f.closest("details").open = true;
		f.value = "tall"; f.focus();
		document.querySelector("#rule-beyond").click(); return true })()`)
	until(t, ctx, `document.querySelector(".trouble") && document.querySelector("#rulereach").value === "tall"`)
	assert.Equal(t, "/assets/1/source", js[string](t, ctx, `location.pathname`))
	assert.Equal(t, entries, js[int](t, ctx, `history.length`), "decisions add nothing to the history")
	do(t, ctx, chromedp.Reload())
	until(t, ctx, `document.querySelector("#treelist")`)
	js[bool](t, ctx, `(history.back(), true)`)
	until(t, ctx, `location.pathname === "/assets/1/size" && document.querySelector("#do-fit")`)
}

// Decisions that follow faster than they are made wait for one another, and none conflicts
// with the ones before; six undos are six.
func TestQuickDecisionsQueue(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	until(t, ctx, `document.querySelector("#node-5")`)
	before := h.count(t)
	js[bool](t, ctx, `(() => { for (let i = 0; i < 6; i++) document.querySelector("#node-" + i).click(); return true })()`)
	end := time.Now().Add(patience)
	for h.count(t) < before+6 && time.Now().Before(end) {
		time.Sleep(50 * time.Millisecond)
	}
	until(t, ctx, `[0,1,2,3,4,5].every((i) => document.querySelector("#node-" + i)?.textContent.trim() === "Keep")`)
	assert.False(t, js[bool](t, ctx, `Boolean(document.querySelector(".trouble"))`))
	do(t, ctx, chromedp.Click(chromedp.CSS("#main h1")))
	for range 6 {
		do(t, ctx, chromedp.KeyEvent("u"))
	}
	until(t, ctx, `[0,1,2,3,4,5].every((i) => document.querySelector("#node-" + i)?.textContent.trim() === "Leave out")`)
	assert.Equal(t, before+12, h.count(t))
}

// Pointing at bare paper asks the server nothing; pointing at the mesh is answered; and the
// turntable shows outlines too, from where it was looked at.
func TestPointingAndOutlines(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-size")))
	until(t, ctx, `document.querySelector("#pick-measure")`)
	js[bool](t, ctx, `(() => { window.asked = 0; const f = window.fetch; window.fetch = (...a) => {
		if (String(a[0]).includes("/pick")) window.asked++; return f(...a) };
		return true })()`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#pick-measure")))
	until(t, ctx, `document.body.dataset.grounds > 0`)
	for i := range 40 {
		x, y := paperAt(t, ctx, 300+float64(i)*5, 60)
		do(t, ctx, chromedp.MouseEvent("mouseMoved", x, y))
	}
	assert.Zero(t, js[int](t, ctx, `window.asked`), "over bare paper")
	x, y := frontOf(t, h, "size", geom.Vec3{-2, 1, 1})
	px, py := paperAt(t, ctx, x, y)
	do(t, ctx, chromedp.MouseEvent("mouseMoved", px, py))
	until(t, ctx, `document.querySelector("#drawing .snap")`)
	assert.Positive(t, js[int](t, ctx, `window.asked`))
	do(t, ctx, chromedp.KeyEvent("\x1b"))

	js[bool](t, ctx, `(document.querySelector('[data-view="turntable"]').click(), true)`)
	until(t, ctx, `document.querySelector("#turntable canvas").dataset.drawn > 0`)
	js[bool](t, ctx, `(() => { const f = document.querySelector("#e-factor"); f.value = "1.5";
		document.querySelector("#do-fit").focus(); return true })()`)
	until(t, ctx, `Number(document.querySelector("#turntable canvas").dataset.ghost) > 0`)
	first := js[string](t, ctx, `(document.querySelector("#turntable canvas").focus(),
		document.querySelector("#turntable canvas").dataset.eye)`)
	for range 5 {
		do(t, ctx, chromedp.KeyEvent("+"))
	}
	until(t, ctx, `(() => { const d = document.querySelector("#turntable canvas").dataset, was = d.seen
		d.seen = d.eye; return was === d.eye && d.eye !== "`+first+`" })()`)
	was := js[string](t, ctx, `document.querySelector("#turntable canvas").dataset.eye`)
	js[bool](t, ctx, `(document.querySelector("#do-fit").click(), true)`)
	until(t, ctx, `document.querySelector("#say").textContent.includes("Scale by 1.5") &&
		document.querySelector("#turntable canvas").dataset.drawn > 0`)
	assert.Equal(t, was, js[string](t, ctx, `document.querySelector("#turntable canvas").dataset.eye`), "the camera stays")
}
