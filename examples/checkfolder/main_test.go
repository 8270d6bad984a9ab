package main

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAFolderIsChecked(t *testing.T) {
	dir := t.TempDir()
	put := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	put("plank.obj", "v 0 0 0\nv 1 0 0\nv 0 0 1\nv 0 1 0\nf 1 2 3\nf 1 4 2\nf 2 4 3\nf 3 4 1\n")
	put("notes.txt", "no mesh")
	held, err := check(context.Background(), dir)
	require.NoError(t, err)
	assert.Zero(t, held)
	put("broken.obj", "v 0 0\n")
	put("giant.obj", "v 0 0 0\nv 9e6 0 0\nv 0 0 9e6\nv 0 9e6 0\nf 1 2 3\nf 1 2 4\nf 2 3 4\nf 3 1 4\n")
	held, err = check(context.Background(), dir)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, held, 2)
	_, err = check(context.Background(), filepath.Join(dir, "gone"))
	assert.Error(t, err)
}
