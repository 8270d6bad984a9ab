package decompose

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/union"
)

// convexNear is by what share of its volume the hull of a closed body may be larger, for it to be convex.
const convexNear = 1e-6

// bodiesOf finds the bodies that triangles bound: two that touch along edges are two, since each is gone round
// through its own solid. It returns the body of each triangle, and which bodies are closed and convex: those are
// hulls as they are, and are never cut. It is long because its steps share the marks of faces and the lists
// of borders.
func bodiesOf(ctx context.Context, pts []geom.Vec3, tris []int32) (body []int32, convex map[int32]bool) {
	n := len(tris) / 3
	type side struct {
		tri     int32
		forward bool
	}
	edges := map[[2]int32][]side{}
	var order [][2]int32
	for t := range n {
		for k := range 3 {
			a, b := tris[3*t+k], tris[3*t+(k+1)%3]
			e, forward := [2]int32{a, b}, true
			if a > b {
				e, forward = [2]int32{b, a}, false
			}
			if _, ok := edges[e]; !ok {
				order = append(order, e)
			}
			edges[e] = append(edges[e], side{int32(t), forward})
		}
	}
	sets := union.New(n)
	open := make([]bool, n) // a triangle with an edge that nothing goes on over
	for _, e := range order {
		if ctx.Err() != nil {
			return make([]int32, n), nil
		}
		list := edges[e]
		if len(list) == 2 && list[0].forward != list[1].forward {
			sets.Join(list[0].tri, list[1].tri)
			continue
		}
		// Round the edge, from a face that runs along it through its solid to the next that runs against it.
		a, d := pts[e[0]], pts[e[1]].Sub(pts[e[0]]).Unit()
		u := d.Across()
		v := d.Cross(u)
		angle := func(x side) float64 {
			for _, p := range tris[3*x.tri : 3*x.tri+3] {
				if p != e[0] && p != e[1] {
					w := pts[p].Sub(a)
					return math.Atan2(w.Dot(v), w.Dot(u))
				}
			}
			return 0
		}
		taken := make([]bool, len(list))
		for _, x := range list {
			if !x.forward {
				continue
			}
			best, least := -1, math.Inf(1)
			for k, y := range list {
				if y.forward || taken[k] {
					continue
				}
				// A triangle that runs forward has its solid behind its normal: clockwise seen along the edge.
				turn := math.Mod(angle(x)-angle(y)+4*math.Pi, 2*math.Pi)
				if turn < 1e-7 || turn > 2*math.Pi-1e-7 {
					turn = 2 * math.Pi // on one another: of two bodies, or of no body at all
				}
				if turn < least {
					best, least = k, turn
				}
			}
			if best < 0 || least > 2*math.Pi-1e-6 {
				open[x.tri] = true
				continue
			}
			taken[best] = true
			sets.Join(x.tri, list[best].tri)
		}
		for k, y := range list {
			if !y.forward && !taken[k] {
				open[y.tri] = true
			}
		}
	}
	sets.Flatten()
	body = sets
	members := map[int32][]int32{}
	var roots []int32
	for t, b := range body {
		if members[b] == nil {
			roots = append(roots, b)
		}
		members[b] = append(members[b], int32(t))
	}
	convex = map[int32]bool{}
	if len(roots) > mostShells {
		return body, convex
	}
	slices.SortFunc(roots, func(x, y int32) int { return cmp.Compare(x, y) })
	for _, b := range roots {
		if ctx.Err() != nil {
			return body, convex
		}
		convex[b] = isConvex(ctx, pts, tris, members[b], open)
	}
	return body, convex
}

// mostConvex bounds the triangles of a body that is tried: its hull is made.
const mostConvex = 20_000

// isConvex tells whether triangles bound a closed body that is as large as its hull.
func isConvex(ctx context.Context, pts []geom.Vec3, tris, of []int32, open []bool) bool {
	if len(of) < 4 || len(of) > mostConvex {
		return false
	}
	var corners []geom.Vec3
	mid := pts[tris[3*of[0]]]
	volume := 0.0
	for _, t := range of {
		if open[t] {
			return false
		}
		p, q, r := pts[tris[3*t]], pts[tris[3*t+1]], pts[tris[3*t+2]]
		corners = append(corners, p, q, r)
		volume += p.Sub(mid).Dot(q.Sub(mid).Cross(r.Sub(mid))) / 6
	}
	if volume <= 0 {
		return false // inside out, or the hollow of another
	}
	hull := volumeOf(geom.HullOf(ctx, corners))
	return hull > 0 && math.Abs(hull-volume) <= convexNear*hull
}
