package uv

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/split"
)

// Triangle is three corners on the UV plane.
type Triangle [3][2]float64

// area is signed: negative for one that is mirrored.
func (t Triangle) area() float64 {
	return ((t[1][0]-t[0][0])*(t[2][1]-t[0][1]) - (t[2][0]-t[0][0])*(t[1][1]-t[0][1])) / 2
}

// Cover is how triangles cover the UV plane; areas are in units of the unit square.
type Cover struct {
	Mapped   float64 // covered at all
	Overlap  float64 // covered more than once
	Mirrored float64 // of Overlap, what is covered once from each side and no more: halves laid on one another
	Outside  float64 // of Mapped, what lies outside the unit square
}

// Add joins the covers of two planes.
func (c Cover) Add(d Cover) Cover {
	return Cover{c.Mapped + d.Mapped, c.Overlap + d.Overlap, c.Mirrored + d.Mirrored, c.Outside + d.Outside}
}

// Share is a part of what is mapped, 0 when nothing is.
func (c Cover) Share(part float64) float64 {
	if !(c.Mapped > 0) {
		return 0
	}
	return min(1, part/c.Mapped)
}

// crossings bounds how often lines may cross triangles, which is what measuring a cover costs.
const crossings = 1 << 24

// Lines that are laid over the plane: at least so many over its height, and at most.
const (
	fewestLines = 512
	mostLines   = 8192
)

// CoverOf measures how triangles cover the plane: along horizontal lines exactly, and from
// line to line by the midpoint rule. Lines lie between neighbouring heights of corners, so
// that between them covers change evenly but where sides cross; where there are too many
// heights they lie at even distances. The plane is taken as it is, without tiling. When ctx
// ends it returns early, and what it returns means nothing.
func CoverOf(ctx context.Context, list []Triangle) Cover {
	var heights []float64
	tris := make([]Triangle, 0, len(list))
	low, high := math.Inf(1), math.Inf(-1)
	for _, t := range list {
		if a := t.area(); a == 0 || a-a != 0 {
			continue
		}
		tris = append(tris, t)
		for _, p := range t {
			low, high = min(low, p[1]), max(high, p[1])
			heights = append(heights, p[1])
		}
	}
	if len(tris) == 0 || !(high > low) {
		return Cover{}
	}
	heights = append(heights, 0, 1) // where the unit square begins and ends
	rows := rowsOf(tris, heights, low, high)
	// Triangles by the first line that crosses them.
	first := make([]int32, len(rows)+1)
	from, to := make([]int32, len(tris)), make([]int32, len(tris))
	for i, t := range tris {
		lo, hi := min(t[0][1], t[1][1], t[2][1]), max(t[0][1], t[1][1], t[2][1])
		from[i], to[i] = int32(rowAt(rows, lo)), int32(rowAt(rows, hi))
		if from[i] < to[i] {
			first[from[i]+1]++
		}
	}
	for i := range rows {
		first[i+1] += first[i]
	}
	order := make([]int32, first[len(rows)])
	fill := slices.Clone(first)
	for i := range tris {
		if from[i] < to[i] {
			order[fill[from[i]]] = int32(i)
			fill[from[i]]++
		}
	}
	const block = 64
	parts := make([]Cover, split.Blocks(len(rows), block))
	_ = split.InBlocks(ctx, len(rows), block, func(k, a, b int) {
		var active []int32
		for i := range tris { // those that began before
			if int(from[i]) < a && int(to[i]) > a {
				active = append(active, int32(i))
			}
		}
		var s sweep
		for r := a; r < b; r++ {
			if ctx.Err() != nil {
				return
			}
			active = slices.DeleteFunc(active, func(i int32) bool { return int(to[i]) <= r })
			active = append(active, order[first[r]:first[r+1]]...)
			s.line(tris, active, rows[r])
			parts[k] = parts[k].Add(s.cover)
		}
	})
	var sum Cover
	for _, p := range parts {
		sum = sum.Add(p)
	}
	return sum
}

