package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/usd"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// judgedMesh is a mesh as the standard's own library has it: corners by threes, and a matrix for rows.
type judgedMesh struct {
	ID       string    `json:"id"`
	Points   []float64 `json:"points"`
	Indices  []int     `json:"indices"`
	Matrix   []float64 `json:"matrix"`
	Material string    `json:"material"`
}

// worn is what a mesh comes to in the world, however it is cut into triangles.
type worn struct {
	area   float64
	turn   geom.Vec3 // the sum of its faces' areas, along which they look
	lo, hi geom.Vec3
}

func (w *worn) triangle(a, b, c geom.Vec3) {
	t := b.Sub(a).Cross(c.Sub(a)).Mul(.5)
	w.area, w.turn = w.area+t.Len(), w.turn.Add(t)
	for _, p := range []geom.Vec3{a, b, c} {
		for k := range 3 {
			if w.area == t.Len() && p == a {
				w.lo[k], w.hi[k] = p[k], p[k]
			}
			w.lo[k], w.hi[k] = min(w.lo[k], p[k]), max(w.hi[k], p[k])
		}
	}
}

// The standard's own library, where it is at hand (tools/usd-judge.sh), reads stages as we do: what is put together of
// layers, references, payloads and variants, and where every mesh stands.
func TestUSDAgainstTheStandardsLibrary(t *testing.T) {
	judge := os.Getenv("YARVEK_USD_JUDGE")
	if judge == "" {
		t.Skip("the standard's library is not at hand: see tools/usd-judge.sh")
	}
	dirs, err := filepath.Glob("testdata/usd/*/stage.usda")
	require.NoError(t, err)
	require.NotEmpty(t, dirs)
	for _, first := range dirs {
		dir := filepath.Dir(first)
		t.Run(filepath.Base(dir), func(t *testing.T) { againstTheLibrary(t, judge, dir, "stage.usda") })
		t.Run(filepath.Base(dir)+" as crates", func(t *testing.T) {
			againstTheLibrary(t, judge, filepath.Join(dir, "crates"), "stage.usd")
		})
	}
}

// What is written here, that library reads as we do: text, crates and packages, for targets of either up axis, with
// names in several scripts, trees, instances, mirrored and sheared nodes.
func TestUSDThatIsWrittenAgainstTheStandardsLibrary(t *testing.T) {
	judge := os.Getenv("YARVEK_USD_JUDGE")
	if judge == "" {
		t.Skip("the standard's library is not at hand: see tools/usd-judge.sh")
	}
	for seed := range uint64(3) {
		for k, id := range []string{"usda", "usdc", "usdz"} {
			to := target.Shipped[(int(seed)+k)%2]
			s := shapetest.Scene(seed)
			s = s.Carried(geom.Linear(s.Basis.To(to.Basis)))
			s.Basis = to.Basis
			f, err := format.ByID(id)
			require.NoError(t, err)
			t.Run(fmt.Sprintf("%d %s", seed, id), func(t *testing.T) {
				dir := t.TempDir()
				for _, x := range filesOf(t, s, f, to) {
					require.NoError(t, os.WriteFile(filepath.Join(dir, x.Name), x.Data, 0o600))
				}
				againstTheLibrary(t, judge, dir, filesOf(t, s, f, to)[0].Name)
			})
		}
	}
}

