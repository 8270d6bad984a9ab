package work

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/store"
)

// An export is written into the folder that its kit was allowed, over nothing that Yarvek did not write unless that is
// said, and what was there before comes back; what was begun and not ended is taken back at the next start.
func TestExportsInAFolder(t *testing.T) {
	ctx := context.Background()
	data := t.TempDir()
	d := desk(t, data)
	a := take(t, d, kit(t, d), "bollard.obj", "mtllib b.mtl\nusemtl iron\n"+tri, "b.mtl", "newmtl iron\n").Came[0].Asset
	_, err := d.Decide(ctx, a.ID, 0, func(p *prep.Prep) error {
		p.Export.Format, p.Export.Folder, p.Export.Outbox = "obj", "props/quay", true
		return nil
	})
	require.NoError(t, err)
	sent, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
	require.NoError(t, err, "it is sent though no folder is allowed")
	_, err = d.Place(ctx, sent.ID, false)
	assert.ErrorContains(t, err, "--outbox")

	dir := t.TempDir()
	kits, err := d.Kits(ctx)
	require.NoError(t, err)
	assert.ErrorContains(t, d.Allow(ctx, "no such kit", dir), kits[0].Name)
	assert.Error(t, d.Allow(ctx, kits[0].Name, filepath.Join(dir, "gone")))
	require.NoError(t, d.Allow(ctx, kits[0].Name, dir))
	p, err := d.Place(ctx, sent.ID, false)
	require.NoError(t, err)
	mesh := filepath.Join(dir, "props", "quay", "bollard.obj")
	first, err := os.ReadFile(mesh)
	require.NoError(t, err)
	for _, f := range p.Files {
		assert.FileExists(t, filepath.Join(dir, f.Name))
		assert.Empty(t, f.Was)
	}
	_, err = d.Place(ctx, sent.ID, false)
	require.NoError(t, err, "over what it wrote itself")

	require.NoError(t, os.WriteFile(mesh, []byte("by hand"), 0o644))
	_, err = d.Place(ctx, sent.ID, false)
	var foreign *ForeignError
	require.ErrorAs(t, err, &foreign)
	assert.Equal(t, []string{"props/quay/bollard.obj"}, foreign.Names)
	now, err := os.ReadFile(mesh)
	require.NoError(t, err)
	assert.Equal(t, "by hand", string(now), "nothing was written")
	over, err := d.Place(ctx, sent.ID, true)
	require.NoError(t, err)
	now, err = os.ReadFile(mesh)
	require.NoError(t, err)
	assert.Equal(t, first, now)
	require.NoError(t, d.Unplace(ctx, over.ID))
	now, err = os.ReadFile(mesh)
	require.NoError(t, err)
	assert.Equal(t, "by hand", string(now), "what was there is there again")
	assert.Error(t, d.Unplace(ctx, over.ID), "once")
	verdict, err := store.Verify(ctx, data)
	require.NoError(t, err)
	assert.True(t, verdict.Sound(), "%+v", verdict)
	assert.Zero(t, verdict.Unnamed, "what was there before is named by the placing")

	// As if killed after its first file.
	half := over
	half.ID, err = d.store.BeginPlacing(ctx, over)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(mesh, first, 0o644))
	d.Close()
	require.NoError(t, d.store.Close())
	d = desk(t, data)
	require.NoError(t, d.Resume(ctx))
	now, err = os.ReadFile(mesh)
	require.NoError(t, err)
	assert.Equal(t, "by hand", string(now))
	back, err := d.store.Placing(ctx, half.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Undone, back.Stage)
}
