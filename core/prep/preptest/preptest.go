// Package preptest has what tests of stations share: a thing to put right, a run
// through all stations that must succeed, and ways to look at what came of it.
package preptest

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/axes"
	"yarvek/core/target"
)

// Two targets that differ in everything: up, unit and handedness.
var (
	YUp     = target.Shipped[0]
	ZUpLeft = target.Shipped[1]
)

// Post is an L-shaped thing, 0.8 m wide, 2 m tall, 1.2 m deep, chiral, standing upright
// on the origin in glTF's basis: an upright with an arm to the front and a peg to the
// right.
func Post() *scene.Mesh {
	return new(shape.Builder).
		Box(geom.Vec3{-.2, 0, -.2}, geom.Vec3{.2, 2, .2}).
		Box(geom.Vec3{-.1, 1.6, .2}, geom.Vec3{.1, 1.8, .8}).
		Box(geom.Vec3{-.2, .3, .2}, geom.Vec3{-.1, .4, .3}).
		Box(geom.Vec3{-.4, 0, -.4}, geom.Vec3{.4, .1, .4}).Mesh("post")
}

// Messy is [Post] in centimetres read as metres, lying on its back, 4 km off; the points
// moved and the node at the scene's origin, as files have it.
func Messy() *scene.Scene {
	s := shape.Scene("post", nil, Post())
	lie := geom.Linear(geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2).Scaled(100))
	lie.T = geom.Vec3{4000, 0, -300}
	s = s.Carried(lie).Flattened()
	s.BasisHow, s.UnitHow = scene.Assumed, scene.Assumed
	return s
}

// Run walks a scene through the stations, without a memo.
func Run(t testing.TB, s *scene.Scene, p prep.Prep, to target.Target) *prep.Result {
	t.Helper()
	r, err := prep.Run(context.Background(), prep.Input{Key: "k", Scene: s, Target: to}, p, nil)
	require.NoError(t, err)
	return r
}

// Find is the finding of a code, which must be there.
func Find(t testing.TB, list []finding.Finding, code string) finding.Finding {
	t.Helper()
	for _, f := range list {
		if f.Code == code {
			return f
		}
	}
	require.Failf(t, "no such finding", "%s in %v", code, list)
	return finding.Finding{}
}

// Stop is the stop at a station that is on the list.
func Stop(t testing.TB, r *prep.Result, id string) prep.Stop {
	t.Helper()
	s, err := r.Stop(id)
	require.NoError(t, err)
	return s
}

// After is the scene a station left.
func After(t testing.TB, r *prep.Result, id string) *scene.Scene {
	t.Helper()
	return Stop(t, r, id).Scene
}

// Standing is how well the body stands in each stance.
func Standing(t testing.TB, r *prep.Result) axes.Standing {
	t.Helper()
	st, err := r.Axes.Standing(context.Background())
	require.NoError(t, err)
	return st
}

// Format finds a written format.
func Format(t testing.TB, id string) format.Format {
	t.Helper()
	f, err := format.ByID(id)
	require.NoError(t, err)
	return f
}

// Corners are the places of all corners, in the order of the faces, node after node.
func Corners(s *scene.Scene) (list []geom.Vec3) {
	for _, m := range s.Flattened().Meshes {
		for _, c := range m.Corners {
			list = append(list, m.Points[c])
		}
	}
	return list
}