func againstTheLibrary(t *testing.T, judge, dir, first string) {
	files := []string{first}
	for _, pattern := range []string{"*.usd*", "props/*.usd*"} {
		more, err := filepath.Glob(filepath.Join(dir, pattern))
		require.NoError(t, err)
		for _, f := range more {
			if name, _ := filepath.Rel(dir, f); name != files[0] {
				files = append(files, filepath.ToSlash(name))
			}
		}
	}
	mux := http.NewServeMux()
	mux.Handle("/judge/", http.StripPrefix("/judge/", http.FileServer(http.Dir(judge))))
	mux.Handle("/stage/", http.StripPrefix("/stage/", http.FileServer(http.Dir(dir))))
	mux.HandleFunc("/files", func(w http.ResponseWriter, _ *http.Request) { _ = json.NewEncoder(w).Encode(files) })
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) { http.ServeFile(w, r, "testdata/usd/judge.html") })
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cross-Origin-Opener-Policy", "same-origin") // it shares memory with its threads
		w.Header().Set("Cross-Origin-Embedder-Policy", "require-corp")
		mux.ServeHTTP(w, r)
	}))
	t.Cleanup(srv.Close)
	ctx := tab(t)
	visit(t, ctx, srv.URL)
	until(t, ctx, `document.title === "done" || document.title === "error"`)
	var theirs []judgedMesh
	said := js[string](t, ctx, "judged")
	require.NoError(t, json.Unmarshal([]byte(said), &theirs), said)
	require.NotEmpty(t, theirs)

	var list []bundle.File
	for _, f := range files {
		b, err := os.ReadFile(filepath.Join(dir, f))
		require.NoError(t, err)
		list = append(list, bundle.File{Name: f, Data: b})
	}
	s, _, err := format.Read(context.Background(), bundle.New(list), files[0], nil)
	require.NoError(t, err)
	ours := map[string]worn{}
	for i, w := range s.Worlds() {
		if n := s.Nodes[i]; n.Mesh >= 0 {
			ours[fmt.Sprint(i)] = wornBy(s.Meshes[n.Mesh], w, 1/s.UnitMetres)
		}
	}
	assert.Len(t, ours, len(theirs))
	for _, m := range theirs {
		got, ok := worn{}, false
		for i, n := range s.Nodes {
			// A prim that is one placed mesh is one node, and what holds all is none.
			if p := pathOf(s, i); n.Mesh >= 0 && (strings.HasSuffix(m.ID, p) || strings.HasSuffix(path.Dir(m.ID), p)) && !ok {
				if got, ok = ours[fmt.Sprint(i)]; ok {
					delete(ours, fmt.Sprint(i))
				}
			}
		}
		if !assert.True(t, ok, m.ID) {
			continue
		}
		var want worn
		at := func(i int) geom.Vec3 {
			p, x := m.Points[3*m.Indices[i]:], m.Matrix
			var out geom.Vec3
			for k := range 3 {
				out[k] = p[0]*x[k] + p[1]*x[4+k] + p[2]*x[8+k] + x[12+k]
			}
			return out
		}
		for i := 0; i+3 <= len(m.Indices); i += 3 {
			want.triangle(at(i), at(i+1), at(i+2))
		}
		assert.InEpsilon(t, want.area, got.area, 1e-4, m.ID)
		for k := range 3 {
			assert.InDelta(t, want.turn[k], got.turn[k], 1e-4*want.area, "%s looks where theirs does", m.ID)
			assert.InDelta(t, want.lo[k], got.lo[k], 1e-3, m.ID)
			assert.InDelta(t, want.hi[k], got.hi[k], 1e-3, m.ID)
		}
	}
}

// pathOf is where a node stands in the tree.
func pathOf(s *scene.Scene, i int) string {
	var names []string
	for ; i >= 0; i = s.Nodes[i].Parent {
		names = append([]string{usd.Identifier(s.Nodes[i].Name)}, names...)
	}
	return "/" + strings.Join(names, "/")
}

// wornBy is a mesh of ours in the world, in the file's unit.
func wornBy(m *scene.Mesh, world geom.Affine, k float64) (w worn) {
	for f := range m.Faces() {
		c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for i := 2; i < len(c); i++ {
			w.triangle(world.Apply(m.Points[c[0]]).Mul(k), world.Apply(m.Points[c[i-1]]).Mul(k),
				world.Apply(m.Points[c[i]]).Mul(k))
		}
	}
	return w
}
