package obj

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"reflect"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/format/text"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

func read(t testing.TB, files ...string) (*scene.Scene, []finding.Finding, error) {
	t.Helper()
	var list []bundle.File
	for i := 0; i < len(files); i += 2 {
		list = append(list, bundle.File{Name: files[i], Data: []byte(files[i+1])})
	}
	return Read(context.Background(), bundle.New(list), list[0].Name, nil)
}

const shed = `# a quad, a pentagon and a triangle
mtllib shed.mtl
o wall
v 0 0 0 1 0 0
v 2 0 0 0 1 0
v 2 3 0 0 0 1
v 0 3 0
vt 0 0
vt 1 0
vt 1 1
vn 0 0 1
usemtl salt white
s 1
f 1/1/1 2/2/1 3/3/1 4//1
o roof
v 0 4 0
usemtl tar
s off
f -2 -3 -1
f 1 2 3 5 4
`

func TestReadObjectsSlotsAndCorners(t *testing.T) {
	s, found, err := read(t, "shed.obj", shed, "shed.mtl",
		"newmtl tar\nKd .1 .1 .1\nnewmtl salt white\nd 0.5\nnewmtl spare\n")
	require.NoError(t, err)
	assert.Empty(t, found)
	require.Len(t, s.Nodes, 2)
	wall, roof := s.Meshes[0], s.Meshes[1]
	require.NoError(t, wall.Validate())
	require.NoError(t, roof.Validate())
	assert.Equal(t, "wall", s.Nodes[0].Name)
	assert.Equal(t, []int32{0, 4}, wall.FaceStart)
	assert.Equal(t, []int32{0, 1, 2, -1}, wall.UVs[0].Index)
	assert.Equal(t, []int32{0, 0, 0, 0}, wall.Normals.Index)
	assert.Equal(t, [4]float32{0, 0, 1, 1}, wall.Colors.Values[2])
	assert.Equal(t, [4]float32{1, 1, 1, 1}, wall.Colors.Values[3], "a point without colour is white")
	assert.Equal(t, []uint32{1}, wall.Smooth)
	assert.Equal(t, []uint32{0, 0}, roof.Smooth)
	assert.Len(t, roof.Points, 5, "its own point and the four it borrows")
	assert.False(t, roof.UVs != nil)
	assert.Equal(t, []string{"salt white", "tar"}, s.SlotNames())
	assert.Equal(t, []string{"spare"}, s.UnusedMaterials())
	c := s.Count()
	assert.Equal(t, 3, c.Polygons)
	assert.Equal(t, 2+1+3, c.Triangles)
	assert.Equal(t, geom.Box{Min: geom.Vec3{0, 0, 0}, Max: geom.Vec3{2, 4, 0}}, s.Bounds())
	assert.Equal(t, scene.Blend, s.Materials[1].AlphaMode)
}

func TestErrorsNameTheLineAndWhatToTry(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"comma", "v 0 0 0\nv 1,5 0 0\n", `line 2: expected a number in the point, found "1,5". Numbers need a point`},
		{"nan", "v 0 0 nan\n", `line 1: expected a number in the point, found "nan". The mesh has a point that is nowhere`},
		{"inf", "\nv 0 -inf 0\n", `line 2`},
		{"huge", "v 1e999 0 0\n", `too large a number`},
		{"short", "v 1 2\n", `line 1: a point needs 3 numbers and has 2`},
		{"nowhere", "v 0 0 0\nf 1 1 9\n", `line 2: a face refers to point 9, and the file has 1`},
		{"before the start", "v 0 0 0\nf -1 -1 -2\n", `line 2: a face refers to point -2, counting back`},
		{"zero", "v 0 0 0\nf 0 1 1\n", `refers to point 0`},
		{"no uv", "v 0 0 0\nf 1/1 1/1 1/1\n", `refers to texture coordinate 1, and the file has 0`},
		{"letters", "v 0 0 0\nf 1 1 x\n", `line 2: expected a face corner such as 12/7/3, found "x"`},
		{"cut", "v 0 0 0\nv", `line 2: "v" stands alone`},
		{"not obj", "hello\nworld\n", `line 1: this is no OBJ statement`},
		{"binary", "v 0\x00 0 0\n", `byte 3: holds a zero byte`},
		{"continued", "v 0 0 \\\n0\nv 1 2 \\\nx\n", `line 3`},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, _, err := read(t, "bad.obj", c.text)
			var e *fault.Error
			require.ErrorAs(t, err, &e)
			assert.ErrorContains(t, err, c.want)
			assert.Equal(t, "bad.obj", e.File)
		})
	}
}

