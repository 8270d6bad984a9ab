package e2e

import (
	"context"
	"fmt"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/guide"
)

// named is an expression for what a page calls by a name and what one can press: a button, a link, a cell of the tape,
// or a choice of a list, which is chosen.
func named(name string) string {
	return fmt.Sprintf(`(() => {
		const say = (el) => (el.querySelector(".tape-name") ?? el).textContent.trim().replace(/\s+/g, " ");
		for (const el of document.querySelectorAll("main button, main a, nav.tape a, header.top button, main select")) {
			if (!el.offsetParent || el.disabled) continue;
			if (el.tagName === "SELECT") {
				const o = [...el.options].find((o) => o.text.split(",")[0] === %[1]q);
				if (o) return [el, o];
			} else if (say(el) === %[1]q) return [el];
		}
	})()`, name)
}

// pressNamed presses what a page calls by a name, as soon as it is there.
func pressNamed(t *testing.T, ctx context.Context, name string) {
	t.Helper()
	// Found and pressed in one go: in between the page may be swapped.
	until(t, ctx, fmt.Sprintf(`(() => {
		const [el, o] = %s ?? [];
		if (!el) return false;
		if (!o) { el.click(); return true }
		el.value = o.value; el.dispatchEvent(new Event("change", { bubbles: true })); return true })()`, named(name)))
}

// The first walk of the guide is followed to the letter: each press that it names is there, and does what it says.
func TestTheFirstWalk(t *testing.T) {
	text, err := os.ReadFile("../docs/guide.md")
	require.NoError(t, err)
	presses := guide.Walk(string(text))
	require.Len(t, presses, 11)
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL)
	for _, name := range presses {
		if name == "storm shutter" {
			// As one does who looks until all are there.
			until(t, ctx, named(name)+` && !document.querySelector("#intake .job")`)
		}
		pressNamed(t, ctx, name)
		switch name {
		case "Slots":
			until(t, ctx, `document.querySelector("#page[data-station=slots]")`)
		case "Size":
			until(t, ctx, `document.querySelector("#worksheet").textContent.includes("13.0")`)
		case "Read one unit as 100 m":
			until(t, ctx, `document.querySelector("#tape-size").textContent.includes("1.30")`)
		case "Why it matters":
			until(t, ctx, `document.querySelector(".why-text img")`)
		case "Make them one", "Redo":
			until(t, ctx, `!document.querySelector("#worksheet").textContent.includes("are twins")`)
		case "Undo":
			until(t, ctx, `document.querySelector("#worksheet").textContent.includes("are twins")`)
		}
	}
	until(t, ctx, `document.querySelector("#delivery")?.textContent.includes("Arrived")`)
}

// The worked example goes from a drop to a certificate in as many presses as it says, told on the sheet; it is left,
// taken up again, and knows what was taken back.
func TestTheWorkedExample(t *testing.T) {
	h := open(t, t.TempDir()) // it is to outlast the page
	workExample(t, tab(t), h.URL)
}

// workExample works it on a server.
func workExample(t *testing.T, ctx context.Context, url string) {
	t.Helper()
	dir := os.Getenv("YARVEK_EXAMPLE_PICTURES")
	visit(t, ctx, url+"/guide/a-worked-example")
	steps := guide.Example()
	require.Len(t, steps, 12)
	told := func(n int) string {
		return fmt.Sprintf(`document.querySelector("#example h2")?.textContent.startsWith("%d of 12: ")`, n)
	}
	shot := func(n int) {
		if dir == "" || n != 1 && n != 4 && n != 8 && n != 10 && n != 12 {
			return
		}
		until(t, ctx, `document.fonts.status === "loaded" && !document.querySelector("#climbing, .say.shown")`)
		js[bool](t, ctx, `(document.querySelector("#say").hidden = true)`)
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(fmt.Sprintf("%s/%d.png", dir, n), b, 0o644))
	}
	for i, s := range steps {
		if i > 0 {
			until(t, ctx, told(s.Number))
			until(t, ctx, `document.querySelector(".to-press")`) // what is to be pressed is marked
		}
		if s.Number == 5 {
			// Left, it is a line; taken up again it stands where it was. What is taken back is to be done again.
			pressNamed(t, ctx, "Leave the example")
			until(t, ctx, `!document.querySelector("#example h2")`)
			do(t, ctx, chromedp.Reload())
			pressNamed(t, ctx, "Take the worked example up again")
			until(t, ctx, told(5))
			pressNamed(t, ctx, "Undo")
			until(t, ctx, told(4))
			pressNamed(t, ctx, "Redo")
			until(t, ctx, told(5))
		}
		pressNamed(t, ctx, s.Press)
		if i+1 < len(steps) {
			until(t, ctx, told(s.Number+1))
		} else {
			until(t, ctx, `document.querySelector("#delivery")?.textContent.includes("Arrived equal")`)
		}
		shot(s.Number)
	}
	until(t, ctx, `document.querySelector("#example h2").textContent.includes("twelve")`)
	assert.Contains(t, js[string](t, ctx, "document.body.innerText"), "Packing list")
}

// What a trade word means is told where one points at it or comes to it by keyboard, and put away by Esc; what a
// finding means is told below it, and the guide is searched.
func TestWordsAndReasons(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL+"/guide/a-worked-example")
	pressNamed(t, ctx, "Work the example")
	until(t, ctx, `document.querySelector("#example h2")`)
	pressNamed(t, ctx, "LODs")
	until(t, ctx, `document.querySelector("#page[data-station=lods] #worksheet .trade-word")`)
	js[bool](t, ctx, `(() => { const w = document.querySelector("#worksheet .trade-word")
		const fold = w.closest("details"); if (fold) fold.open = true
		w.focus(); return true })()`)
	until(t, ctx, `document.querySelector("#word-says") && !document.querySelector("#word-says").hidden &&
		document.querySelector("#word-says").textContent.length > 20 &&
		document.activeElement.getAttribute("aria-describedby") === "word-says"`)
	do(t, ctx, chromedp.KeyEvent("\x1b"))
	until(t, ctx, `document.querySelector("#word-says").hidden`)
	pressNamed(t, ctx, "Why it matters")
	until(t, ctx, `document.querySelector(".why-text")?.textContent.includes("Seen from afar")`)
	pressNamed(t, ctx, "Why it matters")
	until(t, ctx, `!document.querySelector(".why-text")`)
	assert.Equal(t, js[int](t, ctx, `document.querySelectorAll(".trade-word").length`),
		js[int](t, ctx, `new Set([...document.querySelectorAll(".trade-word")].map((w) => w.dataset.word)).size`),
		"each word is come by once")
	there := js[string](t, ctx, `location.pathname.replace(/[^/]+$/, "")`)
	pages := []string{"/", "/learn", "/kits/1", "/targets/z-up-centimetres-left"}
	for _, st := range prep.Stations() {
		pages = append(pages, there+st.ID)
	}
	for _, page := range pages {
		visit(t, ctx, h.URL+page)
		until(t, ctx, `document.querySelector("main")`)
		assert.Zero(t, js[int](t, ctx, `document.querySelectorAll(
			":is(a, button, summary, select, svg, h1, .visually-hidden, head) .trade-word").length`), page)
	}
	visit(t, ctx, h.URL+"/guide?find=doorway")
	until(t, ctx, `document.querySelector(".guide-hit mark")`)
}
