// Package kittest is what tests of pages share: the demo kit, made once and handed out as copies, and how
// tests run side by side. What one test needs alone stays with that test.
package kittest

import (
	"context"
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"yarvek/internal/demo"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

var beside sync.Map // names of tests that run beside others

// SideBySide lets a test run beside others, each with a data folder of its own; once said is enough.
func SideBySide(t *testing.T) {
	t.Helper()
	if _, again := beside.LoadOrStore(t.Name(), true); !again {
		t.Parallel()
	}
}

// InFull leaves a walk to make trial where tests are asked to be short: another test walks the same pages,
// named by like.
func InFull(t *testing.T, like string) {
	t.Helper()
	if testing.Short() {
		t.Skip("make trial runs it; here " + like + " goes the same way")
	}
}

var kit struct {
	once sync.Once
	dir  string
	err  error
}

// Demo is a data folder of the test's own with the demo kit in it, as `yarvek demo` fills it. The first caller
// waits for the kit to be made; all others get a copy of its files.
func Demo(t *testing.T) (dir string) {
	t.Helper()
	kit.once.Do(func() { kit.dir, kit.err = fill() })
	require.NoError(t, kit.err)
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(kit.dir)))
	return dir
}

// Done removes what Demo made; it is for TestMain, after the last test.
func Done() {
	if kit.dir != "" {
		_ = os.RemoveAll(kit.dir)
	}
}

func fill() (dir string, err error) {
	if dir, err = os.MkdirTemp("", "yarvek-demo-"); err != nil {
		return "", err
	}
	st, err := store.Open(dir)
	if err != nil {
		return dir, err
	}
	desk := work.New(st, work.DefaultLimits, nil)
	_, err = demo.Fill(context.Background(), desk)
	desk.Close()
	if closed := st.Close(); err == nil {
		err = closed
	}
	return dir, err
}
