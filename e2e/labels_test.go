package e2e

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/internal/draft"
)

// madeUp is a drawing of a thing of some proportions, with some layers, and what a decision
// would make of it.
func madeUp(seed uint64) string {
	ctx := context.Background()
	rnd := rand.New(rand.NewPCG(seed, 25))
	// From a teacup to a quay, from a needle to a sheet.
	long := math.Exp(rnd.Float64()*8 - 3)
	var size, low geom.Vec3
	for k := range 3 {
		size[k] = long * math.Exp(-rnd.Float64()*4.5)
		low[k] = -size[k] / 2
	}
	low[1] = map[int]float64{0: 0, 1: -size[1] * rnd.Float64(), 2: size[1] * 0.5 * rnd.Float64(),
		3: -3 * long}[rnd.IntN(4)]
	box := geom.Box{Min: low, Max: low.Add(size)}
	b := new(shape.Builder).Box(low, low.Add(geom.Vec3{size[0], size[1] * 0.6, size[2]}))
	m := draft.NewModel(ctx, shape.Scene("thing", nil, b.Box(low.Add(geom.Vec3{size[0] * .2, size[1] * .6, size[2] * .2}),
		low.Add(geom.Vec3{size[0] * .7, size[1], size[2] * .6})).Mesh("thing")))
	some := func() geom.Vec3 {
		var p geom.Vec3
		for k := range 3 {
			p[k] = low[k] + rnd.Float64()*size[k]
		}
		return p
	}
	kind := int(seed % 4)
	ask := [...]draft.Ask{{}, {Known: true}, {Ground: true, Bare: true}, {Ground: true}}[kind]
	l := draft.Arrange(box, ask)
	d := &draft.Drawing{Asset: "signal-lantern", Kit: "Tern Point weather station", Revision: 3, Basis: geom.GLTF,
		Counts: scene.Counts{Points: 1234567, Triangles: 8345678, Slots: 12}, Box: box, Layout: l}
	for _, s := range []draft.Side{draft.Front, draft.RightSide, draft.Plan} {
		d.Views[s] = m.Draw(ctx, s, l.Scale)
	}
	datum := draft.Datum{At: geom.Vec3{}, Heading: float64(rnd.IntN(3)) * 45}
	switch kind {
	case 0:
		d.Layers = []draft.Layer{draft.Dimensions{}, draft.Facing{}}
	case 1:
		d.Layers = []draft.Layer{draft.Dimensions{Alarm: true}, draft.Rule{From: some(), To: some(), Figure: "12.34 m"}}
	case 2:
		d.Layers = []draft.Layer{draft.Seats{}}
		for i := range rnd.IntN(6) {
			d.Layers = append(d.Layers, draft.Marker{Name: fmt.Sprint("hook of the crane ", i), At: some(), Heading: 30})
		}
		d.Layers = append(d.Layers, datum)
	case 3:
		d.Layers = []draft.Layer{draft.Dimensions{}, datum}
	}
	for i := range rnd.IntN(9) {
		d.Balloons = append(d.Balloons, draft.Balloon{Number: i + 1, Severity: finding.Severity(1 + i%2), At: some()})
	}
	svg := d.Draw().SVG
	to := geom.Box{Min: low.Mul(1.2), Max: box.Max.Mul(1.2)}
	ghost := draft.Outlined(l, box,
		draft.Ghost{Boxes: []geom.Box{to}, Say: "It would measure 123.45 m wide, 678.90 m high, 12.34 m deep"})
	return strings.Replace(svg, "</svg>", ghost+"</svg>", 1)
}

// Labels of a drawing keep clear of one another and of lines, and leaders do not cross, as
// the browser measures them.
func TestLabelsKeepClear(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL+"/")
	for window, width := range map[int64]int{1280: 902, 1024: 690} { // the narrower has larger type
		do(t, ctx, chromedp.EmulateViewport(window, 800))
		seeds := uint64(100)
		if testing.Short() {
			seeds = 24
		}
		for seed := range seeds {
			js[bool](t, ctx, fmt.Sprintf(`(() => {
				document.body.innerHTML = "<div>" + %q + "</div>"
				document.body.firstChild.style.width = "%dpx"
				return true
			})()`, strings.ReplaceAll(madeUp(seed), "\u202f", " "), width))
			found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](collisions))
			require.NoError(t, err)
			assert.Empty(t, found, "shape %d at %d pixels", seed, width)
		}
	}
}

// collisions lists the texts that lie on another text or across a line, the leaders that
// cross, and the rings that touch, of the drawing on the page.
const collisions = `(() => {
	const found = [], name = (e) => "“" + e.textContent + "”"
	const texts = [...document.querySelectorAll("svg.drawing text")].filter((e) => e.textContent).map((e) => ({ e,
		b: e.getBoundingClientRect() }))
	const inner = (b) => ({ left: b.left + 1, right: b.right - 1, top: b.top + 2,
		bottom: b.bottom - 3 }) // without what no letter fills
	const over = (a, b) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom
	texts.forEach(({ e, b }, i) => {
		for (const o of texts.slice(i + 1)) if (over(inner(b), inner(o.b))) found.push(name(e) + " lies on " + name(o.e))
	})
	const place = (l) => {
		const m = l.getScreenCTM(), p = (x, y) => ({ x: m.a * x + m.c * y + m.e, y: m.b * x + m.d * y + m.f })
		return [p(l.x1.baseVal.value, l.y1.baseVal.value), p(l.x2.baseVal.value, l.y2.baseVal.value)]
	}
	// A line goes through a box when a part of it is left after cutting at each of its sides.
	const through = ([p, q], b) => {
		let t0 = 0, t1 = 1
		for (const [d, lo, hi] of [[q.x - p.x, b.left - p.x, b.right - p.x], [q.y - p.y, b.top - p.y, b.bottom - p.y]]) {
			if (d === 0) { if (lo > 0 || hi < 0) return false; continue }
			t0 = Math.max(t0, Math.min(lo / d, hi / d)); t1 = Math.min(t1, Math.max(lo / d, hi / d))
		}
		return t0 < t1
	}
	for (const l of document.querySelectorAll("svg.drawing line:is(.ground, .rule, .ext, .facing, .centre, .axis,` +
	` .title-rule, .leader)"))
		for (const { e, b } of texts)
			if (!e.closest(".balloon") && through(place(l),
				inner(b))) found.push(name(e) + " lies across a line of " + l.getAttribute("class"))
	const leaders = [...document.querySelectorAll("svg.drawing .balloon .leader")].map(place)
	const side = (a, b, c) => (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x)
	leaders.forEach((a, i) => leaders.slice(i + 1).forEach((b) => {
		if (side(...a, b[0]) * side(...a, b[1]) < -1e-6 && side(...b, a[0]) * side(...b,
			a[1]) < -1e-6) found.push("leaders cross")
	}))
	const rings = [...document.querySelectorAll("svg.drawing .seat circle:not(.hit)")].map((e) =>
		e.getBoundingClientRect())
	rings.forEach((a, i) => rings.slice(i + 1).forEach((b) => {
		const d = Math.hypot(a.left - b.left, a.top - b.top)
		if (d < a.width) found.push("rings touch: " + d.toFixed(1))
	}))
	const sheet = document.querySelector("svg.drawing .sheet-frame")?.getBoundingClientRect()
	for (const { e, b } of texts)
		if (sheet && !e.matches(".zone") &&
			(b.left < sheet.left || b.right > sheet.right || b.top < sheet.top || b.bottom > sheet.bottom))
			found.push(name(e) + " leaves the paper")
	return found
})()`
