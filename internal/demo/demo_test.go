package demo

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/store"
	"yarvek/internal/work"
)

func TestTheDemoKitHasTheFaultsItPromises(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	d := work.New(s, work.DefaultLimits, nil)
	kit, err := Fill(ctx, d)
	require.NoError(t, err)
	_, rows, err := d.Overview(ctx, kit.ID)
	require.NoError(t, err)
	require.Len(t, rows, 13)
	want := map[string]string{
		"signal-lantern": "size/unit-slip",
		"storm shutter":  "size/unit-slip",
		"weather-vane":   "axes/lying",
		"anemometer":     "pivot/far",
		"dinghy":         "pivot/sunk",
		"shore-rock":     "pivot/sunk",
		"fog-bell":       "axes/floor",
		"harbour-beacon": "source/variants",
	}
	exported := 0
	for _, r := range rows {
		sh, err := d.Open(ctx, r.Asset.ID)
		require.NoError(t, err, r.Asset.Name)
		for _, m := range sh.Result.Delivery.Scene.Meshes {
			require.NoError(t, m.Validate(), r.Asset.Name)
		}
		codes := []string{}
		for _, f := range sh.Result.Findings() {
			codes = append(codes, f.Code)
		}
		if c := want[r.Asset.Name]; c != "" {
			assert.Contains(t, codes, c, r.Asset.Name)
		}
		if r.Last != nil {
			exported++
			assert.False(t, r.Changed, r.Asset.Name)
			list, _, err := d.Exports(ctx, kit.ID, r.Asset.ID, 0, 100)
			require.NoError(t, err)
			assert.True(t, list[0].Certificate.Equal(), "%s: %+v", r.Asset.Name, list[0].Certificate.Rows)
			assert.Zero(t, r.Summary.MustFix, "%s %v", r.Asset.Name, codes)
		}
	}
	assert.Equal(t, 3, exported)
}

// A kit whose filling was broken off is filled to its end by the next start: nothing is there twice, what somebody took
// out stays out, and what is to be sent is sent once.
func TestABrokenOffFillingGoesOn(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	open := func() (*store.Store, *work.Desk) {
		s, err := store.Open(dir)
		require.NoError(t, err)
		d := work.New(s, work.DefaultLimits, nil)
		d.Fillers = Fillers()
		return s, d
	}
	s, d := open()
	kit, err := Begin(ctx, d)
	require.NoError(t, err)
	there := func() []work.Asset {
		list, err := d.Assets(ctx, kit.ID)
		require.NoError(t, err)
		return list
	}
	require.Eventually(t, func() bool { return len(there()) > 2 }, time.Minute, time.Millisecond)
	_, err = d.Remove(ctx, there()[0].ID, true)
	require.NoError(t, err)
	d.Close()
	require.NoError(t, s.Close())

	s, d = open()
	t.Cleanup(func() { d.Close(); _ = s.Close() })
	require.NoError(t, d.Resume(ctx))
	d.Jobs.Wait()
	names := map[string]bool{}
	for _, a := range there() {
		names[a.Name] = true
	}
	assert.Len(t, there(), 12)
	assert.Len(t, names, 12)
	for _, a := range there() {
		_, sent, err := d.Exports(ctx, kit.ID, a.ID, 0, 9)
		require.NoError(t, err)
		want := 0
		if a.Name == "boardwalk-2m" || a.Name == "tide-gauge-hut" {
			want = 1
		}
		assert.Equal(t, want, sent, a.Name)
	}
	_, err = d.FillLater(ctx, kit, "unheard")
	assert.Error(t, err)
}
