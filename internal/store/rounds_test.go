package store

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// A round is kept whole or not at all, leaves alone what was changed meanwhile, and is taken back whole, once.
func TestRoundsAreKeptWhole(t *testing.T) {
	ctx := context.Background()
	s, err := Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	k, err := s.NewKit(ctx, "Tern Point", target.Shipped[0])
	require.NoError(t, err)
	var list []Decided
	for i := range 4 {
		a, err := s.NewAsset(ctx, k.ID, fmt.Sprint("part ", i), "a.obj", []File{{"a.obj", put(t, s, fmt.Sprint(i), 0), 1}})
		require.NoError(t, err)
		list = append(list, Decided{Asset: a.ID, Base: a.Changes, Prep: []byte(`{"size":{"factor":2}}`), Label: "Larger"})
	}
	at := func(i int) (factor string, changes int) {
		st, err := s.State(ctx, list[i].Asset)
		require.NoError(t, err)
		return string(st.Step.JSON), st.Asset.Changes
	}
	plain, _ := at(0)
	title := func(n int) string { return fmt.Sprint(n, " larger") }

	// A kit that is not there fails behind the decisions: none of them stays.
	_, _, err = s.DecideRound(ctx, Deciding{Kit: 99, List: list, Title: title})
	require.Error(t, err)
	stopped, stop := context.WithCancel(ctx)
	_, _, err = s.DecideRound(stopped, Deciding{Kit: k.ID, List: list,
		Title: func(n int) string { stop(); return title(n) }})
	require.ErrorIs(t, err, context.Canceled)
	for i := range list {
		was, changes := at(i)
		assert.Equal(t, plain, was)
		assert.Equal(t, list[i].Base, changes)
	}

	require.NoError(t, s.SavePrep(ctx, list[1].Asset, list[1].Base, []byte(`{"size":{"factor":9}}`), "by hand"))
	_, err = s.RemoveAsset(ctx, list[2].Asset, true)
	require.NoError(t, err)
	id, left, err := s.DecideRound(ctx, Deciding{Kit: k.ID, List: list, Title: title})
	require.NoError(t, err)
	assert.Equal(t, []int64{list[1].Asset, list[2].Asset}, left)
	r, err := s.Round(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "2 larger", r.Title)
	is, _ := at(1)
	assert.Contains(t, is, "9", "what was decided by hand stays")

	_, changes := at(3)
	require.NoError(t, s.SavePrep(ctx, list[3].Asset, changes, []byte(`{"size":{"factor":7}}`), "by hand"))
	_, _, err = s.UndoRound(ctx, 99, id)
	require.ErrorIs(t, err, ErrNotFound)
	n, stay, err := s.UndoRound(ctx, k.ID, id)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, []int64{list[3].Asset}, stay)
	is, _ = at(0)
	assert.Equal(t, plain, is)
	is, _ = at(3)
	assert.Contains(t, is, "7")
	_, _, err = s.UndoRound(ctx, k.ID, id)
	assert.ErrorIs(t, err, ErrStale)

	id, left, err = s.DecideRound(ctx, Deciding{Kit: k.ID, List: list[1:3], Title: title})
	require.NoError(t, err)
	assert.Zero(t, id, "no asset, no round")
	assert.Len(t, left, 2)
}
