package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/kittest"
)

// A kit at work: assets are marked by keys and in a range, what is proposed is looked at and done, one leaves and comes
// back, it is undone as one; all are sent and that is stopped; some are duplicated; the report tells of all.
func TestAKitAtWork(t *testing.T) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	marked := func(n string) {
		t.Helper()
		until(t, ctx, `!document.querySelector("#marked").hidden &&
			document.querySelector("[data-marks-count]").textContent === "`+n+` marked"`)
	}
	press := func(button string) {
		t.Helper()
		until(t, ctx, `!document.querySelector(".htmx-added, .htmx-settling")`) // what came is listened to by then
		js[bool](t, ctx, `([...document.querySelectorAll("#marked button, #many button")].find((b) =>
			b.textContent.trim().startsWith("`+button+`")).click(), true)`)
	}
	prep := func(asset int64) string {
		t.Helper()
		p, err := h.desk.Prep(context.Background(), asset)
		require.NoError(t, err)
		return string(p.JSON())
	}
	visit(t, ctx, h.URL+"/kits/1")
	before := prep(2)
	do(t, ctx, chromedp.Focus(chromedp.CSS(`tr[data-asset="2"] .row-link`)))
	typed(t, ctx, "x")
	marked("1")
	do(t, ctx, chromedp.Focus(chromedp.CSS(`tr[data-asset="4"] .row-link`)))
	js[bool](t, ctx, `(document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "X", shiftKey: true,
		bubbles: true })), true)`)
	marked("3")
	press("Do as proposed")
	until(t, ctx, `document.querySelector("#many h2")?.textContent.includes("would change")`)
	assert.Equal(t, before, prep(2), "nothing is decided by looking")
	press("Do it for")
	until(t, ctx, `document.querySelector("#many")?.textContent.includes("Decided for")`)
	assert.NotEqual(t, before, prep(2))

	visit(t, ctx, h.URL+"/assets/5/source")
	visit(t, ctx, h.URL+"/kits/1")
	marked("3")
	press("Undo it for all")
	until(t, ctx, `location.search.includes("undone=")`)
	assert.Equal(t, before, prep(2))

	js[bool](t, ctx, `(document.querySelector("[data-mark-all]").click(), true)`)
	marked("13")
	do(t, ctx, chromedp.SendKeys(chromedp.CSS(`#marked [name="reason"]`), "a trial"))
	press("Send")
	until(t, ctx, `document.querySelector("#jobs .strip-job button, #many-done, #many table")`)
	visit(t, ctx, h.URL+"/")
	js[bool](t, ctx, `(document.querySelector("#jobs .strip-job button")?.click(), true)`)
	until(t, ctx, `document.querySelectorAll("#jobs progress").length === 0`)
	// What was stopped before it was through goes on from the strip.
	js[bool](t, ctx, `(document.querySelector("#jobs .strip-job button")?.click(), true)`)
	until(t, ctx, `!document.querySelector("#jobs .strip-job button")`)
	_, sent, err := h.desk.Exports(context.Background(), 1, 0, 0, 1)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, sent, 13, "each was sent")

	visit(t, ctx, h.URL+"/kits/1")
	press("Unmark")
	do(t, ctx, chromedp.Focus(chromedp.CSS(`tr[data-asset="2"] .row-link`)))
	typed(t, ctx, "x", kb.Tab)
	marked("1")
	js[bool](t, ctx, `(document.querySelector(".marked-more").open = true)`)
	until(t, ctx, `document.querySelector(".marked-more").textContent.includes("no other kit")`)
	press("Duplicate")
	until(t, ctx, `document.querySelectorAll("tr[data-asset]").length === 14`)
	assert.True(t, js[bool](t, ctx, `document.querySelector("#marked").hidden`), "nothing is marked any more")

	js[bool](t, ctx, `(document.querySelector('form[action$="/report"] button').click(), true)`)
	until(t, ctx, `document.querySelectorAll(".reported tbody tr").length === 14`)
}