func TestOddButLegalText(t *testing.T) {
	s, _, err := read(t, "odd.obj",
		"\ufeff\tv\t.5 +2 1.\r\nv 1e-3 -1E2 0 # far\r\nv 0 \\\r\n 0 \\\r\n 0\r\nf 1 2 3 # a face\r\nf 3 2 1")
	require.NoError(t, err)
	assert.Equal(t, []geom.Vec3{{.5, 2, 1}, {.001, -100, 0}, {0, 0, 0}}, s.Meshes[0].Points)
	assert.Equal(t, 2, s.Meshes[0].Faces())
	utf16 := "\xff\xfe"
	for _, c := range "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n" {
		utf16 += string([]byte{byte(c), 0})
	}
	big := ""
	for i := 2; i < len(utf16); i += 2 {
		big += string([]byte{utf16[i+1], utf16[i]})
	}
	for _, text := range []string{utf16, utf16[2:], big, "\xfe\xff" + big} {
		s, _, err = read(t, "wide.obj", text)
		require.NoError(t, err)
		assert.Equal(t, 1, s.Count().Triangles)
	}
}

func TestWhatIsNoPolygonIsCountedAndNamed(t *testing.T) {
	s, _, err := read(t, "mix.obj",
		"v 0 0 0\nv 1 0 0\nv 0 1 0\nl 1 2\nl 2 3\np 1\nf 1 2\nf 1 2 3\ncstype bezier\nsurf 0 1 0 1 1\nwobble\n")
	require.NoError(t, err)
	assert.Equal(t, 2, s.CountLeft("line"))
	assert.Equal(t, 1, s.CountLeft("point"))
	assert.Equal(t, 1, s.CountLeft("face of fewer than three corners"))
	assert.Equal(t, 1, s.CountLeft("free-form surface"))
	assert.Equal(t, 1, s.CountLeft("unknown statement"))
	assert.Equal(t, 1, s.Count().Triangles)
}

func TestMissingCompanionsAreFindings(t *testing.T) {
	_, found, err := read(t, "a.obj", "mtllib gone.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl x\nf 1 2 3\n")
	require.NoError(t, err)
	require.Len(t, found, 1, "one cause, one finding")
	assert.Equal(t, "source/missing-library", found[0].Code)
	assert.Contains(t, found[0].Title, "gone.mtl")
	assert.Contains(t, found[0].Text, "Faces use x, which no library that came describes")
	_, found, err = read(t, "a.obj", "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl x\nf 1 2 3\n",
		"a.mtl", "newmtl x\nmap_Kd ../../etc/passwd\nmap_Ke http://elsewhere/x.png\nmap_d my leaf.png\n")
	require.NoError(t, err)
	require.Len(t, found, 3)
	assert.Contains(t, found[0].Title, "points outside the uploaded files")
	assert.Contains(t, found[1].Title, "points outside the uploaded files")
	assert.Equal(t, finding.Place{File: "a.mtl", Line: 4}, found[2].Place)
	assert.Contains(t, found[2].Title, "my leaf.png")
}

