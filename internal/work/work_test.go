package work

import (
	"archive/zip"
	"bytes"
	"context"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/pivot"
	"yarvek/core/target"
	"yarvek/internal/store"
)

func desk(t testing.TB, dir string) *Desk {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits)
	t.Cleanup(func() { d.Jobs.Close(); _ = s.Close() })
	return d
}

func kit(t testing.TB, d *Desk) store.Kit {
	t.Helper()
	k, err := d.Store.NewKit(context.Background(), "Tern Point", target.Shipped[1])
	require.NoError(t, err)
	return k
}

const tri = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"

// take uploads files, given as name and content by turns, and waits for the outcome.
func take(t testing.TB, d *Desk, k store.Kit, files ...string) *Intake {
	t.Helper()
	u := d.NewUpload()
	for i := 0; i < len(files); i += 2 {
		_ = u.Add(files[i], strings.NewReader(files[i+1])) // a refusal is in the outcome
	}
	j := d.TakeIn(k.ID, u)
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
		"pier/pier.obj", "mtllib mats/pier.mtl\n"+tri, "pier/mats/pier.mtl", "newmtl a\nmap_Kd -clamp on ../tex/my wood.png\n", "pier/tex/my wood.png", "x",
		"buoy.obj", "mtllib buoy one.mtl\n"+tri, "buoy one.mtl", "newmtl b\n",
		"stray.png", "y", "readme.txt", "hello")
	require.Len(t, got.Came, 2)
	assert.Equal(t, []string{"stray.png"}, got.Unused)
	require.Len(t, got.Refused, 1)
	assert.Equal(t, "readme.txt", got.Refused[0].Name)
	names := func(id int64) (l []string) {
		r, err := d.Store.Current(context.Background(), id)
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
	got := take(t, d, k, "set.zip", zipped(t, "a/a.obj", "mtllib a.mtl\n"+tri, "a/a.mtl", "newmtl x\n", "__junk/a.obj", tri, "b.obj", tri))
	require.Len(t, got.Came, 2)
	assert.Empty(t, got.Refused)

	got = take(t, d, k, "evil.zip", zipped(t, "../../escape.obj", tri, "/etc/passwd.obj", tri, `C:\x.obj`, tri, "ok.obj", tri))
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
	assert.Contains(t, got.Refused[0].Why, "holds 4 files, and 3 are allowed")

	d.Limits.Unzipped = 1000
	got = take(t, d, k, "big.zip", zipped(t, "1.obj", strings.Repeat(tri, 60)))
	assert.Contains(t, got.Refused[0].Why, "unpacks to more than 1000 bytes")

	got = take(t, d, k, "torn.zip", zipped(t, "1.obj", tri)[:40])
	assert.Contains(t, got.Refused[0].Why, "no zip that can be opened")

	d.Limits.Upload = 100
	got = take(t, d, k, "large.obj", strings.Repeat(tri, 10))
	assert.Empty(t, got.Came)
	assert.Contains(t, got.Refused[0].Why, "--max-upload")
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
	bytesBefore, err := d.Store.Blob(before.Revision.Files[0].SHA)
	require.NoError(t, err)
	seat := func(p *prep.Prep) error { p.Pivot = pivot.BaseCentre; return nil }
	require.NoError(t, d.Decide(ctx, id, 0, "seat", seat))
	require.NoError(t, d.Decide(ctx, id, 1, "seat", seat), "deciding the same again changes nothing")
	after, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, after.History.Seq)
	assert.NotEqual(t, before.Result.Ready.Bounds(), after.Result.Ready.Bounds())
	assert.Equal(t, 4, after.Result.Hits, "what stands before the pivot came from the cache")
	assert.ErrorIs(t, d.Decide(ctx, id, 0, "late", seat), store.ErrStale)
	_, err = d.Store.MovePrep(ctx, id, -1)
	require.NoError(t, err)
	undone, err := d.Open(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before.Result.Ready.Bounds(), undone.Result.Ready.Bounds())
	bytesAfter, err := d.Store.Blob(undone.Revision.Files[0].SHA)
	require.NoError(t, err)
	assert.Equal(t, bytesBefore, bytesAfter)
}

func TestExportsAreKeptWithTheirProof(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "a.obj", "mtllib a.mtl\nusemtl red\n"+tri, "a.mtl", "newmtl red\nKd 1 0 0\n").Came[0].Asset.ID
	for seq, f := range []string{"glb", "gltf", "obj"} {
		require.NoError(t, d.Decide(ctx, id, seq, f, func(p *prep.Prep) error { p.Export.Format = f; return nil }))
		dl, err := d.Export(ctx, id)
		require.NoError(t, err)
		assert.True(t, dl.Certificate.Equal(), "%+v", dl.Certificate.Rows)
		data, err := d.Store.Blob(dl.SHA)
		require.NoError(t, err)
		if f == "glb" {
			assert.True(t, gltf.IsGLB(data))
			continue
		}
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		assert.Equal(t, len(dl.Packing.Files), len(z.File))
	}
	require.NoError(t, d.Decide(ctx, id, 3, "fbx", func(p *prep.Prep) error {
		p.Export.Format, p.Export.Bake = "fbx-one", true
		p.Export.Triangles, p.Export.Tangents = true, true
		return nil
	}))
	dl, err := d.Export(ctx, id)
	require.NoError(t, err)
	assert.True(t, dl.Certificate.Equal(), "%+v", dl.Certificate.Rows)
	assert.Contains(t, dl.Packing.Changes[len(dl.Packing.Changes)-1].Why, "as decided")
	list, err := d.Deliveries(ctx, k.ID, id)
	require.NoError(t, err)
	assert.Len(t, list, 4)
	_, rows, err := d.Overview(ctx, k.ID)
	require.NoError(t, err)
	assert.False(t, rows[0].Stale)
	require.NoError(t, d.SetTarget(ctx, k.ID, target.Shipped[0].ID))
	_, rows, err = d.Overview(ctx, k.ID)
	require.NoError(t, err)
	assert.True(t, rows[0].Stale, "the target changed since")
}

