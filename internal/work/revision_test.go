package work

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
)

const quayObj = "o deck\nv 0 0 0\nv 4 0 0\nv 4 0 2\nv 0 0 2\nf 1 4 3 2\no hook\nv 0 1 0\nv 1 1 0\nv 0 2 0\nf 5 6 7\n"

func send(t *testing.T, d *Desk, id int64, files ...string) (int, bool, error) {
	t.Helper()
	u := d.NewUpload()
	for i := 0; i < len(files); i += 2 {
		_ = u.Add(files[i], strings.NewReader(files[i+1]))
	}
	return d.AddFiles(context.Background(), id, u)
}

func TestARevisionIsReviewedTakenAndUndone(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "quay.obj", quayObj).Came[0].Asset.ID
	leave := func(p *prep.Prep) error { p.Source.Leave = []string{"hook"}; return nil }
	_, err := d.Decide(ctx, id, 0, leave)
	require.NoError(t, err)

	// The same bytes again are no revision.
	n, used, err := send(t, d, id, "quay.obj", quayObj)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.True(t, used)
	// A mesh that can't be read changes nothing and says why.
	_, _, err = send(t, d, id, "quay.obj", "v 1,5 0 0\n")
	assert.ErrorContains(t, err, "line 1")
	_, _, err = send(t, d, id, "a.obj", quayObj, "b.obj", quayObj)
	assert.ErrorContains(t, err, "none is called quay.obj")

	next := "mtllib quay.mtl\n" + strings.ReplaceAll(quayObj, "o hook", "o crane hook")
	n, used, err = send(t, d, id, "quay-v2.obj", next)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.False(t, used, "a changed mesh is looked at first")
	v, err := d.Review(ctx, id, 2)
	require.NoError(t, err)
	assert.Equal(t, 1, v.Now.Revision.Number)
	require.Len(t, v.Lost, 1)
	assert.Equal(t, "crane hook", v.Lost[0].Means)
	assert.ErrorIs(t, d.TakeRevision(ctx, id, 2, 0, nil), ErrStale)
	require.NoError(t, d.TakeRevision(ctx, id, 2, 1, map[prep.Ref]string{v.Lost[0].Ref: "crane hook"}))
	sh, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 2, sh.Revision.Number)
	assert.Equal(t, 1, sh.Result.Source.Kept)
	assert.Empty(t, sh.Result.Lost())

	// A missing companion is used at once, on top of the revision in force.
	n, used, err = send(t, d, id, "quay.mtl", "newmtl a\n")
	require.NoError(t, err)
	assert.Equal(t, 3, n)
	assert.True(t, used)
	// Back to the first, undecided what the decision means: it is said, not dropped.
	require.NoError(t, d.TakeRevision(ctx, id, 1, 3, nil))
	sh, err = d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, sh.Revision.Number)
	assert.Equal(t, []prep.Ref{{Station: "source", Key: "crane hook"}}, sh.Result.Lost())
	_, err = d.Review(ctx, id, 9)
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestPiecesThatWouldNotMeet(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	plank := func(w string) string {
		return "v 0 0 0\nv " + w + " 0 0\nv " + w + " 0 1\nv 0 0 1\nf 1 4 3 2\n"
	}
	var ids []int64
	for _, w := range []string{"2", "1.98"} {
		id := take(t, d, k, "plank"+w+".obj", plank(w)).Came[0].Asset.ID
		_, err := d.Decide(ctx, id, 0, func(p *prep.Prep) error { p.Size.Class = "modular-piece"; return nil })
		require.NoError(t, err)
		ids = append(ids, id)
	}
	require.NoError(t, d.SetGrid(ctx, k.ID, .5))
	sh, err := d.Open(ctx, ids[0])
	require.NoError(t, err)
	list, err := d.Pieces(ctx, sh)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.True(t, list[0].Meets && list[0].Here)
	assert.False(t, list[1].Meets)
	assert.InDelta(t, -.02, list[1].Over[0], 1e-9)
}

// What was decided for a node stays with it when Source calls it otherwise, even when
// two nodes change names with each other.
func TestDecisionsFollowARenamedNode(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	id := take(t, d, kit(t, d), "quay.obj", quayObj).Came[0].Asset.ID
	_, err := d.Decide(ctx, id, 0, func(p *prep.Prep) error {
		p.Size.Bake, p.Size.Nodes = size.BakeAll, []string{"hook"}
		p.Pivot.Each = map[string]pivot.Seat{"hook": {Place: pivot.OnMass}, "deck": {Place: pivot.OnContact}}
		return nil
	})
	require.NoError(t, err)
	_, err = d.Decide(ctx, id, 1, func(p *prep.Prep) error {
		p.Source.Names = map[string]string{"hook": "deck", "deck": "hook"}
		return nil
	})
	require.NoError(t, err)
	sh, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, sh.Result.Lost())
	assert.Equal(t, []string{"deck"}, sh.Prep.Size.Nodes)
	assert.Equal(t, pivot.OnMass, sh.Prep.Pivot.Each["deck"].Place)
	assert.Equal(t, pivot.OnContact, sh.Prep.Pivot.Each["hook"].Place)
	_, err = d.Decide(ctx, id, 2, func(p *prep.Prep) error { p.Source.Leave = []string{"hook"}; return nil })
	require.NoError(t, err)
	sh, err = d.Open(ctx, id)
	require.NoError(t, err)
	assert.NotEmpty(t, sh.Result.Lost(), "a node left behind is no more, and that is said")
}
