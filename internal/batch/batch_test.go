package batch

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/report"
)

// crate is an OBJ of a box so wide, high and deep, in metres, with a slot.
func crate(name string, w, h, d float64) string {
	var b strings.Builder
	fmt.Fprintf(&b, "mtllib crate.mtl\no %s\n", name)
	for i := range 8 {
		fmt.Fprintf(&b, "v %g %g %g\n", w*(float64(i&1)-.5), h*float64(i>>1&1), d*(float64(i>>2&1)-.5))
	}
	b.WriteString("usemtl wood\nf 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n")
	return b.String()
}

// put makes files below a folder.
func lay(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		at := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
	}
}

// tree is all files below a folder, without what is known of runs.
func tree(t testing.TB, dir string) map[string]string {
	t.Helper()
	got := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && d.Name() == stateDir {
			return filepath.SkipDir
		}
		if !d.IsDir() {
			b, err := os.ReadFile(p)
			require.NoError(t, err)
			rel, _ := filepath.Rel(dir, p)
			got[filepath.ToSlash(rel)] = string(b)
		}
		return nil
	}))
	return got
}

// carry carries out a plan of a folder, and tells how many assets were made.
func carry(t testing.TB, dir, out string, o Options, r Running) (report.Report, int) {
	t.Helper()
	o.Out = out
	p, err := New(t.Context(), dir, o)
	require.NoError(t, err)
	made := 0
	r.Out, r.Target = out, target.Shipped[0]
	r.Progress = func(_, _ int, _ report.Asset, new bool) {
		if new {
			made++
		}
	}
	rep, err := p.Run(context.Background(), r)
	require.NoError(t, err)
	return rep, made
}

// house is a folder as people have them: nested, with settings, preps, names in four scripts, and things that are
// broken.
func house(t testing.TB) string {
	dir := t.TempDir()
	preset := string(export.PresetFile("Quay", export.Decisions{Format: "obj"}))
	lay(t, dir, map[string]string{
		"crate.obj": crate("crate", 1, 1, 1), "crate.mtl": "newmtl wood\nKd 0.5 0.4 0.3\n",
		"quay/yarvek.json":       `{"yarvekFolder":1,"class":"furniture","preset":"quay.preset.json"}`,
		"quay/quay.preset.json":  preset,
		"quay/bollard.obj":       crate("bollard", .4, .8, .4),
		"quay/deep/ладья.obj":    crate("ладья", 1, .5, 2),
		"quay/deep/ボート.obj":      crate("ボート", 1, .5, 2),
		"quay/deep/قارب.obj":     crate("قارب", 1, .5, 2),
		"lantern.obj":            crate("lantern", .2, 2, .2),
		"lantern.prep.json":      `{"export":{"format":"fbx","triangles":true}}`,
		"empty.obj":              "",
		"cut.fbx":                "Kaydara FBX Binary  \x00\x1a\x00\xe8\x1c\x00\x00\x10",
		"text.glb":               "this is a note and no mesh",
		"damaged.obj":            crate("damaged", 1, 1, 1),
		"damaged.prep.json":      `{"export":{"format":"stone"}}`,
		"wrong/yarvek.json":      `{"yarvekFolder":7}`,
		"wrong/box.obj":          crate("box", 1, 1, 1),
		"twice/hut.obj":          crate("hut", 3, 3, 3),
		"notes.txt":              "no mesh",
		".hidden/crate.obj":      crate("crate", 1, 1, 1),
		"quay/deep/paint/ab.png": "no picture either",
	})
	return dir
}

// A folder is sent whole: by the settings of its folders and the preps beside its meshes; what is broken is named, and
// the others are done.
func TestAFolderIsSent(t *testing.T) {
	dir, out := house(t), t.TempDir()
	r, made := carry(t, dir, out, Options{}, Running{Release: "a trial"})
	by := map[string]report.Asset{}
	for _, a := range r.Assets {
		by[a.File] = a
	}
	require.Len(t, by, 12)
	assert.Equal(t, 12, made)
	for _, f := range []string{"crate.obj", "lantern.obj", "quay/bollard.obj", "quay/deep/ладья.obj", "quay/deep/ボート.obj",
		"quay/deep/قارب.obj", "twice/hut.obj"} {
		assert.Equal(t, report.Sent, by[f].Status, "%s: %s %v", f, by[f].Error, by[f].Arrival)
		assert.NotEmpty(t, by[f].Files, f)
	}
	for f, why := range map[string]string{"empty.obj": "", "cut.fbx": "", "text.glb": "",
		"damaged.obj": "damaged.prep.json", "wrong/box.obj": "yarvek.json"} {
		assert.Equal(t, report.Unread, by[f].Status, f)
		assert.NotEmpty(t, by[f].Error, f)
		assert.Contains(t, by[f].Error, why)
		assert.NotContains(t, by[f].Error, dir, "no path of the machine")
	}
	assert.Equal(t, 2, r.Worst())
	assert.Equal(t, "Quay", by["quay/bollard.obj"].Preset)
	assert.Contains(t, by["lantern.obj"].Files[0].Name, "lantern.fbx")
	assert.Contains(t, by["quay/deep/ладья.obj"].Files[0].Name, "quay/deep/")
	assert.True(t, strings.HasSuffix(by["quay/deep/ладья.obj"].Files[0].Name, ".obj"))
	got := tree(t, out)
	for _, a := range r.Assets {
		for _, f := range a.Files {
			assert.Equal(t, f.SHA, digest([]byte(got[f.Name])), f.Name)
		}
	}
	again, err := report.Parse(r.JSON())
	require.NoError(t, err)
	assert.Equal(t, r.JSON(), again.JSON())
}

