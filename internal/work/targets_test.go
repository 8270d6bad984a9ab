package work

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// A target is copied, revised, and taken into a file and back; the shipped ones stay.
func TestTargetsAreCopiedRevisedAndTakenIn(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	own, err := d.CopyTarget(ctx, target.Shipped[1].ID, "Our engine")
	require.NoError(t, err)
	assert.Equal(t, "our-engine", own.ID)
	again, err := d.CopyTarget(ctx, own.ID, "Our engine")
	require.NoError(t, err)
	assert.Equal(t, "our-engine-2", again.ID)
	own.Classes[0].Budget.Triangles = 5
	own, err = d.ReviseTarget(ctx, own, 1)
	require.NoError(t, err)
	assert.Equal(t, 2, own.Revision)
	same, err := d.ReviseTarget(ctx, own, 2)
	require.NoError(t, err)
	assert.Equal(t, 2, same.Revision, "nothing was changed, so nothing was kept")
	_, err = d.ReviseTarget(ctx, own, 1)
	assert.ErrorIs(t, err, ErrStale)
	_, err = d.ReviseTarget(ctx, target.Shipped[0], 1)
	assert.ErrorContains(t, err, "can't be changed")
	bad := own.Copy()
	bad.Unit.Metres = -1
	_, err = d.ReviseTarget(ctx, bad, 2)
	assert.ErrorContains(t, err, "unit.metres")
	old, err := d.Target(ctx, "our-engine", 1)
	require.NoError(t, err)
	assert.NotEqual(t, 5, old.Classes[0].Budget.Triangles)
	_, err = d.Target(ctx, "our-engine", 9)
	assert.Equal(t, fault.Missing, fault.KindOf(err))
	_, err = d.Target(ctx, "sideways", 0)
	assert.ErrorContains(t, err, "our-engine-2")
	have, err := d.ImportTarget(ctx, own.File())
	require.NoError(t, err)
	assert.Equal(t, "our-engine", have.ID, "it is there already")
	bad = own.Copy()
	bad.Classes[0].Most = 2
	taken, err := d.ImportTarget(ctx, bad.File())
	require.NoError(t, err)
	assert.Equal(t, "our-engine-3", taken.ID, "another one of the same name")
	assert.Equal(t, 1, taken.Revision)
	_, err = d.ImportTarget(ctx, []byte(`{"yarvekTarget":7}`))
	assert.ErrorContains(t, err, "newer")
	list, err := d.Targets(ctx)
	require.NoError(t, err)
	require.NoError(t, d.RemoveTarget(ctx, "our-engine-2", true))
	fewer, err := d.Targets(ctx)
	require.NoError(t, err)
	assert.Len(t, fewer, len(list)-1)
	assert.ErrorIs(t, d.RemoveTarget(ctx, "sideways", true), store.ErrNotFound)
}

// Two windows keep the same target at once: one of them is told, and no revision is lost.
func TestTwoWindowsOnOneTarget(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	own, err := d.CopyTarget(ctx, target.Shipped[0].ID, "Ours")
	require.NoError(t, err)
	var wg sync.WaitGroup
	errs := make([]error, 8)
	for i := range errs {
		wg.Go(func() {
			mine := own.Copy()
			mine.View.Lines = 700 + i
			_, errs[i] = d.ReviseTarget(ctx, mine, 1)
		})
	}
	wg.Wait()
	kept := 0
	for _, err := range errs {
		if err == nil {
			kept++
		} else {
			assert.ErrorIs(t, err, ErrStale)
		}
	}
	assert.Equal(t, 1, kept)
	list, err := d.TargetRevisions(ctx, own.ID)
	require.NoError(t, err)
	assert.Len(t, list, 2)
}

