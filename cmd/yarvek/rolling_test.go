package main

import (
	"bytes"
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// A server makes its backups by itself, each whole, and keeps as many as it is told; what is not its own stays.
func TestRollingBackups(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	data, to := filepath.Join(t.TempDir(), "data"), filepath.Join(t.TempDir(), "backups")
	st, err := store.Open(data)
	require.NoError(t, err)
	t.Cleanup(func() { _ = st.Close() })
	_, err = st.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	d := work.New(st, work.DefaultLimits, nil)
	t.Cleanup(d.Close)
	r := rolling{every: span(24 * time.Hour), keep: 2, to: to}
	require.NoError(t, r.check())
	old := []string{"yarvek-20250101T000000Z.zip", "yarvek-20250102T000000Z.zip"}
	for _, name := range append(old, "holiday.zip", "yarvek-pictures.zip") {
		require.NoError(t, os.WriteFile(filepath.Join(to, name), []byte("old"), 0o600))
	}
	var log bytes.Buffer
	done := make(chan struct{})
	go func() { defer close(done); r.run(ctx, d, data, slog.New(slog.NewTextHandler(&log, nil))) }()
	assert.Eventually(t, func() bool {
		made := r.made()
		return len(made) == 2 && !strings.HasPrefix(made[0], "yarvek-2025")
	}, time.Minute, 5*time.Millisecond)
	d.Jobs.Wait()
	cancel()
	<-done
	assert.Equal(t, old[1], r.made()[1], "the oldest went")
	assert.FileExists(t, filepath.Join(to, "holiday.zip"))
	assert.FileExists(t, filepath.Join(to, "yarvek-pictures.zip"))
	said, err := run(t, backupCommand(), "--check", filepath.Join(to, r.made()[0]))
	require.NoError(t, err, said)
	assert.Contains(t, said, "The backup is whole.")
	assert.Contains(t, log.String(), "a backup was made")

	// One that is not whole lets no other go.
	sha, _, err := st.PutBlob(strings.NewReader("a mesh"))
	require.NoError(t, err)
	_, err = st.NewAsset(context.Background(), 1, "a", "a.obj", []store.File{{Name: "a.obj", SHA: sha, Size: 6}})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(data, "blobs", sha[:2], sha), []byte("b mesh"), 0o600))
	r.keep = 1
	require.NoError(t, r.one(context.Background(), data, slog.New(slog.NewTextHandler(&log, nil))))
	assert.GreaterOrEqual(t, len(r.made()), 2)
	assert.Contains(t, log.String(), "is not whole, so older ones are kept")
}

func TestSpansAndTheirFlags(t *testing.T) {
	for text, want := range map[string]time.Duration{"1d": 24 * time.Hour, "2w": 14 * 24 * time.Hour,
		"90m": 90 * time.Minute} {
		var s span
		require.NoError(t, s.Set(text))
		assert.Equal(t, want, time.Duration(s))
	}
	for _, text := range []string{"", "1", "d", "-1d", "0d", "1s", "1 day"} {
		var s span
		assert.Error(t, s.Set(text), text)
	}
	for _, args := range [][]string{{"--backup-every", "1d"}, {"--backup-to", t.TempDir()},
		{"--backup-every", "1d", "--backup-to", t.TempDir(), "--backup-keep", "0"}} {
		_, err := run(t, serveCommand(), append(args, "--data", t.TempDir())...)
		assert.ErrorContains(t, err, "--backup", args)
	}
}