// What did not change is not made again; what did is: a mesh, what belongs to it, a prep, the target.
func TestOnlyWhatChangedIsMade(t *testing.T) {
	dir, out := house(t), t.TempDir()
	first, _ := carry(t, dir, out, Options{}, Running{Release: "a trial"})
	again := func(want ...string) {
		t.Helper()
		p, err := New(t.Context(), dir, Options{Out: out})
		require.NoError(t, err)
		var made []string
		_, err = p.Run(context.Background(), Running{Target: target.Shipped[0], Out: out, Release: "a trial",
			Progress: func(_, _ int, a report.Asset, new bool) {
				if new && a.Status != report.Unread {
					made = append(made, a.File)
				}
			}})
		require.NoError(t, err)
		assert.ElementsMatch(t, want, made)
	}
	again()
	now := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(dir, "crate.obj"), now, now))
	again() // its time alone
	lay(t, dir, map[string]string{"lantern.obj": crate("lantern", .2, 2.5, .2)})
	again("lantern.obj")
	lay(t, dir, map[string]string{"crate.mtl": "newmtl wood\nKd 0.1 0.1 0.1\n"})
	again("crate.obj", "lantern.obj")
	lay(t, dir, map[string]string{"lantern.prep.json": `{"export":{"format":"glb"}}`})
	again("lantern.obj")
	for _, a := range first.Assets {
		if a.File == "twice/hut.obj" {
			require.NoError(t, os.Remove(filepath.Join(out, a.Files[0].Name)))
		}
	}
	again() // what is gone is written again of what was kept
	fresh := t.TempDir()
	_, made := carry(t, dir, fresh, Options{}, Running{Release: "a trial", Cache: filepath.Join(out, stateDir, "made")})
	assert.LessOrEqual(t, made, 5, "another folder with the same cache makes none but what can't be read")
	want, got := tree(t, out), tree(t, fresh)
	delete(want, "build")
	for name, text := range got {
		assert.Equal(t, text, want[name], name)
	}
}

// Sixteen parts give byte for byte what one run gives, and so does their report.
func TestPartsAreTheWhole(t *testing.T) {
	dir, whole, parts := house(t), t.TempDir(), t.TempDir()
	one, _ := carry(t, dir, whole, Options{}, Running{Release: "a trial"})
	var reports []report.Report
	n := 0
	for i := range 16 {
		p, err := New(t.Context(), dir, Options{Out: parts})
		require.NoError(t, err)
		p.Part(Shard{i, 16})
		n += len(p.Tasks)
		r, err := p.Run(context.Background(), Running{Target: target.Shipped[0], Out: parts, Release: "a trial"})
		require.NoError(t, err)
		reports = append(reports, r)
	}
	assert.Equal(t, len(one.Assets), n)
	merged, err := report.Merge(reports...)
	require.NoError(t, err)
	assert.Equal(t, string(one.JSON()), string(merged.JSON()))
	assert.Equal(t, tree(t, whole), tree(t, parts))
	_, err = report.Merge(append(reports, reports[0], one)...)
	assert.Error(t, err, "an asset twice")
}

// A dry run writes nothing, and an ended one leaves files whole.
func TestNothingByHalves(t *testing.T) {
	dir, out := house(t), t.TempDir()
	_, made := carry(t, dir, out, Options{}, Running{Dry: true})
	assert.Equal(t, 12, made)
	assert.Empty(t, tree(t, out))
	_, err := os.Stat(filepath.Join(out, stateDir))
	assert.Error(t, err)
	p, err := New(t.Context(), dir, Options{Out: out})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	_, err = p.Run(ctx, Running{Target: target.Shipped[0], Out: out, Release: "a trial",
		Progress: func(done, _ int, _ report.Asset, _ bool) {
			if done == 3 {
				stop()
			}
		}})
	require.ErrorIs(t, err, context.Canceled)
	for name := range tree(t, out) {
		assert.NotContains(t, name, ".part")
	}
	r, _ := carry(t, dir, out, Options{}, Running{Release: "a trial"})
	assert.Equal(t, 7, r.Count(report.Sent), "it goes on where it was")
}

