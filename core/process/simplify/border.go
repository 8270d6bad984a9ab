package simplify

import (
	"yarvek/core/geom"
	"yarvek/core/topo"
)

// Open borders that lie on one line or in one plane are where tiles meet, so they keep to it exactly. How near
// that is, and from how long on a stretch counts, are shares of the mesh's size; shorter ones are the steps of
// a scan.
const (
	straightNear  = 1e-6
	straightLeast = 0.02
	planarLeast   = 0.05
	planarEdges   = 4 // three points are always in one plane, and four nearly
)

// run is a stretch of an open border, without its ends, which stay where they are.
type run struct {
	normal geom.Vec3 // of the plane it lies in; none of one that is straight
}

// runs finds the stretches of open borders that lie on a line or in a plane. When they are to be held, every
// place of an open border stays.
func (w *work) runs(net *topo.Net) {
	near := map[int32][]int32{}
	for e := range net.Edges() {
		if list := net.Runs(e); len(list) == 1 {
			a, b := w.place[list[0]], w.place[topo.After(list[0])]
			near[a], near[b] = append(near[a], b), append(near[b], a)
		}
	}
	if len(near) == 0 {
		return
	}
	if w.o.Borders {
		for p := range near {
			w.class[p] = corner
		}
		return
	}
	box := geom.EmptyBox()
	for _, p := range w.at {
		box = box.Add(p)
	}
	w.run = make([]int32, len(w.at))
	w.runList = []run{{}}
	seen := map[int32]bool{}
	through := func(p int32) bool { return len(near[p]) == 2 && w.class[p] == line }
	for first := range w.at { // in their order, so that the outcome is always the same
		p := int32(first)
		if len(near[p]) == 0 || seen[p] || through(p) {
			continue
		}
		for _, next := range near[p] {
			w.stretches(chain(near, through, seen, p, next), box.Size().Len(), false)
		}
		seen[p] = true
	}
	for first := range w.at { // rings without any end
		if p := int32(first); len(near[p]) > 0 && !seen[p] {
			w.stretches(chain(near, through, seen, p, near[p][0]), box.Size().Len(), true)
		}
	}
}

// chain is the places from p over next to the first that the border does not run through, or back to p.
func chain(near map[int32][]int32, through func(int32) bool, seen map[int32]bool, p, next int32) []int32 {
	list := []int32{p}
	last := p
	seen[p] = true
	for {
		list = append(list, next)
		if !through(next) || seen[next] {
			return list
		}
		seen[next] = true
		to := near[next][0]
		if to == last {
			to = near[next][1]
		}
		last, next = next, to
	}
}

// stretches divides a chain into the longest that are straight, and what is between into the longest that lie
// in a plane. A ring begins where its first stretch ends.
func (w *work) stretches(list []int32, size float64, ring bool) {
	if len(list) < 3 {
		return
	}
	if ring = ring && list[0] == list[len(list)-1]; ring {
		if end := w.reach(list, 0, straightNear*size, w.straight); end > 1 && end < len(list)-1 {
			list = turned(list, end)
		} else if end := w.reach(list, 0, straightNear*size, w.planar); end < len(list)-1 {
			list = turned(list, end)
		}
	}
	for i := 0; i+1 < len(list); {
		end := w.reach(list, i, straightNear*size, w.straight)
		if end-i >= 2 && w.length(list[i:end+1]) >= straightLeast*size {
			w.keep(list[i:end+1], run{})
			i = end
			continue
		}
		end = w.reach(list, i, straightNear*size, w.planar)
		if end-i >= planarEdges && w.length(list[i:end+1]) >= planarLeast*size {
			n, _ := w.planeOf(list[i : end+1])
			whole := ring && i == 0 && end == len(list)-1
			w.keep(list[i:end+1], run{normal: n})
			if whole { // it has no end that must stay
				w.run[list[0]], w.class[list[0]] = int32(len(w.runList)-1), line
			}
			i = end
			continue
		}
		i++
	}
}

