package e2e

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
	"yarvek/internal/demo"
)

// detailed are the formats whose every property the loaders' page looks at; of all others they give their second
// opinion (TestTheSecondOpinionAgrees).
var detailed = slices.DeleteFunc(slices.Clone(format.Written), func(f format.Format) bool {
	return len(f.Ups) > 0 || !f.Several
})

// reading is what the independent loaders made of a file.
type reading struct {
	Min, Max  geom.Vec3
	Triangles float64
	Volume    float64
	Slots     []string
	Parts     map[string]struct {
		Min, Max geom.Vec3
		UVs      int
	}
	Textures int
	Channels []int // the UV set each lies on
	Nodes    []string
	Broken   int // numbers that are none, in any attribute
	Bare     int // groups of faces whose material is not there
	Long     int // normals that are not of unit length
	// Pictures of each material, by the loader's word for what they are for.
	Pictures map[string]map[string]loaded
}

// loaded is a picture as a loader decoded it.
type loaded struct {
	Width, Height int
	Space         string // "srgb" for light, "" for numbers
	Channel       int    // the UV set
	Pixel         [4]int // in the middle
}

// bench serves packages beside the loaders' page.
type bench struct {
	ctx   context.Context
	url   string
	mu    sync.Mutex
	files map[string][]byte
	n     int
}

// threeLoaders ship with the application, which asks them for a second opinion.
const threeLoaders = "/three-loaders-0.187.0.min.js"

func newBench(t *testing.T) *bench {
	b := &bench{files: map[string][]byte{}}
	dir := http.FileServer(http.Dir("testdata/loaders"))
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b.mu.Lock()
		data, ok := b.files[r.URL.Path]
		b.mu.Unlock()
		if ok {
			_, _ = w.Write(data)
			return
		}
		switch r.URL.Path {
		case threeLoaders, "/vendor" + threeLoaders:
			http.ServeFile(w, r, "../internal/web/static/vendor"+threeLoaders)
			return
		case "/js/opinion.js":
			http.ServeFile(w, r, "../internal/web/static/js/opinion.js")
			return
		}
		dir.ServeHTTP(w, r)
	}))
	t.Cleanup(srv.Close)
	b.url = srv.URL
	b.ctx = tab(t)
	visit(t, b.ctx, srv.URL+"/page.html")
	until(t, b.ctx, `document.title === "ready"`)
	return b
}

// serve puts files below a folder of their own, and gives it and how a script names their MTL.
func (b *bench) serve(files []bundle.File) (dir, mtl string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.n++
	dir, mtl = fmt.Sprintf("/%d/", b.n), "null"
	for _, f := range files {
		b.files[dir+f.Name] = f.Data
		if strings.HasSuffix(f.Name, ".mtl") {
			mtl = fmt.Sprintf("%q", b.url+dir+f.Name)
		}
	}
	return dir, mtl
}

