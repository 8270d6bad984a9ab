package work

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// blockFolder makes a data folder take no more files.
func blockFolder(t *testing.T, dir string) {
	t.Helper()
	tmp := filepath.Join(dir, "tmp")
	require.NoError(t, os.RemoveAll(tmp))
	require.NoError(t, os.WriteFile(tmp, nil, 0o644)) // where a folder is expected
}

func TestAKitsTargetNameAndGrid(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	require.NoError(t, d.RenameKit(ctx, k.ID, k.Name, "  North\tpier "))
	require.NoError(t, d.SetTarget(ctx, k.ID, target.Shipped[3].ID, 0))
	require.NoError(t, d.SetGrid(ctx, k.ID, .25))
	got, err := d.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, "North pier", got.Name)
	assert.Equal(t, target.Shipped[3], got.Target)
	assert.Equal(t, .25, got.Grid)
	for _, err := range []error{
		d.RenameKit(ctx, k.ID, got.Name, " \n "), d.RenameKit(ctx, k.ID, got.Name, strings.Repeat("x", 121)),
		d.SetTarget(ctx, k.ID, "sideways", 0),
		d.SetGrid(ctx, k.ID, -1), d.SetGrid(ctx, k.ID, 1e9),
	} {
		assert.Equal(t, fault.Invalid, fault.KindOf(err))
	}
	_, err = d.NewKit(ctx, "x", "sideways")
	assert.ErrorContains(t, err, "expected one of y-up-metres-right")
	again, err := d.Kit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, got, again, "what was refused changed nothing")
	require.NoError(t, d.SetGrid(ctx, k.ID, 0))
	assert.ErrorIs(t, d.RenameKit(ctx, 99, "", "x"), ErrNotFound)
	list, err := d.Kits(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 1)
}

func TestRemovedAssetsComeBackWithTheirDecisions(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	var ids []int64
	for _, n := range []string{"a", "b", "c"} {
		ids = append(ids, take(t, d, k, n+".obj", tri).Came[0].Asset.ID)
	}
	_, err := d.Decide(ctx, ids[1], 0, func(p *prep.Prep) error { p.Pivot = pivot.BaseCentre; return nil })
	require.NoError(t, err)
	neighbours := func(of int64) []int64 {
		o, err := d.Open(ctx, of)
		require.NoError(t, err)
		prev, next, err := d.Neighbours(ctx, o.Asset)
		require.NoError(t, err)
		return []int64{prev, next}
	}
	assert.Equal(t, []int64{ids[0], ids[2]}, neighbours(ids[1]))
	assert.Equal(t, []int64{0, ids[1]}, neighbours(ids[0]))
	from, err := d.Remove(ctx, ids[1], true)
	require.NoError(t, err)
	assert.Equal(t, k.ID, from)
	assert.Equal(t, []int64{0, ids[2]}, neighbours(ids[0]))
	gone, err := d.Removed(ctx, k.ID)
	require.NoError(t, err)
	require.Len(t, gone, 1)
	assert.Equal(t, "b", gone[0].Name)
	_, rows, err := d.Overview(ctx, k.ID)
	require.NoError(t, err)
	assert.Len(t, rows, 2)
	_, err = d.Remove(ctx, ids[1], false)
	require.NoError(t, err)
	o, err := d.Open(ctx, ids[1])
	require.NoError(t, err)
	assert.Equal(t, pivot.BaseCentre, o.Prep.Pivot)
	_, err = d.Remove(ctx, 99, true)
	assert.ErrorIs(t, err, ErrNotFound)
	require.NoError(t, d.Rename(ctx, ids[0], "  bollard "))
	o, err = d.Open(ctx, ids[0])
	require.NoError(t, err)
	assert.Equal(t, "bollard", o.Asset.Name)
}

// A remedy is found by its finding, and one that is gone is said to be.
func TestRemediesAreFoundByTheirFinding(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	far := strings.NewReplacer("0 0 0", "40 0 0", "1 0 0", "41 0 0", "0 1 0", "40 1 0").Replace(tri)
	id := take(t, d, kit(t, d), "far.obj", far).Came[0].Asset.ID
	o, err := d.Open(ctx, id)
	require.NoError(t, err)
	by, err := d.Remedy(ctx, o, "pivot", "pivot/far", 0)
	require.NoError(t, err)
	label, err := d.Decide(ctx, id, o.Base(), by)
	require.NoError(t, err)
	assert.Equal(t, "Seat the pivot at the centre of the base", label)
	o, err = d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, label, o.Step.Undo)
	_, err = d.Remedy(ctx, o, "pivot", "pivot/far", 0)
	assert.Equal(t, fault.Missing, fault.KindOf(err))
	_, err = d.Remedy(ctx, o, "nowhere", "pivot/far", 0)
	assert.ErrorContains(t, err, "no station called")
}