// A cache folder that is emptied, or filled with rubbish, costs time and nothing else.
func TestTheCacheMayBeDeletedAtAnyMoment(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k := kit(t, d)
	id := take(t, d, k, "a.obj", tri).Came[0].Asset.ID
	sh, err := d.Open(ctx, id)
	require.NoError(t, err)
	first, err := d.Draw(ctx, sh, "size", 0)
	require.NoError(t, err)
	files, err := filepath.Glob(filepath.Join(d.Store.CacheDir(), "*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		require.NoError(t, os.WriteFile(f, []byte(`{"torn`), 0o644))
	}
	again, err := d.Draw(ctx, sh, "size", 0)
	require.NoError(t, err)
	assert.Equal(t, first.Drawn.SVG, again.Drawn.SVG)
}

func TestLineupKeepsItsScaleForThePlausible(t *testing.T) {
	row := func(name string, w, h float64) Row {
		return Row{Asset: store.Asset{Name: name}, Summary: Summary{Class: "Street furniture", Size: geom.Vec3{w, h, w}, ViewScale: 230 / max(w, h)}}
	}
	l := Arrange([]Row{row("lamp", .5, 3), row("tower", 60, 220), row("post", .2, 1)}, false, 1248)
	assert.InDelta(t, 3*l.Scale, l.Places[0].H, 1e-9)
	assert.InDelta(t, l.Scale, l.Places[2].H, 1e-9)
	assert.LessOrEqual(t, l.Places[1].H, lineupGround-lineupTop+1e-9, "the tower is shown as large as the paper allows")
	assert.Greater(t, l.Scale, 60.0, "and does not shrink the others")
	for i := 1; i < len(l.Places); i++ {
		assert.GreaterOrEqual(t, l.Places[i].X-l.Places[i-1].X, (l.Places[i].W+l.Places[i-1].W)/2, "nobody stands in anybody")
	}
}

func TestAgo(t *testing.T) {
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.Local)
	assert.Equal(t, "Today 09:12", Ago(time.Date(2026, 11, 23, 9, 12, 0, 0, time.Local), now))
	assert.Equal(t, "Yesterday 23:50", Ago(time.Date(2026, 11, 22, 23, 50, 0, 0, time.Local), now))
	assert.Equal(t, "1 Oct 2026", Ago(time.Date(2026, 10, 1, 23, 50, 0, 0, time.Local), now))
}

// million is a GLB of a million triangles. split gives every quad four points of
// its own, two million in all, as exporters do that cut along every UV seam;
// otherwise half a million are shared.
func million(b *testing.B, split bool) []bundle.File {
	m := new(shape.Builder).Grid(708, 708, func(u, v float64) geom.Vec3 {
		return geom.Vec3{3 * u, math.Sin(40*u) * math.Cos(37*v) * .2, -3 * v}
	}).Mesh("terrain")
	m.Smooth = nil
	if !split {
		m.UVs = nil
	}
	p, err := gltf.Write(shape.Scene("terrain", []scene.Material{scene.NewMaterial("ground")}, m), pack.Options{Name: "terrain"})
	if err != nil {
		b.Fatal(err)
	}
	return p.Files
}

// BenchmarkFirstDrawing opens an asset of a million triangles that nobody has
// opened yet (read, run the stations, draw), then again from the cache.
func BenchmarkFirstDrawing(b *testing.B) {
	for name, split := range map[string]bool{"shared": false, "split": true} {
		b.Run(name, func(b *testing.B) { firstDrawing(b, million(b, split)) })
	}
}

func firstDrawing(b *testing.B, files []bundle.File) {
	ctx := context.Background()
	for b.Loop() {
		d := desk(b, b.TempDir())
		k := kit(b, d)
		u := d.NewUpload()
		if err := u.Add(files[0].Name, bytes.NewReader(files[0].Data)); err != nil {
			b.Fatal(err)
		}
		a, err := d.Store.NewAsset(ctx, k.ID, "terrain", files[0].Name, u.files)
		if err != nil {
			b.Fatal(err)
		}
		open := func() (time.Duration, int) {
			start := time.Now()
			sh, err := d.Open(ctx, a.ID)
			if err != nil {
				b.Fatal(err)
			}
			p, err := d.Draw(ctx, sh, "size", 0)
			if err != nil {
				b.Fatal(err)
			}
			return time.Since(start), len(p.Drawn.SVG)
		}
		first, size := open()
		again, _ := open()
		b.ReportMetric(first.Seconds(), "first-s")
		b.ReportMetric(again.Seconds()*1000, "again-ms")
		b.ReportMetric(float64(size)/1000, "drawing-kB")
	}
	b.ReportMetric(float64(len(files[0].Data))/1e6, "file-MB")
}
