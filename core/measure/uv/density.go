package uv

import (
	"cmp"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Density is how faces of one material lie on their texture.
type Density struct {
	Area      float64 // of the surface that has coordinates; the mesh's lengths, squared
	UV        float64 // of it on the plane, mirrored or not
	Flat      float64 // area of the surface whose coordinates span nothing
	Stretched float64 // area of the surface that is stretched more than twice one way than the other
	Least     float64 // of it, in lengths of the plane a length of the surface, leaving out the
	Most      float64 // twentieth of the area that is least dense, and that which is most
	spread    []spread
}

// spread is how dense one triangle is.
type spread struct{ by, area float64 }

// Mean is how many lengths of the plane there are to a length of the surface.
func (d Density) Mean() float64 {
	if !(d.Area > 0) {
		return 0
	}
	return math.Sqrt(d.UV / d.Area)
}

// Add joins two; Least and Most are those of both.
func (d Density) Add(e Density) Density {
	out := Density{Area: d.Area + e.Area, UV: d.UV + e.UV, Flat: d.Flat + e.Flat, Stretched: d.Stretched + e.Stretched,
		Least: d.Least, Most: d.Most}
	if d.Area == 0 || e.Area > 0 && e.Least < d.Least {
		out.Least = e.Least
	}
	out.Most = max(d.Most, e.Most)
	return out
}

// Times is the density of a surface whose lengths are k times as long.
func (d Density) Times(k float64) Density {
	return Density{Area: d.Area * k * k, UV: d.UV, Flat: d.Flat * k * k, Stretched: d.Stretched * k * k,
		Least: d.Least / k, Most: d.Most / k}
}

// Densities are those of a mesh's materials on a UV set; -1 stands for faces without one. A
// triangle is stretched by the ratio of the singular values of its map to the plane (Sander,
// Snyder, Gortler and Hoppe 2001, "Texture mapping progressive meshes").
func Densities(m *scene.Mesh, set int) map[int]Density {
	if set >= len(m.UVs) || !m.UVs[set].Has() {
		return nil
	}
	u := m.UVs[set]
	all := map[int]Density{}
	m.EachTriangle(func(f int, a, b, c int32) {
		i, j, k := u.Index[a], u.Index[b], u.Index[c]
		if i < 0 || j < 0 || k < 0 {
			return
		}
		p := m.Points[m.Corners[a]]
		e, g := m.Points[m.Corners[b]].Sub(p), m.Points[m.Corners[c]].Sub(p)
		area := e.Cross(g).Len() / 2
		if !(area > 0) {
			return
		}
		t := Triangle{u.Values[i], u.Values[j], u.Values[k]}
		on := math.Abs(t.area())
		if on-on != 0 {
			return
		}
		d := all[m.Material(f)]
		d.Area, d.UV = d.Area+area, d.UV+on
		if high, low := singular(e, g, t); low <= 1e-9*high {
			d.Flat += area
		} else {
			if high > 2*low*(1+1e-9) {
				d.Stretched += area
			}
			d.spread = append(d.spread, spread{math.Sqrt(on / area), area})
		}
		all[m.Material(f)] = d
	})
	for mat, d := range all {
		d.Least, d.Most = middle(d.spread)
		d.spread = nil
		all[mat] = d
	}
	return all
}

// singular are the lengths on the plane of the surface's unit vectors that come out longest and
// shortest. e and g are two sides of a triangle.
func singular(e, g geom.Vec3, t Triangle) (high, low float64) {
	// The surface's own axes: along e, and across it.
	x := e.Len()
	along := e.Unit()
	y := g.Sub(along.Mul(g.Dot(along))).Len()
	if !(x > 0) || !(y > 0) {
		return 0, 0
	}
	s := [2]float64{(t[1][0] - t[0][0]) / x, (t[1][1] - t[0][1]) / x}
	k := g.Dot(along)
	r := [2]float64{(t[2][0] - t[0][0] - s[0]*k) / y, (t[2][1] - t[0][1] - s[1]*k) / y}
	a, b, c := s[0]*s[0]+s[1]*s[1], s[0]*r[0]+s[1]*r[1], r[0]*r[0]+r[1]*r[1]
	root := math.Sqrt(max(0, (a-c)*(a-c)+4*b*b))
	return math.Sqrt((a + c + root) / 2), math.Sqrt(max(0, (a+c-root)/2))
}

// middle is the range of densities that nine tenths of the area have, a twentieth being denser
// and a twentieth less dense.
func middle(list []spread) (least, most float64) {
	slices.SortFunc(list, func(a, b spread) int { return cmp.Compare(a.by, b.by) })
	whole := 0.0
	for _, s := range list {
		whole += s.area
	}
	sum := 0.0
	for _, s := range list {
		if sum <= 0.05*whole {
			least = s.by
		}
		if sum < 0.95*whole {
			most = s.by
		}
		sum += s.area
	}
	return least, most
}
