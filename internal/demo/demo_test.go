package demo

import (
	"context"
	"testing"

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
