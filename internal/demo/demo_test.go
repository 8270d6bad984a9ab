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
	d := work.New(s, work.DefaultLimits)
	kit, err := Fill(ctx, d)
	require.NoError(t, err)
	_, rows, err := d.Overview(ctx, kit.ID)
	require.NoError(t, err)
	require.Len(t, rows, 10)
	want := map[string]string{
		"signal-lantern": "size/unit-slip",
		"storm shutter":  "size/unit-slip",
		"weather-vane":   "axes/lying",
		"anemometer":     "pivot/far",
		"dinghy":         "pivot/sunk",
		"shore-rock":     "pivot/sunk",
	}
	exported := 0
	for _, r := range rows {
		sh, err := d.Open(ctx, r.Asset.ID)
		require.NoError(t, err, r.Asset.Name)
		for _, m := range sh.Result.Ready.Meshes {
			require.NoError(t, m.Validate(), r.Asset.Name)
		}
		codes := []string{}
		for _, st := range []string{"source", "size", "axes", "pivot"} {
			for _, f := range sh.Result.Findings(st) {
				codes = append(codes, f.Code)
			}
		}
		if c := want[r.Asset.Name]; c != "" {
			assert.Contains(t, codes, c, r.Asset.Name)
		}
		if r.Last != nil {
			exported++
			assert.False(t, r.Stale, r.Asset.Name)
			dl, err := d.Delivery(ctx, r.Last.ID)
			require.NoError(t, err)
			assert.True(t, dl.Certificate.Equal(), "%s: %+v", r.Asset.Name, dl.Certificate.Rows)
			assert.Zero(t, r.Summary.MustFix, "%s %v", r.Asset.Name, codes)
		}
	}
	assert.Equal(t, 3, exported)
}
