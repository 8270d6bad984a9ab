package e2e

import (
	"bytes"
	"context"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/slots"
)

// locker writes a mesh of six slots: two of them are twins, one says nothing, and pictures have sides that
// are no power of two.
func locker(t *testing.T) string {
	s := gauges(t)
	b := new(shape.Builder)
	for i := range 6 {
		b.Slot(i).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{float64(i) + u, v, 0} })
	}
	s.Meshes = []*scene.Mesh{b.Mesh("locker")}
	twin := s.Materials[3]
	twin.Name = "plate.001"
	blank := scene.NewMaterial("Material")
	s.Materials = append(s.Materials, twin, blank)
	s.Nodes = []scene.Node{{Name: "locker", Parent: -1, Mesh: 0, Local: geom.Identity}}
	return written(t, s, "locker.glb")
}

// Six slots become four by mouse and by keys, pictures are put right and one is added, two slots get a
// sheet, and what is sent is read back: by Yarvek, and each picture by the standard library.
func TestSixSlotsBecomeFour(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, locker(t))
	visit(t, ctx, h.URL+"/assets/1/slots")
	until(t, ctx, "document.querySelectorAll('#slots tbody tr').length === 6")
	now := func() *slots.Report {
		o, err := h.desk.Open(context.Background(), 1)
		require.NoError(t, err)
		return o.Result.Slots
	}
	names := func() (list []string) {
		for _, s := range now().Slots {
			list = append(list, s.Name)
		}
		return list
	}
	press := func(sel string) {
		t.Helper()
		do(t, ctx, chromedp.Focus(chromedp.CSS(sel)))
		do(t, ctx, chromedp.KeyEvent(kb.Enter))
	}

	// Twins are made one by the remedy, with the mouse; the blank one is joined by keys.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll(".finding")].find((f) =>
		f.textContent.includes("are twins"))
		.querySelector(".remedies button").id = "twinsremedy"`))
	do(t, ctx, chromedp.Click(chromedp.CSS("#twinsremedy")))
	settled(t, ctx, "document.querySelectorAll('#slots tbody tr').length === 5")
	for _, n := range []string{"plate", "Material"} {
		do(t, ctx, chromedp.Focus(chromedp.CSS(`#slots tr[data-slot="`+n+`"] input`)))
		do(t, ctx, chromedp.KeyEvent(" "))
	}
	press("#dojoin")
	settled(t, ctx, "document.querySelectorAll('#slots tbody tr').length === 4")
	assert.Equal(t, []string{"dial", "rim", "glass", "plate"}, names())

	// By arrow keys up, which keep the focus; by dragging down again.
	do(t, ctx, chromedp.Focus(chromedp.CSS(`#slots tr[data-slot="glass"] .grip`)))
	do(t, ctx, chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.ArrowUp))
	settled(t, ctx, `document.querySelector('#slots tbody tr').dataset.slot === "glass"
		&& document.querySelector('.foot').textContent.includes('decision 3')`)
	assert.Equal(t, []string{"glass", "dial", "rim", "plate"}, names())
	until(t, ctx, `document.activeElement?.closest("tr")?.dataset.slot === "glass"`)
	at := js[[]float64](t, ctx, `(() => { const b = (n) =>
		document.querySelector('#slots tr[data-slot="' + n + '"] .grip').getBoundingClientRect();
		const p = b("glass"), q = b("plate"); return [p.x + 4, p.y + 6, q.x + 4, q.y + 6] })()`)
	do(t, ctx, chromedp.DragAndDropXY(at[0], at[1], at[2], at[3]))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 4')")
	assert.Equal(t, []string{"dial", "rim", "plate", "glass"}, names())

	// A pattern shows what it would do before it does it.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#slotnames").open = true`))
	do(t, ctx, chromedp.SendKeys(chromedp.CSS("#match"), "r*"), chromedp.SendKeys(chromedp.CSS("#tomatch"), "ring {rest}"))
	until(t, ctx, `document.querySelector(".renamed").textContent.includes("rim → ring im")`)

	// Pictures as the target wants them; one is opened by keys, with what it was beside it, and closed.
	press("#aswanted")
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 5')")
	for _, x := range now().Pictures {
		assert.Zero(t, x.W&(x.W-1)|x.H&(x.H-1), x.Name)
	}
	press("#picture-0")
	until(t, ctx, `document.querySelector("#onepicture").open &&
		[...document.querySelectorAll("#onepicture img")].every((i) => i.naturalWidth > 0)`)
	assert.Contains(t, text(t, ctx, "#onepicture"), "96 × 48")
	do(t, ctx, chromedp.KeyEvent(kb.Escape))
	until(t, ctx, `!document.querySelector("#onepicture").open`)

	// A picture is given to plate, confirmed, and there.
	extra := filepath.Join(t.TempDir(), "plate_colour.png")
	require.NoError(t, os.WriteFile(extra, gauges(t).Images[6].Data, 0o644))
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#slotlooks").open = true;
		[...document.querySelectorAll("#slotlooks section")].find((s) => s.dataset.drop.endsWith("=plate")).id = "platebox"`))
	do(t, ctx, chromedp.SetUploadFiles(chromedp.CSS("#platebox [data-pictures]"), []string{extra}))
	until(t, ctx, `document.querySelector("#platebox .dropped select")?.value === "colour"`)
	press("#platebox .dropped button")
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 6')")
	assert.NotEmpty(t, now().Slots[2].Pictures)

	// Dial and rim get a sheet, and can be seen in their materials beside a neutral ball.
	for _, n := range []string{"dial", "rim"} {
		do(t, ctx, chromedp.Click(chromedp.CSS(`#slots tr[data-slot="`+n+`"] input`)))
	}
	do(t, ctx, chromedp.Click(chromedp.CSS("#ticked summary")))
	do(t, ctx, chromedp.SendKeys(chromedp.CSS("#sheetname"), "front"))
	do(t, ctx, chromedp.Click(chromedp.CSS("#dosheet")))
	settled(t, ctx, "document.querySelectorAll('#slots tbody tr').length === 3")
	assert.Equal(t, []string{"front", "plate", "glass"}, names())
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=turntable]")))
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-look=material]")))
	until(t, ctx, "Number(document.querySelector('canvas').dataset.pictures) > 2")
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=drawing]")))

	do(t, ctx, chromedp.Click(chromedp.CSS("#tape-export")))
	until(t, ctx, "document.querySelector('#send')")
	do(t, ctx, chromedp.Click(chromedp.CSS("#send")))
	until(t, ctx, `[...document.querySelectorAll("table tr")].some((r) => r.textContent.includes("Textures"))`)
	list, _, err := h.desk.Exports(context.Background(), 1, 0, 0, 100)
	require.NoError(t, err)
	require.Len(t, list, 1)
	e, f, err := h.desk.Download(context.Background(), list[0].ID)
	require.NoError(t, err)
	data, err := io.ReadAll(f)
	require.NoError(t, err)
	got, _, err := format.Read(context.Background(), bundle.New([]bundle.File{{Name: e.Name, Data: data}}), e.Name, nil)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"front", "plate", "glass"}, got.SlotNames())
	require.NotEmpty(t, got.Images)
	for _, im := range got.Images {
		img, err := png.Decode(bytes.NewReader(im.Data))
		require.NoError(t, err, im.Name)
		w, hh := img.Bounds().Dx(), img.Bounds().Dy()
		assert.Zero(t, w&(w-1)|hh&(hh-1), im.Name)
	}
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
}

