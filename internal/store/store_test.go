package store

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// folder opens a data folder that is closed when the test ends.
func folder(t *testing.T, dir string) *Store {
	t.Helper()
	s, err := Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func TestUndoAndRedoSurviveARestart(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := folder(t, dir)
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "bollard", "bollard.obj", []File{{Name: "bollard.obj", SHA: "x", Size: 1}})
	require.NoError(t, err)
	for i, label := range []string{"one", "two", "three"} {
		require.NoError(t, s.SavePrep(ctx, a.ID, i, []byte(label), label))
	}
	require.ErrorIs(t, s.SavePrep(ctx, a.ID, 1, []byte("late"), "late"), ErrStale,
		"a page made before the last change may not overwrite it")
	moved, err := s.MovePrep(ctx, a.ID, 3, -1)
	require.NoError(t, err)
	require.True(t, moved)
	require.NoError(t, s.Close())

	s = folder(t, dir)
	p, err := s.Step(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, Step{Seq: 2, JSON: []byte("two"), Label: "two", Undo: "two", Redo: "three"}, p)
	at := 4
	move := func(by int, want bool, why string) {
		t.Helper()
		moved, err := s.MovePrep(ctx, a.ID, at, by)
		require.NoError(t, err)
		require.Equal(t, want, moved, why)
		if moved {
			at++
		}
	}
	move(1, true, "to the third")
	move(1, false, "there is nothing after the last")
	for range 3 {
		move(-1, true, "to the first")
	}
	move(-1, false, "nor before the first")
	require.NoError(t, s.SavePrep(ctx, a.ID, at, []byte("new"), "new"))
	p, err = s.Step(ctx, a.ID)
	require.NoError(t, err)
	assert.Empty(t, p.Redo)
	_, err = s.MovePrep(ctx, 99, 0, -1)
	assert.ErrorIs(t, err, ErrNotFound)
}

// Undone and decided anew, an asset is at a prep of the same number as before; a page
// from before is out of date all the same, and so is its undo.
func TestAPageOutOfDateIsNoticedWhateverTheNumber(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "kit", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "a", "a.glb", nil)
	require.NoError(t, err)
	require.NoError(t, s.SavePrep(ctx, a.ID, 0, []byte("old"), "old"))
	st, err := s.State(ctx, a.ID)
	require.NoError(t, err)
	stale := st.Asset.Changes
	_, err = s.MovePrep(ctx, a.ID, stale, -1)
	require.NoError(t, err)
	require.NoError(t, s.SavePrep(ctx, a.ID, stale+1, []byte("new"), "new"))
	st, err = s.State(ctx, a.ID)
	require.NoError(t, err)
	require.Equal(t, 1, st.Step.Seq, "the number is the same again")
	assert.ErrorIs(t, s.SavePrep(ctx, a.ID, stale, []byte("x"), "x"), ErrStale)
	_, err = s.MovePrep(ctx, a.ID, stale, -1)
	assert.ErrorIs(t, err, ErrStale)
	assert.ErrorIs(t, s.TakeRevision(ctx, a.ID, 1, stale, nil, ""), ErrStale)
	after, err := s.State(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, st, after, "nothing was changed")
}