func TestNumbersRoundLikeStrconv(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200000 {
		var s string
		switch r.IntN(4) {
		case 0:
			s = strconv.FormatFloat(r.NormFloat64()*100, 'f', r.IntN(20), 64)
		case 1:
			s = strconv.FormatFloat(r.NormFloat64(), 'e', r.IntN(20), 64)
		case 2:
			s = fmt.Sprintf("%d.%de%d", r.IntN(1e9), r.IntN(1e9), r.IntN(60)-30)
		default:
			s = strconv.FormatFloat(float64(float32(r.NormFloat64())), 'g', -1, 32)
		}
		want, err := strconv.ParseFloat(s, 64)
		require.NoError(t, err)
		got, n := text.Float([]byte(s))
		require.Equal(t, len(s), n, s)
		require.Equal(t, want, got, s)
	}
	for _, bad := range []string{"", ".", "-", "e5", "1e", "+.e3"} {
		_, n := text.Float([]byte(bad))
		assert.Zero(t, n, bad)
	}
}

// Chunks are cut at a million bytes; what counts back or carries over must not notice.
func TestChunksJoinWithoutASeam(t *testing.T) {
	var sb strings.Builder
	const n = 120000
	for i := range n {
		fmt.Fprintf(&sb, "v %d 0.5 0\nv %d 1.5 0\nv %d 0 2.25\n", i, i, i)
		if i%1000 == 0 {
			fmt.Fprintf(&sb, "usemtl m%d\n", i/1000%2)
		}
		sb.WriteString("f -3 -2 -1\n")
	}
	require.Greater(t, sb.Len(), 3*chunkSize)
	s, _, err := read(t, "long.obj", sb.String())
	require.NoError(t, err)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	require.Equal(t, n, m.Faces())
	for i := range n {
		require.Equal(t, int32(3*i), m.Corners[3*i])
		require.Equal(t, int32(i/1000%2), m.Slot[i])
	}
	_, found, err := read(t, "long.obj", sb.String()+"f 1 2 x\n")
	require.NoError(t, err)
	require.Equal(t, strings.Count(sb.String(), "\n")+1, found[0].Place.Line)
}

// Bad lines are left out wherever they stand, and the rest comes in as if they had never
// been written: the judge is the same text without them.
func TestBadLinesAreNotABadFile(t *testing.T) {
	var with, without strings.Builder
	const n = 60000
	for i := range n {
		both := fmt.Sprintf("v %d 0 0\nv %d 1 0\nv %d 0 2\nvt 0.%d 1\nvn 0 0 1\n", i, i, i, i)
		if i%900 == 7 {
			both += fmt.Sprintf("usemtl m%d\no part %d\n", i%3, i)
		}
		if i%500 == 3 {
			with.WriteString(both + "f 1 2 999999999\nf 1/9999999 2 3\nf 4 5 6x\n")
		} else {
			with.WriteString(both)
		}
		without.WriteString(both)
		both = "f -3/-1/-1 -2/-1/-1 -1/-1/-1\n"
		with.WriteString(both)
		without.WriteString(both)
	}
	require.Greater(t, with.Len(), 2*chunkSize)
	got, found, err := read(t, "long.obj", with.String())
	require.NoError(t, err)
	want, _, err := read(t, "long.obj", without.String())
	require.NoError(t, err)
	require.Len(t, got.Left, 1, "what is left out is told")
	assert.Equal(t, 360, got.Left[0].Count)
	got.Left = nil
	require.True(t, reflect.DeepEqual(want, got), "the rest is as without them")
	require.Equal(t, finding.MustFix, found[0].Severity)
	assert.Equal(t, "360 faces can't be read and were left out", found[0].Title)
	assert.Contains(t, found[0].Text, "a face refers to point 999999999, and the file has 180000")
	assert.Equal(t, 3*6+5+1, found[0].Place.Line, "after three blocks with a face and one before its own")
}

