package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// Four LODs and a shape with another's names are in use after two presses, leave by the target's names, and stand on
// the packing list with both; one more press makes the export again.
func TestForeignLODsAndAShapeInTwoPresses(t *testing.T) {
	var meshes []*scene.Mesh
	for i, n := range []int{16, 12, 9, 6, 5} {
		m := shapetest.Boulder(n)
		m.Name = fmt.Sprintf("detail%d_cairn", i)
		meshes = append(meshes, m)
	}
	box := shape.Scene("", nil, meshes[0]).Bounds()
	touch := new(shape.Builder).Box(box.Min, box.Max).Mesh("kx_cairn_01")
	s := shape.Scene("cairn", []scene.Material{scene.NewMaterial("stone")}, append(meshes, touch)...)
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, s, "cairn.glb"))
	until(t, ctx, `document.querySelectorAll(".finding .btn-ink").length >= 2`)
	press := func(label string) {
		t.Helper()
		js[bool](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll(".finding .btn")]
			.find((b) => b.textContent.trim().startsWith(%q)); b.click(); return true })()`, label))
	}
	press("Use as LODs")
	until(t, ctx, `document.querySelector(".foot").textContent.includes("decision 1")`)
	press("Use as collision")
	until(t, ctx, `document.querySelector(".foot").textContent.includes("decision 2") &&
		document.querySelector("#tape-lods").textContent.includes("4") &&
		document.querySelector("#tape-collision").textContent.includes("1 ")`)
	o, err := h.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	assert.Len(t, o.Result.Source.Hand, 4)
	assert.Len(t, o.Result.Collision.Shapes, 1)
	visit(t, ctx, h.URL+"/assets/1/export")
	if js[bool](t, ctx, `Boolean(document.querySelector("#reason"))`) {
		do(t, ctx, chromedp.SendKeys(chromedp.ID("reason"), "a trial"))
	}
	do(t, ctx, chromedp.Click(chromedp.CSS("#send")))
	until(t, ctx, `document.querySelector("#packing-list")`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#packing-list")))
	until(t, ctx, `document.querySelector("main.packing")?.textContent.includes("lod 4") &&
		document.querySelector("main.packing").textContent.includes("kx_cairn_01") &&
		document.querySelector("table.everywhere")`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#make-again")))
	until(t, ctx, `document.querySelector("#again")?.textContent.includes("the same bytes")`)
}
