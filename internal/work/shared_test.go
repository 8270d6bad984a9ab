package work

import (
	"context"
	"path"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/target"
)

// The same picture and the same material under two names become one by a press: every asset is sent with them under one
// name, with the same bytes; others keep theirs, and so do assets that don't have them.
func TestWhatIsSharedIsMadeOne(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k, err := d.NewKit(ctx, "Tern Point", target.Shipped[0].ID)
	require.NoError(t, err)
	rust, moss := pictureOf(t, 120, 60, 20), pictureOf(t, 20, 90, 20)
	bring := func(name, slot, picture, data string) Asset {
		return take(t, d, k, name+".obj", "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl "+slot+
			"\nf 1/1 2/2 3/3\n", "a.mtl", "newmtl "+slot+"\nmap_Kd "+picture+"\n", picture, data).Came[0].Asset
	}
	rack, post := bring("rack", "iron", "rust.png", rust), bring("post", "old iron", "old.png", rust)
	rock := bring("rock", "stone", "old.png", moss)
	part := func(a Asset, kind PartKind) Part {
		st, err := d.store.State(ctx, a.ID)
		require.NoError(t, err)
		s, err := d.Summary(ctx, st)
		require.NoError(t, err)
		for _, p := range s.Parts {
			if p.Kind == kind {
				return p
			}
		}
		t.Fatalf("%s has no %s", a.Name, kind)
		return Part{}
	}
	assert.Equal(t, part(rack, PartPicture).Sum, part(post, PartPicture).Sum)
	assert.Equal(t, part(rack, PartMaterial).Sum, part(post, PartMaterial).Sum)
	assert.NotEqual(t, part(rack, PartMaterial).Sum, part(rock, PartMaterial).Sum)
	all := []int64{rack.ID, post.ID, rock.ID}
	for kind, to := range map[PartKind]string{PartPicture: "rust", PartMaterial: "iron"} {
		done, err := d.DoMany(ctx, k.ID, Many{Do: AsOne, Kind: kind, Sum: part(rack, kind).Sum, To: to, Assets: all}, nil)
		require.NoError(t, err)
		assert.Empty(t, done.Failed)
		require.Len(t, done.Changed, 1)
		assert.Equal(t, post.ID, done.Changed[0].Asset.ID)
	}
	sums := map[int64]string{}
	for _, id := range all {
		_, err := d.Decide(ctx, id, changesOf(t, d, id), func(p *prep.Prep) error { p.Export.Format = "gltf"; return nil })
		require.NoError(t, err)
		sent, err := d.Send(ctx, id, Leave{Reason: "a trial"})
		require.NoError(t, err)
		for _, f := range sent.Packing.Files {
			if path.Base(f.Name) == "rust.png" {
				sums[id] = f.SHA
			}
		}
	}
	assert.Len(t, sums, 2)
	assert.Equal(t, sums[rack.ID], sums[post.ID])
	for _, bad := range []Many{{Kind: PartMesh, To: "x"}, {Kind: PartPicture, To: " "}} {
		bad.Do, bad.Assets = AsOne, all
		_, err := d.Preview(ctx, k.ID, bad, nil)
		assert.Error(t, err)
	}
}

func changesOf(t *testing.T, d *Desk, id int64) int {
	st, err := d.store.State(context.Background(), id)
	require.NoError(t, err)
	return st.Asset.Changes
}