func TestParts(t *testing.T) {
	for _, bad := range []string{"", "1", "0/4", "5/4", "a/b", "1/0", "-1/3"} {
		_, err := ParseShard(bad)
		assert.Error(t, err, bad)
	}
	s, err := ParseShard("3/16")
	require.NoError(t, err)
	assert.Equal(t, Shard{2, 16}, s)
}

// A thousand assets: how long the first run takes and how long the second, which makes none.
func TestAThousandAssets(t *testing.T) {
	if testing.Short() {
		t.Skip("a minute")
	}
	dir, out := t.TempDir(), t.TempDir()
	files := map[string]string{"crate.mtl": "newmtl wood\n"}
	for i := range 1000 {
		files[fmt.Sprintf("rack %02d/crate %03d.obj", i/50, i)] = crate(fmt.Sprint("crate ", i), 1+float64(i)/1000, 1, 1)
	}
	lay(t, dir, files)
	began := time.Now()
	_, made := carry(t, dir, out, Options{}, Running{Release: "a trial"})
	first := time.Since(began)
	assert.Equal(t, 1000, made)
	began = time.Now()
	r, made := carry(t, dir, out, Options{}, Running{Release: "a trial"})
	assert.Zero(t, made)
	assert.Equal(t, 1000, r.Count(report.Sent))
	t.Logf("1 000 assets: %.1f s, and %.2f s when nothing changed", first.Seconds(), time.Since(began).Seconds())
	var junit bytes.Buffer
	require.NoError(t, r.JUnit(&junit))
	assert.Equal(t, 1000, strings.Count(junit.String(), "<testcase "))
}

// The schema that editors use knows just the keys that are read.
func TestFolderSchema(t *testing.T) {
	b, err := os.ReadFile("../../docs/folder.schema.json")
	require.NoError(t, err)
	var s struct {
		Properties map[string]any
	}
	require.NoError(t, json.Unmarshal(b, &s))
	var want []string
	for f := range reflect.TypeFor[Settings]().Fields() {
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		want = append(want, key)
	}
	assert.ElementsMatch(t, want, slices.Collect(maps.Keys(s.Properties)))
}

// A run that is killed in the middle, wherever that is, leaves only whole files, and the next one ends where a single
// run would have: byte for byte.
func TestKilledInTheMiddle(t *testing.T) {
	if at := os.Getenv("YARVEK_KILLED_AFTER"); at != "" {
		dieAfter(t, at, os.Getenv("YARVEK_KILLED_IN"), os.Getenv("YARVEK_KILLED_OUT"))
	}
	dir, whole := house(t), t.TempDir()
	carry(t, dir, whole, Options{}, Running{Release: "a trial"})
	want := tree(t, whole)
	for _, after := range []string{"1", "3", "6", "9", "11"} {
		out := t.TempDir()
		c := exec.Command(os.Args[0], "-test.run=^TestKilledInTheMiddle$")
		c.Env = append(os.Environ(), "YARVEK_KILLED_AFTER="+after, "YARVEK_KILLED_IN="+dir, "YARVEK_KILLED_OUT="+out)
		var gone *exec.ExitError
		require.ErrorAs(t, c.Run(), &gone)
		require.Equal(t, 9, gone.ExitCode(), "it ended where it was told to")
		for name, text := range tree(t, out) {
			if is, ok := want[name]; ok && !strings.HasPrefix(name, "report") {
				assert.Equal(t, is, text, "%s, killed after %s", name, after)
			}
		}
		carry(t, dir, out, Options{}, Running{Release: "a trial"})
		assert.Equal(t, want, tree(t, out), "killed after %s", after)
	}
}

// dieAfter carries out a folder and ends the process when so many assets are done, whatever the others are at.
func dieAfter(t *testing.T, after, dir, out string) {
	n, err := strconv.Atoi(after)
	require.NoError(t, err)
	p, err := New(t.Context(), dir, Options{Out: out})
	require.NoError(t, err)
	_, err = p.Run(context.Background(), Running{Target: target.Shipped[0], Out: out, Release: "a trial",
		Progress: func(done, _ int, _ report.Asset, _ bool) {
			if done == n {
				os.Exit(9)
			}
		}})
	t.Fatal("it went through", err)
}

