package main

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

func run(t *testing.T, c *cobra.Command, args ...string) (string, error) {
	t.Helper()
	var out bytes.Buffer
	c.SetOut(&out)
	c.SetErr(&out)
	c.SetArgs(args)
	c.SilenceUsage, c.SilenceErrors = true, true
	err := c.ExecuteContext(context.Background())
	return out.String(), err
}

func write(t *testing.T, dir, name, text string) string {
	t.Helper()
	f := filepath.Join(dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(f), 0o755))
	require.NoError(t, os.WriteFile(f, []byte(text), 0o644))
	return f
}

const obj = "mtllib mats/a.mtl\no plank\nv 0 0 0\nv 200 0 0\nv 200 300 0\nv 0 300 -10\nv 999 999 999\nusemtl wood\nf " +
	"1 2 3 4\n"

func TestInspectSaysWhatAFileHolds(t *testing.T) {
	dir := t.TempDir()
	good := write(t, dir, "a.obj", obj)
	write(t, dir, "mats/a.mtl", "newmtl wood\nmap_Kd gone.png\nnewmtl spare\n")
	bad := write(t, dir, "b.obj", "v 1 2\n")
	out, err := run(t, inspectCommand(), "--json", good, bad)
	assert.ErrorIs(t, err, errSaid)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 2)
	assert.JSONEq(t, `{"file":"`+good+`","format":"obj","unitMetres":1,"unitHow":"assumed","up":"+Y","forward":"+Z"`+
		`,"handedness":"right",
		"axesHow":"assumed",
		"nodes":1,"meshes":1,"instances":1,"polygons":1,"triangles":2,"points":5,"slots":["wood"],
			"unusedMaterials":["spare"],"left":[],
		"materials":[{"name":"wood","baseColor":[1,1,1,1],"metallic":0,"roughness":0.8,"alpha":"OPAQUE","twoSided":false,
			"textures":{"base colour":"gone.png"}},
			{"name":"spare","baseColor":[1,1,1,1],"metallic":0,"roughness":0.8,"alpha":"OPAQUE","twoSided":false}],
		"textures":[{"name":"gone.png","found":false,"width":0,"height":0}],"uvSets":[],"lights":0,"cameras":0,"skins":0,
			"animations":0,
		"bounds":{"min":[0,0,-10],"max":[200,300,0]},
		"surface":{"duplicatePoints":0,"unusedPoints":1,"zeroAreaFaces":0,"duplicateFaces":0,"nonManifoldEdges":0,
			"openBorderLoops":1,
			"flippedFaces":0,"insideOutParts":0,"needles":0,"bentPolygons":1,"concavePolygons":0,"uvOverlap":0,"uvOutside":0},
		"budget":{"triangles":2,"vertices":4,"drawCalls":1,"wasteTriangles":0,"acmr":2},
		"findings":[{"code":"source/missing-picture","severity":"look","title":"Picture “gone.png” is not among the files",
			"text":"“wood” uses it for base colour. The texture arrives nowhere until the picture is added.",
				"place":{"file":"mats/a.mtl",
				"line":2}}]}`, lines[0])
	var rec struct{ File, Error string }
	require.NoError(t, json.Unmarshal([]byte(lines[1]), &rec))
	assert.Contains(t, rec.Error, "line 1: a point needs 3 numbers")

	_, err = run(t, inspectCommand(), "--json", good)
	assert.NoError(t, err)
}

// A zip is taken with what lies in it and nothing beside it.
func TestZipsAreTaken(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "pier.zip")
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"a/plank.obj": obj, "a/mats/a.mtl": "newmtl wood\nKd 0.5 0.5 0.5\n",
		"b/post.obj": obj,
		"../out.obj": obj, "__MACOSX/a.obj": obj, ".hidden.obj": obj} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	write(t, dir, "mats/a.mtl", "newmtl wood\nKd 1 0 0\n")
	out, err := run(t, inspectCommand(), "--json", file)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 2, out)
	assert.Contains(t, lines[0], `"file":"`+file+`/a/plank.obj"`)
	assert.Contains(t, lines[0], `"baseColor":[0.21404114048223255,0.21404114048223255,0.21404114048223255,1]`)
	assert.Contains(t, lines[1], `"baseColor":[0.21404114048223255,0.21404114048223255,0.21404114048223255,1]`,
		"the one of that name in the zip, not the one beside it")
	_, err = run(t, prepareCommand(), file, "-o", filepath.Join(dir, "x.glb"))
	assert.ErrorContains(t, err, "a/plank.obj, b/post.obj: name one with --mesh")
	_, err = run(t, prepareCommand(), file, "--mesh", "a/plank.obj", "-o", filepath.Join(dir, "x.glb"))
	require.NoError(t, err)
	assert.FileExists(t, filepath.Join(dir, "x.glb"))
	require.NoError(t, os.WriteFile(file, b.Bytes()[:100], 0o644))
	_, err = run(t, prepareCommand(), file, "-o", filepath.Join(dir, "y.glb"))
	assert.ErrorContains(t, err, "is no zip that can be opened")
}

