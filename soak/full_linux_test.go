package soak

import (
	"bytes"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// On a full disk nothing is kept by halves, the page says what is the matter, and with
// room again work goes on.
func TestFullDisk(t *testing.T) {
	data := t.TempDir()
	if err := syscall.Mount("tmpfs", data, "tmpfs", 0, "size=12m"); err != nil {
		t.Skipf("no small disk can be had here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(data, syscall.MNT_DETACH) })
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	filler := filepath.Join(data, "filler")
	room := func() int64 {
		var st syscall.Statfs_t
		require.NoError(t, syscall.Statfs(data, &st))
		return int64(st.Bavail) * st.Bsize
	}
	require.NoError(t, os.WriteFile(filler, make([]byte, room()-300<<10), 0o644))
	kept, refused := []string{"first"}, 0
	for i := 0; i < 60 && refused < 20; i++ {
		name := fmt.Sprintf("plank %d", i)
		f := plank(name)
		f.Data = append(f.Data, bytes.Repeat([]byte("# ballast\n"), 3000)...)
		page, err := s.send("/kits/1/files", f)
		switch {
		case err != nil:
			refused++
			assert.Contains(t, err.Error(), "507")
			assert.Contains(t, err.Error(), "is full")
		case bytes.Contains(page, []byte("/assets/")):
			kept = append(kept, name)
		default:
			refused++
			assert.Contains(t, plain(page), "is full")
		}
	}
	assert.NotZero(t, refused)
	require.NoError(t, os.Remove(filler))
	_, err = s.send("/kits/1/files", plank("after"))
	require.NoError(t, err, "with room again, work goes on")
	for _, name := range append(kept, "after") {
		_, b, err := s.get("/kits/1?find=" + url.QueryEscape(name))
		require.NoError(t, err)
		assert.Contains(t, string(b), name)
	}
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.ended(15*time.Second))
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	fmt.Printf("a full disk: %d uploads kept, %d refused as “full”, none by halves\n", len(kept), refused)
}
