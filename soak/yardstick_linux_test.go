package soak

import (
	"bytes"
	enc "encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
)

// yardstick runs a task of tools/yardstick, whose program the environment names, and gives what came of it and how many
// seconds of processor time it took.
func yardstick(t *testing.T, task string, m *scene.Mesh, asked ...int) (out []*scene.Mesh, seconds float64) {
	t.Helper()
	program := os.Getenv("YARVEK_YARDSTICK")
	if program == "" {
		t.Skip("YARVEK_YARDSTICK names no program; make trial builds one")
	}
	dir := t.TempDir()
	in, to := filepath.Join(dir, "in"), filepath.Join(dir, "out")
	require.NoError(t, os.WriteFile(in, plainBytes(m), 0o600))
	args := []string{task, in, to}
	for _, n := range asked {
		args = append(args, strconv.Itoa(n))
	}
	said, err := exec.Command(program, args...).Output()
	require.NoError(t, err)
	seconds, err = strconv.ParseFloat(strings.TrimSpace(string(said)), 64)
	require.NoError(t, err)
	b, err := os.ReadFile(to)
	require.NoError(t, err)
	for r := bytes.NewReader(b); r.Len() > 0; {
		out = append(out, ofPlainBytes(t, r))
	}
	return out, seconds
}

func plainBytes(m *scene.Mesh) []byte {
	var b bytes.Buffer
	put := func(v any) { _ = enc.Write(&b, enc.LittleEndian, v) } // a buffer takes all
	put([2]uint32{uint32(len(m.Points)), uint32(m.Triangles())})
	points := make([]float32, 0, 3*len(m.Points))
	for _, p := range m.Points {
		points = append(points, float32(p[0]), float32(p[1]), float32(p[2]))
	}
	put(points)
	var corners []uint32
	m.EachTriangle(func(_ int, a, b, c int32) {
		corners = append(corners, uint32(m.Corners[a]), uint32(m.Corners[b]), uint32(m.Corners[c]))
	})
	put(corners)
	return b.Bytes()
}

func ofPlainBytes(t *testing.T, r *bytes.Reader) *scene.Mesh {
	var n [2]uint32
	require.NoError(t, enc.Read(r, enc.LittleEndian, &n))
	points, corners := make([]float32, 3*n[0]), make([]int32, 3*n[1])
	require.NoError(t, enc.Read(r, enc.LittleEndian, points))
	require.NoError(t, enc.Read(r, enc.LittleEndian, corners))
	m := &scene.Mesh{FaceStart: []int32{0}, Slots: []int{-1}, Corners: corners}
	for i := 0; i < len(points); i += 3 {
		m.Points = append(m.Points, geom.Vec3{float64(points[i]), float64(points[i+1]), float64(points[i+2])})
	}
	for i := 3; i <= len(corners); i += 3 {
		m.FaceStart = append(m.FaceStart, int32(i))
	}
	require.NoError(t, m.Validate())
	return m
}

// processor is how many seconds of processor time all threads have taken up to now.
func processor() float64 {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	of := func(t syscall.Timeval) float64 { return float64(t.Sec) + 1e-6*float64(t.Usec) }
	return of(u.Utime) + of(u.Stime)
}

// alone is a scene of one mesh.
func alone(m *scene.Mesh) *scene.Scene {
	return &scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{m},
		Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1, Local: geom.Identity}}}
}

// shaken moves points by a normal distribution of a width in each direction.
func shaken(m *scene.Mesh, by float64) *scene.Mesh {
	rng := rand.New(rand.NewPCG(5, 3))
	out := *m
	out.Points = nil
	for _, p := range m.Points {
		out.Points = append(out.Points, p.Add(geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Mul(by)))
	}
	out.Name = m.Name + " shaken"
	return &out
}

// turned is the share of a surface, sampled in the middles of its triangles by their area, that looks away from where
// the nearest of another looks.
func turned(t *testing.T, of, was *scene.Mesh) float64 {
	tri := was.Triangulated()
	tree := geom.NewBVH(t.Context(), tri.Points, tri.Corners)
	var all, away float64
	of.EachTriangle(func(_ int, a, b, c int32) {
		p, q, r := of.Points[of.Corners[a]], of.Points[of.Corners[b]], of.Points[of.Corners[c]]
		n := q.Sub(p).Cross(r.Sub(p))
		_, hit, _ := tree.Nearest(p.Add(q).Add(r).Mul(1./3), math.Inf(1))
		u, v, w := tree.Corners(hit)
		all += n.Len()
		if n.Dot(v.Sub(u).Cross(w.Sub(u))) < 0 {
			away += n.Len()
		}
	})
	return away / all
}

// LODs come nearer to the asset than those of the reference with as many triangles, and take a bounded multiple of its
// time: sampled both ways.
func TestLODsAgainstTheReference(t *testing.T) {
	fmt.Printf("%-22s %9s %5s %9s %9s %8s %8s %7s %8s %8s\n", "mesh", "triangles", "to", "ours", "its", "rms",
		"its rms", "ratio", "turned", "its")
	meshes := []*scene.Mesh{shapetest.Boulder(126), shapetest.Boulder(252), shapetest.Boulder(467),
		shaken(shapetest.Boulder(158), .0015), shapetest.Crumbled(30), shapetest.Crumbled(56),
		shapetest.Torus(1, .3, 500, 120), shapetest.Bowl(.1, 120, 300)}
	for _, m := range meshes {
		if only := os.Getenv("YARVEK_ONLY"); only != "" && !strings.Contains(m.Name, only) {
			continue
		}
		for _, share := range []float64{.5, .25, .1, .02} {
			n := m.Triangles()
			its, itsTime := yardstick(t, "simplify", m, int(share*float64(n)))
			begun := processor()
			r := simplify.Of(t.Context(), m, simplify.Options{Triangles: its[0].Triangles()})
			took := processor() - begun
			of := func(x *scene.Mesh) float64 {
				return deviation.Of(t.Context(), alone(m), alone(x), 60_000).Worst().RMS
			}
			ours, other := of(r.Mesh), of(its[0])
			back, itsBack := turned(t, r.Mesh, m), turned(t, its[0], m)
			fmt.Printf("%-22s %9d %5g %9d %9d %8.5f %8.5f %7.3f %7.2f%% %7.2f%% time %.2f of %.2f s, %.2f times\n", m.Name, n,
				share, r.Out, its[0].Triangles(), ours, other, ours/other, 100*back, 100*itsBack, took, itsTime, took/itsTime)
			assert.LessOrEqual(t, ours/other, 1.2)
		}
	}
}
