package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/kittest"
	"yarvek/internal/work"
)

// settled waits until what was decided is on the page.
func settled(t *testing.T, ctx context.Context, what string) {
	t.Helper()
	until(t, ctx, "!document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling, .htmx-added') && "+what)
}

// ladderOf opens the demo's shore rock, whose LODs take a job to be made.
func ladderOf(t *testing.T) (*house, context.Context, func() *work.Opened) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	visit(t, ctx, h.URL+"/assets/9/lods")
	until(t, ctx, "document.fonts.status === 'loaded'")
	return h, ctx, func() *work.Opened {
		o, err := h.desk.Open(context.Background(), 9)
		require.NoError(t, err)
		return o
	}
}

// By mouse: solved, dragged, walked on the turntable, set side by side, exported as a group and read
// back.
func TestALadderIsSolvedDraggedAndSentByMouse(t *testing.T) {
	kittest.InFull(t, "TestALadderIsMovedByKeyboard")
	_, ctx, now := ladderOf(t)
	do(t, ctx, chromedp.Click(chromedp.CSS("#few")))
	settled(t, ctx, "document.querySelectorAll('.ladder .handle').length > 1")
	before := now().Result.LODs
	require.Greater(t, len(before.LODs), 2)
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "fewer triangles")

	// The second handle is pulled to the right by 60 pixels of the page.
	at := js[[]float64](t, ctx, `(() => {
		const r = document.querySelectorAll(".ladder .handle-mark")[1].getBoundingClientRect();
		return [r.x + r.width / 2, r.y + r.height / 2] })()`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.addEventListener("pointermove", () => {
		window.said = document.querySelectorAll(".ladder .handle-say")[1]?.textContent })`))
	do(t, ctx, chromedp.DragAndDropXY(at[0], at[1], at[0]+60, at[1]))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 2')")
	assert.Contains(t, js[string](t, ctx, "window.said"), "px", "it told by how much the LOD would show there")
	after := now()
	assert.Greater(t, after.Result.LODs.LODs[2].From, before.LODs[2].From*1.2)
	assert.Equal(t, before.LODs[2].Cost, after.Result.LODs.LODs[2].Cost, "its triangles stay")
	assert.Equal(t, before.LODs[1].From, after.Result.LODs.LODs[1].From, "and so do the others")

	do(t, ctx, chromedp.Click(chromedp.CSS("#compare")))
	until(t, ctx, "document.querySelector('.pair-dialog img').naturalWidth > 0")
	do(t, ctx, chromedp.Click(chromedp.CSS(".pair-dialog button")))

	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=turntable]")))
	until(t, ctx, "document.querySelector('canvas').dataset.drawn > 0")
	seen := map[string]bool{}
	for v := 0; v <= 1000; v += 50 {
		do(t, ctx, chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => { const s = document.querySelector("#distance");
			s.value = %d;
			s.dispatchEvent(new Event("input", { bubbles: true })) })()`, v)))
		framed(t, ctx)
		seen[js[string](t, ctx, `document.querySelector("#walk").dataset.lod`)] = true
	}
	assert.Len(t, seen, len(after.Result.LODs.LODs), "every LOD is walked through")
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=drawing]")))

	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-export")))
	settled(t, ctx, "document.querySelector('#e-lods')")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`(() => { const s = document.querySelector("#e-lods");
		s.value = "group";
		s.dispatchEvent(new Event("change", { bubbles: true })) })()`))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('LOD group')")
	do(t, ctx, chromedp.Click(chromedp.CSS("#send")))
	settled(t, ctx, "document.querySelector('#delivery')")
	until(t, ctx, `document.activeElement.id === "download"`) // what follows a certificate
	rows := js[string](t, ctx, `document.querySelector("#delivery").textContent`)
	assert.Contains(t, rows, "LODs")
	assert.Contains(t, rows, "triangles from")
	assert.NotContains(t, rows, "not equal")
}

// By keyboard alone: a LOD added, its distance moved by arrow keys, looked at in the lens, undone, sent and read back.
func TestALadderIsMovedByKeyboard(t *testing.T) {
	_, ctx, now := ladderOf(t)
	tabTo(t, ctx, `el.id === "addlod"`)
	typed(t, ctx, kb.Enter)
	settled(t, ctx, "document.querySelector('.ladder .handle')")
	was := now().Result.LODs.LODs[1]
	tabTo(t, ctx, `el.classList.contains("rung")`)
	until(t, ctx, `document.activeElement.classList.contains("lit")`)
	tabTo(t, ctx, `el.classList.contains("handle")`)
	typed(t, ctx, kb.ArrowRight, kb.ArrowRight, kb.ArrowRight, kb.Enter)
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('from')")
	is := now().Result.LODs.LODs[1]
	assert.InDelta(t, was.From*1.02*1.02*1.02, is.From, 0.02*was.From)
	assert.False(t, is.Solved)
	typed(t, ctx, "u")
	settled(t, ctx, "!document.querySelector('.foot').textContent.includes('from')")
	assert.InDelta(t, was.From, now().Result.LODs.LODs[1].From, 1e-9)
	typed(t, ctx, "0")
	settled(t, ctx, "document.querySelector('#e-lods')")
	tabTo(t, ctx, `el.id === "send"`)
	typed(t, ctx, kb.Enter)
	settled(t, ctx, "document.querySelector('#delivery')")
	rows := js[string](t, ctx, `document.querySelector("#delivery").textContent`)
	assert.Contains(t, rows, "LODs")
	assert.NotContains(t, rows, "not equal")
	typed(t, ctx, "7")
	settled(t, ctx, "document.querySelector('.ladder .handle')")
	label := js[string](t, ctx, `document.querySelector(".ladder .handle").getAttribute("aria-valuetext")`)
	assert.True(t, strings.HasSuffix(label, "m"), label)
}

// A job that makes LODs can be stopped, says so, and is begun again when that is asked for.
func TestMakingLODsCanBeStopped(t *testing.T) {
	h, ctx, now := ladderOf(t)
	o := now()
	_, err := h.desk.Decide(context.Background(), 9, o.Base(), func(p *prep.Prep) error {
		p.LODs.Few = true
		return nil
	})
	require.NoError(t, err)
	// Stopped at once, the worksheet offers to make them.
	o = now()
	h.desk.Climb(context.Background(), o)
	h.desk.StopClimb(9)
	h.desk.Jobs.Wait()
	visit(t, ctx, h.URL+"/assets/9/lods")
	if now().Result.LODs.Pending {
		until(t, ctx, "document.querySelector('#climb')")
		assert.Contains(t, text(t, ctx, "#climbing"), "stopped")
		do(t, ctx, chromedp.Click(chromedp.CSS("#climb")))
		until(t, ctx, "document.querySelector('#climbing progress, .ladder .handle')")
	}
	if !testing.Short() {
		settled(t, ctx, "document.querySelector('.ladder .handle')")
		assert.False(t, now().Result.LODs.Pending)
	}
}
