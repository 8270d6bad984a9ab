// Package e2e drives the real interface in Chromium, and loads what Yarvek writes
// with readers that are not its own.
package e2e

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/demo"
	"yarvek/internal/kittest"
	"yarvek/internal/store"
	"yarvek/internal/web"
	"yarvek/internal/work"
)

var browser struct {
	once   sync.Once
	ctx    context.Context
	cancel context.CancelFunc
	err    error
}

func TestMain(m *testing.M) {
	code := m.Run()
	kittest.Done()
	if browser.cancel != nil {
		browser.cancel()
	}
	os.Exit(code)
}

// patience is how long a page may take that does come in the end: a busy machine takes its time, and a page that
// never comes is told no later by it. No test goes by how long something took.
const patience = 3 * time.Minute

// tab opens a fresh tab of 1280 by 800 in the one browser of all tests, and fails
// the test when a page says anything in its console. Tests with a tab run side by side.
func tab(t *testing.T) context.Context {
	t.Helper()
	kittest.SideBySide(t)
	browser.once.Do(func() {
		path, err := exec.LookPath("chromium")
		if err != nil {
			browser.err = err
			return
		}
		opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.ExecPath(path),
			chromedp.WindowSize(1280, 800),
			chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
			chromedp.Flag("disable-sync", true))
		alloc, stop := chromedp.NewExecAllocator(context.Background(), opts...)
		ctx, cancel := chromedp.NewContext(alloc)
		browser.ctx, browser.cancel = ctx, func() { cancel(); stop() }
		browser.err = chromedp.Do(ctx)
	})
	require.NoError(t, browser.err, "Chromium is needed; make test installs it")
	ctx, cancel := chromedp.NewContext(browser.ctx)
	t.Cleanup(cancel)
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)))
	messages := chromedp.Console(ctx)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			// The pages that refuse a change answer 409 and 422 by intent.
			if s := m.String(); m.IsException() || string(m.Type) == "error" && !strings.Contains(s, "status of 4") {
				t.Errorf("the console says: %s (%s:%d)", s, m.URL, m.Line)
			}
		}
	}()
	return ctx
}

// house is a running Yarvek over a data folder.
type house struct {
	*httptest.Server
	desk  *work.Desk
	store *store.Store
}

func open(t *testing.T, dir string) *house {
	t.Helper()
	st, err := store.Open(dir)
	require.NoError(t, err)
	desk := work.New(st, work.DefaultLimits, nil)
	desk.Fillers = demo.Fillers()
	h := &house{httptest.NewServer(web.New(desk, slog.New(slog.NewTextHandler(io.Discard, nil))).Handler()), desk, st}
	t.Cleanup(h.shut)
	return h
}

func (h *house) shut() {
	if h.desk == nil {
		return
	}
	h.Close()
	h.desk.Close()
	_ = h.store.Close()
	h.desk = nil
}

// do runs steps with a limit on each run as a whole.
func do(t *testing.T, ctx context.Context, steps ...chromedp.Action[chromedp.Void]) {
	t.Helper()
	c, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := chromedp.Do(c, steps...); err != nil {
		picture(t, ctx)
		require.NoError(t, err)
	}
}

// visit goes to an address and waits until its page is there; a page that takes long says first that it is coming.
func visit(t *testing.T, ctx context.Context, url string) {
	t.Helper()
	do(t, ctx, chromedp.Navigate(url))
	until(t, ctx, "true")
}

// until waits for a condition of the page, through navigations.
func until(t *testing.T, ctx context.Context, condition string) {
	t.Helper()
	end := time.Now().Add(patience)
	for time.Now().Before(end) {
		c, cancel := context.WithTimeout(ctx, 10*time.Second)
		// A page on its way out can't be asked; the next one can.
		// So is one that only says that the page is being put together.
		ok, err := chromedp.Run(c, chromedp.Evaluate[bool]("document.readyState === 'complete' && "+
			"!document.querySelector('body.page-waiting, #page[data-again], #looking') && Boolean("+condition+")"))
		cancel()
		if err == nil && ok {
			return
		}
		time.Sleep(30 * time.Millisecond)
	}
	picture(t, ctx)
	require.Fail(t, "the page never came to this", condition)
}

// framed waits until what was asked for has been drawn: two frames of the page, whenever they come.
func framed(t *testing.T, ctx context.Context) {
	t.Helper()
	_, err := chromedp.Run(ctx,
		chromedp.Evaluate[bool](`new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`,
			chromedp.EvalAwaitPromise))
	require.NoError(t, err)
}

// picture keeps a screenshot of a page that failed.
func picture(t *testing.T, ctx context.Context) {
	t.Helper()
	if b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot()); err == nil {
		f := filepath.Join(os.TempDir(), "yarvek-"+strings.ReplaceAll(t.Name(), "/", "-")+".png")
		_ = os.WriteFile(f, b, 0o644)
		t.Logf("the page as it was: %s", f)
	}
}

// press clicks the button with this text in the worksheet or the header.
func press(t *testing.T, ctx context.Context, text string) {
	t.Helper()
	sel := `//button[normalize-space(.)="` + text + `"]`
	do(t, ctx, chromedp.WaitVisible(sel), chromedp.Click(sel))
}

func text(t *testing.T, ctx context.Context, sel string) string {
	t.Helper()
	c, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	s, err := chromedp.Run(c, chromedp.Text(chromedp.CSS(sel)))
	require.NoError(t, err, sel)
	return s
}

func get(t *testing.T, url string) []byte {
	t.Helper()
	res, err := http.Get(url)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, http.StatusOK, res.StatusCode, url)
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return b
}

// typed presses keys one after another.
func typed(t *testing.T, ctx context.Context, keys ...string) {
	t.Helper()
	for _, k := range keys {
		do(t, ctx, chromedp.KeyEvent(k))
	}
}

// tabTo presses Tab until the focus is on what the condition says of el, and makes
// sure that the focus can be seen.
func tabTo(t *testing.T, ctx context.Context, condition string) {
	t.Helper()
	for range 120 {
		typed(t, ctx, kb.Tab)
		ok, err := chromedp.Run(ctx,
			chromedp.Evaluate[bool](`(() => { const el = document.activeElement; return Boolean(`+condition+`) })()`))
		require.NoError(t, err)
		if ok {
			seen, err := chromedp.Run(ctx,
				chromedp.Evaluate[bool](`getComputedStyle(document.activeElement).outlineStyle !== "none"`))
			require.NoError(t, err)
			assert.True(t, seen, "the focus is visible on %s", condition)
			return
		}
	}
	require.Fail(t, "the keyboard does not get there", condition)
}