// turned is a ring that begins at another of its places.
func turned(list []int32, at int) []int32 {
	out := append([]int32(nil), list[at:]...)
	return append(out, list[1:at+1]...)
}

func (w *work) length(list []int32) (sum float64) {
	for i := 1; i < len(list); i++ {
		sum += w.at[list[i]].Dist(w.at[list[i-1]])
	}
	return sum
}

// keep binds the places of a stretch to it, and holds its ends.
func (w *work) keep(list []int32, r run) {
	w.runList = append(w.runList, r)
	for _, p := range list[1 : len(list)-1] {
		w.run[p] = int32(len(w.runList) - 1)
	}
	w.class[list[0]], w.class[list[len(list)-1]] = corner, corner
}

// reach is the last place to which a chain does from place i on what holds tells: found by doubling and halving,
// so that all stretches together take n log n.
func (w *work) reach(list []int32, i int, near float64, holds func([]int32, float64) bool) int {
	good, step := i+1, 1
	for good < len(list)-1 {
		to := min(len(list)-1, good+step)
		if !holds(list[i:to+1], near) {
			break
		}
		good, step = to, 2*step
	}
	bad := min(len(list), good+step+1)
	for good+1 < bad {
		mid := (good + bad) / 2
		if mid < len(list) && holds(list[i:mid+1], near) {
			good = mid
		} else {
			bad = mid
		}
	}
	return good
}

// straight tells whether places lie on one line, each farther along than the one before.
func (w *work) straight(list []int32, near float64) bool {
	a := w.at[list[0]]
	d := w.at[list[len(list)-1]].Sub(a).Unit()
	if d == (geom.Vec3{}) {
		return false
	}
	last := 0.0
	for _, p := range list[1:] {
		v := w.at[p].Sub(a)
		t := v.Dot(d)
		if t <= last || v.Sub(d.Mul(t)).Len() > near {
			return false
		}
		last = t
	}
	return true
}

// planar tells whether places lie in one plane.
func (w *work) planar(list []int32, near float64) bool {
	n, ok := w.planeOf(list)
	if !ok {
		return true // on a line
	}
	for _, p := range list {
		if d := n.Dot(w.at[p].Sub(w.at[list[0]])); d > near || d < -near {
			return false
		}
	}
	return true
}

// planeOf is the direction across places: by the largest of the triangles of the first, the one farthest from
// it, and all others. Directions along an axis are that exactly.
func (w *work) planeOf(list []int32) (geom.Vec3, bool) {
	a := w.at[list[0]]
	far, most := a, 0.0
	for _, p := range list {
		if d := w.at[p].Dist(a); d > most {
			far, most = w.at[p], d
		}
	}
	var n geom.Vec3
	area := 0.0
	for _, p := range list {
		if x := far.Sub(a).Cross(w.at[p].Sub(a)); x.Len() > area {
			n, area = x, x.Len()
		}
	}
	if !(area > straightNear*most*most) {
		return geom.Vec3{}, false
	}
	n = n.Unit()
	for k := range 3 {
		if n[k] > 1-1e-9 || n[k] < -1+1e-9 {
			n = geom.Vec3{}
			n[k] = 1
		}
	}
	return n, true
}

// kept is a place for both ends of an edge of one stretch that keeps to it.
func (w *work) kept(a, b int32, to geom.Vec3) geom.Vec3 {
	if w.run == nil || w.run[a] == 0 || w.run[a] != w.run[b] {
		return to
	}
	pa, pb := w.at[a], w.at[b]
	if n := w.runList[w.run[a]].normal; n != (geom.Vec3{}) {
		return to.Sub(n.Mul(n.Dot(to.Sub(pa))))
	}
	d := pb.Sub(pa)
	t := min(1, max(0, to.Sub(pa).Dot(d)/d.Dot(d)))
	return pa.Add(d.Mul(t))
}