// Faces are pointed at on the drawing with the mouse, and on the turntable, and get the slot that is chosen.
func TestFacesArePickedForASlot(t *testing.T) {
	h := open(t, t.TempDir())
	ctx := tab(t)
	h.bring(t, ctx, locker(t))
	visit(t, ctx, h.URL+"/assets/1/slots")
	until(t, ctx, "document.querySelectorAll('#slots tbody tr').length === 6")
	faces := func(name string) int {
		o, err := h.desk.Open(context.Background(), 1)
		require.NoError(t, err)
		for _, s := range o.Result.Slots.Slots {
			if s.Name == name {
				return s.Stat.Triangles
			}
		}
		return 0
	}
	pick := func(reach string, x, y float64) {
		t.Helper()
		do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("#faces").open = true;
			document.querySelector("#pickto").value = "rim";
				document.querySelector("#pickfaces").elements.reach.value = "`+reach+`"`))
		do(t, ctx, chromedp.Click(chromedp.CSS("#pick-faces")))
		until(t, ctx, "document.body.classList.contains('picking')")
		do(t, ctx, chromedp.MouseClickXY(x, y))
	}
	require.Equal(t, 8, faces("dial"))
	mark := `(() => { const r = document.querySelector(".slot-mark rect").getBoundingClientRect();
		return [r.x + r.width / 2, r.y + r.height / 2] })()`
	at := js[[]float64](t, ctx, mark)
	pick("face", at[0]+4, at[1]+3)
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 1')")
	assert.Equal(t, [2]int{7, 9}, [2]int{faces("dial"), faces("rim")}, "one triangle of the glTF")
	do(t, ctx, chromedp.Click(chromedp.CSS("#undo")))
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('source is as it came')")
	require.Equal(t, 8, faces("dial"))

	// On the turntable, seen from where it opens, the middle of the canvas is on the asset.
	do(t, ctx, chromedp.Click(chromedp.CSS("[data-view=turntable]")))
	until(t, ctx, `Number(document.querySelector("canvas").dataset.drawn) > 0`)
	mid := js[[]float64](t, ctx, `(() => { const r = document.querySelector("canvas").getBoundingClientRect();
		return [r.x + r.width / 2 + 8, r.y + r.height / 2 + 2] })()`)
	pick("part", mid[0], mid[1])
	settled(t, ctx, "document.querySelector('.foot').textContent.includes('decision 1')")
	assert.Greater(t, faces("rim"), 8)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
}
