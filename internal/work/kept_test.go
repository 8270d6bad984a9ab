package work

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

	"yarvek/core/fault"
	"yarvek/internal/store"
)

// A byte of a kept source flips: no drawing, no summary and no certificate is made of
// it; the file is named, and the same file sent again makes it whole.
func TestAFlippedByteIsNeverCertified(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	k := kit(t, d)
	id := take(t, d, k, "a.obj", tri).Came[0].Asset.ID
	e, err := d.Send(ctx, id, Leave{})
	require.NoError(t, err)
	st, err := d.store.State(ctx, id)
	require.NoError(t, err)
	sha := st.Revision.Files[0].SHA
	d.Close()
	require.NoError(t, s.Close())
	flip := func(sha string) {
		p := filepath.Join(dir, "blobs", sha[:2], sha)
		b, err := os.ReadFile(p)
		require.NoError(t, err)
		b[2] = '9' // the mesh would be nine metres off
		require.NoError(t, os.WriteFile(p, b, 0o644))
	}
	flip(sha)
	flip(e.SHA)

	d = desk(t, dir) // another day: nothing is in memory
	_, err = d.Open(ctx, id)
	require.Error(t, err)
	assert.Equal(t, fault.Damaged, fault.KindOf(err))
	assert.ErrorContains(t, err, "a.obj")
	assert.ErrorContains(t, err, "was damaged on the disk since it came in")
	assert.NotContains(t, err.Error(), dir)
	_, err = d.Send(ctx, id, Leave{})
	assert.Equal(t, fault.Damaged, fault.KindOf(err), "nothing is certified")
	_, _, err = d.Download(ctx, e.ID)
	assert.Equal(t, fault.Damaged, fault.KindOf(err), "and a flipped export is not handed out")
	assert.ErrorContains(t, err, e.Name)

	take(t, d, k, "a.obj", tri)
	o, err := d.Open(ctx, id)
	require.NoError(t, err, "the same content came in again")
	assert.Equal(t, 1, o.Result.Read.Count().Triangles)
	_, err = d.Send(ctx, id, Leave{})
	require.NoError(t, err)
	_, f, err := d.Download(ctx, e.ID)
	require.NoError(t, err, "and so did the export's")
	require.NoError(t, f.Close())
}

func TestAKeptFileThatIsGoneIsNamed(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	id := take(t, d, kit(t, d), "a.obj", tri).Came[0].Asset.ID
	st, err := d.store.State(ctx, id)
	require.NoError(t, err)
	sha := st.Revision.Files[0].SHA
	d.Close()
	require.NoError(t, s.Close())
	require.NoError(t, os.Remove(filepath.Join(dir, "blobs", sha[:2], sha)))
	d = desk(t, dir)
	_, err = d.Open(ctx, id)
	assert.Equal(t, fault.Missing, fault.KindOf(err))
	assert.ErrorContains(t, err, "a.obj")
	assert.ErrorContains(t, err, "is gone from the data folder")
	assert.NotErrorIs(t, err, ErrNotFound, "the asset is there: its page must not say that nothing is at its address")
}

// What a sweep does is in the log, and so is why it did nothing.
func TestSweepsAreLogged(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	var log bytes.Buffer
	d := New(s, DefaultLimits, slog.New(slog.NewTextHandler(&log, nil)))
	t.Cleanup(d.Close)
	_, _, err = s.PutBlob(strings.NewReader("refused"))
	require.NoError(t, err)
	later := time.Now().Add(48 * time.Hour)
	d.tidy(ctx, later)
	assert.Contains(t, log.String(), "left where they are")
	assert.Contains(t, log.String(), "it is new")
	log.Reset()
	take(t, d, kit(t, d), "a.obj", tri)
	d.tidy(ctx, later)
	assert.Contains(t, log.String(), "moved to the trash")
	assert.Contains(t, log.String(), "files=1")
	log.Reset()
	d.tidy(ctx, later)
	assert.Empty(t, log.String(), "nothing to do is nothing to say")
	ended, cancel := context.WithCancel(ctx)
	cancel()
	d.Tidy(ended)
}
