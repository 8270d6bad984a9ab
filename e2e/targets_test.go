package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// A target is copied, its axes, a budget and a pattern changed, the effect seen before it is
// kept, exported, and taken into use by another kit.
func TestATargetOfOnesOwn(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	visit(t, ctx, h.URL+"/assets/1/size")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`(() => { const s = document.querySelector("#e-class");
		s.value = "building-part";
		s.dispatchEvent(new Event("change", { bubbles: true })) })()`))
	until(t, ctx, `document.querySelector(".foot").textContent.includes("Building part")`)

	visit(t, ctx, h.URL+"/targets/y-up-metres-right")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#copyname").value = ""`),
		chromedp.SendKeys(chromedp.ID("copyname"), "Our engine"),
		chromedp.Click(chromedp.ID("copy")))
	until(t, ctx, `location.pathname === "/targets/our-engine" && document.querySelector("#targetform")`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`fetch("/kits/1/target", { method: "POST", headers: {
		"Content-Type": "application/x-www-form-urlencoded" },
		body: "target=our-engine&back=" }).then(() => { document.body.dataset.set = "yes" })`))
	until(t, ctx, `document.body.dataset.set`)
	visit(t, ctx, h.URL+"/targets/our-engine?kit=1")

	// By keyboard: the front first, then up, with what both would be told meanwhile.
	tabTo(t, ctx, `el.name === "basis.up"`)
	typed(t, ctx, "+", "Z")
	until(t, ctx, `document.querySelector("#effect").textContent.includes("both lie along Z")`)
	tabTo(t, ctx, `el.name === "basis.forward"`)
	typed(t, ctx, "-", "Y")
	until(t, ctx, `document.querySelector("#effect").textContent.includes("1 asset is carried into another frame")`)
	until(t, ctx, `document.querySelector("#frames").textContent.includes("+Z up")`)
	tabTo(t, ctx, `el.closest("#section-classes > summary")`)
	typed(t, ctx, kb.Enter)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("[name='classes.5.budget.triangles']").select()`))
	typed(t, ctx, "2", "0")
	until(t, ctx, `document.querySelector("#effect").textContent.includes("1 asset goes over budget: landing")`)
	tabTo(t, ctx, `el.closest("#section-names > summary")`)
	typed(t, ctx, kb.Enter)
	do(t, ctx, chromedp.SendKeys(chromedp.CSS("[name='names.node']"), "part {mesh}"))
	until(t, ctx, `/\d names change/.test(document.querySelector("#effect").textContent)`)
	do(t, ctx, chromedp.Click(chromedp.ID("keep")))
	until(t, ctx, `document.querySelector("main").textContent.includes("Kept as revision 2")`)
	assert.Contains(t, text(t, ctx, "#kits"), "1 asset is carried into another frame")
	press(t, ctx, "Move it to revision 2")
	until(t, ctx, `location.pathname === "/kits/1"`)
	visit(t, ctx, h.URL+"/assets/1/axes")
	until(t, ctx, `document.querySelector("#tape-axes").textContent.includes("+Z")`)

	// As a file into another kit.
	file := get(t, h.URL+"/targets/our-engine/file")
	to, err := target.Parse(file)
	require.NoError(t, err)
	assert.Equal(t, "part {mesh}", to.Names.Node)
	to.Name = "Their engine"
	to.ID = "their-engine"
	path := filepath.Join(t.TempDir(), "their.target.json")
	require.NoError(t, os.WriteFile(path, to.File(), 0o644))
	visit(t, ctx, h.URL+"/targets")
	do(t, ctx, chromedp.SetUploadFiles(chromedp.ID("targetfile"), []string{path}))
	press(t, ctx, "Take in")
	until(t, ctx, `location.pathname === "/targets/their-engine"`)
	visit(t, ctx, h.URL+"/")
	do(t, ctx, chromedp.SendKeys(chromedp.ID("name"), "Second kit"),
		chromedp.Evaluate[chromedp.Void](`document.querySelector("#newtarget").value = "their-engine"`))
	press(t, ctx, "Begin")
	until(t, ctx, `location.pathname === "/kits/2" && document.querySelector("#target").value === "their-engine"`)
}
