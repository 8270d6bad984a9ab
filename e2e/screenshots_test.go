package e2e

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"yarvek/internal/demo"
)

// TestScreenshots renews the pictures of the documentation when asked where to
// put them, and otherwise has nothing to do.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("YARVEK_SCREENSHOTS")
	if dir == "" {
		t.Skip("YARVEK_SCREENSHOTS names no folder")
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	h := open(t, t.TempDir())
	_, err := demo.Fill(context.Background(), h.desk)
	require.NoError(t, err)
	ctx := tab(t)
	for _, s := range []struct{ name, path, then string }{
		{"kit", "/kits/1/", ""},
		{"source", "/assets/8/source", ""},
		{"size", "/assets/2/size", ""},
		{"axes", "/assets/3/axes", ""},
		{"pivot", "/assets/8/pivot", ""},
		{"export", "/assets/5/export", ""},
		{"turntable", "/assets/5/size", "[data-view=turntable]"},
		{"exports", "/kits/1/exports", ""},
	} {
		do(t, ctx, chromedp.Navigate(h.URL+s.path))
		until(t, ctx, "document.fonts.status === 'loaded'")
		if s.then != "" {
			do(t, ctx, chromedp.Click(chromedp.CSS(s.then)))
			until(t, ctx, `document.querySelector("canvas").dataset.drawn > 0`)
			do(t, ctx, chromedp.Sleep(400*time.Millisecond))
			do(t, ctx, chromedp.Evaluate[chromedp.Void](`sessionStorage.clear()`))
		}
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, s.name+".png"), b, 0o644))
	}
}
