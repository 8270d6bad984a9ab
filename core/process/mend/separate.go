package mend

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// hair is how far points that stood together are moved apart, as a part of the largest coordinate: what 32-bit numbers
// still tell apart.
const hair = 4e-7

// Separate parts a mesh where its surface branches: at edges of more than two faces where crowded is asked for, and
// at the places given, where fans of faces touch in the point alone. Of the faces at an edge those two stay joined
// that are the two sides of one body, or where there are none such the two that run on straightest (a cut, and
// stitching of what belongs together: Guéziec, Taubin, Lazarus and Horn 2001, "Cutting and stitching: converting sets
// of polygons to manifold surfaces"). What was one point becomes several, each moved into its own faces by a hair, so
// that nothing that holds coordinates joins them again. Faces, seams, slots and hard edges stay. It gives how many
// points came, and how far any was moved, in the mesh's lengths. When ctx ends it returns early, and what it returns
// means nothing.
func Separate(ctx context.Context, m *scene.Mesh, net *topo.Net, crowded bool, pinched []int32) (out *scene.Mesh,
	came int, moved float64) {
	fans, parts := fansOf(ctx, net, crowded, nil)
	for _, p := range pinched {
		parts[p] = true
	}
	if ctx.Err() != nil {
		return m, 0, 0
	}
	reach := 0.0
	for _, p := range m.Points {
		for _, v := range p {
			reach = max(reach, math.Abs(v))
		}
	}
	out, place := parted(m, net, fans, parts, hair*reach)
	for i := range place[len(m.Points):] {
		moved = max(moved, hair*reach)
		came = i + 1
	}
	return out, came, moved
}

// Apart is a working copy of a mesh that is parted wherever its surface branches or meets in a point, with points that
// stand where they stood, and the place of each point: those of one fan are one place, whatever stands there besides.
// The mesh itself, and nil, where there is no edge of more than two faces. When ctx ends it returns early, and what it
// returns means nothing.
func Apart(ctx context.Context, m *scene.Mesh, net *topo.Net) (out *scene.Mesh, place []int32) {
	crowded := false
	for e := range net.Edges() {
		if crowded = len(net.Runs(e)) > 2; crowded {
			break
		}
	}
	if !crowded {
		return m, nil
	}
	fans, parts := fansApart(ctx, net)
	if ctx.Err() != nil {
		return m, nil
	}
	for i := range parts {
		parts[i] = true
	}
	return parted(m, net, fans, parts, 0)
}

// turns is how often the sides of edges whose sheets stay together are joined the other way round.
const turns = 6

// fansApart are fans with as few edges of more than two faces as joining sides either way leaves. Where sheets that are
// joined within the body hang together round both ends of an edge, it stays one edge of both; joined over what is
// outside they may part.
func fansApart(ctx context.Context, net *topo.Net) (fans union.Sets, parts []bool) {
	outside := map[int]bool{} // edges joined over what is outside
	fewest := -1
	for range turns {
		of, which := fansOf(ctx, net, true, outside)
		var stuck []int
		for e := range net.Edges() {
			if len(net.Runs(e)) > 2 && together(net, of, sides(net, e, outside[e])) {
				stuck = append(stuck, e)
			}
		}
		if fewest < 0 || len(stuck) < fewest {
			fans, parts, fewest = of, which, len(stuck)
		}
		if len(stuck) == 0 || ctx.Err() != nil {
			break
		}
		for _, e := range stuck {
			outside[e] = !outside[e]
		}
	}
	return fans, parts
}

// together tells whether two of the pairs along an edge are of one fan at both its ends.
func together(net *topo.Net, fans union.Sets, pairs [][2]int32) bool {
	ends := func(c int32) (low, high int32) {
		low, high = fans.Find(c), fans.Find(net.Next(c))
		if net.At(c) > net.At(net.Next(c)) {
			low, high = high, low
		}
		return low, high
	}
	for i := range pairs {
		for j := range i {
			a, b := ends(pairs[i][0])
			if c, d := ends(pairs[j][0]); a == c && b == d {
				return true
			}
		}
	}
	return false
}

// fansOf joins the corners of faces that hang together over edges at each place, and marks the places of edges that are
// parted; those of outside are joined over what is outside of the body.
func fansOf(ctx context.Context, net *topo.Net, crowded bool, outside map[int]bool) (fans union.Sets, parts []bool) {
	parts = make([]bool, len(net.Mesh.Points))
	fans = union.New(len(net.Mesh.Corners))
	for e := range net.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return fans, parts
		}
		runs := net.Runs(e)
		if len(runs) <= 2 || !crowded {
			for _, c := range runs[1:] {
				net.JoinAcross(fans, runs[0], c)
			}
			continue
		}
		a, b := net.Ends(e)
		parts[a], parts[b] = true, true
		for _, pair := range sides(net, e, outside[e]) {
			net.JoinAcross(fans, pair[0], pair[1])
		}
	}
	return fans, parts
}

