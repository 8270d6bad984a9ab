package e2e

import (
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

func TestShot(t *testing.T) {
	if os.Getenv("SHOT") == "" {
		t.Skip()
	}
	for _, s := range strings.Split(os.Getenv("SHOT"), "@@") {
		name, url, _ := strings.Cut(s, "=")
		url, act, _ := strings.Cut(url, "|")
		ctx := tab(t)
		do(t, ctx, chromedp.Navigate(url))
		time.Sleep(time.Second)
		if act != "" {
			_, err := chromedp.Run(ctx, chromedp.Evaluate[any](act))
			require.NoError(t, err)
			time.Sleep(2 * time.Second)
		}
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile("/tmp/shot-"+name+".png", b, 0o644))
	}
}
