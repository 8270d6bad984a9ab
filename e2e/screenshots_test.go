package e2e

import (
	"bytes"
	"context"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/prep"
	"yarvek/internal/kittest"
	"yarvek/internal/web"
)

// TestScreenshots renews the pictures of the documentation when asked where to
// put them, and otherwise has nothing to do.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("YARVEK_SCREENSHOTS")
	if dir == "" {
		t.Skip("YARVEK_SCREENSHOTS names no folder")
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	h := open(t, kittest.Demo(t))
	review(t, h)
	own, err := h.desk.CopyTarget(context.Background(), "z-up-centimetres-left", "Tern Point engine")
	require.NoError(t, err)
	require.NoError(t, h.desk.SetTarget(context.Background(), 1, own.ID, 0))
	ctx := tab(t)
	for _, s := range []struct{ name, path, then string }{
		{"kit", "/kits/1/", ""},
		{"source", "/assets/10/source", ""},
		{"size", "/assets/2/size", ""},
		{"axes", "/assets/3/axes", ""},
		{"pivot", "/assets/8/pivot", ""},
		{"surface", "/assets/3/surface", ""},
		{"budget", "/assets/4/budget", ""},
		{"lods", "/assets/1/lods", ""},
		{"collision", "/assets/5/collision", ""},
		{"floor", "/assets/1/floor", ""},
		{"slots", "/assets/6/slots", ""},
		{"export", "/assets/1/export", "#opinion"},
		{"turntable", "/assets/5/pivot", "[data-view=turntable]"},
		{"apart", "/assets/1/collision", "[data-view=turntable]"},
		{"exports", "/kits/1/exports", ""},
		{"target", "/targets/tern-point-engine?kit=1", "#section-classes summary"},
		{"review", "/assets/10/revisions/2", ""},
		{"preview", "/assets/9/axes", "#rest-0"},
	} {
		visit(t, ctx, h.URL+s.path)
		until(t, ctx, "document.fonts.status === 'loaded'")
		if s.then != "" {
			switch s.name {
			case "target":
				do(t, ctx, chromedp.Click(chromedp.CSS(s.then)))
				do(t, ctx, chromedp.Evaluate[chromedp.Void](`(() => {
					const f = document.querySelector("[name='classes.2.budget.triangles']");
					f.value = "400"; f.dispatchEvent(new Event("input", { bubbles: true })) })()`))
				until(t, ctx, `document.querySelector("#effect").textContent.includes("over budget")`)
			case "export":
				until(t, ctx, `document.querySelector("#opinion").textContent.includes("agree") &&
					document.querySelector("table.everywhere")`)
			case "apart":
				do(t, ctx, chromedp.Click(chromedp.CSS(s.then)))
				until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0 && !document.querySelector("#pull").hidden`)
				js[bool](t, ctx, `(() => { const s = document.querySelector("#apart"); s.value = 60
					s.dispatchEvent(new Event("input")); return true })()`)
				do(t, ctx, chromedp.Sleep(600*time.Millisecond))
			case "preview":
				js[bool](t, ctx, `(document.querySelector("#fold-rests").open = true)`)
				do(t, ctx, chromedp.Focus(chromedp.CSS(s.then)))
				until(t, ctx, `document.querySelector(".ghost")`)
			default:
				do(t, ctx, chromedp.Click(chromedp.CSS(s.then)))
				until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0`)
				do(t, ctx, chromedp.Click(chromedp.CSS("[data-look=material]")))
				until(t, ctx, `document.querySelector("canvas").dataset.look === "material"`)
				do(t, ctx, chromedp.Sleep(900*time.Millisecond))
			}
			do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
		}
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, s.name+".png"), b, 0o644))
	}

	shared := web.New(h.desk, slog.New(slog.DiscardHandler))
	shared.Guard(h.store, h.store.Sessions(), false)
	door := httptest.NewServer(shared.Handler())
	defer door.Close()
	visit(t, ctx, door.URL)
	until(t, ctx, "document.fonts.status === 'loaded' && document.querySelector('#phrase')")
	b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "sign-in.png"), b, 0o644))
}

// review sends the quay once more, without its hidden crane and with a crate renamed,
// after something was decided for that crate.
func review(t *testing.T, h *house) {
	t.Helper()
	ctx := context.Background()
	sh, err := h.desk.Open(ctx, 10)
	require.NoError(t, err)
	_, err = h.desk.Decide(ctx, 10, sh.Base(), func(p *prep.Prep) error {
		p.Source.Names = map[string]string{"crate 3": "fish crate"}
		return nil
	})
	require.NoError(t, err)
	next := sh.Result.Read.Without(func(i int) bool { return sh.Result.Read.Nodes[i].Hidden })
	for i := range next.Nodes {
		if next.Nodes[i].Name == "crate 3" {
			next.Nodes[i].Name = "crate of fish"
		}
	}
	p, err := gltf.Write(ctx, next, pack.Options{Name: "quay-corner"})
	require.NoError(t, err)
	u := h.desk.NewUpload()
	require.NoError(t, u.Add("quay-corner.glb", bytes.NewReader(p.Files[0].Data)))
	_, used, err := h.desk.AddFiles(ctx, 10, u)
	require.NoError(t, err)
	require.False(t, used)
}
