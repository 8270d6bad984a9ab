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

	"yarvek/core/geom"
)

// deckHoist is an OBJ as other programs write them, a line for each point and face: a hoist on
// a slab, in centimetres, with a slab of ground, a copy in one place, a far leftover, a speck,
// a knot inside the slab, and a library that did not come along.
func deckHoist(t *testing.T) string {
	var b strings.Builder
	b.WriteString("# from a modelling program\nmtllib harbour.mtl\n")
	n := 0
	block := func(name string, lo, hi geom.Vec3) {
		fmt.Fprintf(&b, "o %s\n", name)
		for i := range 8 {
			var p [3]float64
			for k := range 3 {
				if p[k] = 100 * lo[k]; i>>k&1 == 1 {
					p[k] = 100 * hi[k]
				}
			}
			fmt.Fprintf(&b, "v %g %g %g\n", p[0], p[1], p[2])
		}
		b.WriteString("vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl steel\n")
		for _, f := range [][4]int{{1, 3, 4, 2}, {5, 6, 8, 7}, {1, 2, 6, 5}, {3, 7, 8, 4}, {1, 5, 7, 3}, {2, 4, 8, 6}} {
			b.WriteString("f")
			for k, v := range f {
				fmt.Fprintf(&b, " %d/%d", 8*n+v, 4*n+k+1)
			}
			b.WriteString("\n")
		}
		n++
	}
	block("slab", geom.Vec3{-1.2, 0, -1.2}, geom.Vec3{1.2, .3, 1.2})
	block("post", geom.Vec3{-.2, .3, -.2}, geom.Vec3{.2, 3, .2})
	block("arm", geom.Vec3{-.1, 2.6, -.15}, geom.Vec3{1.9, 2.9, .15})
	block("cab", geom.Vec3{-.1, 1.8, .1}, geom.Vec3{.15, 2.3, .7})
	block("chain", geom.Vec3{1.6, 1.2, -.02}, geom.Vec3{1.65, 2.65, .02})
	block("weight", geom.Vec3{-.9, 2.5, -.3}, geom.Vec3{-.15, 2.8, .3})
	block("post_1", geom.Vec3{-.2, .3, -.2}, geom.Vec3{.2, 3, .2})
	block("leftover", geom.Vec3{70, 0, 0}, geom.Vec3{70.5, .5, .5})
	block("bit", geom.Vec3{-2, .5, -2}, geom.Vec3{-1.997, .503, -1.997})
	block("knot", geom.Vec3{0, .1, 0}, geom.Vec3{.1, .2, .1})
	file := filepath.Join(t.TempDir(), "deck hoist.obj")
	require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	return file
}

// A messy scene goes from drop to certificate in at most twelve presses, by mouse and by
// keyboard, and the page never jumps.
func TestTwelvePressesFromDropToCertificate(t *testing.T) {
	for _, with := range []string{"mouse", "keyboard"} {
		t.Run(with, func(t *testing.T) {
			h := open(t, t.TempDir())
			ctx := tab(t)
			visit(t, ctx, h.URL)
			do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"),
				[]string{deckHoist(t)}))
			until(t, ctx, `document.querySelector(".job a")`)
			presses := 0
			onto := func(condition string) { // what "n" goes to is where somebody looks next
				if with == "keyboard" {
					for range 3 {
						typed(t, ctx, "n")
						presses++
						if js[bool](t, ctx, `(() => { const el = document.activeElement; return Boolean(`+condition+`) })()`) {
							typed(t, ctx, kb.Enter)
							presses++
							return
						}
					}
					t.Fatalf("n never came to %s, but to %s", condition,
						js[string](t, ctx, `document.activeElement.outerHTML.slice(0, 200)`))
				}
				js[bool](t, ctx, `[...document.querySelectorAll("a, button")].find((el) => `+condition+`).click() ?? true`)
				presses++
			}
			onto(`el.matches(".job a, .row-link")`)
			until(t, ctx, `document.querySelector("#takeall")`)
			onto(`el.id === "takeall"`)
			until(t, ctx, `document.querySelector("#worksheet .lead").textContent.includes("6 of 10")`)
			assert.Zero(t, js[float64](t, ctx, `document.querySelector("#worksheet").scrollTop`), "the page stays where it was")
			to := func(digit, station string) {
				if with == "keyboard" {
					typed(t, ctx, digit)
				} else {
					js[bool](t, ctx, `document.querySelector("[data-station-key='`+digit+`']").click() ?? true`)
				}
				presses++
				until(t, ctx, `location.pathname.endsWith("/`+station+`")`)
			}
			to("2", "size")
			onto(`el.matches(".finding .btn-ink") && el.textContent === "Read as centimetres"`)
			until(t, ctx, `document.querySelector("#tape-size").textContent.includes("3.10")`)
			onto(`el.matches(".finding .btn-ink")`) // the class it may be of
			until(t, ctx, `document.querySelector("#tape-size .sign.tick")`)
			to("0", "export")
			onto(`el.id === "send"`)
			until(t, ctx, `document.querySelector(".delivery h2")?.textContent.includes("Arrived equal")`)
			t.Logf("by %s: %d presses from drop to certificate", with, presses)
			assert.LessOrEqual(t, presses, 12)
		})
	}
}
