package work

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/store"
)

// reopened ends a program in the middle of what it does and starts it again.
func reopened(t *testing.T, d *Desk, dir string) *Desk {
	t.Helper()
	d.Close()
	require.NoError(t, d.store.Close())
	s, err := store.Open(dir)
	require.NoError(t, err)
	d = New(s, DefaultLimits, nil)
	t.Cleanup(func() { d.Close(); _ = s.Close() })
	return d
}

// What comes in, is decided or is sent for many goes on at the next start with what is left, under the name that a page
// waits for, for the person who asked; nothing is done twice.
func TestWhatWasUnderWayGoesOn(t *testing.T) {
	dir := t.TempDir()
	ctx := store.As(t.Context(), "Ines")
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	k := kit(t, d)
	u := d.NewUpload()
	for i := range 30 {
		require.NoError(t, u.Add(fmt.Sprintf("rocks/rock %d.obj", i), strings.NewReader(waves(16, i))))
	}
	job, err := d.TakeIn(ctx, k.ID, u)
	require.NoError(t, err)
	assets := func() []Asset {
		list, err := d.store.Assets(ctx, k.ID, false)
		require.NoError(t, err)
		return list
	}
	require.Eventually(t, func() bool { return len(assets()) > 1 }, time.Minute, time.Millisecond)
	d = reopened(t, d, dir)
	came := len(assets())
	require.Less(t, came, 30, "it was to be broken off in the middle")
	require.NoError(t, d.Resume(ctx))
	next, err := d.Jobs.Find(job.ID)
	require.NoError(t, err)
	assert.Equal(t, "Ines", next.State().Person)
	d.Jobs.Wait()
	in := next.State().Outcome.(*Intake)
	assert.Empty(t, in.Refused)
	assert.Len(t, in.Came, 30)
	list := assets()
	require.Len(t, list, 30)
	names := map[string]bool{}
	for _, a := range list {
		names[a.Name] = true
	}
	assert.Len(t, names, 30, "none came in twice")

	var ids []int64
	for _, a := range list {
		ids = append(ids, a.ID)
	}
	sent := func() (n int) {
		for _, id := range ids {
			got, _, err := d.Exports(ctx, k.ID, id, 0, 9)
			require.NoError(t, err)
			assert.LessOrEqual(t, len(got), 1, "sent twice")
			n += len(got)
		}
		return n
	}
	job, err = d.SendManyLater(ctx, k.ID, ids, 0, "a trial")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return sent() > 1 }, time.Minute, time.Millisecond)
	d = reopened(t, d, dir)
	require.Less(t, sent(), 30, "it was to be broken off in the middle")
	require.NoError(t, d.Resume(ctx))
	_, err = d.Jobs.Find(job.ID)
	require.NoError(t, err)
	d.Jobs.Wait()
	assert.Equal(t, 30, sent())

	// What ended is not gone on with; what was decided is decided once.
	made, err := d.DoLater(ctx, k.ID, Many{Do: Prescribed, Assets: ids, Make: Prescriptions[0].ID})
	require.NoError(t, err)
	<-made.Done()
	d.Jobs.Wait()
	rows, err := d.store.Errands(ctx)
	require.NoError(t, err)
	assert.Empty(t, rows)
	class := k.Target.Classes[0].ID
	require.NoError(t, d.store.KeepErrand(ctx, store.Errand{Job: "again", Kit: k.ID,
		Body: fmt.Appendf(nil, `{"Do":{"Do":"class","Class":%q,"Assets":[1]}}`, class), Tries: mostTries}))
	d = reopened(t, d, dir)
	require.NoError(t, d.Resume(ctx))
	broken, err := d.Jobs.Find("again")
	require.NoError(t, err, "it ended the program often enough, and is left to a person")
	assert.True(t, broken.State().Repeats)
	require.Error(t, broken.State().Err)
	_, err = d.Jobs.Again(ctx, "again")
	require.NoError(t, err)
	d.Jobs.Wait()
	p, err := d.Prep(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, class, p.Size.Class)
	rows, err = d.store.Errands(ctx)
	require.NoError(t, err)
	assert.Empty(t, rows)
}
