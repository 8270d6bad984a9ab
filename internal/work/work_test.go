package work

import (
	"archive/zip"
	"bytes"
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/format/gltf"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/target"
	"yarvek/internal/store"
)

func desk(t testing.TB, dir string) *Desk {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	t.Cleanup(func() { d.Close(); _ = s.Close() })
	return d
}

func kit(t testing.TB, d *Desk) Kit {
	t.Helper()
	k, err := d.NewKit(context.Background(), "Tern Point", target.Shipped[1].ID)
	require.NoError(t, err)
	return k
}

const tri = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"

// take uploads files, given as name and content by turns, and waits for the outcome.
func take(t testing.TB, d *Desk, k Kit, files ...string) *Intake {
	t.Helper()
	u := d.NewUpload()
	for i := 0; i < len(files); i += 2 {
		_ = u.Add(files[i], strings.NewReader(files[i+1])) // a refusal is in the outcome
	}
	j, err := d.TakeIn(context.Background(), k.ID, u)
	require.NoError(t, err)
	d.Jobs.Wait()
	s := j.State()
	require.NoError(t, s.Err)
	return s.Outcome.(*Intake)
}

func zipped(t testing.TB, files ...string) string {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(files); i += 2 {
		w, err := z.Create(files[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(files[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.String()
}

func TestSetsAreFoundByWhatRefersToWhat(t *testing.T) {
	d := desk(t, t.TempDir())
	k := kit(t, d)
	got := take(t, d, k,
		"pier/pier.obj", "mtllib mats/pier.mtl\n"+tri, "pier/mats/pier.mtl",
		"newmtl a\nmap_Kd -clamp on ../tex/my wood.png\n",
		"pier/tex/my wood.png", "x",
		"buoy.obj", "mtllib buoy one.mtl\n"+tri, "buoy one.mtl", "newmtl b\n",
		"stray.png", "y", "readme.txt", "hello")
	require.Len(t, got.Came, 2)
	assert.Equal(t, []string{"stray.png"}, got.Unused)
	require.Len(t, got.Refused, 1)
	assert.Equal(t, "readme.txt", got.Refused[0].Name)
	names := func(id int64) (l []string) {
		r, err := d.store.Current(context.Background(), id)
		require.NoError(t, err)
		for _, f := range r.Files {
			l = append(l, f.Name)
		}
		return l
	}
	assert.Equal(t, []string{"pier/mats/pier.mtl", "pier/pier.obj", "pier/tex/my wood.png"}, names(got.Came[0].Asset.ID))
	assert.Equal(t, []string{"buoy one.mtl", "buoy.obj"}, names(got.Came[1].Asset.ID))
}

func TestZipsAreUnpackedAndKeptInBounds(t *testing.T) {
	d := desk(t, t.TempDir())
	k := kit(t, d)
	got := take(t, d, k, "set.zip", zipped(t, "a/a.obj", "mtllib a.mtl\n"+tri, "a/a.mtl", "newmtl x\n", "__junk/a.obj",
		tri, "b.obj", tri))
	require.Len(t, got.Came, 2)
	assert.Empty(t, got.Refused)
	assert.Equal(t, []string{"set.zip/__junk/a.obj"}, got.Passed, "what is passed over is named")

	got = take(t, d, k, "evil.zip", zipped(t, "../../escape.obj", tri, "/etc/passwd.obj", tri, `C:\x.obj`, tri, "ok.obj",
		tri))
	require.Len(t, got.Came, 1)
	assert.Equal(t, "ok", got.Came[0].Asset.Name)
	assert.Len(t, got.Refused, 3)

	got = take(t, d, k, "bomb.zip", zipped(t, "zeros.obj", strings.Repeat("0", 64<<20)))
	assert.Empty(t, got.Came)
	require.NotEmpty(t, got.Refused)
	assert.Contains(t, got.Refused[0].Why, "times its size")

	d.Limits.ZipFiles = 3
	got = take(t, d, k, "many.zip", zipped(t, "1.obj", tri, "2.obj", tri, "3.obj", tri, "4.obj", tri))
	assert.Empty(t, got.Came)
	assert.Contains(t, got.Refused[0].Why, "holds 4 files, and the zips of an upload may hold 3 in all")

	d.Limits.Unzipped = 1000
	got = take(t, d, k, "big.zip", zipped(t, "1.obj", strings.Repeat(tri, 60)))
	assert.Contains(t, got.Refused[0].Why, "to more than 1000 bytes")

	// Limits hold for all zips of an upload together.
	half := zipped(t, "1.obj", strings.Repeat(tri, 20))
	got = take(t, d, k, "one.zip", half, "two.zip", strings.Replace(half, "1.obj", "2.obj", -1))
	assert.Len(t, got.Came, 1)
	require.Len(t, got.Refused, 1)
	assert.Contains(t, got.Refused[0].Why, "with the other zips of the upload")
	d.Limits.Unzipped = DefaultLimits.Unzipped
	got = take(t, d, k, "one.zip", zipped(t, "1.obj", tri, "2.obj", tri), "two.zip", zipped(t, "3.obj", tri, "4.obj", tri))
	assert.Len(t, got.Came, 2)
	assert.Contains(t, got.Refused[0].Why, "holds 2 files")

	got = take(t, d, k, "torn.zip", zipped(t, "1.obj", tri)[:40])
	assert.Contains(t, got.Refused[0].Why, "no zip that can be opened")

	d.Limits.Upload = 100
	err := d.NewUpload().Add("large.obj", strings.NewReader(strings.Repeat(tri, 10)))
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	assert.ErrorContains(t, err, "--max-upload")
}

func TestOneBadFileDoesNotHarmTheRest(t *testing.T) {
	d := desk(t, t.TempDir())
	k := kit(t, d)
	got := take(t, d, k, "bad.glb", "glTF....", "good.obj", tri, "empty.obj", "", "comma.obj", "v 0,5 0 0\n")
	require.Len(t, got.Came, 1)
	why := map[string]string{}
	for _, r := range got.Refused {
		why[r.Name] = r.Why
	}
	assert.Contains(t, why["bad.glb"], "byte 8")
	assert.Contains(t, why["empty.obj"], "is empty")
	assert.Contains(t, why["comma.obj"], "line 1")
	_, rows, err := d.Overview(context.Background(), k.ID)
	require.NoError(t, err)
	assert.Len(t, rows, 1)
}

func TestDecisionsUndoAndTheSourceStays(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := desk(t, dir)
	k := kit(t, d)
	id := take(t, d, k, "a.obj", tri).Came[0].Asset.ID
	before, err := d.Open(ctx, id)
	require.NoError(t, err)
	bytesBefore, err := d.store.Blob(before.Revision.Files[0].SHA)
	require.NoError(t, err)
	seat := func(p *prep.Prep) error { p.Pivot = pivot.BaseCentre; return nil }
	label, err := d.Decide(ctx, id, 0, seat)
	require.NoError(t, err)
	assert.Equal(t, "Seat the pivot at the centre of the base", label)
	label, err = d.Decide(ctx, id, 1, seat)
	require.NoError(t, err)
	assert.Empty(t, label, "deciding the same again changes nothing")
	after, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, after.Step.Seq)
	assert.NotEqual(t, before.Result.Delivery.Scene.Bounds(), after.Result.Delivery.Scene.Bounds())
	assert.Equal(t, 11, after.Result.Hits,
		"what stands before the pivot came from the cache, and what is found in the mesh wherever it stands")
	_, err = d.Decide(ctx, id, 0, seat)
	assert.ErrorIs(t, err, ErrStale)
	_, err = d.Move(ctx, id, after.Base(), -1)
	require.NoError(t, err)
	undone, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before.Result.Delivery.Scene.Bounds(), undone.Result.Delivery.Scene.Bounds())
	bytesAfter, err := d.store.Blob(undone.Revision.Files[0].SHA)
	require.NoError(t, err)
	assert.Equal(t, bytesBefore, bytesAfter)
}

func TestExportsAreKeptWithTheirProof(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "a.obj", "mtllib a.mtl\nusemtl red\n"+tri, "a.mtl", "newmtl red\nKd 1 0 0\n").Came[0].Asset.ID
	for seq, f := range []string{"glb", "gltf", "obj"} {
		_, err := d.Decide(ctx, id, seq, func(p *prep.Prep) error { p.Export.Format = f; return nil })
		require.NoError(t, err)
		dl, err := d.Send(ctx, id, "")
		require.NoError(t, err)
		assert.True(t, dl.Certificate.Equal(), "%+v", dl.Certificate.Rows)
		data, err := d.store.Blob(dl.SHA)
		require.NoError(t, err)
		if f == "glb" {
			assert.True(t, gltf.IsGLB(data))
			continue
		}
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		assert.Equal(t, len(dl.Packing.Files), len(z.File))
	}
	_, err := d.Decide(ctx, id, 3, func(p *prep.Prep) error {
		p.Export.Format, p.Export.Bake = "fbx-one", true
		p.Export.Triangles, p.Export.Tangents = true, true
		return nil
	})
	require.NoError(t, err)
	dl, err := d.Send(ctx, id, "")
	require.NoError(t, err)
	assert.True(t, dl.Certificate.Equal(), "%+v", dl.Certificate.Rows)
	assert.Contains(t, dl.Packing.Changes[0].Why, "as decided")
	list, _, err := d.Exports(ctx, k.ID, id, 0, 100)
	require.NoError(t, err)
	assert.Len(t, list, 4)
	_, rows, err := d.Overview(ctx, k.ID)
	require.NoError(t, err)
	assert.False(t, rows[0].Changed)
	require.NoError(t, d.SetTarget(ctx, k.ID, target.Shipped[0].ID, 0))
	_, rows, err = d.Overview(ctx, k.ID)
	require.NoError(t, err)
	assert.True(t, rows[0].Changed, "the target changed since")
}
