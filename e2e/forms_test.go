package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/internal/kittest"
)

// cutOff lists what of a page lies beyond its sides, or is hidden by what it lies in. What scrolls by itself on
// purpose may be wider than the page.
const cutOff = `(() => {
	const out = [], d = document.scrollingElement
	if (d.scrollWidth > innerWidth + 1) out.push("the page is " + d.scrollWidth + " wide in " + innerWidth)
	const scrolls = (e) => e.closest(".scroll-x, .wide-table, .lineup, svg, pre, " +
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
			visit(t, ctx, h.URL+path)
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
			visit(t, ctx, fmt.Sprintf("%s/assets/%d/%s", h.URL, asset, in.ID))
			until(t, ctx, `document.fonts.status === "loaded"`)
			screens := js[float64](t, ctx, `(() => { const w = document.querySelector("#worksheet")
				return w.scrollHeight / w.clientHeight })()`)
			assert.LessOrEqual(t, screens, 2.0, "%s of asset %d", in.ID, asset)
		}
	}
}

// Sixty-seven nodes with slots of their own, some doubled, hidden, empty and far off, make no worksheet longer than
// three screens.
func TestManyNodesHaveShortWorksheets(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	s := shape.Scene("engine", nil)
	for i := range 67 {
		x := float64(i % 9)
		m := new(shape.Builder).Slot(0).Box(geom.Vec3{x, float64(i / 9), 0}, geom.Vec3{x + .8, float64(i/9) + .8, .7}).
			Mesh(fmt.Sprintf("part %d", i))
		m.Slots = []int{i % 12}
		s.Meshes = append(s.Meshes, m)
		n := scene.Node{Name: m.Name, Kind: scene.KindMesh, Parent: -1, Mesh: i, Local: geom.Identity}
		switch {
		case i%11 == 3:
			n.Local = geom.Translation(geom.Vec3{300, 0, 0})
		case i%13 == 5:
			n.Mesh, n.Kind = -1, scene.KindEmpty
		}
		s.Nodes = append(s.Nodes, n)
	}
	for i := range 12 {
		s.Materials = append(s.Materials, scene.NewMaterial(fmt.Sprintf("metal %d", i)))
	}
	h.bring(t, ctx, written(t, s, "engine.glb"))
	for _, in := range prep.Stations() {
		visit(t, ctx, fmt.Sprintf("%s/assets/1/%s", h.URL, in.ID))
		until(t, ctx, `document.fonts.status === "loaded" && document.querySelector("#worksheet")`)
		screens := js[float64](t, ctx, `(() => { const w = document.querySelector("#worksheet")
			return w.scrollHeight / w.clientHeight })()`)
		assert.LessOrEqual(t, screens, 3.0, in.ID)
	}
}

// By keyboard alone one entry of each kind is decided; Enter takes a value, a blue edge gives it back, and what was
// typed and not sent outlasts a reload, as open sections do.
func TestEntriesByKeyboardAlone(t *testing.T) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	now := func() prep.Prep {
		p, err := h.desk.Prep(context.Background(), 3)
		require.NoError(t, err)
		return p
	}
	at := func(station, fold string) {
		t.Helper()
		visit(t, ctx, fmt.Sprintf("%s/assets/3/%s", h.URL, station))
		until(t, ctx, `document.querySelector("#worksheet")`)
		if fold != "" {
			tabTo(t, ctx, `el.matches("#fold-`+fold+` > summary")`)
			typed(t, ctx, kb.Enter)
			until(t, ctx, `document.querySelector("#fold-`+fold+`").open`)
		}
	}
	seq := func() int {
		st, err := h.desk.Step(context.Background(), 3)
		require.NoError(t, err)
		return st.Seq
	}
	decided := func(before int) {
		t.Helper()
		settled(t, ctx, fmt.Sprintf("document.querySelector('.foot').textContent.includes('decision %d')", before+1))
	}
	n := seq()
	at("surface", "mending")
	tabTo(t, ctx, `el.id === "e-edges"`) // a length
	typed(t, ctx, "0", ".", "2", kb.Enter)
	decided(n)
	assert.Equal(t, 0.0002, now().Surface.Edges)
	tabTo(t, ctx, `el.id === "e-holes"`) // a count, where another value is set above it: Enter gives nothing back
	typed(t, ctx, "8", kb.Enter)
	decided(n + 1)
	assert.Equal(t, 8, now().Surface.Holes)
	assert.Equal(t, 0.0002, now().Surface.Edges)
	tabTo(t, ctx, `el.matches(".entry-mark") && el.value === "holes"`)
	typed(t, ctx, kb.Enter)
	decided(n + 2)
	assert.Zero(t, now().Surface.Holes)
	tabTo(t, ctx, `el.name === "unused"`) // yes or no
	typed(t, ctx, kb.ArrowLeft)
	tabTo(t, ctx, `el.id === "do-mending"`)
	typed(t, ctx, kb.Enter)
	decided(n + 3)
	assert.True(t, now().Surface.Unused)

	at("pivot", "seat")
	tabTo(t, ctx, `el.id === "e-place"`) // a choice, and with it a place
	typed(t, ctx, "a", "t", " ", "c", "o")
	until(t, ctx, `!document.querySelector("#e-point").closest(".entry").hidden`)
	tabTo(t, ctx, `el.id === "e-point"`)
	typed(t, ctx, "1", kb.Tab, "2", kb.Tab, "-", "3", kb.Enter)
	decided(n + 4)
	assert.Equal(t, [3]float64{1, 2, -3}, [3]float64(now().Pivot.Point))

	at("lods", "showing")
	tabTo(t, ctx, `el.id === "e-pixels"`) // a number
	typed(t, ctx, "2", kb.Enter)
	decided(n + 5)
	assert.Equal(t, 2.0, now().LODs.Pixels)

	at("collision", "surface")
	tabTo(t, ctx, `el.id === "e-share"`) // a share
	typed(t, ctx, "5", "0")
	assert.Equal(t, "Touch 50 % of it", text(t, ctx, "#do-surface"), "the button says what will come")
	do(t, ctx, chromedp.Reload())
	until(t, ctx, `document.querySelector("#e-share")?.value === "50" && document.querySelector("#fold-surface").open`)

	at("export", "further")
	tabTo(t, ctx, `el.id === "e-name"`) // a text, taken as it is left
	typed(t, ctx, "v", "a", "n", "e", kb.Tab)
	decided(n + 6)
	assert.Equal(t, "vane", now().Export.Name)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`(sessionStorage.clear(), localStorage.clear())`))
}
