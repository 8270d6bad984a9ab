package store

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// put keeps a text as a blob of an age.
func put(t *testing.T, s *Store, text string, age time.Duration) string {
	t.Helper()
	sha, _, err := s.PutBlob(strings.NewReader(text))
	require.NoError(t, err)
	at := time.Now().Add(-age)
	require.NoError(t, os.Chtimes(s.blobPath(sha), at, at))
	return sha
}

// named makes assets of n texts, old enough to be swept if nothing named them.
func named(t *testing.T, s *Store, n int) (shas []string) {
	t.Helper()
	ctx := context.Background()
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	for i := range n {
		sha := put(t, s, fmt.Sprint("source ", i), 99*time.Hour)
		_, err = s.NewAsset(ctx, k.ID, fmt.Sprint(i), "a.obj", []File{{Name: "a.obj", SHA: sha}})
		require.NoError(t, err)
		shas = append(shas, sha)
	}
	return shas
}

func TestWhatNothingNamesGoesToTheTrashAndCanComeBack(t *testing.T) {
	ctx, now := context.Background(), time.Now()
	s := folder(t, t.TempDir())
	kept := named(t, s, 4)
	young, old := put(t, s, "being sent", time.Hour), put(t, s, "refused", 48*time.Hour)
	did, err := s.Sweep(ctx, now, false)
	require.NoError(t, err)
	assert.Equal(t, Swept{Blobs: 6, Orphans: 1, Moved: 1, Bytes: 7}, did)
	assert.NoFileExists(t, s.blobPath(old))
	assert.FileExists(t, filepath.Join(s.dir, "trash", now.Format(dayName), old))
	assert.FileExists(t, s.blobPath(young), "an upload may be under way")

	// Asked for, or named by a row again, it is back.
	b, err := s.Blob(old)
	require.NoError(t, err)
	assert.Equal(t, "refused", string(b))
	_, err = s.Sweep(ctx, now.Add(48*time.Hour), false)
	require.NoError(t, err)
	k, err := s.NewKit(ctx, "k", target.Shipped[0])
	require.NoError(t, err)
	_, err = s.NewAsset(ctx, k.ID, "late", "a.obj", []File{{Name: "a.obj", SHA: old}})
	require.NoError(t, err)
	did, err = s.Sweep(ctx, now, false)
	require.NoError(t, err)
	assert.Equal(t, 1, did.Back)
	assert.FileExists(t, s.blobPath(old))

	// After thirty days what nobody asked for is gone, and nothing else is.
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "trash", "notes.txt"), []byte("mine"), 0o644))
	did, err = s.Sweep(ctx, now.Add(31*24*time.Hour), false)
	require.NoError(t, err)
	assert.Zero(t, did.Dropped, "%+v", did)
	did, err = s.Sweep(ctx, now.Add(80*24*time.Hour), false)
	require.NoError(t, err)
	assert.Equal(t, 1, did.Dropped)
	_, err = s.Blob(young)
	assert.ErrorIs(t, err, ErrNotFound)
	assert.FileExists(t, filepath.Join(s.dir, "trash", "notes.txt"))
	for _, sha := range kept {
		_, err = s.Blob(sha)
		require.NoError(t, err)
	}
}

// The wrong database moves nothing: a new one, and an older one that knows half.
func TestTheWrongDatabaseSweepsNothing(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := folder(t, dir)
	shas := named(t, s, 5)
	require.NoError(t, s.Close())
	for _, db := range []string{"yarvek.db", "yarvek.db-wal", "yarvek.db-shm"} {
		_ = os.Remove(filepath.Join(dir, db))
	}
	s = folder(t, dir)
	did, err := s.Sweep(ctx, time.Now().Add(time.Hour), false)
	require.NoError(t, err)
	assert.Zero(t, did.Moved)
	assert.Contains(t, did.Held, "it is new")
	named(t, s, 1)
	did, err = s.Sweep(ctx, time.Now().Add(time.Hour), false)
	require.NoError(t, err)
	assert.Zero(t, did.Moved)
	assert.Equal(t, 4, did.Orphans)
	assert.Contains(t, did.Held, "an older one")
	for _, sha := range shas {
		assert.FileExists(t, s.blobPath(sha))
	}
}

func TestAnOrphanThatComesInAgainIsYoung(t *testing.T) {
	s := folder(t, t.TempDir())
	named(t, s, 4)
	put(t, s, "once refused", 48*time.Hour)
	_, _, err := s.PutBlob(strings.NewReader("once refused"))
	require.NoError(t, err)
	did, err := s.Sweep(context.Background(), time.Now(), false)
	require.NoError(t, err)
	assert.Zero(t, did.Orphans, "its row may be on the way")
}

// Bytes that are not the kept ones are never given, and the right ones heal them.
func TestAFlippedByteIsSeenAndHealed(t *testing.T) {
	dir := t.TempDir()
	s := folder(t, dir)
	sha, _, err := s.PutBlob(strings.NewReader("seven metres"))
	require.NoError(t, err)
	_, err = s.Blob(sha)
	require.NoError(t, err)
	flip := func() {
		b, err := os.ReadFile(s.blobPath(sha))
		require.NoError(t, err)
		b[3] ^= 1
		require.NoError(t, os.WriteFile(s.blobPath(sha), b, 0o644))
		at := time.Now().Add(time.Second) // however coarse the clock of the disk is
		require.NoError(t, os.Chtimes(s.blobPath(sha), at, at))
	}
	flip()
	_, err = s.Blob(sha)
	assert.ErrorIs(t, err, ErrDamaged)
	_, err = s.OpenBlob(sha)
	assert.ErrorIs(t, err, ErrDamaged)
	again, _, err := s.PutBlob(strings.NewReader("seven metres"))
	require.NoError(t, err)
	assert.Equal(t, sha, again)
	b, err := s.Blob(sha)
	require.NoError(t, err)
	assert.Equal(t, "seven metres", string(b))

	flip()
	require.NoError(t, s.Close())
	s = folder(t, dir)
	_, err = s.Blob(sha)
	assert.ErrorIs(t, err, ErrDamaged, "another process looks for itself")
	for _, no := range []string{"", "x", strings.Repeat("z", 64), "../" + sha} {
		_, err = s.Blob(no)
		assert.ErrorIs(t, err, ErrNotFound, no)
	}
}

