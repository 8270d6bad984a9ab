package outfit

import (
	"context"
	"math"
	"slices"
	"strings"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// named are the materials of a scene by their keys; slots that moves begin come behind them.
type Named struct {
	keys []string
	made []string       // names of slots that came with moves
	at   map[string]int // number of each
}

func newNamed(keys, made []string) Named {
	n := Named{keys: keys, at: make(map[string]int, len(keys)+len(made))}
	for i, k := range keys {
		if _, ok := n.at[k]; !ok {
			n.at[k] = i
		}
	}
	for _, k := range made {
		n.make(k)
	}
	return n
}

// make begins a slot.
func (n *Named) make(key string) {
	if _, ok := n.at[key]; !ok {
		n.at[key] = len(n.keys) + len(n.made)
	}
	n.made = append(n.made, key)
}

// namedOf lists the slots there are, and those that moves begin.
func namedOf(s *scene.Scene, moves []Move) Named {
	n := newNamed(s.MaterialKeys(), nil)
	for _, m := range moves {
		if n.Of(m.To) < -1 {
			n.make(m.To)
		}
	}
	return n
}

// All are the keys of all, those that moves begin last.
func (n Named) All() []string { return append(append([]string{}, n.keys...), n.made...) }

// of is the number of a slot: -1 for faces without one, -2 for one that is not there.
func (n Named) Of(key string) int {
	if key == scene.NoSlot {
		return -1
	}
	if i, ok := n.at[key]; ok {
		return i
	}
	return -2
}

// key is the key of a slot by its number.
func (n Named) Key(i int) string {
	switch {
	case i < 0:
		return scene.NoSlot
	case i < len(n.keys):
		return n.keys[i]
	}
	return n.made[i-len(n.keys)]
}

// Moved is a scene whose faces have the slots that moves give them; slots that moves begin stand behind
// its materials. of is the asset itself, whose keys the moves' nodes are, and placed carries places to
// the scene. A mesh that only some of its nodes are meant by is theirs alone then. When ctx ends it
// returns early, and what it returns means nothing.
func Moved(ctx context.Context, s, of *scene.Scene, moves []Move, placed geom.Affine) *scene.Scene {
	if len(moves) == 0 {
		return s
	}
	n := namedOf(of, moves)
	out := mover{s.Clone(), map[int]*topo.Net{}}
	out.Materials = slices.Clone(s.Materials)
	for _, name := range n.made {
		out.Materials = append(out.Materials, scene.NewMaterial(name))
	}
	for _, m := range moves {
		out.move(ctx, n, of, m, placed)
	}
	return out.Scene
}

// mover gives faces other slots, one move after the other.
type mover struct {
	*scene.Scene
	nets map[int]*topo.Net // of meshes, as far as they were asked for
}

func (s mover) move(ctx context.Context, n Named, of *scene.Scene, m Move, placed geom.Affine) {
	to, from := n.Of(m.To), n.Of(m.From)
	if to < -1 || m.From != "" && from < -1 {
		return // it came with another revision
	}
	meant := func(int) bool { return true }
	if m.Node != "" {
		meant = s.below(of, m.Node)
	}
	had := func(mesh *scene.Mesh, f int) bool { return m.From == "" || mesh.Material(f) == from }
	faces := map[int]map[int]bool{} // by node
	if len(m.At) == 0 {
		for i, node := range s.Nodes {
			if node.Mesh >= 0 && meant(i) {
				mesh, set := s.Meshes[node.Mesh], map[int]bool{}
				for f := range mesh.Faces() {
					if had(mesh, f) {
						set[f] = true
					}
				}
				faces[i] = set
			}
		}
	}
	for _, p := range m.At {
		node, f := s.nearest(ctx, placed.Apply(p), meant, had)
		if node < 0 {
			continue
		}
		if faces[node] == nil {
			faces[node] = map[int]bool{}
		}
		for _, g := range s.reached(ctx, s.Nodes[node].Mesh, f, m.Reach) {
			if had(s.Meshes[s.Nodes[node].Mesh], g) {
				faces[node][g] = true
			}
		}
	}
	whole := len(m.At) == 0
	own := map[int]int{} // of a mesh that others place too, the copy of those that are meant
	for i := range s.Nodes {
		set := faces[i]
		if len(set) == 0 {
			continue
		}
		at := s.Nodes[i].Mesh
		if c, ok := own[at]; ok && whole {
			s.Nodes[i].Mesh = c
			continue
		}
		s.give(i, set, to, func(j int) bool { return whole && meant(j) })
		if now := s.Nodes[i].Mesh; now != at {
			own[at] = now
		}
	}
}

// below tells of nodes whether they are the one with a key, or below it. In an LOD whose nodes stand
// otherwise than the asset's those of the same names are meant.
func (s mover) below(of *scene.Scene, key string) func(int) bool {
	in := func(k string) bool { return k == key || strings.HasPrefix(k, key+"/") }
	if keys := s.Keys(); slices.ContainsFunc(keys, in) {
		return func(i int) bool { return in(keys[i]) }
	}
	names := map[string]bool{}
	for i, k := range of.Keys() {
		if in(k) {
			names[of.Nodes[i].Name] = true
		}
	}
	return func(i int) bool { return names[s.Nodes[i].Name] }
}

// nearest is the face that lies nearest to a place, -1 where there is none.
func (s mover) nearest(ctx context.Context, p geom.Vec3, meant func(int) bool, had func(*scene.Mesh, int) bool) (node,
	face int) {
	node, face, least := -1, -1, math.Inf(1)
	for i, w := range s.Worlds() {
		if s.Nodes[i].Mesh < 0 || !meant(i) {
			continue
		}
		mesh := s.Meshes[s.Nodes[i].Mesh]
		if f, d := mesh.NearestFace(ctx, w, p, func(f int) bool { return had(mesh, f) }); d < least {
			node, face, least = i, f, d
		}
	}
	return node, face
}

// flatCos is the cosine of how far two faces in one plane may lean apart: half a degree.
var flatCos = math.Cos(0.5 * math.Pi / 180)

// reached are the faces that a choice goes to from one.
func (s mover) reached(ctx context.Context, mesh, from int, reach Reach) []int {
	if reach == OneFace {
		return []int{from}
	}
	m := s.Meshes[mesh]
	net := s.nets[mesh]
	if net == nil {
		net = topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
		s.nets[mesh] = net
	}
	first := m.FaceNormal(from).Unit()
	on := m.Points[m.Corners[m.FaceStart[from]]]
	near := 1e-5 * m.Points[0].Dist(on) // of a mesh that is large beside the face
	for _, c := range m.Corners[m.FaceStart[from]:m.FaceStart[from+1]] {
		near = max(near, 1e-3*m.Points[c].Dist(on))
	}
	crosses := func(a, b int32) bool {
		switch reach {
		case Flat:
			g := int(net.FaceOf[b])
			return m.FaceNormal(g).Unit().Dot(first) > flatCos &&
				math.Abs(m.Points[m.Corners[b]].Sub(on).Dot(first)) <= near+1e-3*m.Points[m.Corners[b]].Dist(on)
		case Chart:
			return alike(m, net, a, b)
		}
		return true
	}
	return net.Flood(ctx, from, crosses)
}

// alike tells whether two runs along one edge have the same coordinates of the first UV set at both ends.
func alike(m *scene.Mesh, net *topo.Net, a, b int32) bool {
	if len(m.UVs) == 0 || !m.UVs[0].Has() {
		return true
	}
	u := m.UVs[0]
	same := func(c, d int32) bool {
		i, j := u.Index[c], u.Index[d]
		return i == j || i >= 0 && j >= 0 && u.Values[i] == u.Values[j]
	}
	if net.Alike(a, b) {
		return same(a, b) && same(net.Next(a), net.Next(b))
	}
	return same(a, net.Next(b)) && same(net.Next(a), b)
}

// give gives faces of a node's mesh another material. Where other nodes place that mesh and are not
// meant, the node gets one of its own.
func (s mover) give(node int, faces map[int]bool, to int, meant func(int) bool) {
	at := s.Nodes[node].Mesh
	own := s.Meshes[at].WithMaterial(faces, to)
	for j, other := range s.Nodes {
		if other.Mesh == at && j != node && !meant(j) {
			s.Nodes[node].Mesh = len(s.Meshes)
			s.Meshes = append(s.Meshes, own)
			return
		}
	}
	s.Meshes[at] = own
}