// row is one line, and the height of the strip it stands for.
type row struct{ at, high float64 }

// rowAt is the number of the first row at or above a height.
func rowAt(rows []row, y float64) int {
	n, _ := slices.BinarySearchFunc(rows, y, func(r row, y float64) int { return cmp.Compare(r.at, y) })
	return n
}

// rowsOf lays the lines.
func rowsOf(tris []Triangle, heights []float64, low, high float64) []row {
	slices.Sort(heights)
	heights = slices.Compact(heights)
	sum := 0.0 // of the heights of all triangles
	for _, t := range tris {
		sum += max(t[0][1], t[1][1], t[2][1]) - min(t[0][1], t[1][1], t[2][1])
	}
	even := max(16, min(mostLines, int(crossings*(high-low)/sum)))
	var rows []row
	if len(heights) <= even {
		step := (high - low) / float64(min(even, fewestLines))
		for i := 1; i < len(heights); i++ {
			a, b := max(heights[i-1], low), min(heights[i], high)
			if !(b > a) {
				continue
			}
			n := int(math.Ceil((b - a) / step))
			for k := range n {
				rows = append(rows, row{a + (b-a)*(float64(k)+0.5)/float64(n), (b - a) / float64(n)})
			}
		}
		crossed := 0
		for _, t := range tris {
			crossed += rowAt(rows, max(t[0][1], t[1][1], t[2][1])) - rowAt(rows, min(t[0][1], t[1][1], t[2][1]))
		}
		if crossed <= 2*crossings {
			return rows
		}
		rows = rows[:0] // heights crowd where most triangles are
	}
	for k := range even {
		rows = append(rows, row{low + (high-low)*(float64(k)+0.5)/float64(even), (high - low) / float64(even)})
	}
	return rows
}

// sweep measures single lines, and keeps its list from one to the next.
type sweep struct {
	ends  []end
	cover Cover
}

// end is where a triangle begins or ends along a line.
type end struct {
	x      float64
	up, by int8 // +1 or -1: it begins or ends; and, in by, for a triangle that is mirrored
}

// line measures one line.
func (s *sweep) line(tris []Triangle, active []int32, r row) {
	s.ends, s.cover = s.ends[:0], Cover{}
	for _, i := range active {
		t := tris[i]
		a, b := t.Crossed(r.at)
		if !(b > a) {
			continue
		}
		e := [2]end{{a, 1, 0}, {b, -1, 0}}
		if t.area() < 0 {
			e = [2]end{{a, 0, 1}, {b, 0, -1}}
		}
		s.ends = append(s.ends, e[:]...)
	}
	slices.SortFunc(s.ends, func(a, b end) int { return cmp.Compare(a.x, b.x) })
	up, down := 0, 0
	for i, e := range s.ends {
		if i > 0 && up+down > 0 {
			a, b := s.ends[i-1].x, e.x
			w := b - a
			s.cover.Mapped += w * r.high
			if up+down > 1 {
				s.cover.Overlap += w * r.high
				if up == 1 && down == 1 {
					s.cover.Mirrored += w * r.high
				}
			}
			in := 0.0
			if r.at > 0 && r.at < 1 {
				in = max(0, min(b, 1)-max(a, 0))
			}
			s.cover.Outside += (w - in) * r.high
		}
		up, down = up+int(e.up), down+int(e.by)
	}
}

// Crossed is where a horizontal line enters and leaves the triangle. A side is cut the same
// way whichever triangle it belongs to, so that neighbours meet without a gap; b is less than a
// where it does neither.
func (t Triangle) Crossed(y float64) (a, b float64) {
	a, b = math.Inf(1), math.Inf(-1)
	for k := range 3 {
		p, q := t[k], t[(k+1)%3]
		if p[1] > q[1] || p[1] == q[1] && p[0] > q[0] {
			p, q = q, p
		}
		if p[1] <= y && y < q[1] {
			x := p[0] + (q[0]-p[0])*((y-p[1])/(q[1]-p[1]))
			a, b = min(a, x), max(b, x)
		}
	}
	return a, b
}