func TestExportAppliesRecordedDecisions(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "a.obj", obj)
	decisions := write(t, dir, "prep.json",
		`{"size":{"unit":"cm"},"axes":{"up":"+Z"},"pivot":{"place":"box","box":[0,-1,0]}}`)
	out := filepath.Join(dir, "out.glb")
	said, err := run(t, prepareCommand(), in, "-o", out, "--prep", decisions, "--target", "z-up-centimetres-left")
	require.NoError(t, err, said)
	assert.Contains(t, said, "read back equal")
	got, err := run(t, inspectCommand(), "--json", out)
	require.NoError(t, err)
	var rec struct {
		Bounds    struct{ Min, Max [3]float64 }
		Triangles int
	}
	require.NoError(t, json.Unmarshal([]byte(got), &rec))
	// 200 x 300 x 10 cm with +Z up: 2 m wide, 0.1 m tall, 3 m deep, on the origin.
	assert.InDeltaSlice(t, []float64{-1, 0, -1.5}, rec.Bounds.Min[:], 1e-6)
	assert.InDeltaSlice(t, []float64{1, .1, 1.5}, rec.Bounds.Max[:], 1e-6)
	// What must be fixed holds it, with its findings said, until somebody says why not.
	held := filepath.Join(dir, "held.glb")
	far := write(t, dir, "far.obj", "v 0 0 0\nv 900 0 0\nv 0 900 0\nf 1 2 3\n")
	said, err = run(t, prepareCommand(), far, "-o", held)
	assert.ErrorIs(t, err, errSaid)
	assert.Contains(t, said, "must fix: Size: ")
	assert.Contains(t, said, "give --release REASON")
	assert.NoFileExists(t, held)
	said, err = run(t, prepareCommand(), far, "-o", held, "--release", "a backdrop, seen from afar")
	require.NoError(t, err)
	assert.Contains(t, said, "released: a backdrop, seen from afar")
	assert.FileExists(t, held)
	_, err = run(t, prepareCommand(), in, "-o", out, "--prep", write(t, dir, "odd.json", `{"size":{"unti":"cm"}}`))
	assert.ErrorContains(t, err, `Did you mean "unit"?`)
	for _, args := range [][]string{
		{in, "-o", filepath.Join(dir, "out.stone")}, {in, "-o", out, "--target", "sideways"},
		{filepath.Join(dir, "none.obj"), "-o", out},
		{in, "-o", out, "--prep", in},
	} {
		_, err := run(t, prepareCommand(), args...)
		assert.Error(t, err, args)
	}
}

func TestNothingOutsideTheFolderIsOpened(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "secret.mtl", "newmtl wood\nKd 1 0 0\n")
	in := write(t, dir, "kit/a.obj", strings.Replace(obj, "mats/a.mtl", "../secret.mtl", 1))
	out, err := run(t, inspectCommand(), "--json", in)
	require.NoError(t, err)
	assert.Contains(t, out, "points outside the uploaded files")
}

