package unfold

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/union"
)

// A body is rough where it has so many faces, of which so few hang together over soft edges in the mean; where ridges
// and grooves meet at so large a share of the points that have either; and where so many of the soft edges, for one
// face, are not flat. What is built of plain walls, however many, is not.
const (
	roughFaces    = 2000
	roughTogether = 40
	roughMixed    = 0.15
	roughBent     = 0.25
)

// flat is the cosine from which on two faces are one plane.
var flat = math.Cos(2 * math.Pi / 180)

// smoothings is how often points of a rough body go half way to the middle of those round them. A scan put together by
// cells (37 000 triangles, one body) makes 300, 244 and 137 charts after 4, 8 and 16; what is lost is stretch.
const smoothings = 8

// rough tells whether sharp edges are noise, as in scans, rather than meant: then each few faces would be a chart of
// their own.
func (b *body) rough() bool {
	faces, bent := 0, 0
	sets := union.New(b.m.Faces())
	ends := map[int32]uint8{} // 1 for ridges, 2 for grooves
	for e := range b.net.Edges() {
		f, g, ok := b.soft(int32(e))
		if ok {
			sets.Join(f, g)
			if b.normal[f].Dot(b.normal[g]) < flat {
				bent++
			}
			continue
		}
		if f == g || b.area[f] <= 0 || b.area[g] <= 0 {
			continue
		}
		way := uint8(1)
		if b.middle[g].Sub(b.middle[f]).Dot(b.normal[f]) > 0 {
			way = 2
		}
		k := b.net.Runs(e)[0]
		ends[b.net.At(k)] |= way
		ends[b.net.At(b.net.Next(k))] |= way
	}
	regions := map[int32]bool{}
	for f := range b.m.Faces() {
		if b.area[f] > 0 && b.in(f) {
			faces++
			regions[sets.Find(int32(f))] = true
		}
	}
	mixed := 0
	for _, w := range ends {
		if w == 3 {
			mixed++
		}
	}
	return faces >= roughFaces && len(regions)*roughTogether > faces && float64(bent) > roughBent*float64(faces) &&
		float64(mixed) > roughMixed*float64(len(ends))
}

// smooth gives the body the points of its smoothed self: each goes half way to the middle of those it shares an edge
// with, some times over (Taubin 1995, "A signal processing approach to fair surface design", the first of its two
// steps: that what is laid flat shrinks does not matter).
func (b *body) smooth(ctx context.Context) {
	points := slices.Clone(b.m.Points)
	sums, count := make([]geom.Vec3, len(points)), make([]float64, len(points))
	for range smoothings {
		if ctx.Err() != nil {
			return
		}
		clear(sums)
		clear(count)
		for e := range b.net.Edges() {
			i, j := b.net.Ends(e)
			sums[i], sums[j] = sums[i].Add(points[j]), sums[j].Add(points[i])
			count[i]++
			count[j]++
		}
		for i, n := range count {
			if n > 0 {
				points[i] = points[i].Add(sums[i].Mul(1 / n)).Mul(0.5)
			}
		}
	}
	for i, p := range b.net.Place {
		points[i] = points[p]
	}
	b.points = points
	shape := *b.m
	shape.Points = points
	for f := range b.m.Faces() {
		if n := shape.FaceNormal(f); b.area[f] > 0 && n.Len() > 0 {
			b.normal[f] = n.Unit()
		}
	}
}
