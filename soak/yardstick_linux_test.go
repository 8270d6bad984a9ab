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

	"yarvek/core/collide/decompose"
	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/measure/deviation"
	"yarvek/core/measure/extents"
	"yarvek/core/process/order"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/shape"
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

// lone is a scene of one mesh.
func lone(m *scene.Mesh) *scene.Scene {
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
				return deviation.Of(t.Context(), lone(m), lone(x), 60_000).Worst().RMS
			}
			ours, other := of(r.Mesh), of(its[0])
			back, itsBack := turned(t, r.Mesh, m), turned(t, its[0], m)
			fmt.Printf("%-22s %9d %5g %9d %9d %8.5f %8.5f %7.3f %7.2f%% %7.2f%% time %.2f of %.2f s, %.2f times\n", m.Name, n,
				share, r.Out, its[0].Triangles(), ours, other, ours/other, 100*back, 100*itsBack, took, itsTime, took/itsTime)
			assert.LessOrEqual(t, ours/other, 1.2)
		}
	}
}

// around is the volume of the hull of a mesh's points.
func around(t *testing.T, m *scene.Mesh) float64 {
	return fit.NewConvex(fit.OfHull(geom.HullOf(t.Context(), m.Points))).Volume()
}

// The convex hull is that of the reference, to a millionth of its volume.
func TestHullsAgainstTheReference(t *testing.T) {
	for _, m := range []*scene.Mesh{shapetest.Boulder(30), shapetest.Boulder(120), shapetest.Boulder(350),
		shaken(shapetest.Boulder(120), .004), shapetest.Spring(1, .1, .5, 4, 2000, 24)} {
		its, itsTime := yardstick(t, "hull", m)
		begun := processor()
		h := geom.HullOf(t.Context(), m.Points)
		took := processor() - begun
		is := fit.NewConvex(fit.OfHull(h)).Volume()
		want := around(t, its[0])
		fmt.Printf("hull of %-16s %7d points, %6d corners: %.9f, its %.9f, time %.3f of %.3f s\n", m.Name, len(m.Points),
			len(h.Points), is, want, took, itsTime)
		assert.InEpsilon(t, want, is, 1e-6)
	}
}

// Few hulls hold less air than those of the reference, twelve shapes of our own among them.
func TestPiecesAgainstTheReference(t *testing.T) {
	one := func(m *scene.Mesh) []*scene.Mesh { return []*scene.Mesh{m} }
	for _, x := range []struct {
		name string
		list []*scene.Mesh
	}{
		{"spiral stair", shapetest.SpiralStair(16)}, {"round tower", shapetest.Tower(2, 2.3, 4, 1.1, 16)},
		{"tunnel bend", one(shapetest.TunnelBend(4, 1.5, 1.8, 12, 24))},
		{"spring", one(shapetest.Spring(1, .1, .5, 4, 160, 12))}, {"bowl .10", one(shapetest.Bowl(.1, 16, 48))},
		{"bowl .15", one(shapetest.Bowl(.15, 12, 32))}, {"ring", one(shapetest.Torus(1, .25, 64, 24))},
		{"arch", one(shapetest.Arch(24))}, {"table", one(shapetest.Table())}, {"chair", one(shapetest.Chair())},
		{"beam", one(shapetest.Beam())}, {"stair", one(shapetest.Stair(10))}, {"hut", one(shapetest.Hut())},
		{"short spring", one(shapetest.Spring(.5, .08, .3, 2, 64, 10))},
		{"wide bend", one(shapetest.TunnelBend(6, 1, 1.4, 10, 16))},
		{"low tower", shapetest.Tower(3, 3.4, 3, 1.4, 12)}, {"half stair", shapetest.SpiralStair(9)},
		{"boulder", one(shapetest.Boulder(16))},
	} {
		if only := os.Getenv("YARVEK_ONLY"); only != "" && !strings.Contains(x.name, only) {
			continue
		}
		s := shape.Scene(x.name, nil, x.list...)
		is := extents.Of(t.Context(), s).Volume
		joined := scene.Joined(x.name, s.Flattened().Meshes)
		its, itsTime := yardstick(t, "decompose", joined, 16)
		other, ours := 0.0, 0.0
		for _, p := range its {
			other += around(t, p)
		}
		begun := processor()
		r := decompose.Of(t.Context(), s, decompose.Options{Hulls: 16, Points: 64})
		took := processor() - begun
		for _, h := range r.Hulls {
			ours += h.Body.Volume()
		}
		fmt.Printf("%-14s %2d hulls hold %.3f times its volume, its %2d %.3f, time %.2f of %.2f s\n", x.name, len(r.Hulls),
			ours/is, len(its), other/is, took, itsTime)
		if len(its) <= 16 && other >= is { // it may leave what lies within without a hull
			assert.LessOrEqual(t, ours, 1.02*other, x.name)
		}
	}
}

// The order for the vertex cache misses no more often than the reference's, three sizes and how they lie.
func TestOrdersAgainstTheReference(t *testing.T) {
	fmt.Printf("%-22s %9s %9s %9s %8s\n", "mesh", "triangles", "ours", "its", "ratio")
	for _, m := range []*scene.Mesh{shapetest.Boulder(40), shapetest.Boulder(110), shapetest.Boulder(330),
		shaken(shapetest.Boulder(110), 0.002), shapetest.Crumbled(50), shapetest.Torus(1, 0.25, 316, 158).Triangulated()} {
		out, _ := yardstick(t, "order", m)
		index := func(m *scene.Mesh) (list []uint32) {
			for _, c := range m.Corners {
				list = append(list, uint32(c))
			}
			return list
		}
		list := index(m)
		best := order.Best(t.Context(), list, len(m.Points), func(v uint32) geom.Vec3 { return m.Points[v] })
		if best != nil {
			list = order.Applied(list, best)
		}
		a := cost.Misses(list, len(m.Points), cost.CacheSize)
		b := cost.Misses(index(out[0]), len(m.Points), cost.CacheSize)
		n := float64(m.Triangles())
		fmt.Printf("%-22s %9d %9.4f %9.4f %8.3f\n", m.Name, m.Triangles(), float64(a)/n, float64(b)/n, float64(a)/float64(b))
		assert.LessOrEqual(t, float64(a), 1.03*float64(b), m.Name)
	}
}