// A panic within a transaction undoes it and leaves the store usable.
func TestAPanicUndoesItsTransaction(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	assert.Panics(t, func() {
		_ = s.tx(ctx, func(tx *sql.Tx) error {
			_, err := tx.ExecContext(ctx, "UPDATE kits SET name = 'half done'")
			require.NoError(t, err)
			panic("broke off")
		})
	})
	got, err := s.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, "Tern Point", got.Name)
	require.NoError(t, s.RenameKit(ctx, k.ID, k.Name, "East"))
}

// What a sweep won't do by itself it does for somebody who saw what would go.
func TestASweepThatIsSure(t *testing.T) {
	ctx, now := context.Background(), time.Now()
	s := folder(t, t.TempDir())
	named(t, s, 2)
	for i := range 9 {
		put(t, s, strings.Repeat(fmt.Sprint("refused ", i), i+1), 99*time.Hour)
	}
	did, err := s.Sweep(ctx, now, false)
	require.NoError(t, err)
	assert.NotEmpty(t, did.Held)
	list, err := s.Orphans(ctx, now)
	require.NoError(t, err)
	require.Len(t, list, 9)
	assert.Equal(t, int64(81), list[0].Size, "the largest first")
	did, err = s.Sweep(ctx, now, true)
	require.NoError(t, err)
	assert.Equal(t, 9, did.Moved)
	v, err := Verify(ctx, s.dir)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 9}, []int{v.Unnamed, v.Trash})
	assert.Equal(t, did.Bytes, v.TrashBytes)
}

// What an upload brought and no row names is gone when it ends, but for what was there before it and what another one
// holds; what would be too long is not kept at all.
func TestABringingLeavesNothingBehind(t *testing.T) {
	ctx := context.Background()
	s := folder(t, t.TempDir())
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	before := put(t, s, "before", 0)
	a, b := s.Bring(), s.Bring()
	sha := func(by *Bringing, text string) string {
		t.Helper()
		sha, n, err := by.Put(strings.NewReader(text), 100)
		require.NoError(t, err)
		require.Equal(t, int64(len(text)), n)
		return sha
	}
	taken, refused, both := sha(a, "taken"), sha(a, "refused"), sha(a, "both")
	sha(a, "before")
	sha(a, "both")
	sha(b, "both")
	_, n, err := a.Put(strings.NewReader(strings.Repeat("x", 1000)), 100)
	assert.ErrorIs(t, err, ErrTooLong)
	assert.Equal(t, int64(101), n)
	_, err = s.NewAsset(ctx, k.ID, "a", "a.obj", []File{{Name: "a.obj", SHA: taken, Size: 5}})
	require.NoError(t, err)
	require.NoError(t, a.End(ctx))
	require.NoError(t, a.End(ctx), "twice is once")
	assert.FileExists(t, s.blobPath(taken))
	assert.FileExists(t, s.blobPath(before))
	assert.FileExists(t, s.blobPath(both), "another one holds it")
	assert.NoFileExists(t, s.blobPath(refused))
	left, err := filepath.Glob(filepath.Join(s.dir, "tmp", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	did, err := s.Sweep(ctx, time.Now().Add(48*time.Hour), true)
	require.NoError(t, err)
	assert.FileExists(t, s.blobPath(both), "not even swept, however long it takes")
	assert.Equal(t, 2, did.Orphans)
	ofKit, ofPerson, err := s.Held(ctx, k.ID, "")
	require.NoError(t, err)
	assert.Equal(t, []int64{5, 0}, []int64{ofKit, ofPerson})
}

// Pictures that were added to an asset are named by it: they stay, and are looked after.
func TestAddedPicturesAreNamed(t *testing.T) {
	ctx, now := context.Background(), time.Now()
	s := folder(t, t.TempDir())
	named(t, s, 1)
	sha := put(t, s, "a picture", 99*time.Hour)
	require.NoError(t, s.AddPictures(ctx, 1, []File{{Name: "wall.png", SHA: sha}}))
	require.NoError(t, s.AddPictures(ctx, 1, []File{{Name: "again.png", SHA: sha}}), "twice is once")
	did, err := s.Sweep(ctx, now, false)
	require.NoError(t, err)
	assert.Zero(t, did.Orphans)
	st, err := s.State(ctx, 1)
	require.NoError(t, err)
	require.Len(t, st.Added, 1)
	assert.Equal(t, sha, st.Added[0].SHA)
	require.NoError(t, os.WriteFile(s.blobPath(sha), []byte("b picture"), 0o644))
	v, err := Verify(ctx, s.dir)
	require.NoError(t, err)
	require.Len(t, v.Harmed, 1)
	assert.Contains(t, v.Harmed[0].Of[0], "wall.png")
}
