package e2e

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/internal/kittest"
)

// crate is a box whose left half wears a green picture and whose right half is plain rust.
func crate(t *testing.T) *scene.Scene {
	green := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		green.SetNRGBA(i%8, i/8, color.NRGBA{20, 200, 40, 255})
	}
	var file bytes.Buffer
	require.NoError(t, png.Encode(&file, green))
	left := new(shape.Builder).Box(geom.Vec3{-1, 0, -.2}, geom.Vec3{0, 1, .2}).Mesh("left")
	left.UVs = []scene.UVSet{{Name: "map", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{.5, .5}},
		Index: make([]int32, len(left.Corners))}}}
	right := new(shape.Builder).Box(geom.Vec3{0, 0, -.2}, geom.Vec3{1, 1, .2}).Mesh("right")
	left.Slots, right.Slots = []int{0}, []int{1}
	worn, plain := scene.NewMaterial("worn"), scene.NewMaterial("plain")
	worn.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	plain.BaseColor = [4]float64{.6, .05, .01, 1}
	s := shape.Scene("crate", []scene.Material{worn, plain}, left, right)
	s.Images = []scene.Image{{Name: "worn.png", Embedded: true, MIME: "image/png", Data: file.Bytes(), Width: 8,
		Height: 8}}
	s.Textures = []scene.Texture{{Name: "worn", Image: 0, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	return s
}

// pixels are those of the canvas, as the browser shows it.
func pixels(t *testing.T, ctx context.Context) image.Image {
	b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	return img
}

// The turntable shows an asset on paper or with its materials, beside things of known size,
// with its pivot and its axes; what was chosen stays.
func TestTheTurntableShowsMaterials(t *testing.T) {
	kittest.InFull(t, "TestBudgetTakesWasteOutAndTheTurntableShowsWhere")
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, crate(t), "crate.glb"))
	// How many pixels of the canvas are green and how many are rust.
	count := func() (green, rust int) {
		img := pixels(t, ctx)
		r := js[[]float64](t, ctx,
			`(() => { const r = document.querySelector("canvas").getBoundingClientRect(); return [r.left, r.top, r.right,
				r.bottom] })()`)
		for y := int(r[1]) + 70; y < int(r[3])-40; y += 3 {
			for x := int(r[0]) + 10; x < int(r[2])-10; x += 3 {
				c := color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA)
				if int(c.G) > int(c.R)+60 && int(c.G) > int(c.B)+60 {
					green++
				}
				if int(c.R) > int(c.G)+60 && int(c.R) > int(c.B)+60 {
					rust++
				}
			}
		}
		return green, rust
	}
	visit(t, ctx, h.URL+"/assets/1/pivot")
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=turntable]")))
	until(t, ctx, `document.querySelector("canvas").dataset.look === "paper" &&
		document.querySelector("canvas").dataset.drawn > 0`)
	green, rust := count()
	assert.Zero(t, green+rust, "paper is pale")
	names := js[[]string](t, ctx, `[...document.querySelectorAll(".table-names span")].map((e) => e.textContent)`)
	assert.Subset(t, names, []string{"Person 1.80 m", "Cube 1 m", "Door 2.10 m", "+X", "+Y up", "+Z front"})
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-look=material]")))
	until(t, ctx, `document.querySelector("canvas").dataset.look === "material" &&
		document.querySelector("canvas").dataset.pictures === "1"`)
	do(t, ctx, chromedp.Click(chromedp.ID("beside")))
	until(t, ctx, `document.querySelectorAll(".table-names .thing:not([hidden])").length === 0`)
	green, rust = count()
	t.Logf("%d green and %d rust places", green, rust)
	assert.Greater(t, green, 500)
	assert.Greater(t, rust, 500)
	// A decision and another station keep the look.
	do(t, ctx, chromedp.Click(chromedp.ID("seat-centre")))
	until(t, ctx, `document.querySelector(".foot").textContent.includes("decision 1") &&
		document.querySelector("canvas").dataset.look === "material"`)
	visit(t, ctx, h.URL+"/assets/1/size")
	until(t, ctx, `document.querySelector("canvas").dataset.look === "material"
		&& document.querySelector("button[data-look=material]").getAttribute("aria-pressed") === "true"
		&& document.querySelector("#beside").getAttribute("aria-pressed") === "false"`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
}

// The first look holds the asset and what stands beside it; a still view draws nothing; shapes are pulled apart, and
// chosen by a press on one.
func TestTheTurntableAtFirst(t *testing.T) {
	h := open(t, kittest.Demo(t))
	ctx := tab(t)
	frames := `Number(document.querySelector("#turntable canvas").dataset.frames ?? 0)`
	for _, at := range []string{"/assets/1/collision", "/assets/5/pivot", "/assets/10/source"} {
		visit(t, ctx, h.URL+at)
		js[bool](t, ctx, `(document.querySelector('[data-view="turntable"]').click(), true)`)
		until(t, ctx, frames+` > 0 && document.querySelector(".turntable-say").textContent.includes("Drag")`)
		still := `(() => { const d = document.querySelector("#turntable canvas").dataset, was = d.had
			d.had = d.frames; return was === d.frames })()`
		until(t, ctx, still)
		drawn, err := chromedp.Run(ctx, chromedp.Evaluate[int](`new Promise((done) => { const was = `+frames+`
			let n = 0; const tick = () => ++n < 40 ? requestAnimationFrame(tick) : done(`+frames+` - was)
			requestAnimationFrame(tick) })`, chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.Zero(t, drawn, "%s is drawn though nothing moves", at)
		// Names of known things stand on the canvas, none on another.
		over, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`(() => {
			const shown = [...document.querySelectorAll(".table-names span:not([hidden])")], out = []
			for (const [i, a] of shown.entries()) for (const b of shown.slice(i + 1)) {
				const p = a.getBoundingClientRect(), q = b.getBoundingClientRect()
				if (p.left < q.right - 2 && q.left < p.right - 2 && p.top < q.bottom - 4 && q.top < p.bottom - 4)
					out.push(a.textContent + " lies on " + b.textContent)
			}
			const things = [...document.querySelectorAll(".table-names .thing")]
			if (!things.length || things.some((t) => t.hidden)) out.push("a known thing is out of view")
			return out })()`))
		require.NoError(t, err)
		assert.Empty(t, over, at)
	}
	visit(t, ctx, h.URL+"/assets/1/collision")
	until(t, ctx, frames+` > 0 && !document.querySelector("#pull").hidden`)
	letters := `[...document.querySelectorAll(".table-names .letter")].map((e) => e.style.translate).join()`
	was := js[string](t, ctx, letters)
	js[bool](t, ctx, `(() => { const s = document.querySelector("#apart"); s.value = 80
		s.dispatchEvent(new Event("input")); return true })()`)
	until(t, ctx, `document.querySelector("#pull").dataset.apart === "0.8" && `+letters+` !== "`+was+`"`)
	// They come to rest before one is aimed at: ten frames in which none moves.
	_, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`new Promise((done) => { let n = 0, was = ""
		const tick = () => { const now = `+letters+`; n = now === was ? n + 1 : 0; was = now
			n < 10 ? requestAnimationFrame(tick) : done(true) }
		requestAnimationFrame(tick) })`, chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	spot := js[[]float64](t, ctx, `(() => { const r = [...document.querySelectorAll(".table-names .letter")].find((e) =>
		e.textContent === "A").getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`)
	do(t, ctx, chromedp.MouseClickXY(spot[0], spot[1]))
	until(t, ctx, `document.querySelector("#choose-A").checked`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
}
