package e2e

import (
	"context"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"yarvek/internal/demo"
)

func TestZZ(t *testing.T) {
	h := open(t, t.TempDir())
	_, err := demo.Fill(context.Background(), h.desk)
	require.NoError(t, err)
	ctx := tab(t)
	shot := func(name string) {
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile("/tmp/zz-"+name+".png", b, 0o644))
	}
	do(t, ctx, chromedp.Navigate(h.URL+"/assets/5/collision"))
	until(t, ctx, "document.fonts.status === 'loaded'")
	shot("hut1")
	do(t, ctx, chromedp.Click(chromedp.CSS(".finding .remedies .btn-ink")))
	until(t, ctx, `document.querySelectorAll("#shapes tbody tr").length > 3`)
	do(t, ctx, chromedp.Sleep(400*time.Millisecond))
	shot("hut2")
}