// A point that can't be read takes the faces on it along; a UV or a normal only itself.
func TestBadNumbersLeaveOutWhatStandsOnThem(t *testing.T) {
	const text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv nan 0 0\nv 2 2 1e99\nvt 0 0\nvt 1 x\nvn 0 0 1\nvn 0 0\n" +
		"f 1/1/1 2/2/2 3/1/1\nf 1 2 4\nf 2 3 5\nf 3 2 1\n"
	s, found, err := read(t, "bad.obj", text)
	require.NoError(t, err)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	assert.Equal(t, []int32{0, 1, 2, 2, 1, 0}, m.Corners)
	assert.Equal(t, []int32{0, -1, 0, -1, -1, -1}, m.UVs[0].Index)
	assert.Equal(t, []int32{0, -1, 0, -1, -1, -1}, m.Normals.Index)
	assert.Equal(t, "2 faces, 2 points, 1 UV coordinate, 1 normal can't be read and were left out", found[0].Title)
	assert.Equal(t, 4, found[0].Place.Line)
	_, _, err = read(t, "bad.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
	assert.ErrorContains(t, err, "found \"nan\"", "nothing is left of it")
}

func TestWriteReadKeepsPolygonsNamesAndMaterials(t *testing.T) {
	s, _, err := read(t, "shed.obj", shed, "shed.mtl",
		"newmtl tar\nKd .1 .2 .3\nPr 0.25\nPm 1\nnewmtl salt white\nd 0.5\nKe 1 0 .5\n")
	require.NoError(t, err)
	for _, b := range geom.AllBases() {
		p, err := Write(context.Background(), s, pack.Options{Name: "shed", Basis: b, UnitMetres: 0.01})
		require.NoError(t, err)
		require.Len(t, p.Files, 2)
		got, found, err := Read(context.Background(), bundle.New(p.Files), "shed.obj", nil)
		require.NoError(t, err)
		require.Empty(t, found)
		got.Basis = b
		back := got.Carried(geom.Linear(b.To(geom.GLTF).Scaled(0.01)))
		back.Basis = geom.GLTF
		require.Equal(t, s.SlotNames(), back.SlotNames())
		require.Equal(t, s.Materials[0], back.Materials[0])
		for i, m := range s.Meshes {
			g := back.Meshes[i]
			require.Equal(t, s.Nodes[i].Name, back.Nodes[i].Name)
			require.Equal(t, m.FaceStart, g.FaceStart)
			require.Equal(t, m.Corners, g.Corners, b.String())
			require.Equal(t, m.Smooth, g.Smooth)
			for k, p := range m.Points {
				require.True(t, p.Near(g.Points[k], 1e-8))
			}
			require.Len(t, g.UVs, len(m.UVs))
			for u := range m.UVs {
				for c, k := range m.UVs[u].Index { // values may be renumbered, corners may not change
					if k < 0 {
						require.Negative(t, g.UVs[u].Index[c])
						continue
					}
					require.Equal(t, m.UVs[u].Values[k], g.UVs[u].Values[g.UVs[u].Index[c]])
				}
			}
			require.Equal(t, m.Normals.Values, g.Normals.Values)
		}
	}
}

func TestTexturePlacementMakesTheRoundTrip(t *testing.T) {
	s, found, err := read(t, "a.obj", "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl x\nf 1 2 3\n",
		"a.mtl", "newmtl x\nmap_Kd -s 2 3 1 -o 0.25 0.5 -clamp on bark.png\nmap_Pr -imfchan g bark.png\n", "bark.png", "?")
	require.NoError(t, err)
	require.Empty(t, found)
	mp := s.Materials[0].Maps[scene.UseBaseColor]
	assert.Equal(t, &scene.Placement{Offset: [2]float64{.25, -2.5}, Scale: [2]float64{2, 3}}, mp.Place,
		"v runs down from the top in a placement")
	p, err := Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	again, _, err := Read(context.Background(), bundle.New(p.Files), "a.obj", nil)
	require.NoError(t, err)
	assert.Equal(t, s.Materials[0].Maps, again.Materials[0].Maps)
}

// An OBJ cut at any place is read as far as it goes or refused with its line.
func TestCutAnywhere(t *testing.T) {
	for n := range len(shed) {
		s, _, err := read(t, "a.obj", shed[:n])
		if err != nil {
			var e *fault.Error
			require.ErrorAs(t, err, &e, "cut at %d", n)
			continue
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(shed), []byte("newmtl tar\nmap_Kd -s 1 1 a b.png\nTr .5\nmap_Pr -imfchan g x.png\n"))
	f.Add([]byte("v 0 0 0\nv 1 0 0\nv 0 1 0\ng a b\nf -1/-1 -2 -3\n"),
		[]byte("newmtl x\nKd 1\nNs 200\nnorm -bm 2 n.png\n"))
	f.Add([]byte("mtllib a.mtl\nv 1 2 \\\n3\nl 1 2\nf 1 1 1\ncurv2 1\n"), []byte{0xff, 0xfe, 'n', 0})
	f.Fuzz(func(t *testing.T, data, mtl []byte) {
		if len(data) > 1<<16 {
			t.Skip()
		}
		var was, after runtime.MemStats
		runtime.ReadMemStats(&was)
		start := time.Now()
		s, _, err := Read(context.Background(),
			bundle.New([]bundle.File{{Name: "a.obj", Data: data}, {Name: "a.mtl", Data: mtl},
				{Name: "shed.mtl", Data: mtl}}), "a.obj", nil)
		if time.Since(start) > 20*time.Second {
			t.Fatalf("took %v", time.Since(start))
		}
		if runtime.ReadMemStats(&after); after.TotalAlloc-was.TotalAlloc > 256<<20 {
			t.Fatalf("took %d MB for %d bytes", (after.TotalAlloc-was.TotalAlloc)>>20, len(data))
		}
		if err != nil {
			return
		}
		for _, m := range s.Meshes {
			if err := m.Validate(); err != nil {
				t.Fatal(err)
			}
		}
		before := s.Count().Triangles
		p, err := Write(context.Background(), s, pack.Options{Name: "out", Basis: geom.GLTF, UnitMetres: 1})
		if err != nil {
			t.Fatal(err)
		}
		if before == 0 {
			return
		}
		again, _, err := Read(context.Background(), bundle.New(p.Files), "out.obj", nil)
		if err != nil {
			t.Fatalf("own file: %v", err)
		}
		if n := again.Count().Triangles; n != before {
			t.Fatalf("%d triangles became %d", before, n)
		}
	})
}

// What programs write besides what the format says: numbers like 3.1+e2, carriage returns
// alone, blanks behind a line's mark of continuation, quoted pictures, letters of
// Windows-1252.
func TestWhatProgramsWriteIsRead(t *testing.T) {
	read := func(files ...bundle.File) (*scene.Scene, []finding.Finding) {
		s, found, err := Read(context.Background(), bundle.New(files), files[0].Name, nil)
		require.NoError(t, err)
		return s, found
	}
	text := "v 0 0 0\nv 3.1+e2 0 0\nv 0 2.5+E-1 0\nf 1 \\ \t\n2 3\n"
	s, _ := read(bundle.File{Name: "a.obj", Data: []byte(text)})
	assert.Equal(t, geom.Vec3{310, .25, 0}, s.Bounds().Max)
	s, _ = read(bundle.File{Name: "a.obj",
		Data: []byte(strings.ReplaceAll(strings.ReplaceAll(text, "\\ \t\n", ""), "\n", "\r"))})
	assert.Equal(t, geom.Vec3{310, .25, 0}, s.Bounds().Max)
	_, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.obj", Data: []byte("v 0 0 3.1-e2\n")}}),
		"a.obj", nil)
	assert.Error(t, err, "a difference is no number")

	latin := "mtllib a.mtl\no Gr\xfc\xdfe \x80\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\no 灯\nf 1 3 2\n"
	s, found := read(bundle.File{Name: "a.obj", Data: []byte(latin)},
		bundle.File{Name: "a.mtl", Data: []byte("newmtl m\nmap_Kd \"my oak.png\"\n")},
		bundle.File{Name: "my oak.png", Data: []byte("x")})
	assert.Equal(t, "Grüße €", s.Nodes[0].Name)
	assert.Equal(t, "灯", s.Nodes[1].Name, "other lines are as they are")
	assert.True(t, slices.ContainsFunc(found,
		func(f finding.Finding) bool { return f.Title == "1 line was read as Windows-1252" }), found)
	require.Len(t, s.Images, 1)
	assert.True(t, s.Images[0].Found())
}

// lines of a file that begin with a word.
func beginning(data []byte, word string) (list []string) {
	for line := range strings.Lines(string(data)) {
		if rest, ok := strings.CutPrefix(line, word+" "); ok {
			list = append(list, strings.TrimSuffix(rest, "\n"))
		}
	}
	return list
}

// What a simple reader takes: names that differ and have no blanks, every material that is
// used described, one colour a point, and no option that it would take for a picture. Our
// own reader has back what was written otherwise.
func TestAnOBJIsForSimpleReaders(t *testing.T) {
	m := &scene.Mesh{Name: "sail", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}},
		FaceStart: []int32{0, 3, 6},
		Corners:   []int32{0, 1, 2, 0, 2, 3}, Slots: []int{0, -1}, Slot: []int32{0, 1}}
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}, {0, 0, 1, 1}}, Index: []int32{0, 0, 0, 1, 1, 1}}
	m.UVs = []scene.UVSet{{Name: "UV 1", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{0, 0}, {1, .5}},
		Index: []int32{0, 1, 0, 1, 0, 1}}}}
	tar := scene.NewMaterial("wet tar")
	tar.Roughness = .5
	tar.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	s := &scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{m}, Materials: []scene.Material{tar},
		Images:   []scene.Image{{Name: "tar.png", MIME: "image/png", Data: []byte("\x89PNG")}},
		Textures: []scene.Texture{{Image: 0, WrapU: scene.Clamp, WrapV: scene.Clamp}}}
	for _, name := range []string{"main sail", "main sail", "jib", "main_sail"} {
		s.Nodes = append(s.Nodes, scene.Node{Name: name, Kind: scene.KindMesh, Parent: -1, Local: geom.Identity})
	}
	p, err := Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	obj, mtl := p.Files[0].Data, p.Files[1].Data
	assert.Equal(t, []string{"main_sail", "main_sail_2", "jib", "main_sail_3"}, beginning(obj, "o"))
	described := beginning(mtl, "newmtl")
	assert.ElementsMatch(t, []string{"wet_tar", "no-material"}, described)
	for _, u := range beginning(obj, "usemtl") {
		assert.Contains(t, described, u)
	}
	assert.Equal(t, []string{"tar.png"}, beginning(mtl, "map_Kd"),
		"nothing lies beyond the picture, so no option is needed")
	assert.Equal(t, []string{"30"}, beginning(mtl, "Ns"))
	assert.Equal(t, []string{"2", "1"}, beginning(mtl, "illum"))
	red := 0
	for _, v := range beginning(obj, "v") {
		if strings.HasSuffix(v, " 1 0 0") {
			red++
		}
	}
	assert.Equal(t, 6*4, len(beginning(obj, "v")), "two of four points are there in both colours")
	assert.Equal(t, 3*4, red)

	back, _, err := Read(context.Background(), bundle.New(p.Files), "a.obj", nil)
	require.NoError(t, err)
	for i, n := range s.Nodes {
		assert.Equal(t, n.Name, back.Nodes[i].Name)
		assert.Equal(t, -1, back.Meshes[back.Nodes[i].Mesh].Material(1))
	}
	require.Len(t, back.Materials, 1)
	assert.Equal(t, "wet tar", back.Materials[0].Name)
	assert.Equal(t, .5, back.Materials[0].Roughness)
	for c, i := range back.Meshes[0].Colors.Index {
		assert.Equal(t, m.Colors.Values[m.Colors.Index[c]], back.Meshes[0].Colors.Values[i], "corner %d", c)
	}
	s.Meshes[0].UVs[0].Values[1] = [2]float64{2, 0}
	p, err = Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	assert.Equal(t, []string{"-clamp on tar.png"}, beginning(p.Files[1].Data, "map_Kd"))
}

