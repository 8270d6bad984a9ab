package disk

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestALockKeepsASecondOneAway(t *testing.T) {
	path := filepath.Join(t.TempDir(), "lock")
	first, err := Lock(path)
	require.NoError(t, err)
	_, err = Lock(path)
	assert.ErrorIs(t, err, ErrInUse)
	require.NoError(t, first.Close())
	again, err := Lock(path)
	require.NoError(t, err)
	require.NoError(t, again.Close())
}

func TestReplaceTakesTheOthersPlace(t *testing.T) {
	dir := t.TempDir()
	for _, move := range []func(from, to string) error{Replace, Rename} {
		for i := range 3 {
			from, to := filepath.Join(dir, "new"), filepath.Join(dir, "kept")
			require.NoError(t, os.WriteFile(from, []byte(fmt.Sprint(i)), 0o644))
			require.NoError(t, move(from, to))
			b, err := os.ReadFile(to)
			require.NoError(t, err)
			assert.Equal(t, fmt.Sprint(i), string(b))
			assert.NoFileExists(t, from)
		}
		assert.ErrorIs(t, move(filepath.Join(dir, "none"), filepath.Join(dir, "kept")), fs.ErrNotExist)
	}
}

func TestCausesOfADisk(t *testing.T) {
	for err, want := range map[error]Cause{syscall.ENOSPC: Full, syscall.EROFS: ReadOnly, syscall.EIO: Broken,
		fs.ErrPermission: ReadOnly,
		fs.ErrExist:      Unknown} {
		assert.Equal(t, want, CauseOf(fmt.Errorf("x: %w", err)))
	}
	assert.Equal(t, Unknown, CauseOf(nil))
}
