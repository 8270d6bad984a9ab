package ladder

import (
	"math"
	"slices"
)

// Wish is a LOD that is asked for: by one of its share of the triangles, their count, and its largest
// deviation, by the distance it takes over at, or by both.
type Wish struct {
	// of the triangles of the first, above 0 and below 1; 0 for none asked for
	Share     float64 `json:"share,omitempty"`
	Triangles int     `json:"triangles,omitempty"` // no more than so many, likewise
	Deviation float64 `json:"deviation,omitempty"` // metres that it may show by, likewise
	From      float64 `json:"from,omitempty"`      // metres; 0 for where it shows no more than is allowed
}

// Sized tells whether it says how coarse the LOD is.
func (w Wish) Sized() bool { return w.Share > 0 || w.Triangles > 0 || w.Deviation > 0 }

// ShareOf is the share of the triangles of an asset that it asks for, 0 for none.
func (w Wish) ShareOf(triangles int) float64 {
	if w.Triangles > 0 && triangles > 0 {
		return float64(w.Triangles) / float64(triangles)
	}
	return w.Share
}

// Nearest is the step that comes nearest to a share of the triangles, as a factor; -1 without any.
func (c *Climb) Nearest(share float64) int {
	best, off := -1, math.Inf(1)
	for i, s := range c.Steps {
		if d := math.Abs(math.Log(float64(max(1, s.Triangles)) / (share * float64(c.Triangles)))); d < off {
			best, off = i, d
		}
	}
	return best
}

// Within is the last step that shows by no more than a length in metres; -1 without any.
func (c *Climb) Within(visible float64) int {
	k := -1
	for i, s := range c.Steps {
		if s.Visible <= visible*(1+1e-9) {
			k = i
		}
	}
	return k
}

// Times is the climb of a scene k times as large.
func (c *Climb) Times(k float64) *Climb {
	out := *c
	out.Steps = slices.Clone(c.Steps)
	for i := range out.Steps {
		out.Steps[i].Visible *= k
	}
	return &out
}

// Farther is how many times as far as the one before it a LOD takes over at least: what takes
// nobody's place is of no use.
const Farther = 1.02

// Range is the distances that an asset is seen from, all as often as the same factor of the
// distance makes them: as often from 2 to 4 m as from 20 to 40.
type Range struct{ Near, Far float64 } // metres

// Drawn is the mean of triangles drawn over a range, by counts of each LOD, that of the first with
// it, and the distances from which on each of the others stands.
func Drawn(r Range, triangles []int, from []float64) float64 {
	sum := 0.0
	for i, n := range triangles {
		lo, hi := r.Near, r.Far
		if i > 0 {
			lo = max(lo, from[i-1])
		}
		if i < len(from) {
			hi = min(hi, from[i])
		}
		if hi > lo {
			sum += float64(n) * math.Log(hi/lo)
		}
	}
	if !(r.Far > r.Near) {
		return 0
	}
	return sum / math.Log(r.Far/r.Near)
}

// least is the share of all that is drawn that has to be saved for any LOD to be worth it.
const least = 0.08

// enough is the share of what could be saved that is worth no further LOD.
const enough = 0.93

// Few proposes the shares of as few LODs as bring most of what any number up to most could save
// over a range of distances.
func Few(c *Climb, v View, pixels float64, r Range, most int) []Wish {
	n := len(c.Steps)
	if n == 0 || most < 1 || !(r.Far > r.Near) {
		return nil
	}
	at := make([]float64, n) // the logarithm of where each may take over, within the range
	begin, end := math.Log(r.Near), math.Log(r.Far)
	before := 0.0
	for i, s := range c.Steps {
		before = max(before*Farther, v.ShownFrom(s.Visible, pixels), 1e-9)
		at[i] = min(max(math.Log(before), begin), end)
	}
	tris := func(i int) float64 { return float64(c.Steps[i].Triangles) }
	// saved[k][i] is what k LODs save at most, the last of them step i, to the end of the range.
	type cell struct {
		saved float64
		from  int
	}
	table := make([][]cell, most)
	best := make([]int, most)
	for k := range table {
		table[k] = make([]cell, n)
		best[k] = -1
		for i := range n {
			table[k][i] = cell{(float64(c.Triangles) - tris(i)) * (end - at[i]), -1}
			if k > 0 {
				table[k][i].saved = math.Inf(-1)
				for j := range i {
					if s := table[k-1][j].saved + (tris(j)-tris(i))*(end-at[i]); s > table[k][i].saved {
						table[k][i] = cell{s, j}
					}
				}
			}
			if best[k] < 0 || table[k][i].saved > table[k][best[k]].saved {
				best[k] = i
			}
		}
	}
	top := 0.0
	for k := range table {
		top = max(top, table[k][best[k]].saved)
	}
	if top < least*float64(c.Triangles)*(end-begin) {
		return nil
	}
	for k := range table {
		if table[k][best[k]].saved < enough*top {
			continue
		}
		var list []Wish
		for i := best[k]; i >= 0; k-- {
			list = append(list, Wish{Share: float64(c.Steps[i].Triangles) / float64(c.Triangles)})
			i = table[k][i].from
		}
		slices.Reverse(list)
		return list
	}
	return nil
}
