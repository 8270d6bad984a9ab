package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// Three assets from a drop to a printed list: a way to send is made on the first, used on the second with one press,
// and begun with by one that comes later; each is read by the browser too, its arrival is drawn, and other targets are
// a press away.
func TestThreeAssetsToAPrintedList(t *testing.T) {
	var files []string
	for i, n := range []int{8, 6, 5, 7} {
		m := shapetest.Boulder(n)
		m.Name = fmt.Sprintf("rock %d", i+1)
		files = append(files, written(t, shape.Scene(m.Name, []scene.Material{scene.NewMaterial("stone")}, m),
			fmt.Sprintf("rock-%d.glb", i+1)))
	}
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL+"/")
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), files[:3]))
	until(t, ctx, `location.pathname.startsWith("/kits/") && document.querySelectorAll("tr[data-asset]").length >= 3`)

	export := func(asset int) {
		visit(t, ctx, fmt.Sprintf("%s/assets/%d/export", h.URL, asset))
		until(t, ctx, `document.querySelector("svg.arrival")`)
	}
	send := func() {
		t.Helper()
		if js[bool](t, ctx, `Boolean(document.querySelector("#reason"))`) {
			do(t, ctx, chromedp.SendKeys(chromedp.ID("reason"), "a trial"))
		}
		do(t, ctx, chromedp.Click(chromedp.CSS("#send")))
		until(t, ctx, `document.querySelector("#delivery") &&
			document.querySelector("svg.arrival").textContent.includes("apart at most")`)
		until(t, ctx, `document.querySelector("#opinion")?.textContent.includes("two readers agree")`)
	}
	export(1)
	do(t, ctx, chromedp.Click(chromedp.CSS(`input[name="format"][value="obj"]`)))
	until(t, ctx, `document.querySelector(".foot").textContent.includes("decision")`)
	js[bool](t, ctx, `(document.querySelector("#fold-presets").open = true)`)
	do(t, ctx, chromedp.SendKeys(chromedp.ID("preset-name"), "Quay props"),
		chromedp.Click(chromedp.CSS(`form:has(#preset-name) button`)))
	until(t, ctx, `document.querySelector("#fold-presets .fold-head").textContent.includes("Quay props")`)
	assert.Equal(t, "/assets/1/export", js[string](t, ctx, `location.pathname`), "one stays where one is")
	send()

	export(2)
	js[bool](t, ctx, `(document.querySelector("#fold-presets").open = true)`)
	js[bool](t, ctx, `([...document.querySelectorAll(".presets .btn")].find((b) =>
		b.textContent.trim() === "Quay props").click(), true)`)
	until(t, ctx, `document.querySelector('input[name="format"][value="obj"]').checked`)
	send()
	js[bool](t, ctx, `([...document.querySelectorAll(".presets button")].find((b) =>
		/^for new\s+assets$/.test(b.textContent.trim())).click(), true)`)
	until(t, ctx, `[...document.querySelectorAll(".presets button")].some((b) =>
		/begin with it/.test(b.textContent))`)

	export(3)
	send()
	do(t, ctx, chromedp.Click(chromedp.CSS(`#everywhere tbody tr:nth-child(2) th a`)))
	until(t, ctx, `location.search.includes("at=") && document.querySelector(".cures .plain-list, .cures p")`)
	visit(t, ctx, h.URL+"/kits/1")
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), files[3:]))
	until(t, ctx, `document.querySelectorAll("tr[data-asset]").length >= 4`)
	export(4)
	assert.True(t, js[bool](t, ctx, `document.querySelector('input[name="format"][value="obj"]').checked`),
		"a new asset begins with the standard one")

	export(2)
	do(t, ctx, chromedp.Click(chromedp.CSS("#packing-list")))
	until(t, ctx, `location.pathname.endsWith("/packing") && document.querySelector("table.everywhere")`)
	pdf, err := chromedp.Run(ctx, chromedp.PrintToPDF())
	require.NoError(t, err)
	assert.Contains(t, string(pdf[:8]), "%PDF")
	assert.Greater(t, len(pdf), 10_000)
}

// What came and what leaves are turned together.
func TestBeforeAndAfterOnTheTurntable(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL)
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), beacon(t)))
	until(t, ctx, `document.querySelector(".row-link")`)
	visit(t, ctx, h.URL+"/assets/1/export")
	until(t, ctx, `document.querySelector("svg.arrival")`)
	do(t, ctx, chromedp.Click(chromedp.CSS(`[data-view="turntable"]`)))
	until(t, ctx, `document.querySelector("#turntable canvas").dataset.pair === "true" &&
		[...document.querySelectorAll(".table-names span")].some((s) => s.textContent.startsWith("as it came"))`)
}
