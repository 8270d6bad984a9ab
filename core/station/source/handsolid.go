package source

import (
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// HandSolid is a shape to collide with that came along: a node whose name the target's pattern reads
// as one, and that no decision keeps as a mesh.
type HandSolid struct {
	Key  string
	Name string
	Of   string // name of the mesh it stands for, as it goes on
	Kind string // by the pattern
	// Lost tells that no mesh has the name it stands for; Near is the nearest there is, "" for none.
	Lost bool
	Near string
	Mesh *scene.Mesh // where it stands, in the frame of the station's outcome
}

// solids gathers them, in the order of their nodes.
func (r *run) solids() []HandSolid {
	var list []HandSolid
	for i := range r.rep.Nodes {
		if !r.rep.Nodes[i].Solid {
			continue
		}
		n, k := r.s.Nodes[i], r.stands.by[i]
		h := HandSolid{Key: r.survey.Keys[i], Name: n.Name, Of: k.Mesh, Kind: k.Kind}
		switch {
		case k.Of >= 0:
			h.Of = r.rep.Nodes[k.Of].Name // as it is called now
		case k.Nearest >= 0:
			h.Lost, h.Near = true, r.rep.Nodes[k.Nearest].Name
		default:
			h.Lost = true
		}
		w := r.survey.Worlds[i]
		if r.d.Move != (geom.Vec3{}) {
			w = geom.Translation(r.d.Move.Mul(-1)).Mul(w)
		}
		h.Mesh = r.s.Meshes[n.Mesh].MappedIn(r.ctx, w)
		list = append(list, h)
	}
	return list
}
