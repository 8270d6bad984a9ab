package e2e

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/obj"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/internal/kittest"
)

// beacon writes a mesh of two metres in centimetres, lying on its back, its pivot
// sixty metres off, with a material library and no picture, and returns its files.
func beacon(t *testing.T) []string {
	t.Helper()
	m := new(shape.Builder).Slot(0).
		Box(geom.Vec3{-.4, 0, -.4}, geom.Vec3{.4, .1, .4}).
		Lathe([][2]float64{{.15, .1}, {.1, 1.7}, {.2, 1.75}, {0, 2}}, 12).
		Slot(1).Box(geom.Vec3{-.05, 1, .1}, geom.Vec3{.05, 1.4, .6}).Mesh("beacon")
	s := shape.Scene("beacon", []scene.Material{scene.NewMaterial("day mark"), scene.NewMaterial("arm")}, m)
	s = s.Carried(geom.Translation(geom.Vec3{60, 0, 3})).Flattened()
	p, err := obj.Write(context.Background(), s,
		pack.Options{Name: "beacon", Basis: geom.Basis{Up: geom.PosZ, Forward: geom.NegY},
			UnitMetres: 0.01})
	require.NoError(t, err)
	dir := t.TempDir()
	var list []string
	for _, f := range p.Files {
		file := filepath.Join(dir, f.Name)
		require.NoError(t, os.WriteFile(file, f.Data, 0o644))
		list = append(list, file)
	}
	return list
}

// upright checks with the independent loader that the exported GLB is right: two
// metres tall, standing on the origin, with its arm to the front.
func upright(t *testing.T, b *bench, name string, data []byte) {
	t.Helper()
	r := b.load(t, []bundle.File{{Name: name, Data: data}})
	want := geom.Box{Min: geom.Vec3{-.4, 0, -.5}, Max: geom.Vec3{.4, 2, .5}}
	assert.True(t, want.Min.Near(r.Min, 1e-5) && want.Max.Near(r.Max, 1e-5), "%v %v", r.Min, r.Max)
	assert.Greater(t, r.Volume, 0.0)
	assert.ElementsMatch(t, []string{"day mark", "arm"}, r.Slots)
}

func TestAMessyMeshIsPutRightWithTheMouse(t *testing.T) {
	kittest.InFull(t, "TestAMessyMeshIsPutRightByKeyboardAlone")
	files := beacon(t)
	data := t.TempDir()
	h := open(t, data)
	ctx := tab(t)

	visit(t, ctx, h.URL)
	assert.Contains(t, text(t, ctx, ".first .lead"), "Drop FBX, OBJ, GLB, glTF, COLLADA, PLY, USD or STL files")
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), files))
	until(t, ctx, `location.pathname.startsWith("/kits/") && document.querySelector(".row-link")`)
	do(t, ctx, chromedp.Click(chromedp.CSS(".row-link")))
	until(t, ctx, `document.querySelector(".drawing")`)

	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-size")))
	until(t, ctx, `document.querySelector("#e-class")`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`{const s = document.querySelector("#e-class");
		s.value = "street-furniture";
		s.dispatchEvent(new Event("change", {bubbles: true}))}`))
	until(t, ctx, `document.querySelector('input[name=code][value="size/unit-slip"]')`)
	press(t, ctx, "Read as centimetres")
	until(t, ctx, `document.querySelector(".lead").textContent.includes("2.00")`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-axes")))
	press(t, ctx, "Stand with +Z up")
	until(t, ctx, `document.querySelector(".stance.chosen .fig").textContent === "+Z up"`)
	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-pivot")))
	until(t, ctx, `document.querySelector(".finding.must")`)
	press(t, ctx, "Seat at the centre of the base")
	until(t, ctx, `document.querySelector(".lead").textContent.includes("at the centre of its base")`)

	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-export")))
	press(t, ctx, "Write and read back")
	until(t, ctx, `document.querySelector(".delivery h2")?.textContent.includes("Arrived equal")`)
	href, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("#download").href`))
	require.NoError(t, err)
	upright(t, newBench(t), "beacon.glb", get(t, href))

	// Undo the seat, end the program, start it again: everything is where it was.
	do(t, ctx, chromedp.Click(chromedp.CSS("#undo")))
	until(t, ctx, `document.querySelector("#tape-pivot").textContent.includes("off")`)
	was := text(t, ctx, ".tape")
	h.shut()
	h = open(t, data)
	visit(t, ctx, h.URL+"/assets/1/pivot")
	assert.Equal(t, strings.Fields(was), strings.Fields(text(t, ctx, ".tape")))
	do(t, ctx, chromedp.Click(chromedp.CSS("#redo")))
	until(t, ctx, `document.querySelector(".lead").textContent.includes("at the centre of its base")`)
	visit(t, ctx, h.URL+"/kits/1/exports")
	assert.Contains(t, text(t, ctx, ".rows tbody"), "beacon.glb")

	// A place on the drawing seats the pivot too.
	visit(t, ctx, h.URL+"/assets/1/pivot")
	do(t, ctx, chromedp.Click(chromedp.CSS(`a.seat[data-box="0,1,0"]`)))
	until(t, ctx, `document.querySelector(".lead").textContent.includes("centre of its top")`)

	// The turntable draws the same triangles.
	do(t, ctx, chromedp.Click(chromedp.CSS(`[data-view=turntable]`)))
	until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0`)
}