// A bump that looks like a normal map is taken as one; heights stay heights, and both leave
// under the words they came with or better.
func TestBumpIsLookedAt(t *testing.T) {
	paint := func(c color.NRGBA) string {
		img := image.NewNRGBA(image.Rect(0, 0, 4, 4))
		for i := range 16 {
			img.SetNRGBA(i%4, i/4, c)
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		return b.String()
	}
	directions, heights := paint(color.NRGBA{160, 120, 250, 255}), paint(color.NRGBA{90, 90, 90, 255})
	for name, c := range map[string]struct {
		lines, picture string
		normal, height bool
	}{
		"a normal map":      {"map_Bump -bm 0.5 b.png\n", directions, true, false},
		"heights":           {"bump -bm 0.5 b.png\n", heights, false, true},
		"displacement":      {"disp b.png\n", directions, false, true},
		"twice":             {"map_Bump b.png\nnorm b.png\n", directions, true, false},
		"one already there": {"norm b.png\nmap_Bump b.png\n", heights, true, true},
	} {
		s, _, err := read(t, "shed.obj", shed, "shed.mtl", "newmtl tar\n"+c.lines, "b.png", c.picture)
		require.NoError(t, err)
		m := s.Materials[0]
		assert.Equal(t, c.normal, m.Maps[scene.UseNormal].Has(), name)
		assert.Equal(t, c.height, m.Maps[scene.UseHeight].Has(), name)
		if name == "a normal map" {
			assert.Equal(t, 0.5, m.NormalScale)
		}
		p, err := Write(context.Background(), s, pack.Options{Name: "shed", Basis: geom.GLTF, UnitMetres: 1})
		require.NoError(t, err)
		var mtl string
		for _, f := range p.Files {
			if strings.HasSuffix(f.Name, ".mtl") {
				mtl = string(f.Data)
			}
		}
		assert.Equal(t, c.normal, strings.Contains(mtl, "\nnorm "), name)
		assert.Equal(t, c.height, strings.Contains(mtl, "\nmap_Bump "), name)
	}
}

// Options that common loaders stumble over are written only where the look hangs on them: a
// channel of a grey picture needs no name, one of a coloured picture does.
func TestAChannelIsNamedWhereItMatters(t *testing.T) {
	for name, c := range map[string]struct {
		color color.NRGBA
		want  string
	}{"grey": {color.NRGBA{90, 90, 90, 255}, "r.png"}, "coloured": {color.NRGBA{255, 90, 0, 255}, "-imfchan g r.png"}} {
		img := image.NewNRGBA(image.Rect(0, 0, 4, 4))
		for i := range 16 {
			img.SetNRGBA(i%4, i/4, c.color)
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		m := scene.NewMaterial("tar")
		m.Maps[scene.UseRoughness] = scene.Map{Texture: 1, Channel: scene.Green}
		s := shape.Scene("s", []scene.Material{m},
			new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
		s.Images = []scene.Image{{Name: "r.png", MIME: "image/png", Data: b.Bytes(), Width: 4, Height: 4}}
		s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Repeat, WrapV: scene.Repeat}}
		p, err := Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1})
		require.NoError(t, err)
		assert.Equal(t, []string{c.want}, beginning(p.Files[1].Data, "map_Pr"), name)
	}
}
