package work

import (
	"context"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// twoPosts is a GLB of a post and another that stands two metres beside it by its node alone.
func twoPosts(t *testing.T) string {
	t.Helper()
	post := new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {1, 2}, {0, 1}}, 0, 1).Mesh("post")
	other := new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {0.5, 2}}, 0, 1).Mesh("other")
	s := shape.Scene("posts", nil, post, other)
	s.Nodes[1].Local = geom.Translation(geom.Vec3{2, 0, 0})
	f, err := format.ByID("glb")
	require.NoError(t, err)
	p, err := format.Write(context.Background(), scene.Delivery{Scene: s}, f, "posts", target.Shipped[0])
	require.NoError(t, err)
	return string(p.Files[0].Data)
}

// Where an export arrives otherwise, ways are offered by which it was seen to arrive; where it arrives nothing is; and
// nothing is offered that breaks something else.
func TestCures(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	own := target.Shipped[0].Copy()
	own.ID, own.Name, own.Revision, own.Reads.FBX.KeepsNodes = "pier", "Pier", 1, false
	require.NoError(t, d.store.KeepTarget(ctx, own))
	k, err := d.NewKit(ctx, "Pier", "pier")
	require.NoError(t, err)
	a := take(t, d, k, "posts.glb", twoPosts(t)).Came[0].Asset
	_, err = d.Decide(ctx, a.ID, 0, func(p *prep.Prep) error { p.Export.Format = "fbx"; return nil })
	require.NoError(t, err)
	sent, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
	require.NoError(t, err)
	require.False(t, sent.Certificate.Arrived())

	c, err := d.Cures(ctx, sent.ID, "", nil)
	require.NoError(t, err)
	assert.NotEmpty(t, c.Wrong)
	require.NotEmpty(t, c.List)
	assert.Equal(t, "Bake transforms", c.List[0].Label, "the least change that cures all comes first")
	assert.Equal(t, "Then all of it arrives.", c.List[0].Effect)
	_, err = d.Decide(ctx, a.ID, 1, func(p *prep.Prep) error { p.Export = c.List[0].Decision; return nil })
	require.NoError(t, err)
	cured, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
	require.NoError(t, err)
	assert.True(t, cured.Certificate.Arrived(), "as was said")
	c, err = d.Cures(ctx, cured.ID, "", nil)
	require.NoError(t, err)
	assert.Empty(t, c.Wrong)
	assert.Empty(t, c.List)

	// At a target of another frame an OBJ lies on its side, and formats that say their frame cure that.
	_, err = d.Decide(ctx, a.ID, 2, func(p *prep.Prep) error { p.Export.Format = "obj"; return nil })
	require.NoError(t, err)
	flat, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
	require.NoError(t, err)
	c, err = d.Cures(ctx, flat.ID, target.Shipped[3].ID, nil)
	require.NoError(t, err)
	assert.Contains(t, c.Wrong, "Stands: on its side")
	require.NotEmpty(t, c.List)
	assert.Equal(t, "Send as GLB", c.List[0].Label)
	list, err := d.Everywhere(ctx, flat.ID)
	require.NoError(t, err)
	for _, s := range list {
		assert.Equal(t, s.ID == own.ID || s.ID == target.Shipped[0].ID, s.Equal(), "%s: %v", s.ID, s.Wrong())
	}

	// What changed between them is told, and what did not is not.
	assert.Contains(t, Between(sent, cured), "Export, Bake transforms: undecided → yes")
	assert.Empty(t, Between(sent, sent))
}

// A second opinion is kept beside the export, set beside our own figures, and refused where it is none.
func TestOpinions(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	a := take(t, d, kit(t, d), "posts.glb", twoPosts(t)).Came[0].Asset
	sent, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
	require.NoError(t, err)
	require.NotNil(t, sent.Certificate.Figures)
	list, err := d.Opinions(ctx, sent)
	require.NoError(t, err)
	assert.Empty(t, list)
	for _, bad := range []string{"", "{", `{"triangles":"many"}`, `{"unheard":1}`} {
		assert.Error(t, d.TakeOpinion(ctx, sent.ID, "loaders", []byte(bad)), bad)
	}
	other := *sent.Certificate.Figures
	require.NoError(t, d.TakeOpinion(ctx, sent.ID, "loaders", figuresJSON(t, other)))
	list, err = d.Opinions(ctx, sent)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.True(t, list[0].Agree())
	other.Volume = -other.Volume
	require.NoError(t, d.TakeOpinion(ctx, sent.ID, "loaders", figuresJSON(t, other)))
	list, err = d.Opinions(ctx, sent)
	require.NoError(t, err)
	require.Len(t, list, 1, "in the place of what it said before")
	assert.False(t, list[0].Agree())
	for _, v := range list[0].Verdicts {
		assert.Equal(t, v.Code != "facing", v.Equal, v.Code)
		assert.Equal(t, v.Equal, v.Why == "", "and which is right is said: %s", v.Why)
	}
	assert.Error(t, d.TakeOpinion(ctx, sent.ID+1, "loaders", figuresJSON(t, other)))
}

func figuresJSON(t *testing.T, f deliver.Figures) []byte {
	t.Helper()
	b, err := json.Marshal(f)
	require.NoError(t, err)
	return b
}