// A file that is away once and back again is read again: that it could not be is never
// remembered.
func TestUnreadableIsNeverRemembered(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	k := kit(t, d)
	u := d.NewUpload()
	require.NoError(t, u.Add("a.obj", strings.NewReader(tri)))
	_, err = d.Bring(ctx, k.ID, "a", u)
	require.NoError(t, err)
	blob := filepath.Join(dir, "blobs", u.files[0].SHA[:2], u.files[0].SHA)
	require.NoError(t, os.Rename(blob, blob+".away"))
	summary := func() Summary {
		_, rows, err := d.Overview(ctx, k.ID)
		require.NoError(t, err)
		return rows[0].Summary
	}
	assert.NotEmpty(t, summary().Unread)
	assert.NotContains(t, summary().Unread, dir, "and no path of the server is shown")
	require.NoError(t, os.Rename(blob+".away", blob))
	assert.Empty(t, summary().Unread)
	assert.Equal(t, 1, summary().Triangles)
	d.Close()
	require.NoError(t, s.Close())
}

// A summary belongs to the state it was made of, whatever is decided meanwhile.
func TestASummaryIsOfOneMoment(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	id := take(t, d, kit(t, d), "a.obj", tri).Came[0].Asset.ID
	before, err := d.store.State(ctx, id)
	require.NoError(t, err)
	_, err = d.Decide(ctx, id, 0, func(p *prep.Prep) error { p.Size.Class = "building"; return nil })
	require.NoError(t, err)
	after, err := d.store.State(ctx, id)
	require.NoError(t, err)
	// The old state is asked for after the decision, as a page that was slow would.
	was, err := d.Summary(ctx, before)
	require.NoError(t, err)
	assert.Empty(t, was.ClassID)
	is, err := d.Summary(ctx, after)
	require.NoError(t, err)
	assert.Equal(t, "building", is.ClassID)
	assert.False(t, is.Fits)
}

// Files that come in at once are all there in the end: none is put together from a
// revision that another has followed meanwhile.
func TestMissingFilesAddedAtOnceAreAllThere(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	for round := range 8 {
		libraries := ""
		for i := range 5 {
			libraries += fmt.Sprintf("mtllib paint%d.mtl\n", i)
		}
		id := take(t, d, k, fmt.Sprintf("a%d.obj", round), libraries+tri).Came[0].Asset.ID
		var wg sync.WaitGroup
		for i := range 5 {
			wg.Go(func() {
				_, used, err := send(t, d, id, fmt.Sprintf("paint%d.mtl", i), "newmtl x\n")
				assert.NoError(t, err)
				assert.True(t, used)
			})
		}
		wg.Wait()
		r, err := d.store.Current(ctx, id)
		require.NoError(t, err)
		assert.Len(t, r.Files, 6)
		assert.Equal(t, 6, r.Number)
	}
}

// Equal requests at one time compute once, and one who leaves does not take the others'
// answer along.
func TestEqualRequestsOpenOnce(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	var made atomic.Int32
	gate := make(chan struct{})
	ask := func(ctx context.Context) (int, error) {
		return Derive(ctx, d.Derived, "test", "key", func(context.Context) (int, error) {
			made.Add(1)
			<-gate
			return 7, nil
		})
	}
	leaving, leave := context.WithCancel(ctx)
	var wg sync.WaitGroup
	wg.Go(func() {
		_, err := ask(leaving)
		assert.ErrorIs(t, err, context.Canceled)
	})
	for range 8 {
		wg.Go(func() {
			v, err := ask(ctx)
			assert.NoError(t, err)
			assert.Equal(t, 7, v)
		})
	}
	time.Sleep(20 * time.Millisecond)
	leave()
	time.Sleep(5 * time.Millisecond)
	close(gate)
	wg.Wait()
	assert.EqualValues(t, 1, made.Load())
}

