package format

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Reach is the farthest from the origin, in metres, that a scene is read. Readers bound
// the numbers of a file, but nested scales multiply, and beyond 3.4e38 of its own unit a
// 32-bit receiver has infinities.
const Reach = 1e30

// pathsMost bounds the bytes of the paths of all nodes, by which decisions name them.
const pathsMost = 32 << 20

// placedMost bounds the triangles that nodes place over and above those the file holds. A
// mesh may stand in many places at no cost to the file, and everything that is measured,
// drawn or written in one piece goes over each of them.
const placedMost = 4_000_000

// placed refuses a scene whose instances are together more than can be gone over.
func placed(s *scene.Scene, file string) error {
	times, total := make([]int, len(s.Meshes)), 0
	for _, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		if times[n.Mesh]++; times[n.Mesh] > 1 {
			total += s.Meshes[n.Mesh].Triangles()
		}
	}
	if total <= placedMost {
		return nil
	}
	worst, most := -1, 0
	for k := range s.Meshes {
		if n := times[k] * s.Meshes[k].Triangles(); n > most {
			worst, most = k, n
		}
	}
	m := s.Meshes[worst]
	return fault.AtByte(file, -1,
		"places %s triangles over and above those it holds, most of them by %s of “%s”, which has %s: "+
			"expected at most %s", figure.Count(total), figure.Plural(times[worst], "instance", "instances"),
		fault.Shown(m.Name),
		figure.Count(m.Triangles()), figure.Count(placedMost)).
		Beyond().Advise("Export fewer instances at once, or a lighter mesh")
}

// counted refuses a file of more nodes than can be gone over.
func counted(s *scene.Scene, file string) error {
	if len(s.Nodes) <= scene.MaxNodes {
		return nil
	}
	return fault.AtByte(file, -1, "has %s nodes or objects: expected at most %s", figure.Count(len(s.Nodes)),
		figure.Count(scene.MaxNodes)).
		Beyond().Advise("Join them in the modelling program, or export fewer at once")
}

// named refuses a tree so deep that the paths of its nodes would fill the memory.
func named(s *scene.Scene, file string) error {
	n := s.KeyBytes()
	if n <= pathsMost {
		return nil
	}
	deepest, depth := 0, make([]int, len(s.Nodes))
	for i, d := range s.Nodes {
		if d.Parent >= 0 {
			depth[i] = depth[d.Parent] + 1
		}
		deepest = max(deepest, depth[i])
	}
	return fault.AtByte(file, -1,
		"has nodes up to %s deep one in another, whose paths take %s together: expected at most %s",
		figure.Count(deepest), figure.Bytes(n), figure.Bytes(pathsMost)).
		Beyond().Advise("Flatten the tree of nodes in the modelling program, or give them shorter names")
}

// held tells the first node that a receiver could not hold: one that is placed by
// numbers that are none, or whose mesh reaches farther than reach metres from the
// origin, each along its axis and with all points, used or not. file names what was read
// or would be written, and try says what to do about it.
func held(ctx context.Context, s *scene.Scene, file string, reach float64, try string) error {
	boxes := make([]geom.Box, len(s.Meshes))
	for i, m := range s.Meshes {
		if boxes[i] = geom.EmptyBox(); ctx.Err() != nil {
			return ctx.Err()
		}
		for _, p := range m.Points {
			boxes[i] = boxes[i].Add(p)
		}
	}
	for i, w := range s.Worlds() {
		far := largest(w.T)
		if far = max(far, largest(w.M[0]), largest(w.M[1]), largest(w.M[2])); far <= reach && s.Nodes[i].Mesh >= 0 {
			if b := boxes[s.Nodes[i].Mesh]; !b.IsEmpty() {
				b = b.Carried(w.M).Shifted(w.T)
				far = max(far, largest(b.Min), largest(b.Max))
			}
		}
		if !(far <= reach) {
			at := "farther than can be told"
			if far < math.Inf(1) {
				at = fmt.Sprintf("%.2g m far", far)
			}
			return fault.AtByte(file, -1, "node “%s” reaches %s, by its own scale and place and those of the nodes above it: "+
				"expected at most %.0g m, which 32-bit receivers can hold", s.Keys()[i], at, reach).
				Beyond().Advise(try)
		}
	}
	return nil
}

// largest is the largest of three numbers by magnitude, infinite when one is none.
func largest(v geom.Vec3) float64 {
	if !v.IsFinite() {
		return math.Inf(1)
	}
	return max(math.Abs(v[0]), math.Abs(v[1]), math.Abs(v[2]))
}