// A port that was asked for is the one or none; without one the next free port is taken, and that is said.
func TestATakenPort(t *testing.T) {
	first, err := listen("127.0.0.1:0")
	require.NoError(t, err)
	defer first.Close()
	_, err = listen(first.Addr().String())
	assert.ErrorContains(t, err, "can't be listened on")
	usual, err := listen("")
	require.NoError(t, err)
	defer usual.Close()
	next, err := listen("")
	require.NoError(t, err)
	defer next.Close()
	assert.NotEqual(t, usual.Addr(), next.Addr())
	_, err = listen("nonsense")
	assert.Error(t, err)

	ctx, cancel := context.WithCancel(context.Background())
	said, err := run(t, serveCommand(), "--data", t.TempDir(), "--addr", first.Addr().String())
	assert.ErrorContains(t, err, "can't be listened on", said)
	out := &endsWhen{says: "Press Ctrl+C", end: cancel}
	c := serveCommand()
	c.SetArgs([]string{"--data", t.TempDir()})
	c.SetOut(out)
	require.NoError(t, c.ExecuteContext(ctx))
	assert.Contains(t, out.String(), "so another port was taken")
}

// endsWhen ends something once a text was written to it.
type endsWhen struct {
	bytes.Buffer
	says string
	end  func()
}

func (e *endsWhen) Write(p []byte) (int, error) {
	n, err := e.Buffer.Write(p)
	if strings.Contains(e.String(), e.says) {
		e.end()
	}
	return n, err
}

// The real program, killed without warning while it fills its demo kit and again
// while it serves, starts again on the same folder with nothing half-made.
func TestKilledAtAnyMomentItStartsAgain(t *testing.T) {
	dir := t.TempDir()
	bin := filepath.Join(dir, "yarvek")
	b, err := exec.Command("go", "build", "-o", bin, ".").CombinedOutput()
	require.NoError(t, err, string(b))
	data := filepath.Join(dir, "data")
	for _, wait := range []time.Duration{40, 90, 150, 250, 400} {
		c := exec.Command(bin, "serve", "--data", data, "--addr", "127.0.0.1:0")
		if wait > 100 {
			c = exec.Command(bin, "demo", "--data", data, "--addr", "127.0.0.1:0")
		}
		require.NoError(t, c.Start())
		time.Sleep(wait * time.Millisecond)
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
	}
	c := exec.Command(bin, "serve", "--data", data, "--addr", "127.0.0.1:0")
	var said bytes.Buffer
	c.Stderr = &said
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		_ = c.Wait()
	}
	require.NoError(t, err, "it ended: %s", &said)
	assert.Contains(t, line, "Yarvek is at http://127.0.0.1:")
	tmp, err := filepath.Glob(filepath.Join(data, "tmp", "*"))
	require.NoError(t, err)
	assert.Empty(t, tmp)
	require.NoError(t, c.Process.Signal(os.Interrupt))
	assert.NoError(t, c.Wait())
}

// A folder is held by one program: a second one is told which folder and what to do,
// and touches nothing of the first one's.
func TestASecondServerOnAFolderIsRefused(t *testing.T) {
	dir := t.TempDir()
	st, err := store.Open(dir)
	require.NoError(t, err)
	half := write(t, dir, "tmp/upload-half", "being received")
	for _, c := range []*cobra.Command{serveCommand(), demoCommand()} {
		_, err = run(t, c, "--data", dir, "--addr", "127.0.0.1:0")
		require.Error(t, err)
		assert.Contains(t, err.Error(), dir)
		assert.Contains(t, err.Error(), "is in use by another Yarvek")
		assert.Contains(t, err.Error(), "--data")
		assert.FileExists(t, half)
	}
	require.NoError(t, st.Close())
	next, err := store.Open(dir)
	require.NoError(t, err, "free again")
	assert.NoFileExists(t, half, "what nobody receives any more is cleared")
	require.NoError(t, next.Close())
}

// Told to end while an upload comes in, the server receives it to its end and answers.
func TestAnUploadUnderWayIsReceived(t *testing.T) {
	got := make(chan string, 1)
	begun := make(chan struct{})
	srv := &http.Server{ReadHeaderTimeout: time.Second,
		Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			close(begun)
			b, err := io.ReadAll(r.Body)
			if err != nil {
				b = []byte(err.Error())
			}
			got <- string(b)
			_, _ = io.WriteString(w, "received")
		})}
	l, err := listen("127.0.0.1:0")
	require.NoError(t, err)
	ctx, end := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- serve(ctx, srv, l) }()

	body, upload := io.Pipe()
	answer := make(chan string, 1)
	go func() {
		resp, err := http.Post("http://"+l.Addr().String(), "text/plain", body)
		if err != nil {
			answer <- err.Error()
			return
		}
		defer resp.Body.Close()
		b, _ := io.ReadAll(resp.Body)
		answer <- string(b)
	}()
	_, _ = io.WriteString(upload, "first half, ")
	<-begun
	end()
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", l.Addr().String())
		if err == nil {
			_ = c.Close()
		}
		return err != nil
	}, time.Minute, time.Millisecond, "nothing new is taken")
	_, err = io.WriteString(upload, "second half")
	require.NoError(t, err)
	require.NoError(t, upload.Close())
	assert.Equal(t, "first half, second half", <-got)
	assert.Equal(t, "received", <-answer)
	assert.NoError(t, <-ended)
}