// What became known more of replaces what is kept, in memory and on the disk, also while the older is still made.
func TestPutReplacesWhatIsKept(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := NewDerived(dir, 10_000, nil)
	get := func(d *Derived, key string) string {
		v, err := Derive(ctx, d, "test", key, func(context.Context) (string, error) { return "older", nil })
		require.NoError(t, err)
		return v
	}
	assert.Equal(t, "older", get(d, "k"))
	require.NoError(t, Put(d, "test", "k", "new"))
	assert.Equal(t, "new", get(d, "k"))
	begun, end, left := make(chan struct{}), make(chan struct{}), make(chan struct{})
	go func() {
		defer close(left)
		_, _ = Derive(ctx, d, "test", "late", func(context.Context) (string, error) {
			close(begun)
			<-end
			return "older",
				nil
		})
	}()
	<-begun
	require.NoError(t, Put(d, "test", "late", "new"))
	close(end)
	<-left
	assert.Equal(t, "new", get(d, "late"))
	fresh := NewDerived(dir, 10_000, nil)
	assert.Equal(t, "new", get(fresh, "k"))
	assert.Equal(t, "new", get(fresh, "late"))
}

// Nothing that came from outside names a file.
func TestShelvesHoldWhateverTheKeyIs(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a", "b")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	s := shelf{NewDerived(dir, 10_000, nil)}
	for _, key := range []string{"../../evil.png", "a\nb", "/etc/x", "CON", ""} {
		s.Save(key, []byte(key))
		b, ok := s.Load(key)
		assert.True(t, ok, "%q", key)
		assert.Equal(t, key, string(b))
	}
	assert.Len(t, glob(t, dir), 5)
	assert.Len(t, glob(t, filepath.Join(dir, "..", "..")), 1, "nothing beside the folder")
}

// The folder of derived data is bounded: what was used least recently goes.
func TestDerivedDataIsBounded(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := NewDerived(dir, 10_000, nil)
	long := strings.Repeat("x", 900)
	for i := range 30 {
		_, err := Derive(ctx, d, "test", fmt.Sprint(i), func(context.Context) (string, error) { return long, nil })
		require.NoError(t, err)
		// Files written within one tick of the clock can't be told apart.
		at := time.Now().Add(time.Duration(i-100) * time.Second)
		for _, f := range glob(t, dir) {
			if info, err := os.Stat(f); err == nil && time.Since(info.ModTime()) < 20*time.Second {
				require.NoError(t, os.Chtimes(f, at, at))
			}
		}
	}
	size := int64(0)
	for _, f := range glob(t, dir) {
		info, err := os.Stat(f)
		require.NoError(t, err)
		size += info.Size()
	}
	assert.LessOrEqual(t, size, int64(10_000))
	assert.Greater(t, size, int64(5_000))
	// A fresh one finds the last, and not the first.
	made := 0
	fresh := NewDerived(dir, 10_000, nil)
	for _, k := range []string{"29", "0"} {
		_, err := Derive(ctx, fresh, "test", k, func(context.Context) (string, error) { made++; return long, nil })
		require.NoError(t, err)
	}
	assert.Equal(t, 1, made)
	// An error is given on and nothing is kept of it.
	odd := errors.New("odd")
	_, err := Derive(ctx, fresh, "test", "new", func(context.Context) (string, error) { return "", odd })
	assert.ErrorIs(t, err, odd)
	v, err := Derive(ctx, fresh, "test", "new", func(context.Context) (string, error) { return "sound", nil })
	require.NoError(t, err)
	assert.Equal(t, "sound", v)
	// A folder that can't be written to is no error.
	require.NoError(t, os.RemoveAll(dir))
	v, err = Derive(ctx, fresh, "test", "homeless", func(context.Context) (string, error) { return "still here", nil })
	require.NoError(t, err)
	assert.Equal(t, "still here", v)
}

func glob(t *testing.T, dir string) []string {
	t.Helper()
	list, err := filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	return list
}

// Nothing is exported of which nothing goes on, and that is said.
func TestNothingIsSentOfNothing(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	id := take(t, d, kit(t, d), "a.obj", tri).Came[0].Asset.ID
	o, err := d.Open(ctx, id)
	require.NoError(t, err)
	_, err = d.Decide(ctx, id, 0, func(p *prep.Prep) error { p.Source.Leave = o.Result.Survey.Keys; return nil })
	require.NoError(t, err)
	_, err = d.Send(ctx, id, Leave{})
	assert.ErrorContains(t, err, "nothing goes on")
	assert.Equal(t, fault.Invalid, fault.KindOf(err))
}