// A folder that can't be read is named, and the others are done. Who may read everything tries it as nobody.
func TestAFolderThatCantBeRead(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("rights of folders are others there")
	}
	dir := os.Getenv("YARVEK_SHUT")
	if dir == "" && os.Getuid() == 0 {
		base, err := os.MkdirTemp("", "shut")
		require.NoError(t, err)
		t.Cleanup(func() { _ = os.RemoveAll(base) })
		require.NoError(t, os.Chmod(base, 0o777))
		self := filepath.Join(base, "test")
		b, err := os.ReadFile(os.Args[0])
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(self, b, 0o755))
		c := exec.Command(self, "-test.run=^TestAFolderThatCantBeRead$", "-test.v")
		c.Dir, c.Env = base, append(os.Environ(), "YARVEK_SHUT="+base, "HOME="+base, "TMPDIR="+base)
		asNobody(c)
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		assert.Contains(t, string(out), "--- PASS: TestAFolderThatCantBeRead")
		return
	}
	if dir == "" {
		dir = t.TempDir()
	}
	in, out := filepath.Join(dir, "in"), filepath.Join(dir, "out")
	lay(t, in, map[string]string{"crate.obj": crate("crate", 1, 1, 1), "shut/box.obj": crate("box", 1, 1, 1),
		"open/hut.obj": crate("hut", 1, 1, 1), "open/shut.obj": crate("shut", 1, 1, 1)})
	require.NoError(t, os.Chmod(filepath.Join(in, "shut"), 0))
	require.NoError(t, os.Chmod(filepath.Join(in, "open", "shut.obj"), 0))
	t.Cleanup(func() { _ = os.Chmod(filepath.Join(in, "shut"), 0o700) })
	r, _ := carry(t, in, out, Options{}, Running{Release: "a trial"})
	by := map[string]report.Asset{}
	for _, a := range r.Assets {
		by[a.File] = a
	}
	assert.Equal(t, report.Sent, by["crate.obj"].Status)
	assert.Equal(t, report.Sent, by["open/hut.obj"].Status)
	assert.Equal(t, report.Unread, by["open/shut.obj"].Status)
	assert.Equal(t, report.Unread, by["shut"].Status, "%v", by)
	assert.Equal(t, 2, r.Worst())
}

// A scene of layers is one asset, wherever they lie below it, and so is a package of a document and its picture.
func TestLayersAreNoAssets(t *testing.T) {
	dir, out := t.TempDir(), t.TempDir()
	mesh := `#usda 1.0
( defaultPrim = "m" )
def Mesh "m" {
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (200, 0, 0), (200, 100, 0), (0, 100, 0)]
}
`
	var zae bytes.Buffer
	z := zip.NewWriter(&zae)
	for name, text := range map[string]string{"manifest.xml": "<dae_root>./b/right.dae</dae_root>",
		"a.dae": document("0 0 0 1 0 0 0 1 0"), "b/right.dae": document("0 0 0 4 0 0 0 1 0")} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	lay(t, dir, map[string]string{"parts/door.usda": mesh, "parts/sill.usda": mesh, "shed.zae": zae.String(),
		"hut.usda": "#usda 1.0\ndef \"a\" (references = @./parts/door.usda@) { }\n" +
			"def \"b\" (references = @./parts/sill.usda@) { double3 xformOp:translate = (0, 500, 0)\n" +
			"uniform token[] xformOpOrder = [\"xformOp:translate\"] }\n"})
	rep, made := carry(t, dir, out, Options{}, Running{})
	require.Equal(t, 2, made, "%+v", rep)
	got := map[string]geom.Vec3{}
	for _, a := range rep.Assets {
		require.Equal(t, report.Sent, a.Status, "%+v", a)
		b, err := os.ReadFile(filepath.Join(out, filepath.FromSlash(a.Files[0].Name)))
		require.NoError(t, err)
		s, _, err := format.Read(t.Context(), bundle.New([]bundle.File{{Name: "x.glb", Data: b}}), "x.glb", nil)
		require.NoError(t, err)
		got[a.File] = s.Bounds().Size()
	}
	assert.InDelta(t, 6, got["hut.usda"][1], 1e-6, "both layers")
	assert.InDelta(t, 4, got["shed.zae"][0], 1e-6, "the document that the manifest names")
}

// document is a COLLADA of one triangle.
func document(points string) string {
	return `<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset/>
<library_geometries><geometry id="g"><mesh><source id="p"><float_array id="pa" count="9">` + points + `</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/><param name="Y"
type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<triangles count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles></mesh></geometry>
</library_geometries><library_visual_scenes><visual_scene id="s"><node id="n"><instance_geometry url="#g"/></node>
</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>`
}
