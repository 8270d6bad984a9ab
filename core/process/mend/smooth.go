package mend

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// Edges says by what edges are hard.
type Edges string

// What makes an edge hard.
const (
	ByAngle  Edges = "angle"  // faces that turn by more than an angle
	ByGroups Edges = "groups" // the file's smoothing groups
	BySeams  Edges = "seams"  // seams of the first UV set
	AllSoft  Edges = "soft"
	AllHard  Edges = "hard"
)

// Smoothing is how normals are made.
type Smoothing struct {
	By    Edges
	Angle float64 // degrees, of ByAngle
	Blend float64 // share of the new normals, 1 for these alone; the rest are those that were there
}

// Smooth gives a mesh the normals of its hard edges: at each place the faces between two of them
// share one, the sum of theirs by area and by their angle there (Max 1999, "Weights for computing
// vertex normals from facet normals", leaves the choice; both together hold for bevels and for
// fans). net is of all faces with area. It returns how many corners have another normal than
// before. When ctx ends it returns early, and what it returns means nothing.
func Smooth(ctx context.Context, m *scene.Mesh, net *topo.Net, by Smoothing) (*scene.Mesh, int) {
	out := *m
	out.Hard = make([]bool, len(m.Corners))
	for e := range net.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return m, 0
		}
		runs := net.Runs(e)
		hard := isHard(m, net, runs, by)
		for _, c := range runs {
			out.Hard[c] = hard
		}
	}
	// Corners between hard edges, joined over soft ones.
	corners := union.New(len(m.Corners))
	for e := range net.Edges() {
		runs := net.Runs(e)
		if len(runs) != 2 || out.Hard[runs[0]] || net.Alike(runs[0], runs[1]) {
			continue
		}
		net.JoinAcross(corners, runs[0], runs[1])
	}
	sums := make([]geom.Vec3, len(m.Corners))
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return m, 0
		}
		n := m.FaceNormal(f) // twice its area long
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			p := m.Points[m.Corners[c]]
			u, v := m.Points[m.Corners[net.Prev(c)]].Sub(p).Unit(), m.Points[m.Corners[net.Next(c)]].Sub(p).Unit()
			k := corners.Find(c)
			sums[k] = sums[k].Add(n.Mul(math.Acos(min(1, max(-1, u.Dot(v))))))
		}
	}
	old := m.Normals
	if !old.Has() {
		old = m.SmoothNormals()
	}
	out.Normals = scene.Layer[[3]float32]{Index: make([]int32, len(m.Corners))}
	number := map[[3]float32]int32{}
	changed := 0
	for f := range m.Faces() {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			n := sums[corners.Find(c)].Unit()
			if n == (geom.Vec3{}) {
				if n = m.FaceNormal(f).Unit(); n == (geom.Vec3{}) {
					n = geom.Vec3{0, 1, 0}
				}
			}
			var was geom.Vec3
			if old.Has() && old.Index[c] >= 0 {
				v := old.Values[old.Index[c]]
				was = geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}.Unit()
				if by.Blend < 1 {
					if mixed := was.Mul(1 - by.Blend).Add(n.Mul(by.Blend)).Unit(); mixed != (geom.Vec3{}) {
						n = mixed
					}
				}
			}
			if was.Dot(n) < math.Cos(0.01*math.Pi/180) {
				changed++
			}
			v := [3]float32{float32(n[0]), float32(n[1]), float32(n[2])}
			i, ok := number[v]
			if !ok {
				i = int32(len(out.Normals.Values))
				number[v] = i
				out.Normals.Values = append(out.Normals.Values, v)
			}
			out.Normals.Index[c] = i
		}
	}
	out.Smooth = nil
	out.Tangents = scene.Layer[[4]float32]{}
	return &out, changed
}

// isHard tells whether the edge of these runs is hard. Borders and edges of more than two faces
// are, since nothing is shared there.
func isHard(m *scene.Mesh, net *topo.Net, runs []int32, by Smoothing) bool {
	if len(runs) != 2 {
		return true
	}
	a, b := runs[0], runs[1]
	f, g := net.FaceOf[a], net.FaceOf[b]
	switch by.By {
	case AllSoft:
		return false
	case AllHard:
		return true
	case ByGroups:
		return m.Smooth == nil || m.Smooth[f] != m.Smooth[g] || m.Smooth[f] == 0
	case BySeams:
		return len(m.UVs) > 0 && m.UVs[0].Has() && !net.Alike(a, b) &&
			(!sameUV(m, a, net.Next(b)) || !sameUV(m, net.Next(a), b))
	case ByAngle:
		n, o := m.FaceNormal(int(f)).Unit(), m.FaceNormal(int(g)).Unit()
		return n.Dot(o) < math.Cos(by.Angle*math.Pi/180)
	}
	panic("mend: no such edges: " + string(by.By))
}

// sameUV tells whether two corners have one coordinate.
func sameUV(m *scene.Mesh, a, b int32) bool {
	u := m.UVs[0]
	i, j := u.Index[a], u.Index[b]
	if i == j {
		return true
	}
	return i >= 0 && j >= 0 && math.Abs(u.Values[i][0]-u.Values[j][0])+math.Abs(u.Values[i][1]-u.Values[j][1]) < 1e-6
}
