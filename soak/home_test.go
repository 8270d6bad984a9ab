package soak

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// bare is the program without arguments, for a user whose home is empty.
func bare(home string) *exec.Cmd {
	c := exec.Command(binary)
	if wine {
		c = exec.Command("wine", binary)
	}
	c.Dir = home
	c.Env = append(os.Environ(), "HOME="+home, "XDG_DATA_HOME="+filepath.Join(home, "data"))
	return c
}

// Started without arguments the program serves the user's own folder, by the custom of the system; a second start finds
// the first and ends; and the demo answers before its kit is full.
func TestItsOwnFolder(t *testing.T) {
	home := t.TempDir()
	c := bare(home)
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill() })
	lines := bufio.NewScanner(out)
	at := func(begins string) string {
		for lines.Scan() {
			if rest, ok := strings.CutPrefix(lines.Text(), begins); ok {
				return rest
			}
		}
		return ""
	}
	url, data := at("Yarvek is at "), at("Its data is in ")
	require.NotEmpty(t, url)
	go func() { _, _ = io.Copy(io.Discard, out) }()
	if wine {
		assert.True(t, strings.HasSuffix(data, `\AppData\Local\Yarvek`), data)
	} else {
		assert.Equal(t, filepath.Join(home, "data", "yarvek"), data)
	}
	second, err := bare(home).CombinedOutput()
	require.NoError(t, err, "%s", second)
	assert.Contains(t, string(second), "Yarvek runs already, at "+strings.TrimSpace(url))
	require.NoError(t, c.Process.Signal(os.Interrupt))
	_ = c.Wait()

	begun := time.Now()
	s := &server{cmd: program(t.TempDir(), "demo", "--addr", "127.0.0.1:0"), log: new(bytes.Buffer), client: client()}
	require.NoError(t, s.begin(t))
	answers := time.Since(begun)
	_, _, err = s.get("/")
	require.NoError(t, err)
	page := time.Since(begun)
	s.filled(t)
	fmt.Printf("the demo says its address after %.2f s, answers after %.2f s, and is full after %.2f s; own folder %s\n",
		answers.Seconds(), page.Seconds(), time.Since(begun).Seconds(), data)
}
