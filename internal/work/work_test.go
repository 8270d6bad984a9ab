package work

import (
	"archive/zip"
	"bytes"
	"context"
	"maps"
	"os"
	"path/filepath"
	"slices"
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
	assert.Equal(t, 12, after.Result.Hits,
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
		dl, err := d.Send(ctx, id, Leave{})
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
	dl, err := d.Send(ctx, id, Leave{})
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

// Zips that are refused leave nothing on the disk, and all that they unpacked counts; a kit and a person have so much
// room, and are told so.
func TestRefusedUploadsLeaveNothing(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	d := desk(t, dir)
	k := kit(t, d)
	size := func() (n int64) {
		for _, sub := range []string{"blobs", "tmp"} {
			require.NoError(t, filepath.WalkDir(filepath.Join(dir, sub), func(_ string, e os.DirEntry, err error) error {
				if info, err := e.Info(); err == nil && !e.IsDir() {
					n += info.Size()
				}
				return err
			}))
		}
		return n
	}
	bomb := zipped(t, "a.obj", strings.Repeat("0", 40<<20)) // 40 MB of 40 kB
	broken := []byte(zipped(t, "b.obj", strings.Repeat("v 0 0 0\n", 1<<17)))
	broken[len(broken)/3] ^= 1
	for _, upload := range []map[string]string{
		{"bomb.zip": bomb}, {"broken.zip": string(broken)}, {"no.obj": "v 1 2\n"},
		{"note.zip": zipped(t, "readme.txt", strings.Repeat("read me ", 1<<17))},
	} {
		u := d.NewUpload()
		for name, data := range upload {
			require.NoError(t, u.Add(name, strings.NewReader(data)))
		}
		if upload["bomb.zip"] != "" {
			assert.Greater(t, u.unpacked, int64(7<<20), "what was refused was unpacked, too")
		}
		_, err := d.TakeIn(ctx, k.ID, u)
		require.NoError(t, err)
		d.Jobs.Wait()
		assert.Zero(t, size(), "%v", slices.Collect(maps.Keys(upload)))
	}
	u := d.NewUpload() // one that is broken off
	require.NoError(t, u.Add("a.obj", strings.NewReader(tri)))
	u.Close()
	assert.Zero(t, size())

	take(t, d, k, "a.obj", tri)
	d.Limits.Kit = int64(len(tri)) + 10
	u = d.NewUpload()
	require.NoError(t, u.Add("b.obj", strings.NewReader("# another\n"+tri)))
	_, err := d.TakeIn(ctx, k.ID, u)
	assert.ErrorContains(t, err, "he kit holds")
	assert.ErrorContains(t, err, "--max-kit")
	assert.Equal(t, int64(len(tri)), size(), "nothing of it stays")
	d.Limits.Kit, d.Limits.Person = 0, 10
	u = d.NewUpload()
	require.NoError(t, u.Add("b.obj", strings.NewReader("# another\n"+tri)))
	_, err = d.TakeIn(As(ctx, "Ana"), k.ID, u)
	assert.ErrorContains(t, err, "--max-person")
	u = d.NewUpload()
	require.NoError(t, u.Add("b.obj", strings.NewReader("# another\n"+tri)))
	_, err = d.TakeIn(ctx, k.ID, u)
	assert.NoError(t, err, "nobody signs in here")
	d.Jobs.Wait()
}

// What was removed takes nothing more, whoever still has its page open.
func TestNothingGoesIntoWhatWasRemoved(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "a.obj", tri).Came[0].Asset.ID
	other := take(t, d, k, "b.obj", tri).Came[0].Asset.ID
	refused := func(err error) {
		t.Helper()
		assert.ErrorIs(t, err, ErrRemoved)
		assert.NotZero(t, fault.KindOf(err))
		assert.ErrorContains(t, err, "put it back first")
	}
	all := func() {
		t.Helper()
		_, err := d.Decide(ctx, id, 0, func(p *prep.Prep) error { p.Pivot = pivot.BaseCentre; return nil })
		refused(err)
		_, err = d.Send(ctx, id, Leave{})
		refused(err)
		refused(d.Rename(ctx, id, "another name"))
		_, err = d.Move(ctx, id, 0, -1)
		refused(err)
		u := d.NewUpload()
		require.NoError(t, u.Add("a.obj", strings.NewReader("# more\n"+tri)))
		_, _, err = d.AddFiles(ctx, id, u)
		refused(err)
		_, err = d.Join(ctx, id, other)
		refused(err)
	}
	_, err := d.Remove(ctx, id, true)
	require.NoError(t, err)
	all()
	_, err = d.Remove(ctx, id, false)
	require.NoError(t, err)
	require.NoError(t, d.RemoveKit(ctx, k.ID, true))
	all()
	u := d.NewUpload()
	require.NoError(t, u.Add("c.obj", strings.NewReader(tri)))
	_, err = d.TakeIn(ctx, k.ID, u)
	refused(err)
	require.NoError(t, d.RemoveKit(ctx, k.ID, false))
	_, err = d.Send(ctx, id, Leave{})
	assert.NoError(t, err)
}