// spoke is a face at an edge: the corner from which it runs along it, and where it lies round it.
type spoke struct {
	corner int32
	angle  float64 // radians, anticlockwise seen against the edge's direction
	along  bool    // it runs from the lower end to the higher
}

// sides are the pairs of runs along an edge that stay joined: those with the body between them, or with what is
// outside.
func sides(net *topo.Net, e int, outside bool) (pairs [][2]int32) {
	m := net.Mesh
	a, b := net.Ends(e)
	dir := m.Points[b].Sub(m.Points[a]).Unit()
	u := dir.Cross(geom.Vec3{1, 0, 0})
	if math.Abs(dir[0]) > .7 {
		u = dir.Cross(geom.Vec3{0, 1, 0})
	}
	u = u.Unit()
	v := dir.Cross(u)
	var list []spoke
	for _, c := range net.Runs(e) {
		f := net.FaceOf[c]
		n := m.FaceNormal(int(f)).Unit()
		along := net.At(c) == a
		into := n.Cross(dir) // from the edge into the face
		if !along {
			into = into.Mul(-1)
		}
		list = append(list, spoke{c, math.Atan2(into.Dot(v), into.Dot(u)), along})
	}
	slices.SortStableFunc(list, func(x, y spoke) int { return cmp.Compare(x.angle, y.angle) })
	taken := make([]bool, len(list))
	join := func(i, j int) {
		taken[i], taken[j] = true, true
		pairs = append(pairs, [2]int32{list[i].corner, list[j].corner})
	}
	// A face that runs along has its outside after it, one that runs back before it: the wedge from one that runs back
	// to the next that runs along is within a body.
	for i := range list {
		if j := (i + 1) % len(list); list[i].along == outside && list[j].along != outside && !taken[i] && !taken[j] {
			join(i, j)
		}
	}
	if len(pairs) > 0 {
		return pairs
	}
	best, bi, bj := math.Inf(1), -1, -1
	for i := range list {
		for j := range i {
			off := math.Abs(math.Abs(list[i].angle-list[j].angle) - math.Pi)
			if list[i].along != list[j].along && off < best {
				best, bi, bj = off, i, j
			}
		}
	}
	if bi >= 0 {
		join(bi, bj)
	}
	return pairs
}

// parted gives each fan but the first of each place points of its own, moved into its faces by a length, and gives the
// place of every point.
func parted(m *scene.Mesh, net *topo.Net, fans union.Sets, parts []bool, by float64) (out *scene.Mesh, place []int32) {
	type key struct{ fan, point int32 }
	first := map[int32]int32{}    // fan of a place that keeps its points
	into := map[int32]geom.Vec3{} // of each fan: the sum of the ways into its faces
	var corners []int32
	for c := range m.Corners {
		c := int32(c)
		if net.Edge[c] < 0 && net.Edge[net.Prev(c)] < 0 || !parts[net.At(c)] {
			continue
		}
		corners = append(corners, c)
		fan := fans.Find(c)
		if _, ok := first[net.At(c)]; !ok {
			first[net.At(c)] = fan
		}
		way := m.Points[m.Corners[net.Next(c)]].Add(m.Points[m.Corners[net.Prev(c)]]).Mul(.5).Sub(m.Points[m.Corners[c]])
		into[fan] = into[fan].Add(way.Unit())
	}
	own := map[key]int32{}
	stands := map[int32]int32{} // of a fan that has points of its own, the first of them
	place = slices.Clone(net.Place)
	next := *m
	next.Corners = slices.Clone(m.Corners)
	next.Points = m.Points[:len(m.Points):len(m.Points)]
	for _, c := range corners {
		fan := fans.Find(c)
		if first[net.At(c)] == fan {
			continue
		}
		k := key{fan, m.Corners[c]}
		at, ok := own[k]
		if !ok {
			at = int32(len(next.Points))
			own[k] = at
			next.Points = append(next.Points, m.Points[m.Corners[c]].Add(into[fan].Unit().Mul(by)))
			if _, ok := stands[fan]; !ok {
				stands[fan] = at
			}
			place = append(place, stands[fan])
		}
		next.Corners[c] = at
	}
	if len(next.Points) == len(m.Points) {
		return m, place
	}
	return &next, place
}
