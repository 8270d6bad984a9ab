package prep

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/station/axes"
)

// stopAt is the stop at a station that is on the list.
func stopAt(r *Result, id string) Stop {
	s, err := r.Stop(id)
	if err != nil {
		panic(err)
	}
	return s
}

// after is the scene a station left.
func after(r *Result, id string) *scene.Scene { return stopAt(r, id).Scene }

// standing is how well the body stands in each stance.
func standing(t testing.TB, r *Result) axes.Standing {
	t.Helper()
	st, err := r.Axes.Standing(context.Background())
	require.NoError(t, err)
	return st
}

// as finds a written format.
func as(t testing.TB, id string) format.Format {
	t.Helper()
	f, err := format.ByID(id)
	require.NoError(t, err)
	return f
}