func TestAMessyMeshIsPutRightByKeyboardAlone(t *testing.T) {
	files := beacon(t)
	h := open(t, t.TempDir())
	ctx := tab(t)
	key := func(keys ...string) { t.Helper(); typed(t, ctx, keys...) }
	tabTo := func(condition string) { t.Helper(); tabTo(t, ctx, condition) }
	visit(t, ctx, h.URL)
	_, err := chromedp.Call(ctx, page.SetInterceptFileChooserDialog,
		page.SetInterceptFileChooserDialogParams{Enabled: true})
	require.NoError(t, err)
	chooser := chromedp.Events(ctx, page.FileChooserOpened)
	tabTo(`el.matches("[data-choose]")`)
	key(kb.Enter)
	for ev, err := range chooser {
		require.NoError(t, err)
		_, err = chromedp.Call(ctx, dom.SetFileInputFiles,
			dom.SetFileInputFilesParams{Files: files, BackendNodeID: cdp.BackendNodeID(ev.BackendNodeID)})
		require.NoError(t, err)
		break
	}
	until(t, ctx, `location.pathname.startsWith("/kits/") && document.querySelector(".row-link")`)
	key(kb.ArrowDown, kb.Enter)
	until(t, ctx, `document.querySelector(".drawing")`)

	key("2")
	until(t, ctx, `document.querySelector("#e-class")`)
	tabTo(`el.id === "e-class"`)
	key("S") // Street furniture
	until(t, ctx, `document.querySelector(".finding.must")`)
	tabTo(`el.textContent === "Read as centimetres"`)
	key(kb.Enter)
	until(t, ctx, `document.querySelector(".lead").textContent.includes("2.00")`)
	key("3")
	until(t, ctx, `document.querySelector(".stances")`)
	tabTo(`el.textContent === "Stand with +Z up"`)
	key(" ")
	until(t, ctx, `document.querySelector(".stance.chosen .fig").textContent === "+Z up"`)
	key("4")
	until(t, ctx, `document.querySelector("#seat-base")`)
	tabTo(`el.id === "seat-base"`)
	key(kb.Enter)
	until(t, ctx, `document.querySelector(".lead").textContent.includes("at the centre of its base")`)
	key("u")
	until(t, ctx, `!document.querySelector(".lead").textContent.includes("centre of its base")`)
	key("U")
	until(t, ctx, `document.querySelector(".lead").textContent.includes("at the centre of its base")`)
	key("0")
	until(t, ctx, `document.querySelector("#send")`)
	tabTo(`el.id === "send"`)
	key(kb.Enter)
	until(t, ctx, `document.querySelector(".delivery h2")?.textContent.includes("Arrived equal")`)
	href, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("#download").href`))
	require.NoError(t, err)
	upright(t, newBench(t), "beacon.glb", get(t, href))
	key("?")
	until(t, ctx, `document.querySelector("dialog").open`)
	key(kb.Escape, "k")
	until(t, ctx, `document.querySelector(".assets")`)
}

func TestDroppedFilesComeInAndBadOnesAreNamed(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL)
	do(t, ctx, chromedp.SetValue(chromedp.ID("name"), "Jetty"),
		chromedp.Click(`//button[text()="Begin"]`))
	until(t, ctx, `document.querySelector("[data-kit]")`)
	drop := func(names, texts string) {
		do(t, ctx, chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`{const d = new DataTransfer(); const n = %s, x = %s;
			n.forEach((name, i) => d.items.add(new File([x[i]], name)));
			for (const type of ["dragenter", "dragover", "drop"])
				document.body.dispatchEvent(new DragEvent(type, {bubbles: true, cancelable: true,
					dataTransfer: d}))}`, names, texts)))
	}
	drop(`["post <b>.obj", "broken.obj", "notes.txt", "torn.glb"]`,
		`["mtllib gone.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl <i>x\nf 1 2 3\n", "v 0 0 0\nv 1,5 0 0\n", "hello", "glTFxxxx"]`)
	until(t, ctx, `document.querySelector("[data-job-done]") && document.querySelector(".assets")`)
	say := text(t, ctx, ".job")
	for _, want := range []string{"1 asset came in, 3 files did not",
		"broken.obj: line 2: expected a number in the point",
		"Numbers need a point", "notes.txt: is a text that begins with", "torn.glb: byte 8", "gone.mtl",
		"can be added later"} {
		assert.Contains(t, say, want)
	}
	assert.Contains(t, text(t, ctx, ".assets"), "post <b>", "the name is shown, not obeyed")

	// The missing library is added later, and its material counts.
	visit(t, ctx, h.URL+"/assets/1/source")
	assert.Contains(t, text(t, ctx, "#worksheet"), "gone.mtl")
	mtl := filepath.Join(t.TempDir(), "gone.mtl")
	require.NoError(t, os.WriteFile(mtl, []byte("newmtl <i>x\nKd 1 0 0\n"), 0o644))
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("[data-companions] input"), []string{mtl}))
	until(t, ctx, `document.querySelector(".tape")?.textContent.includes("rev 2")
		&& !document.querySelector("#worksheet").textContent.includes("is not among the files")`)
}

