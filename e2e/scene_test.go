package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/internal/kittest"
	"yarvek/internal/show"
)

// landing is a small pier with seven things that do not belong to it.
func landing() *scene.Scene {
	box := func(name string, lo, hi geom.Vec3) *scene.Mesh {
		return new(shape.Builder).Slot(0).Box(lo, hi).Mesh(name)
	}
	plane := new(shape.Builder).Slot(0).Grid(1, 1,
		func(u, v float64) geom.Vec3 { return geom.Vec3{12*u - 6, 0, 6 - 12*v} }).Mesh("ground")
	s := shape.Scene("landing", []scene.Material{scene.NewMaterial("plank")},
		box("deck", geom.Vec3{-2, .8, -1}, geom.Vec3{2, 1, 1}),
		box("post", geom.Vec3{-2, 0, -1}, geom.Vec3{-1.8, .8, -.8}),
		plane, box("old rail", geom.Vec3{-2, 1, .9}, geom.Vec3{2, 1.6, 1}),
		box("island", geom.Vec3{80, 0, 0}, geom.Vec3{82, 1, 1}),
		box("splinter", geom.Vec3{1.9, 1.4, -.9}, geom.Vec3{1.905, 1.405, -.895}),
		box("knot", geom.Vec3{0, .85, 0}, geom.Vec3{.1, .95, .1}),
		box("deck twice", geom.Vec3{-2, .8, -1}, geom.Vec3{2, 1, 1}))
	s.Nodes[3].Hidden = true
	s.Nodes = append(s.Nodes, scene.Node{Name: "aim", Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: geom.Identity})
	return s
}

// strays are the findings of landing, each with the node its remedy leaves.
var strays = [][2]string{{"source/double", "deck twice"}, {"source/far-node", "island"},
	{"source/helper-plane", "ground"},
	{"source/hidden-node", "old rail"},
	{"source/body-inside-another", "knot"}, {"source/speck", "splinter"}, {"source/empty-node", "aim"}}

func written(t *testing.T, s *scene.Scene, name string) string {
	t.Helper()
	p, err := gltf.Write(context.Background(), s, pack.Options{Name: "landing"})
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, p.Files[0].Data, 0o644))
	return file
}

func (h *house) bring(t *testing.T, ctx context.Context, file string) {
	t.Helper()
	visit(t, ctx, h.URL)
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), []string{file}))
	until(t, ctx, `document.querySelector(".row-link")`)
	visit(t, ctx, h.URL+"/assets/1/source")
}

// paperAt gives the window's coordinates of a place on the paper.
func paperAt(t *testing.T, ctx context.Context, x, y float64) (float64, float64) {
	t.Helper()
	at, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](fmt.Sprintf(`(() => {
		const p = new DOMPoint(%f, %f).matrixTransform(document.querySelector("#drawing svg").getScreenCTM()); return [p.x,
			p.y] })()`, x, y)))
	require.NoError(t, err)
	return at[0], at[1]
}

// middle of a node's outline in the front view is where its finding's leader ends.
func clickPaper(t *testing.T, ctx context.Context, x, y float64) {
	t.Helper()
	px, py := paperAt(t, ctx, x, y)
	do(t, ctx, chromedp.MouseClickXY(px, py))
}

// place asks the server where a point of the source lies on the front view.
func frontOf(t *testing.T, h *house, station string, p geom.Vec3) (float64, float64) {
	t.Helper()
	sh, err := h.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	at, err := show.OnPaper(sh, station, p)
	require.NoError(t, err)
	return at[0][0], at[0][1]
}

