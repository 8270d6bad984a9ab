package draft

import (
	"encoding/binary"
	"math"

	"yarvek/core/geom"
)

// ghostSegments bounds the lines of an outcome that are drawn on the turntable.
const ghostSegments = 40000

// Lines packs a ghost for the turntable: float32 ends of segments, x, y and z each, in the
// frame of the paper; metres. m is the model of the outcome, nil when the ghost has none.
func (g Ghost) Lines(m *Model, box geom.Box) []byte {
	var b []byte
	end := func(p geom.Vec3) {
		for _, c := range p {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(c)))
		}
	}
	segment := func(p, q geom.Vec3) { end(p); end(q) }
	if m != nil {
		hard := 0
		for _, e := range m.edges {
			if e.hard {
				hard++
			}
		}
		step := hard/ghostSegments + 1
		k := 0
		for _, e := range m.edges {
			if !e.hard {
				continue
			}
			if k++; k%step == 0 {
				segment(m.points[e.a].Add(g.Shift), m.points[e.b].Add(g.Shift))
			}
		}
		if hard == 0 {
			g.Boxes = append(g.Boxes, m.Box.Shifted(g.Shift))
		}
	}
	for _, x := range g.Boxes[:min(len(g.Boxes), ghostSegments/12)] {
		if x.IsEmpty() {
			continue
		}
		boxLines(x, segment)
	}
	points := g.Points
	if g.Datum != nil {
		points = append(points[:len(points):len(points)], *g.Datum)
	}
	arm := max(0.05*box.Size().Max(), 1e-3)
	for _, p := range points {
		for k := range 3 {
			var d geom.Vec3
			d[k] = arm
			segment(p.Sub(d), p.Add(d))
		}
	}
	return b
}
