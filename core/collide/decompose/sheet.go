package decompose

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// UsualSheet is how thick a sheet is taken, as a share of the size of all, where nothing is said.
const UsualSheet = 0.01

// SheetOf is how thick sheets of a scene are taken where nothing is said; in its lengths.
func SheetOf(s *scene.Scene) float64 { return UsualSheet * s.Bounds().Size().Len() }

// solids is a scene whose sheets have a thickness, half to each side: an open surface has no inside, so that
// what it goes round would be filled. A body that is open below alone is taken as it stands: nothing comes in
// there. sheets is how many parts were thickened.
func solids(ctx context.Context, s *scene.Scene, thickness float64, down geom.Vec3) (out *scene.Scene, sheets int) {
	flat := s.Flattened()
	for i, m := range flat.Meshes {
		net := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
		parts := net.Parts(ctx)
		if ctx.Err() != nil {
			return s, 0
		}
		borders := net.Borders(ctx)
		if len(borders) == 0 {
			continue
		}
		sheet := make([]bool, parts.N)
		low := lowest(m, parts, down)
		for _, b := range borders {
			if k := parts.Of[net.FaceOf[net.Runs(int(b.Edges[0]))[0]]]; k >= 0 {
				sheet[k] = sheet[k] || !facesDown(net, b, down, low[k])
			}
		}
		thick, n := mend.Thicken(ctx, m, net, parts, func(k int32) bool { return sheet[k] }, thickness, mend.Both)
		if n == 0 {
			continue
		}
		if sheets == 0 {
			own := *flat
			own.Meshes = append([]*scene.Mesh(nil), flat.Meshes...)
			flat = &own
		}
		flat.Meshes[i] = thick
		sheets += n
	}
	if sheets == 0 {
		return s, 0
	}
	return flat, sheets
}

// span is how far a part reaches along a direction.
type span struct{ from, to float64 }

func lowest(m *scene.Mesh, parts *topo.Parts, down geom.Vec3) []span {
	out := make([]span, parts.N)
	for k := range out {
		out[k] = span{math.Inf(1), math.Inf(-1)}
	}
	for f, k := range parts.Of {
		if k < 0 {
			continue
		}
		for _, c := range m.Corners[m.FaceStart[f]:m.FaceStart[f+1]] {
			d := m.Points[c].Dot(down)
			out[k].from, out[k].to = min(out[k].from, d), max(out[k].to, d)
		}
	}
	return out
}

// facesDown tells whether a border is an opening at the lower end of a part, as of a scanned rock: it encloses an
// area that looks down, and lies in the lowest fifth.
func facesDown(net *topo.Net, b topo.Chain, down geom.Vec3, of span) bool {
	if down == (geom.Vec3{}) || b.Ring == nil {
		return false
	}
	m := net.Mesh
	var area geom.Vec3
	highest := math.Inf(1)
	o := m.Points[m.Corners[net.Runs(int(b.Edges[0]))[0]]]
	for _, e := range b.Edges {
		c := net.Runs(int(e))[0]
		p, q := m.Points[m.Corners[c]], m.Points[m.Corners[net.Next(c)]]
		area = area.Add(q.Sub(o).Cross(p.Sub(o))) // the border runs with its faces; the cap looks the other way
		highest = min(highest, p.Dot(down))
	}
	return area.Unit().Dot(down) > 0.7 && highest >= of.to-0.2*(of.to-of.from)
}