func TestTwoWindowsOnOneAsset(t *testing.T) {
	files := beacon(t)
	h := open(t, t.TempDir())
	one := tab(t)
	visit(t, one, h.URL)
	do(t, one, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), files))
	until(t, one, `document.querySelector(".row-link")`)
	two := tab(t)
	for _, ctx := range []context.Context{one, two} {
		visit(t, ctx, h.URL+"/assets/1/pivot")
	}
	do(t, one, chromedp.Click(chromedp.ID("seat-centre")))
	until(t, one, `document.querySelector(".lead").textContent.includes("at its centre")`)
	do(t, two, chromedp.Click(chromedp.ID("seat-base")))
	until(t, two, `document.querySelector(".trouble")`)
	say := text(t, two, ".trouble")
	assert.Contains(t, say, "changed in another window")
	assert.Contains(t, say, "Pivot: Seat the pivot at the centre of the base", "yours")
	assert.Contains(t, say, "Pivot: Seat the pivot at the centre\n", "in force")
	press(t, two, "Apply mine on top")
	until(t, two, `document.querySelector(".lead").textContent.includes("centre of its base")`)
}

// The whole sheet shows without scrolling the page from 1024 wide to 2560, and
// nothing of it is cut off sideways.
func TestASheetFitsItsWindow(t *testing.T) {
	files := beacon(t)
	h := open(t, t.TempDir())
	ctx := tab(t)
	visit(t, ctx, h.URL)
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("form.drop input"), files))
	until(t, ctx, `document.querySelector(".row-link")`)
	for _, w := range []int64{1024, 1280, 2560} {
		for k, in := range prep.Stations() {
			st := in.ID
			if testing.Short() && (k%2 == 0) == (w == 1280) {
				continue // each station is seen at its narrowest or in the middle
			}
			do(t, ctx, chromedp.EmulateViewport(w, int64(math.Round(float64(w)*0.6))))
			visit(t, ctx, h.URL+"/assets/1/"+st)
			js[bool](t, ctx, `(document.querySelectorAll("#worksheet details").forEach((d) => { d.open = true }), true)`)
			over, err := chromedp.Run(ctx, chromedp.Evaluate[string](`(() => {
				const d = document.scrollingElement, out = [];
				if (d.scrollHeight > innerHeight + 1 || d.scrollWidth > innerWidth + 1) out.push("page " + d.scrollWidth +
					"x" +`+
				` d.scrollHeight);
				const w = document.querySelector("#worksheet");
				if (w.scrollWidth > w.clientWidth + 1) out.push("worksheet " + w.scrollWidth + " in " + w.clientWidth + ": " +`+
				` [...w.querySelectorAll("*")]
					.filter((e) => e.getBoundingClientRect().right > w.getBoundingClientRect().left + w.clientWidth + 1).map((e) =>
						e.outerHTML.slice(0, 80)));
				for (const b of document.querySelectorAll(".top > *, .tape > *, .foot > *"))
					if (b.getBoundingClientRect().right > innerWidth + 1) out.push(b.className + " cut off");
				return out.join("; ");
			})()`))
			require.NoError(t, err)
			assert.Empty(t, over, "%s at %d", st, w)
		}
	}
}
