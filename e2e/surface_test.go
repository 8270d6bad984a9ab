package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/kittest"
)

// flawedCrate is an OBJ with six flaws: a face turned, one there twice, one without area, a lid on points
// of its own a twentieth of a millimetre up, a polygon with a dent, and a point nothing uses. wide
// is how wide the second body is, which the next revision changes.
func flawedCrate(t *testing.T, wide float64) string {
	var b strings.Builder
	b.WriteString("o crate\n")
	point := func(x, y, z float64) { fmt.Fprintf(&b, "v %g %g %g\n", x, y, z) }
	for i := range 8 {
		point(float64(i&1), float64(i>>1&1), float64(i>>2&1))
	}
	for _, i := range []int{6, 7, 3, 2} { // 9 to 12: the lid's own
		point(float64(i&1), 1.00005, float64(i>>2&1))
	}
	outline := [][2]float64{{3, 0}, {3 + wide, 0}, {3 + wide, 2}, {3 + wide/2, 0.5}, {3, 2}}
	for _, z := range []float64{1, 0} { // 13 to 17 in front, 18 to 22 behind
		for _, p := range outline {
			point(p[0], p[1], z)
		}
	}
	point(9, 9, 9)
	b.WriteString("f 5 6 8 7\nf 2 1 3 4\nf 6 8 4 2\nf 1 5 7 3\nf 9 10 11 12\nf 1 2 6 5\nf 2 1 3 4\nf 1 1 2\n")
	b.WriteString("f 13 14 15 16 17\nf 22 21 20 19 18\n")
	for k := range 5 {
		n := (k + 1) % 5
		fmt.Fprintf(&b, "f %d %d %d %d\n", 13+k, 18+k, 18+n, 13+n)
	}
	file := filepath.Join(t.TempDir(), "crate.obj")
	require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	return file
}

// A mesh with six flaws is made sound by mouse and by keyboard, and the same decisions make its
// next revision sound.
func TestSixFlawsAreMadeSound(t *testing.T) {
	for _, with := range []string{"mouse", "keyboard"} {
		t.Run(with, func(t *testing.T) {
			if with == "mouse" {
				kittest.InFull(t, "the keyboard")
			}
			h := open(t, t.TempDir())
			ctx := tab(t)
			h.bring(t, ctx, flawedCrate(t, 2))
			button := func(condition string) {
				if with == "keyboard" {
					tabTo(t, ctx, condition)
					typed(t, ctx, kb.Enter)
					return
				}
				require.True(t, js[bool](t, ctx, `(() => {
					const b = [...document.querySelectorAll("#worksheet button")].find((el) => `+condition+`);
					b?.scrollIntoView({ block: "center" }); b?.click(); return Boolean(b) })()`), condition)
			}
			if with == "keyboard" {
				typed(t, ctx, "5")
			} else {
				do(t, ctx, chromedp.Click(chromedp.ID("tape-surface")))
			}
			until(t, ctx, `document.querySelector("h1").textContent === "Surface"`)
			all := `document.querySelector("#worksheet").textContent.replace(/\s+/g, " ")`
			say := js[string](t, ctx, all)
			for _, want := range []string{"1 face looks the other way", "1 face is there twice", "1 face has no area",
				"nearly meet others",
				"2 polygons have dents of up to", "1 point no face uses"} {
				assert.Contains(t, say, want)
			}
			assert.NotZero(t, js[int](t, ctx, `document.querySelectorAll(".flaws path").length`),
				"they are marked on the drawing")
			button(`el.id === "tidy"`)
			until(t, ctx, `document.querySelector("#worksheet").textContent.includes("joined")`)
			button(`el.textContent.trim() === "Cut them here"`)
			until(t, ctx, `document.querySelector("#tape-surface").textContent.includes("sound")`)
			say = js[string](t, ctx, all)
			for _, want := range []string{"4 points were joined", "1 face without area went",
				"1 face that was there twice went",
				"2 bent and dented polygons were cut"} {
				assert.Contains(t, say, want)
			}
			// One of them given up comes back, and undo takes that back.
			js[bool](t, ctx, `(document.querySelector("#fold-mending").open = true)`)
			button(`el.getAttribute("aria-label") === "Give back: Drop faces that are there twice"`)
			until(t, ctx, `document.querySelector("#worksheet").textContent.includes("1 face is there twice")`)
			typed(t, ctx, "u")
			until(t, ctx, `document.querySelector("#tape-surface").textContent.includes("sound")`)

			visit(t, ctx, h.URL+"/assets/1/source")
			do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("[data-companions] input"), []string{flawedCrate(t, 3)}))
			until(t, ctx, `location.pathname.endsWith("/revisions/2") && document.querySelector("#take")`)
			do(t, ctx, chromedp.Click(chromedp.ID("take")))
			until(t, ctx, `document.querySelector(".tape")?.textContent.includes("rev 2")`)
			assert.Contains(t, text(t, ctx, "#tape-surface"), "sound")
		})
	}
}

// Budget says what it costs and takes waste out; the turntable shows shading, checker and density.
func TestBudgetTakesWasteOutAndTheTurntableShowsWhere(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	var b strings.Builder
	const n = 12
	for j := range n + 1 {
		for i := range n + 1 {
			fmt.Fprintf(&b, "v %g 0 %g\nvt %g %g\n", float64(i)/n, -float64(j)/n, float64(i)/n, float64(j)/n)
		}
	}
	for j := range n {
		for i := range n {
			a := j*(n+1) + i + 1
			fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d %d/%d\n", a, a, a+1, a+1, a+n+2, a+n+2, a+n+1, a+n+1)
		}
	}
	file := filepath.Join(t.TempDir(), "slab.obj")
	require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	h.bring(t, ctx, file)
	typed(t, ctx, "6")
	until(t, ctx, `document.querySelector("h1").textContent === "Budget"`)
	assert.Contains(t, text(t, ctx, "#worksheet"), "286 triangles of 288 add nothing")
	assert.Contains(t, text(t, ctx, "#drawing"), "Triangles a square metre")
	do(t, ctx, chromedp.Click(chromedp.CSS("label[for=e-waste-0]")))
	until(t, ctx, `document.querySelector("#tape-budget").textContent.includes("2 triangles")`)
	do(t, ctx, chromedp.Click(chromedp.CSS("label[for=e-waste-1]")))
	until(t, ctx, `document.querySelector("#tape-budget").textContent.includes("288 triangles")`)
	typed(t, ctx, "v")
	until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0`)
	for _, look := range []string{"shading", "checker", "density", "material", "paper"} {
		do(t, ctx, chromedp.Click(chromedp.CSS("[data-look="+look+"]")))
		until(t, ctx, `document.querySelector("canvas").dataset.look === "`+look+`"`)
	}
	typed(t, ctx, "v")
	visit(t, ctx, h.URL+"/assets/1/surface")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelectorAll("details").forEach((d) => { d.open = true });
		document.querySelector(".uv-sheet").scrollIntoView()`))
	until(t, ctx, `document.querySelector(".uv-sheet").naturalWidth > 0`)
	assert.Contains(t, text(t, ctx, "#worksheet"), "100\u202f% of a square")
}
