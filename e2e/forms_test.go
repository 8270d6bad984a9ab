package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/kittest"
)

// cutOff lists what of a page lies beyond its sides, or is hidden by what it lies in. What scrolls by itself on
// purpose may be wider than the page.
const cutOff = `(() => {
	const out = [], d = document.scrollingElement
	if (d.scrollWidth > innerWidth + 1) out.push("the page is " + d.scrollWidth + " wide in " + innerWidth)
	const scrolls = (e) => e.closest(".scroll-x, .wide-table, .lineup, .rows-scroll, svg, pre, " +
		".table-names, .visually-hidden, [hidden]")
	for (const e of document.querySelectorAll("button, input, select, a.btn, h1, h2, td, th, label, p")) {
		if (!e.checkVisibility() || scrolls(e) || e.closest("dialog:not([open])")) continue
		const b = e.getBoundingClientRect()
		if (b.width === 0 || b.right <= 0) continue
		for (let up = e; up && up !== document.documentElement; up = up.parentElement) {
			const box = up.getBoundingClientRect(), hides = up !== e && getComputedStyle(up).overflowX !== "visible"
			if (hides && getComputedStyle(up).textOverflow !== "ellipsis" && b.right > box.right + 1.5) {
				out.push(e.outerHTML.slice(0, 90) + " ends at " + Math.round(b.right) + " in " + Math.round(box.right))
				break
			}
		}
		if (b.right > innerWidth + 1) out.push(e.outerHTML.slice(0, 90) + " ends at " + Math.round(b.right))
	}
	return out.slice(0, 6)
})()`

// Nothing is cut off at any width, at 200 %, and in names that run from right to left.
func TestNothingIsCutOff(t *testing.T) {
	h := open(t, kittest.Demo(t))
	_, err := h.desk.CopyTarget(context.Background(), "z-up-centimetres-left", "Our engine")
	require.NoError(t, err)
	require.NoError(t, h.desk.Rename(context.Background(), 2, "عوامة الميناء القديمة في المحطة الساحلية الكبيرة"))
	ctx := tab(t)
	paths := []string{"/", "/kits/1", "/targets", "/targets/our-engine?kit=1", "/kits/1/exports", "/assets/1/floor"}
	for _, in := range prep.Stations() {
		paths = append(paths, "/assets/10/"+in.ID)
	}
	paths = append(paths, "/assets/2/size", "/assets/1/export", "/assets/5/collision")
	for _, view := range []struct {
		width, height int64
		scale         float64
	}{{375, 700, 1}, {768, 900, 1}, {1024, 700, 1}, {1280, 800, 1}, {1920, 1080, 1}, {640, 400, 2}} {
		if testing.Short() && view.width != 375 && view.width != 1280 {
			continue
		}
		do(t, ctx, chromedp.EmulateViewport(view.width, view.height, chromedp.EmulateScale(view.scale)))
		for _, path := range paths {
			do(t, ctx, chromedp.Navigate(h.URL+path))
			until(t, ctx, `document.fonts.status === "loaded"`)
			js[bool](t, ctx,
				`(document.querySelectorAll("main details, details.target-section").forEach((d) => { d.open = true }), true)`)
			found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](cutOff))
			require.NoError(t, err)
			assert.Empty(t, found, "%s at %d", path, view.width)
		}
	}
}

// A worksheet of the demo kit is at most two screens long while its sections are folded.
func TestWorksheetsAreShort(t *testing.T) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	for asset := 1; asset <= 10; asset++ {
		if testing.Short() && asset%3 != 1 {
			continue
		}
		for _, in := range prep.Stations() {
			do(t, ctx, chromedp.Navigate(fmt.Sprintf("%s/assets/%d/%s", h.URL, asset, in.ID)))
			until(t, ctx, `document.fonts.status === "loaded"`)
			screens := js[float64](t, ctx, `(() => { const w = document.querySelector("#worksheet")
				return w.scrollHeight / w.clientHeight })()`)
			assert.LessOrEqual(t, screens, 2.0, "%s of asset %d", in.ID, asset)
		}
	}
}
