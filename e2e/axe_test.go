package e2e

import (
	"context"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/kittest"
)

// Every page and every station in its main states has no violation that axe-core finds.
func TestPagesAreAccessible(t *testing.T) {
	script, err := os.ReadFile("testdata/loaders/axe-4.11.0.min.js")
	require.NoError(t, err)
	ctx := tab(t)
	empty, h := open(t, t.TempDir()), open(t, kittest.Demo(t))
	check := func(where string) {
		t.Helper()
		js[bool](t, ctx, "("+"() => { "+string(script)+"; return true })()")
		found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`axe.run(document, { resultTypes: ["violations"],
			rules: { "label-content-name-mismatch": { enabled: true }, "target-size": { enabled: true } } }).then((r) =>
			r.violations.flatMap((v) => v.nodes.map((n) =>
				v.id + ": " + n.target.join(" ") + " — " + (n.failureSummary ?? "").replace(/\s+/g, " ").slice(0, 160))))`,
			chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.Empty(t, found, where)
	}
	passesAt := func(url string) {
		t.Helper()
		visit(t, ctx, url)
		check(url)
	}
	passes := func(path string) { t.Helper(); passesAt(h.URL + path) }
	passesAt(empty.URL)
	_, err = h.desk.CopyTarget(context.Background(), "z-up-centimetres-left", "Our engine")
	require.NoError(t, err)
	passes("/targets/our-engine?with=y-up-metres-right")
	js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }), true)`)
	check("a target, unfolded")
	passes("/kits/1")
	passes("/assets/1/revisions/1")
	if !testing.Short() { // pages like others, and stations that are there below, unfolded
		for _, path := range []string{"/", "/parts", "/targets", "/targets/y-up-metres-right", "/kits/1?lineup=fit",
			"/kits/1/exports", "/kits/1?find=nothing+like+that", "/assets/1/export", "/assets/1/revisions", "/assets/77"} {
			passes(path)
		}
		for _, in := range prep.Stations() {
			passes("/assets/10/" + in.ID) // the messy scene
			passes("/assets/1/" + in.ID)  // settled, and sent
		}
	}
	// Everything unfolded, a refusal told, the keys open.
	for _, in := range prep.Stations() {
		visit(t, ctx, h.URL+"/assets/10/"+in.ID)
		js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }), true)`)
		check(in.ID + ", unfolded")
	}
	visit(t, ctx, h.URL+"/assets/6/slots")
	until(t, ctx, `document.querySelector("#picture-0")`)
	js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }),
		document.querySelector("#picture-1").click(), true)`)
	until(t, ctx, `document.querySelector("#onepicture").open`)
	check("one picture, and what several slots are")
	// The turntable with what it pulls apart, and two LODs side by side.
	visit(t, ctx, h.URL+"/assets/1/lods")
	js[bool](t, ctx, `(document.querySelector('[data-view="turntable"]').click(), true)`)
	until(t, ctx, `document.querySelector("#turntable canvas").dataset.drawn > 0`)
	check("the turntable")
	js[bool](t, ctx, `(document.querySelector('[data-view="drawing"]').click(),
		document.querySelector("#compare").click(), true)`)
	until(t, ctx, `document.querySelector("dialog[open] img, dialog[open] svg")`)
	check("side by side")
	visit(t, ctx, h.URL+"/assets/10/size")
	js[bool](t, ctx, `(() => { const f = document.querySelector("#e-factor"); f.value = "no";
		document.querySelector("#do-fit").click(); return true })()`)
	until(t, ctx, `document.querySelector(".trouble")`)
	check("a refusal")
	js[bool](t, ctx, `(document.querySelector("[data-keys-help]").click(), true)`)
	until(t, ctx, `document.querySelector("#keys").open`)
	check("the keys")
	_, err = h.desk.Remove(context.Background(), 1, true)
	require.NoError(t, err)
	passes("/kits/1?out=1")
}
