package e2e

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is given out for this system is unpacked in an empty place and started as its reader is told to; the worked
// example goes through in it, and it ends by Ctrl+C. YARVEK_ARCHIVE names it; see tools/trial-dist.sh.
func TestTheArchive(t *testing.T) {
	archive := os.Getenv("YARVEK_ARCHIVE")
	if archive == "" {
		t.Skip("YARVEK_ARCHIVE names no archive")
	}
	dir := t.TempDir()
	out, err := exec.Command("tar", "-C", dir, "-xzf", archive).CombinedOutput()
	require.NoError(t, err, "%s", out)
	start, err := filepath.Glob(filepath.Join(dir, "*", "Start Yarvek.sh"))
	require.NoError(t, err)
	require.Len(t, start, 1)
	for _, beside := range []string{"LICENCES.txt", "BILL-OF-MATERIALS.json", "Read me first.txt"} {
		assert.FileExists(t, filepath.Join(filepath.Dir(start[0]), beside))
	}
	c := exec.Command(start[0])
	c.Env = []string{"HOME=" + dir, "PATH=/usr/bin:/bin"}
	pipe, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill() })
	url := ""
	for s := bufio.NewScanner(pipe); url == "" && s.Scan(); {
		url = regexp.MustCompile(`http://\S+`).FindString(s.Text())
	}
	require.NotEmpty(t, url)
	ctx := tab(t)
	workExample(t, ctx, url)
	do(t, ctx, chromedp.Navigate("about:blank")) // which asks for nothing
	assert.FileExists(t, filepath.Join(dir, ".local", "share", "yarvek", "yarvek.db"))
	require.NoError(t, c.Process.Signal(os.Interrupt))
	require.NoError(t, c.Wait())
}