func TestAMessySceneIsClearedWithTheMouse(t *testing.T) {
	kittest.InFull(t, "TestAMessySceneIsClearedByKeyboardAlone")
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	// While a decision is on its way the old drawing is dimmed.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.addEventListener("htmx:beforeSend", () => {
		window.busy ||= document.querySelector("#page").classList.contains("htmx-request"); })`))
	for _, s := range strays {
		button := `document.querySelector('input[name=code][value="` + s[0] + `"]')?.form.querySelector("button")`
		until(t, ctx, button)
		// Hovering draws what would stay behind as dashed outline.
		do(t, ctx, chromedp.Evaluate[chromedp.Void](button+`.dispatchEvent(new MouseEvent("mouseover", {bubbles: true}))`))
		if s[0] != "source/empty-node" {
			until(t, ctx, `document.querySelector("#drawing .ghost .outline")`)
		}
		do(t, ctx, chromedp.Evaluate[chromedp.Void](button+`.click()`))
		until(t, ctx, `!document.querySelector('input[name=code][value="`+s[0]+`"]')`)
	}
	until(t, ctx, `window.busy`)
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "2 of 8")
	until(t, ctx, `document.querySelector("#tape-source").textContent.includes("settled")`)

	// The tree finds by name and kind.
	do(t, ctx, chromedp.SendKeys(chromedp.ID("treefind"), "spl"))
	until(t, ctx, `document.querySelector("[data-tree-count]").textContent === "1 of 9"`)
	// What was looked for stays when a decision brings the sheet anew.
	for _, act := range []string{"leave", "keep", "leave"} {
		was := `document.querySelector("#treelist button[name=one]").value.startsWith("` + act + ` ")`
		if ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](was)); err != nil || !ok {
			continue // it begins left or kept, and ends as it began
		}
		do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#treelist button[name=one]").click()`))
		until(t, ctx, `!`+was+` && document.querySelector("#treefind").value === "spl" &&
			document.querySelectorAll("#treelist tbody tr").length === 1`)
	}
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`{const f = document.querySelector("#treefind"); f.value = "";
		f.dispatchEvent(new Event("input", {bubbles: true}))}`))

	// A name is changed where it stands in the tree.
	do(t, ctx, chromedp.Click(chromedp.CSS(`[data-rename="post"]`)), chromedp.SendKeys(chromedp.CSS("input.in-place"),
		"pile"+kb.Enter))
	until(t, ctx, `document.querySelector('[data-rename="post"]')?.textContent === "pile"`)

	// Two corners of the deck are four metres apart; it truly is two.
	visit(t, ctx, h.URL+"/assets/1/size")
	do(t, ctx, chromedp.Click(chromedp.ID("pick-measure")))
	for _, p := range []geom.Vec3{{-2, 1, 1}, {2, 1, 1}} {
		x, y := frontOf(t, h, "size", p)
		clickPaper(t, ctx, x+2, y-2) // beside it: the corner catches
		do(t, ctx, chromedp.Sleep(200e6))
	}
	until(t, ctx, `document.querySelector(".measured-say")?.textContent.includes("4.00")`)
	do(t, ctx, chromedp.SendKeys(chromedp.ID("between"), "2"), chromedp.Click(chromedp.ID("setbetween")))
	until(t, ctx, `document.querySelector("#tape-size").textContent.includes("2.00")`)

	// Between its feet is under the one post; a marker on the deck's front goes along.
	visit(t, ctx, h.URL+"/assets/1/pivot")
	do(t, ctx, chromedp.Click(chromedp.ID("seat-contact")))
	until(t, ctx, `document.querySelector("#tape-pivot").textContent.includes("on the box")
		|| document.querySelector("#tape-pivot").textContent.includes("inside")`)
	do(t, ctx, chromedp.SendKeys(chromedp.ID("markername"), "lamp hook"), chromedp.Click(chromedp.ID("pick-marker")))
	x, y := frontOf(t, h, "pivot", geom.Vec3{.6, .9, 1})
	clickPaper(t, ctx, x, y)
	until(t, ctx, `document.querySelector(".marker-row")?.textContent.includes("lamp hook")`)

	// A corner is picked on the turntable too: what lies in the middle of it.
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=turntable]")))
	until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0`)
	do(t, ctx, chromedp.Click(chromedp.ID("pick-corner")))
	until(t, ctx, `document.activeElement.matches("canvas")`)
	typed(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".foot").textContent.includes("at a picked point")`)
	do(t, ctx, chromedp.Click(chromedp.ID("undo")))
	until(t, ctx, `document.querySelector(".foot").textContent.includes("lamp hook")`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))

	visit(t, ctx, h.URL+"/assets/1/export")
	press(t, ctx, "Write and read back")
	until(t, ctx, `document.querySelector(".delivery h2")?.textContent.includes("Arrived equal")`)
	href, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("#download").href`))
	require.NoError(t, err)
	r := newBench(t).load(t, []bundle.File{{Name: "landing.glb", Data: get(t, href)}})
	assert.InDelta(t, 2, r.Max[0]-r.Min[0], 1e-5)
	assert.InDelta(t, 1.95, r.Max[0], 1e-5, "the post's middle is the origin: the deck reaches from there to its far end")
	assert.Contains(t, r.Nodes, "lamp hook", "the marker is an empty node")
	assert.Contains(t, r.Nodes, "pile")
}

func TestAMessySceneIsClearedByKeyboardAlone(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	for _, s := range strays {
		gone := `!document.querySelector('input[name=code][value="` + s[0] + `"]')`
		tabTo(t, ctx, `el.form?.elements.code?.value === "`+s[0]+`"`)
		if s[0] == "source/far-node" { // the focus draws the outcome too
			until(t, ctx, `document.querySelector("#drawing .ghost .outline")`)
		}
		typed(t, ctx, kb.Enter)
		until(t, ctx, gone)
	}
	assert.Contains(t, text(t, ctx, "#worksheet .lead"), "2 of 8")
	// A rule by name, for the next revision too.
	tabTo(t, ctx, `el.matches("#fold-rules > summary")`)
	typed(t, ctx, kb.Enter)
	tabTo(t, ctx, `el.id === "rulename"`)
	typed(t, ctx, "r", "o", "p", "e", "*", kb.Enter)
	settled(t, ctx, `document.querySelector("#worksheet").textContent.includes("Leave out nodes named “rope*”")`)

	// Measured by the cross: the arrow keys move it, Enter picks.
	tabTo(t, ctx, `el.id === "rule-name"`) // keys rest while somebody types
	typed(t, ctx, "2")
	settled(t, ctx, `document.querySelector("#pick-measure")`)
	tabTo(t, ctx, `el.id === "pick-measure"`)
	typed(t, ctx, kb.Enter)
	until(t, ctx, `document.activeElement.matches("#drawing svg")`)
	goTo := func(p geom.Vec3) {
		x, y := frontOf(t, h, "size", p)
		// Three pixels a step; the corner catches from nine.
		do(t, ctx, chromedp.Evaluate[chromedp.Void](
			fmt.Sprintf(`document.querySelector("#drawing svg").dataset.middle = "%.0f,%.0f"`,
				x-6, y)))
		typed(t, ctx, kb.ArrowRight, kb.ArrowRight)
	}
	goTo(geom.Vec3{-2, 1, 1})
	typed(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#picksay").textContent.includes("second end")`)
	x0, _ := frontOf(t, h, "size", geom.Vec3{-2, 1, 1})
	x1, _ := frontOf(t, h, "size", geom.Vec3{2, 1, 1})
	for x := x0; x < x1-4; x += 3 {
		typed(t, ctx, kb.ArrowRight)
	}
	typed(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector(".measured-say")?.textContent.includes("4.00")`)
	typed(t, ctx, "4")
	until(t, ctx, `document.querySelector("#seat-contact")`)
	tabTo(t, ctx, `el.id === "seat-contact"`)
	typed(t, ctx, kb.Enter)
	until(t, ctx, `document.querySelector("#savedline, .foot").textContent.includes("touches the ground")`)
}

// A changed file is compared before it is taken; what was decided for a node that
// has another name now is pointed at it; and there is a way back.
func TestANewRevisionIsComparedAndTaken(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, written(t, landing(), "landing.glb"))
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector('button[value="leave old rail"]').click()`))
	until(t, ctx, `document.querySelector("#worksheet .lead").textContent.includes("7 of 8")`)
	next := landing()
	next.Nodes[3].Name = "rail" // renamed
	next.Nodes[1].Name, next.Nodes[1].Mesh = "post", 1
	next = next.Without(func(i int) bool { return next.Nodes[i].Name == "splinter" })
	bench := new(shape.Builder).Slot(0).Box(geom.Vec3{0, 1, -.9}, geom.Vec3{1, 1.4, -.5}).Mesh("bench")
	next.Meshes = append(next.Meshes, bench)
	next.Nodes = append(next.Nodes, scene.Node{Name: "bench", Kind: scene.KindMesh, Parent: -1,
		Mesh:  len(next.Meshes) - 1,
		Local: geom.Identity})
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("[data-companions] input"), []string{written(t, next,
		"landing.glb")}))
	until(t, ctx, `location.pathname.endsWith("/revisions/2") && document.querySelector("#take")`)
	say := text(t, ctx, "main")
	for _, want := range []string{"Revision 1 stays in force", "1 decision finds no node", "bench", "splinter",
		"was “old rail”",
		"Gone: 1 lone speck"} {
		assert.Contains(t, say, want)
	}
	to, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("#to0").value`))
	require.NoError(t, err)
	assert.Equal(t, "node rail", to, "the renamed node is proposed")
	do(t, ctx, chromedp.Click(chromedp.ID("take")))
	until(t, ctx, `document.querySelector(".tape")?.textContent.includes("rev 2")`)
	until(t, ctx, `document.querySelector('button[value="keep rail"]')`)
	// And back: the older revision, with the decision pointed back at its node.
	visit(t, ctx, h.URL+"/assets/1/revisions")
	do(t, ctx, chromedp.Click(chromedp.CSS(`a[href="/assets/1/revisions/1"]`)))
	until(t, ctx, `document.querySelector("#take")?.textContent.includes("Go back")`)
	do(t, ctx, chromedp.Click(chromedp.ID("take")))
	until(t, ctx, `document.querySelector(".tape")?.textContent.includes("rev 1") &&
		document.querySelector('button[value="keep old rail"]')`)
}
