package e2e

import (
	"context"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/demo"
)

// Every page and every station in its main states has no violation that axe-core finds.
func TestPagesAreAccessible(t *testing.T) {
	script, err := os.ReadFile("testdata/loaders/axe-4.11.0.min.js")
	require.NoError(t, err)
	h := open(t, t.TempDir())
	ctx := tab(t)
	check := func(where string) {
		t.Helper()
		js[bool](t, ctx, "("+"() => { "+string(script)+"; return true })()")
		found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`axe.run(document, { resultTypes: ["violations"],
			rules: { "label-content-name-mismatch": { enabled: true } } }).then((r) =>
			r.violations.flatMap((v) => v.nodes.map((n) =>
				v.id + ": " + n.target.join(" ") + " — " + (n.failureSummary ?? "").replace(/\s+/g, " ").slice(0, 160))))`,
			chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.Empty(t, found, where)
	}
	visit := func(path string) {
		t.Helper()
		do(t, ctx, chromedp.Navigate(h.URL+path))
		until(t, ctx, `document.querySelector("main")`)
		check(path)
	}
	visit("/")
	visit("/parts")
	visit("/targets")
	visit("/targets/y-up-metres-right")
	_, err = h.desk.CopyTarget(context.Background(), "z-up-centimetres-left", "Our engine")
	require.NoError(t, err)
	visit("/targets/our-engine?with=y-up-metres-right")
	js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }), true)`)
	check("a target, unfolded")
	_, err = demo.Fill(context.Background(), h.desk)
	require.NoError(t, err)
	visit("/")
	visit("/kits/1")
	visit("/kits/1?lineup=fit")
	visit("/kits/1/exports")
	visit("/kits/1?find=nothing+like+that")
	for _, in := range prep.Stations() {
		if testing.Short() {
			break // unfolded, below, they are all there as well
		}
		visit("/assets/10/" + in.ID) // the messy scene
		visit("/assets/1/" + in.ID)  // settled, and sent
	}
	visit("/assets/1/export")
	visit("/assets/1/revisions")
	visit("/assets/1/revisions/1")
	visit("/assets/77")
	// Everything unfolded, a refusal told, the keys open.
	for _, in := range prep.Stations() {
		do(t, ctx, chromedp.Navigate(h.URL+"/assets/10/"+in.ID))
		until(t, ctx, `document.querySelector("#worksheet")`)
		js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }), true)`)
		check(in.ID + ", unfolded")
	}
	do(t, ctx, chromedp.Navigate(h.URL+"/assets/6/slots"))
	until(t, ctx, `document.querySelector("#picture-0")`)
	js[bool](t, ctx, `(document.querySelectorAll("details").forEach((d) => { d.open = true }),
		document.querySelector("#picture-1").click(), true)`)
	until(t, ctx, `document.querySelector("#onepicture").open`)
	check("one picture, and what several slots are")
	do(t, ctx, chromedp.Navigate(h.URL+"/assets/10/size"))
	js[bool](t, ctx, `(() => { const f = document.querySelector("#factor"); f.value = "no";
		document.querySelector("#setfactor").click(); return true })()`)
	until(t, ctx, `document.querySelector(".trouble")`)
	check("a refusal")
	js[bool](t, ctx, `(document.querySelector("[data-keys-help]").click(), true)`)
	until(t, ctx, `document.querySelector("#keys").open`)
	check("the keys")
	_, err = h.desk.Remove(context.Background(), 1, true)
	require.NoError(t, err)
	visit("/kits/1?out=1")
}
