package main

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEachSystemHasItsFolder(t *testing.T) {
	at := func(string) string { return "" }
	for _, c := range []struct {
		system string
		env    map[string]string
		want   string
	}{
		{"linux", nil, "/home/mara/.local/share/yarvek"},
		{"linux", map[string]string{"XDG_DATA_HOME": "/data/mara"}, "/data/mara/yarvek"},
		{"linux", map[string]string{"XDG_DATA_HOME": "relative"}, "/home/mara/.local/share/yarvek"},
		{"darwin", map[string]string{"XDG_DATA_HOME": "/data/mara"},
			"/home/mara/Library/Application Support/Yarvek"},
		{"windows", map[string]string{"LOCALAPPDATA": "/far/AppData"}, "/far/AppData/Yarvek"},
		{"windows", nil, "/home/mara/AppData/Local/Yarvek"},
	} {
		got, err := ownFolder(c.system, func(k string) string { return c.env[k] + at(k) },
			func() (string, error) { return "/home/mara", nil })
		require.NoError(t, err)
		assert.Equal(t, c.want, filepath.ToSlash(got), "%s %v", c.system, c.env)
	}
	_, err := ownFolder("linux", at, func() (string, error) { return "", errors.New("no home") })
	assert.ErrorContains(t, err, "--data")
}

// A folder that stands in the current one is taken before the user's own, and one that is named before both.
func TestWhichFolderIsTaken(t *testing.T) {
	t.Chdir(t.TempDir())
	own := t.TempDir()
	t.Setenv("XDG_DATA_HOME", own)
	t.Setenv("LOCALAPPDATA", own)
	t.Setenv("HOME", own)
	asked := func(args ...string) string {
		var out bytes.Buffer
		c := rootCommand()
		c.SetArgs(append([]string{"verify"}, args...))
		c.SetOut(&out)
		err := c.Execute()
		require.Error(t, err, "nothing is there")
		return err.Error() + out.String()
	}
	assert.Contains(t, asked(), own)
	require.NoError(t, os.Mkdir(dataHere, 0o700))
	assert.Contains(t, asked(), dataHere)
	assert.Contains(t, asked("--data", "elsewhere"), "elsewhere")
}

// A start without arguments opens the browser; a second one opens it on the page of the first, and ends.
func TestASecondStartOpensTheFirst(t *testing.T) {
	if runtime.GOOS == "windows" || runtime.GOOS == "darwin" {
		t.Skip("the browser is opened by another command there")
	}
	t.Chdir(t.TempDir())
	dir := t.TempDir()
	t.Setenv("XDG_DATA_HOME", dir)
	opened := filepath.Join(dir, "opened")
	bin := filepath.Join(dir, "bin")
	require.NoError(t, os.Mkdir(bin, 0o700))
	script := "#!/bin/sh\necho \"$1\" >>" + opened + "\n"
	require.NoError(t, os.WriteFile(filepath.Join(bin, "xdg-open"), []byte(script), 0o700))
	t.Setenv("PATH", bin)

	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	var said bytes.Buffer
	ended := make(chan error, 1)
	go func() { ended <- home(ctx, &said) }()
	urls := func() []string {
		b, _ := os.ReadFile(opened) // not there before the first
		return strings.Fields(string(b))
	}
	require.Eventually(t, func() bool { return len(urls()) == 1 }, time.Minute, 20*time.Millisecond)
	res, err := http.Get(urls()[0])
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.Equal(t, http.StatusOK, res.StatusCode)

	var again bytes.Buffer
	require.NoError(t, home(context.Background(), &again))
	assert.Contains(t, again.String(), "runs already, at "+urls()[0])
	require.Eventually(t, func() bool { return len(urls()) == 2 }, time.Minute, 20*time.Millisecond)
	assert.Equal(t, urls()[0], urls()[1])

	stop()
	require.NoError(t, <-ended)
	assert.NoFileExists(t, addressFile(filepath.Join(dir, "yarvek")))
}

// An address that an earlier run left behind is no server.
func TestAnAddressLeftBehind(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(addressFile(dir), []byte("http://127.0.0.1:1\n"), 0o600))
	assert.Empty(t, running(context.Background(), dir, 300*time.Millisecond))
}