// load gives a package to the independent loaders.
func (b *bench) load(t *testing.T, files []bundle.File, names ...string) reading {
	t.Helper()
	dir, mtl := b.serve(files)
	if name := files[0].Name; strings.HasSuffix(name, ".glb") || strings.HasSuffix(name, ".gltf") {
		issues, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](fmt.Sprintf("validate(%q)", b.url+dir+name),
			chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		// Without tangents a reader makes them the one way that the standard says (section 3.7.2.1), so that warning is none.
		issues = slices.DeleteFunc(issues,
			func(s string) bool { return strings.HasPrefix(s, "MESH_PRIMITIVE_GENERATED_TANGENT_SPACE") })
		assert.Empty(t, issues, "the glTF validator's errors and warnings")
	}
	list, err := json.Marshal(append([]string{}, names...))
	require.NoError(t, err)
	r, err := chromedp.Run(b.ctx,
		chromedp.Evaluate[reading](fmt.Sprintf("load(%q, %s, %s)", b.url+dir+files[0].Name, mtl, list),
			chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	return r
}

// Every asset of the demo kit, in every format and for every target, means the
// same to three.js's loaders as to Yarvek.
func TestIndependentReadersAgree(t *testing.T) {
	b := newBench(t)
	sets, err := demo.Files(context.Background())
	require.NoError(t, err)
	for i, files := range sets {
		src, found, err := format.Read(context.Background(), bundle.New(files), files[0].Name, nil)
		require.NoError(t, err)
		if src.Dotted() {
			continue // these formats hold no points
		}
		for k, to := range target.Shipped {
			if testing.Short() && (k != i%len(target.Shipped) || src.Count().Triangles > 5000) {
				continue // each asset for one target by turns
			}
			r, err := prep.Run(context.Background(), prep.Input{Key: src.Name, Scene: src, Findings: found, Target: to},
				prep.Prep{}, nil)
			require.NoError(t, err)
			for _, f := range detailed {
				t.Run(fmt.Sprintf("%s/%s/%s", src.Name, to.ID, f.ID), func(t *testing.T) {
					agree(t, b, r.Delivery.Scene, f, to)
				})
			}
		}
	}
}

// Random scenes too: trees, mirrored instances, n-gons, names in many scripts.
func TestIndependentReadersAgreeOnRandomScenes(t *testing.T) { agreeOnAll(t, 8, shapetest.Scene) }

// And what files often lack: corners without coordinates, colours or normals, faces
// without a material. No loader finds a number that is none, a normal that has no length,
// or a face whose material is not there.
func TestIndependentReadersTakeRaggedScenes(t *testing.T) { agreeOnAll(t, 6, shapetest.Ragged) }

// agreeOnAll tries the scenes of so many seeds in every format.
func agreeOnAll(t *testing.T, seeds uint64, scene func(seed uint64) *scene.Scene) {
	b := newBench(t)
	for seed := range seeds {
		s := scene(seed)
		to := target.Framed("own", "own", s.Basis, figure.Units[1])
		for _, f := range detailed {
			t.Run(fmt.Sprintf("%d/%s", seed, f.ID), func(t *testing.T) { agree(t, b, s, f, to) })
		}
	}
}

// Nodes of one name stay apart in every loader, meshes without normals are lit, what is
// mirrored is, and a texture lies on the second set where the loader knows of one.
func TestIndependentReadersTakeNamesakes(t *testing.T) {
	b := newBench(t)
	m := new(shape.Builder).Slot(0).Prism([][2]float64{{0, 0}, {2, 0}, {3, 1}, {0, 2}}, 0, 1).Mesh("tern post")
	m.Normals = scene.Layer[[3]float32]{}
	m.UVs = append(m.UVs, scene.UVSet{Name: "bake", Layer: m.UVs[0].Layer})
	paint := scene.NewMaterial("Küstenfarbe 海 красный")
	paint.Maps[scene.UseBaseColor] = scene.Map{Texture: 1, UVSet: 1}
	s := shape.Scene("posts", []scene.Material{paint}, m)
	var png1 bytes.Buffer
	require.NoError(t, png.Encode(&png1, image.NewNRGBA(image.Rect(0, 0, 4, 4))))
	s.Images = []scene.Image{{Name: "p.png", MIME: "image/png", Data: png1.Bytes(), Width: 4, Height: 4}}
	s.Textures = []scene.Texture{{Name: "p", WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Nodes = nil
	for i := range 4 {
		at := geom.Translation(geom.Vec3{5 * float64(i), 0, 0})
		if i == 2 {
			at.M[0][0] = -1
		}
		s.Nodes = append(s.Nodes, scene.Node{Name: "red post", Kind: scene.KindMesh, Parent: -1, Local: at})
	}
	to := target.Framed("own", "own", s.Basis, figure.Metre)
	for _, f := range detailed {
		pk, err := format.Write(context.Background(), scene.Delivery{Scene: s}, f, "posts", to)
		require.NoError(t, err)
		got := b.load(t, pk.Files)
		want := s.Carried(geom.Linear(s.Basis.To(f.Frame(to).Basis)))
		box := want.Bounds()
		assert.True(t, box.Min.Near(got.Min, 1e-5) && box.Max.Near(got.Max, 1e-5), "%s: %v", f.ID, got)
		assert.EqualValues(t, s.Count().Triangles, got.Triangles, f.ID)
		assert.InDelta(t, volume(want), got.Volume, 1e-3, f.ID)
		assert.Zero(t, got.Broken+got.Bare+got.Long, f.ID)
		posts := 0
		for _, n := range got.Nodes {
			if strings.HasPrefix(strings.ReplaceAll(n, "_", " "), "red post") {
				posts++
			}
		}
		assert.GreaterOrEqual(t, posts, 4, "%s: %v", f.ID, got.Nodes)
		if f.Fixed != nil {
			assert.Equal(t, []int{1}, got.Channels, f.ID)
		}
		if f.Declares && f.Fixed == nil {
			assert.Equal(t, 1, got.Textures, f.ID)
		}
	}
}

// The validator is really asked: a document with faults is not passed.
func TestTheValidatorSeesFaults(t *testing.T) {
	b := newBench(t)
	b.files["/bad.gltf"] = []byte(`{"asset":{"version":"2.0"},"nodes":[{"mesh":7}],"unheard":1}`)
	issues, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](fmt.Sprintf("validate(%q)", b.url+"/bad.gltf"),
		chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	assert.NotEmpty(t, issues)
}

func agree(t *testing.T, b *bench, s *scene.Scene, f format.Format, to target.Target) {
	pk, err := format.Write(context.Background(), scene.Delivery{Scene: s}, f, "asset", to)
	require.NoError(t, err)
	var names []string
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			names = append(names, n.Name)
		}
	}
	written := map[string]string{}
	if f.Suffix == ".obj" { // its names and differ; they stand in the file in the order of the nodes
		for i, m := range regexp.MustCompile(`(?m)^o (.*)$`).FindAllStringSubmatch(string(pk.Files[0].Data), -1) {
			assert.NotContains(t, m[1], " ")
			written[names[i]], names[i] = m[1], m[1]
		}
	}
	got := b.load(t, pk.Files, names...)
	frame := f.Frame(to)
	want := s.Carried(geom.Linear(s.Basis.To(frame.Basis).Scaled(1 / frame.UnitMetres)))
	if f.Declares && f.Fixed == nil && frame.Basis.Up.Index() == 2 {
		// The loader honours a declared Z up by tipping the scene onto Y up.
		want = want.Carried(geom.Linear(geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2)))
	}
	box := want.Bounds()
	tol := 1e-6 * max(math.Abs(box.Min.Max()), box.Max.Max(), box.Min.Len(), box.Max.Len())
	assert.True(t, box.Min.Near(got.Min, tol) && box.Max.Near(got.Max, tol), "box %v, loaded %v to %v", box, got.Min,
		got.Max)
	assert.EqualValues(t, s.Count().Triangles, got.Triangles)
	boxes := want.NodeBounds()
	for i, n := range want.Nodes {
		if n.Mesh < 0 {
			continue
		}
		p, ok := got.Parts[cmp.Or(written[n.Name], n.Name)]
		if !assert.True(t, ok, "no node is called %q among %v", n.Name, got.Parts) {
			continue
		}
		assert.True(t, boxes[i].Min.Near(p.Min, tol) && boxes[i].Max.Near(p.Max, tol), "%s stands at %v, loaded %v to %v",
			n.Name,
			boxes[i], p.Min, p.Max)
		sets := 0
		for _, u := range want.Meshes[n.Mesh].UVs {
			if slices.ContainsFunc(u.Index, func(i int32) bool { return i >= 0 }) {
				sets++
			}
		}
		assert.Equal(t, min(sets, f.UVSets), p.UVs, "UV sets of %s", n.Name)
	}
	assert.Zero(t, got.Broken, "numbers that are none")
	assert.Zero(t, got.Bare, "faces whose material is not there")
	assert.Zero(t, got.Long, "normals that are not of unit length")
	assert.InDelta(t, 0, (volume(want)-got.Volume)/max(1, math.Abs(got.Volume)), 1e-4, "faces look the way they did")
	slots, seen := s.SlotNames(), got.Slots
	// Loaders give faces without a slot a material of their own; OBJ, which can't end a
	// material once begun, gets one from us.
	own := []string{"", scene.NoSlot, "__DEFAULT", "no-material", "no material"}
	if f.Suffix == ".obj" {
		for i := range slots {
			slots[i] = strings.ReplaceAll(slots[i], " ", "_")
		}
	}
	slots = slices.DeleteFunc(slots, func(n string) bool { return n == scene.NoSlot })
	seen = slices.DeleteFunc(seen, func(n string) bool { return slices.Contains(own, n) })
	for i := range seen {
		seen[i] = strings.ReplaceAll(seen[i], "&quot;", `"`) // a loader leaves a format's word for a quotation mark as it is
	}
	slices.Sort(slots)
	slices.Sort(seen)
	assert.Equal(t, slots, seen)
	withPicture := 0
	for _, k := range s.UsedMaterials() {
		if k >= 0 && s.Materials[k].Maps[scene.UseBaseColor].Has() {
			withPicture++
		}
	}
	assert.Equal(t, withPicture, got.Textures, "base colour pictures")
}

func volume(s *scene.Scene) float64 {
	v := 0.0
	for _, m := range s.Flattened().Meshes {
		m.EachTriangle(func(_ int, a, b, c int32) {
			p := func(i int32) geom.Vec3 { return m.Points[m.Corners[i]] }
			v += p(a).Dot(p(b).Cross(p(c))) / 6
		})
	}
	return v
}