// What is kept is checked, backed up and put back by the commands, and a flipped byte is
// named by the file and the asset that need it.
func TestKeptFilesAreVerifiedBackedUpAndPutBack(t *testing.T) {
	dir, ctx := t.TempDir(), context.Background()
	data, file := filepath.Join(dir, "data"), filepath.Join(dir, "kits.zip")
	st, err := store.Open(data)
	require.NoError(t, err)
	d := work.New(st, work.DefaultLimits, nil)
	k, err := d.NewKit(ctx, "Tern Point", "y-up-metres-right")
	require.NoError(t, err)
	u := d.NewUpload()
	require.NoError(t, u.Add("plank.obj", strings.NewReader(obj)))
	_, err = d.Bring(ctx, k.ID, "plank", u)
	require.NoError(t, err)

	said, err := run(t, verifyCommand(), "--data", data)
	require.NoError(t, err, said)
	assert.Contains(t, said, "1 kept file")
	assert.Contains(t, said, "Everything is as it was kept.")
	said, err = run(t, backupCommand(), "--data", data, "-o", file)
	require.NoError(t, err, said)
	d.Close()
	require.NoError(t, st.Close())

	blobs, err := filepath.Glob(filepath.Join(data, "blobs", "??", "*"))
	require.NoError(t, err)
	b, err := os.ReadFile(blobs[0])
	require.NoError(t, err)
	b[20] ^= 1
	require.NoError(t, os.WriteFile(blobs[0], b, 0o644))
	said, err = run(t, verifyCommand(), "--data", data)
	assert.ErrorIs(t, err, errSaid)
	assert.Contains(t, said, "damaged: plank.obj of plank, revision 1")
	said, err = run(t, backupCommand(), "--data", data, "-o", filepath.Join(dir, "later.zip"))
	assert.ErrorIs(t, err, errSaid)
	assert.Contains(t, said, "not in the backup")

	back := filepath.Join(dir, "back")
	said, err = run(t, restoreCommand(), file, "--data", back)
	require.NoError(t, err, said)
	assert.Contains(t, said, "Everything is as it was kept.")
	_, err = run(t, restoreCommand(), file, "--data", back)
	assert.ErrorContains(t, err, "is not empty")
	_, err = run(t, verifyCommand(), "--data", filepath.Join(dir, "nowhere"))
	assert.ErrorContains(t, err, "there is no Yarvek data")
	left, err := filepath.Glob(filepath.Join(dir, ".yarvek-backup-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// A file arrives as it is meant, or the exit code says that it does not, at every target that is asked.
func TestArriveSaysHowAFileArrives(t *testing.T) {
	file := write(t, t.TempDir(), "post.obj",
		"o post\nv 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n")
	out, err := run(t, arriveCommand(), file, "--target", "y-up-metres-right")
	require.NoError(t, err)
	assert.Contains(t, out, "upright")
	assert.NotContains(t, out, "!")
	out, err = run(t, arriveCommand(), file, "--json")
	assert.ErrorIs(t, err, errDifferent)
	var got arrivals
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	require.Len(t, got.Targets, len(target.Shipped))
	assert.False(t, got.Equal)
	assert.Equal(t, "on its side", got.Targets[1].Stands.Says)
	assert.Equal(t, "mirrored", got.Targets[1].Faces.Says)
	assert.InDelta(t, 0.01, got.Targets[1].Height, 1e-9, "its depth of 1 lies upright, in centimetres")
	_, err = run(t, arriveCommand(), file, "--target", "moon")
	assert.ErrorContains(t, err, "is no target")
	_, err = run(t, arriveCommand(), filepath.Join(t.TempDir(), "none.obj"))
	assert.Error(t, err)
}
