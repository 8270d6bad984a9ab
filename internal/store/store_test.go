package store

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

func open(t *testing.T, dir string) *Store {
	t.Helper()
	s, err := Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func TestUndoAndRedoSurviveARestart(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := open(t, dir)
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "bollard", "bollard.obj", []File{{Name: "bollard.obj", SHA: "x", Size: 1}})
	require.NoError(t, err)
	for i, label := range []string{"one", "two", "three"} {
		seq, err := s.SavePrep(ctx, a.ID, i, []byte(label), label)
		require.NoError(t, err)
		require.Equal(t, i+1, seq)
	}
	_, err = s.SavePrep(ctx, a.ID, 1, []byte("late"), "late")
	require.ErrorIs(t, err, ErrStale, "a page made before the last change may not overwrite it")
	moved, err := s.MovePrep(ctx, a.ID, -1)
	require.NoError(t, err)
	require.True(t, moved)
	require.NoError(t, s.Close())

	s = open(t, dir)
	p, err := s.Prep(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, Prep{Seq: 2, JSON: []byte("two"), Label: "two", Undo: "two", Redo: "three"}, p)
	moved, err = s.MovePrep(ctx, a.ID, 1)
	require.NoError(t, err)
	require.True(t, moved)
	moved, err = s.MovePrep(ctx, a.ID, 1)
	require.NoError(t, err)
	assert.False(t, moved, "there is nothing after the last")
	for range 3 {
		_, err = s.MovePrep(ctx, a.ID, -1)
		require.NoError(t, err)
	}
	moved, err = s.MovePrep(ctx, a.ID, -1)
	require.NoError(t, err)
	assert.False(t, moved, "nor before the first")
	_, err = s.SavePrep(ctx, a.ID, 0, []byte("new"), "new")
	require.NoError(t, err)
	p, err = s.Prep(ctx, a.ID)
	require.NoError(t, err)
	assert.Empty(t, p.Redo)
}

func TestBlobsAreWholeOrNotThere(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	sha, n, err := s.PutBlob(strings.NewReader("tide gauge"))
	require.NoError(t, err)
	assert.EqualValues(t, 10, n)
	again, _, err := s.PutBlob(strings.NewReader("tide gauge"))
	require.NoError(t, err)
	assert.Equal(t, sha, again)
	got, err := s.Blob(sha)
	require.NoError(t, err)
	assert.Equal(t, "tide gauge", string(got))
	_, err = s.Blob(strings.Repeat("0", 64))
	assert.ErrorIs(t, err, ErrNotFound)
	_, err = s.Blob("../../etc/passwd")
	assert.ErrorIs(t, err, ErrNotFound)

	// A process killed while writing leaves its temporary file; the next start clears it.
	half := filepath.Join(dir, "tmp", "blob-half")
	require.NoError(t, os.WriteFile(half, bytes.Repeat([]byte{1}, 100), 0o644))
	require.NoError(t, s.Close())
	open(t, dir)
	assert.NoFileExists(t, half)
}

func TestOldBlobsNobodyNamesAreCleared(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	kept, _, err := s.PutBlob(strings.NewReader("kept"))
	require.NoError(t, err)
	lost, _, err := s.PutBlob(strings.NewReader("refused"))
	require.NoError(t, err)
	_, err = s.NewAsset(ctx, k.ID, "a", "a.obj", []File{{Name: "a.obj", SHA: kept}})
	require.NoError(t, err)
	require.NoError(t, s.sweep(time.Now().Add(-time.Hour)))
	_, err = s.Blob(lost)
	require.NoError(t, err, "an upload may be under way")
	require.NoError(t, s.sweep(time.Now().Add(time.Hour)))
	_, err = s.Blob(lost)
	require.ErrorIs(t, err, ErrNotFound)
	_, err = s.Blob(kept)
	require.NoError(t, err)
}

func TestRemovedAssetsCanBePutBack(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[1])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "dinghy", "dinghy.glb", nil)
	require.NoError(t, err)
	number, err := s.AddRevision(ctx, a.ID, "dinghy.glb", []File{{Name: "dinghy.glb", SHA: "y", Size: 2}}, true)
	require.NoError(t, err)
	assert.Equal(t, 2, number)
	r, err := s.Current(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, r.Number)
	require.NoError(t, s.RemoveAsset(ctx, a.ID, true))
	list, err := s.Assets(ctx, k.ID, false)
	require.NoError(t, err)
	assert.Empty(t, list)
	require.NoError(t, s.RemoveAsset(ctx, a.ID, false))
	k, err = s.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, k.Assets)
	assert.Equal(t, target.Shipped[1], k.Target)
	assert.ErrorIs(t, s.RenameAsset(ctx, 99, "x"), ErrNotFound)
}

func TestRevisionsAreLookedAtTakenAndGoneBackFrom(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	k, err := s.NewKit(ctx, "kit", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "a", "a.glb", []File{{Name: "a.glb", SHA: "1", Size: 1}})
	require.NoError(t, err)
	number := func() int {
		r, err := s.Current(ctx, a.ID)
		require.NoError(t, err)
		return r.Number
	}
	assert.Equal(t, 1, number())
	n, err := s.AddRevision(ctx, a.ID, "b.glb", []File{{Name: "b.glb", SHA: "2", Size: 1}}, false)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1}, []int{n, number()}, "only kept, not in force")
	_, err = s.AddRevision(ctx, a.ID, "a.glb", nil, true)
	require.NoError(t, err)
	assert.Equal(t, 3, number())
	require.NoError(t, s.UseRevision(ctx, a.ID, 1))
	assert.Equal(t, 1, number())
	assert.ErrorIs(t, s.UseRevision(ctx, a.ID, 9), ErrNotFound)
	// Taken with a prep for it, both or neither.
	assert.ErrorIs(t, s.TakeRevision(ctx, a.ID, 2, 5, []byte("{}"), "x"), ErrStale)
	assert.ErrorIs(t, s.TakeRevision(ctx, a.ID, 9, 0, []byte("{}"), "x"), ErrNotFound)
	h, err := s.Prep(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, 0, h.Seq, "neither")
	require.NoError(t, s.TakeRevision(ctx, a.ID, 2, 0, []byte("{}"), "x"))
	assert.Equal(t, 2, number())
	list, err := s.Revisions(ctx, a.ID)
	require.NoError(t, err)
	assert.Len(t, list, 3)
	r, err := s.Revision(ctx, a.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, "b.glb", r.Files[0].Name)
	require.NoError(t, s.SetGrid(ctx, k.ID, .5))
	k, err = s.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, .5, k.Grid)
}