// Of many who change one asset from the same page, one is served and all others are
// told; nothing is lost without a word.
func TestOneOfManyIsServed(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "kit", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "a", "a.glb", []File{{Name: "a.glb", SHA: "1"}})
	require.NoError(t, err)
	var served, told atomic.Int32
	var wg sync.WaitGroup
	for i := range 16 {
		wg.Go(func() {
			var err error
			if i%2 == 0 {
				err = s.SavePrep(ctx, a.ID, 0, fmt.Appendf(nil, "%d", i), "x")
			} else {
				err = s.TakeRevision(ctx, a.ID, 1, 0, fmt.Appendf(nil, "%d", i), "x")
			}
			switch {
			case err == nil:
				served.Add(1)
			case assert.ErrorIs(t, err, ErrStale):
				told.Add(1)
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 1, served.Load())
	assert.EqualValues(t, 15, told.Load())
	// Two revisions put together from the same one: the second would lose the first's files.
	_, err = s.AddRevision(ctx, a.ID, 1, "a.glb", []File{{Name: "a.glb", SHA: "1"}, {Name: "b.png", SHA: "2"}}, true)
	require.NoError(t, err)
	_, err = s.AddRevision(ctx, a.ID, 1, "a.glb", []File{{Name: "a.glb", SHA: "1"}, {Name: "c.png", SHA: "3"}}, true)
	assert.ErrorIs(t, err, ErrStale)
}

// A kit renamed and given another target at once has both.
func TestAKitIsRenamedAndRetargetedAtOnce(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "kit", target.Shipped[0])
	require.NoError(t, err)
	for i := range 40 {
		was, name, to := k.Name, fmt.Sprint("kit ", i), target.Shipped[i%4]
		var wg sync.WaitGroup
		wg.Go(func() { assert.NoError(t, s.RenameKit(ctx, k.ID, was, name)) })
		wg.Go(func() { assert.NoError(t, s.SetTarget(ctx, k.ID, to)) })
		wg.Go(func() { assert.NoError(t, s.SetGrid(ctx, k.ID, float64(i))) })
		wg.Wait()
		got, err := s.Kit(ctx, k.ID)
		require.NoError(t, err)
		require.Equal(t, []any{name, to, float64(i)}, []any{got.Name, got.Target, got.Grid})
		require.ErrorIs(t, s.RenameKit(ctx, k.ID, was, "late"), ErrStale, "somebody else's name stays")
		k = got
	}
	assert.ErrorIs(t, s.RenameKit(ctx, 99, "", "x"), ErrNotFound)
	assert.ErrorIs(t, s.SetTarget(ctx, 99, target.Shipped[0]), ErrNotFound)
}

// What is read of an asset is of one moment, whatever is written meanwhile.
func TestAStateIsOfOneMoment(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "kit", target.Shipped[0])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "a", "a.glb", []File{{Name: "a.glb", SHA: "1"}})
	require.NoError(t, err)
	// Every revision comes with the prep of its number.
	require.NoError(t, s.SavePrep(ctx, a.ID, 0, []byte("1"), "1"))
	done := make(chan struct{})
	go func() {
		defer close(done)
		for i := 2; i < 40; i++ {
			n, err := s.AddRevision(ctx, a.ID, i-1, "a.glb", []File{{Name: "a.glb", SHA: fmt.Sprint(i)}}, false)
			if !assert.NoError(t, err) || !assert.NoError(t, s.TakeRevision(ctx, a.ID, n, i-1, fmt.Append(nil, n), "x")) {
				return
			}
		}
	}()
	for {
		st, err := s.State(ctx, a.ID)
		require.NoError(t, err)
		require.Equal(t, fmt.Sprint(st.Revision.Number), string(st.Step.JSON))
		require.Equal(t, st.Revision.Files[0].SHA, fmt.Sprint(st.Revision.Number))
		select {
		case <-done:
			return
		default:
		}
	}
}

// A second process keeps its hands off: it changes nothing in the folder and says so.
func TestAFolderIsHeldByOne(t *testing.T) {
	dir := t.TempDir()
	s := folder(t, dir)
	half := filepath.Join(dir, "tmp", "blob-half")
	require.NoError(t, os.WriteFile(half, []byte{1}, 0o644))
	_, err := Open(dir)
	require.ErrorIs(t, err, ErrInUse)
	assert.Contains(t, err.Error(), dir)
	assert.FileExists(t, half, "what the first is writing stays")
	require.NoError(t, s.Close())
	folder(t, dir)
	assert.NoFileExists(t, half)
}

func TestBlobsAreWholeOrNotThere(t *testing.T) {
	dir := t.TempDir()
	s := folder(t, dir)
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
	folder(t, dir)
	assert.NoFileExists(t, half)
}

func TestRemovedAssetsCanBePutBack(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[1])
	require.NoError(t, err)
	a, err := s.NewAsset(ctx, k.ID, "dinghy", "dinghy.glb", nil)
	require.NoError(t, err)
	number, err := s.AddRevision(ctx, a.ID, 1, "dinghy.glb", []File{{Name: "dinghy.glb", SHA: "y", Size: 2}}, true)
	require.NoError(t, err)
	assert.Equal(t, 2, number)
	r, err := s.Current(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, r.Number)
	_, err = s.RemoveAsset(ctx, a.ID, true)
	require.NoError(t, err)
	list, err := s.Assets(ctx, k.ID, false)
	require.NoError(t, err)
	assert.Empty(t, list)
	_, err = s.RemoveAsset(ctx, a.ID, false)
	require.NoError(t, err)
	k, err = s.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, k.Assets)
	assert.Equal(t, target.Shipped[1], k.Target)
	assert.ErrorIs(t, s.RenameAsset(ctx, 99, "x"), ErrNotFound)
}

func TestRevisionsAreLookedAtTakenAndGoneBackFrom(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
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
	n, err := s.AddRevision(ctx, a.ID, 1, "b.glb", []File{{Name: "b.glb", SHA: "2", Size: 1}}, false)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1}, []int{n, number()}, "only kept, not in force")
	_, err = s.AddRevision(ctx, a.ID, 1, "a.glb", nil, true)
	require.NoError(t, err)
	assert.Equal(t, 3, number())
	require.NoError(t, s.TakeRevision(ctx, a.ID, 1, 1, nil, ""))
	assert.Equal(t, 1, number())
	// Taken with a prep for it, both or neither.
	assert.ErrorIs(t, s.TakeRevision(ctx, a.ID, 2, 5, []byte("{}"), "x"), ErrStale)
	assert.ErrorIs(t, s.TakeRevision(ctx, a.ID, 9, 2, []byte("{}"), "x"), ErrNotFound)
	h, err := s.Step(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, 0, h.Seq, "neither")
	require.NoError(t, s.TakeRevision(ctx, a.ID, 2, 2, []byte("{}"), "x"))
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