// A kit says which revision it uses, moves to a newer one and back, and what the asset is
// judged by goes along.
func TestAKitMovesToARevisionAndBack(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "post.obj",
		"v 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n").Came[0].Asset.ID
	_, err := d.Decide(ctx, id, 0, func(p *prep.Prep) error { p.Size.Class = "street-furniture"; return nil })
	require.NoError(t, err)
	own, err := d.CopyTarget(ctx, k.Target.ID, "Ours")
	require.NoError(t, err)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 0))
	next := own.Copy()
	next.Classes[2].Most, next.Classes[2].Budget.Triangles = 1.5, 3
	next.Basis = geom.Basis{Up: geom.PosY, Forward: geom.PosZ}
	next, err = d.ReviseTarget(ctx, next, 1)
	require.NoError(t, err)
	sized := func() (bool, geom.Basis, int) {
		o, err := d.Open(ctx, id)
		require.NoError(t, err)
		return o.Result.Size.Class.Fits(o.Result.Size.Longest), o.Result.Delivery.Scene.Basis, o.Kit.Target.Revision
	}
	fits, basis, rev := sized()
	assert.True(t, fits)
	assert.Equal(t, own.Basis, basis)
	assert.Equal(t, 1, rev, "a kit stays with its revision")
	now, rows, err := d.Overview(ctx, k.ID)
	require.NoError(t, err)
	e := EffectOf(rows, now.Target, next)
	assert.Equal(t, []string{"post"}, e.Over)
	assert.Equal(t, []string{"post"}, e.Odd)
	assert.True(t, e.Frame)
	assert.Contains(t, e.Says(), "1 asset goes over budget: post")
	back := EffectOf(rows, next, now.Target)
	assert.Equal(t, e.Over, back.Within)
	assert.Equal(t, e.Odd, back.Right)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 2))
	fits, basis, rev = sized()
	assert.False(t, fits)
	assert.Equal(t, next.Basis, basis)
	assert.Equal(t, 2, rev)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 1))
	fits, _, _ = sized()
	assert.True(t, fits)
	// A class that the target has not is told, and the asset is not judged.
	none := own.Copy()
	none.Classes = none.Classes[:2]
	none, err = d.ReviseTarget(ctx, none, 2)
	require.NoError(t, err)
	assert.Equal(t, []string{"post"}, EffectOf(rows, now.Target, none).NoClass)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 3))
	o, err := d.Open(ctx, id)
	require.NoError(t, err)
	found := false
	for _, f := range o.Result.Findings() {
		found = found || f.Code == "size/class-gone"
	}
	assert.True(t, found)
}

// Only what depends on a target is computed anew when it changes.
func TestABudgetRecomputesNothing(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "a.obj", tri).Came[0].Asset.ID
	own, err := d.CopyTarget(ctx, k.Target.ID, "Ours")
	require.NoError(t, err)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 0))
	o, err := d.Open(ctx, id)
	require.NoError(t, err)
	was := SummaryKey(o.State)
	own.Classes[0].Budget.Triangles, own.Textures.Largest = 1, 64
	_, err = d.ReviseTarget(ctx, own, 1)
	require.NoError(t, err)
	require.NoError(t, d.SetTarget(ctx, k.ID, own.ID, 0))
	o, err = d.Open(ctx, id)
	require.NoError(t, err)
	assert.NotEqual(t, was, SummaryKey(o.State), "what is said of the asset may be another thing")
	assert.Equal(t, 14, o.Result.Hits,
		"survey, flats, four stations, places, flaws, flicker, cover, what is gathered of them, costs, reach: "+
			"nothing is measured anew")
}

// BenchmarkTargetEffect weighs a target for a kit of a hundred assets with forty nodes and
// ten slots each, and twenty changed fields.
func BenchmarkTargetEffect(b *testing.B) {
	var rows []Row
	for i := range 100 {
		s := Summary{ClassID: target.Shipped[0].Classes[i%8].ID, Longest: 1, Triangles: 1000 * i, DrawCalls: i % 9,
			Slots: i % 7}
		for n := range 40 {
			s.NodeNames = append(s.NodeNames, fmt.Sprintf("Part %d of %d", n, i))
		}
		for n := range 10 {
			s.SlotNames = append(s.SlotNames, fmt.Sprintf("Slot %d", n))
		}
		rows = append(rows, Row{State: store.State{Asset: store.Asset{ID: int64(i), Name: fmt.Sprint("asset ", i)}},
			Summary: s})
	}
	from := target.Shipped[0]
	to := from.Copy()
	to.Names.Node, to.Names.Slot = "part {mesh}", "{slot} surface"
	for i := range 8 {
		to.Classes[i].Budget.Triangles, to.Classes[i].Most = 20_000, 2
	}
	changes := target.Changes(from, to)
	for b.Loop() {
		start := time.Now()
		e := EffectOf(rows, from, to)
		for _, c := range changes {
			one, err := target.WithChange(from, to, c)
			if err != nil {
				b.Fatal(err)
			}
			EffectOf(rows, from, one)
		}
		if e.Renamed != 5000 {
			b.Fatal(errors.New("names"), e.Renamed)
		}
		b.ReportMetric(1000*time.Since(start).Seconds(), "ms")
	}
	b.ReportMetric(float64(len(changes)), "fields")
}
