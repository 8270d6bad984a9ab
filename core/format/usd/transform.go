package usd

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// local is what a prim's transform operations make together, in the order it says: the first works on what the others
// make. reset tells that those above it don't count.
func (r *reader) local(p *prim) (out geom.Affine, reset bool) {
	out = geom.Identity
	for _, op := range words(p.attr("xformOpOrder")) {
		if op == "!resetXformStack!" {
			out, reset = geom.Identity, true
			continue
		}
		name, inverse := strings.CutPrefix(op, "!invert!")
		a, ok := r.op(p, name)
		if ok && inverse {
			a, ok = a.Inverse()
		}
		if !ok || !a.IsFinite() {
			r.note(finding.Look, "source/bad-transform", fmt.Sprintf("%s of “%s” can't be read", op, p.name),
				"It was taken for none.", p.groups[0].specs[0])
			continue
		}
		out = out.Mul(a)
	}
	return out, reset
}

// op is one operation. Matrices are for rows (a point stands before them), so that they are read by columns.
func (r *reader) op(p *prim, name string) (geom.Affine, bool) {
	kind, _, _ := strings.Cut(strings.TrimPrefix(name, "xformOp:"), ":")
	v := numbers(p.attr(name))
	linear := func(m geom.Mat3) (geom.Affine, bool) { return geom.Linear(m), true }
	degrees := func(i int) float64 { return v[i] * math.Pi / 180 }
	axes := [3]geom.Vec3{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
	switch {
	case kind == "translate" && len(v) == 3:
		return geom.Translation(geom.Vec3(v).Mul(r.s.UnitMetres)), true
	case kind == "scale" && len(v) == 3:
		return linear(geom.Columns(axes[0].Mul(v[0]), axes[1].Mul(v[1]), axes[2].Mul(v[2])))
	case kind == "orient" && len(v) == 4:
		return linear(turned(v))
	case kind == "transform" && len(v) == 16:
		return geom.Affine{M: geom.Columns(geom.Vec3(v[:3]), geom.Vec3(v[4:7]), geom.Vec3(v[8:11])),
			T: geom.Vec3(v[12:15]).Mul(r.s.UnitMetres)}, true
	case strings.HasPrefix(kind, "rotate"):
		order := strings.TrimPrefix(kind, "rotate")
		if len(order) == 1 && len(v) == 1 && strings.Contains("XYZ", order) {
			return linear(geom.Rotation(axes[order[0]-'X'], degrees(0)))
		}
		if len(order) != 3 || len(v) != 3 {
			return geom.Identity, false
		}
		m := geom.Identity3
		for _, c := range order { // the first is turned by first
			if c < 'X' || c > 'Z' {
				return geom.Identity, false
			}
			m = geom.Rotation(axes[c-'X'], degrees(int(c-'X'))).Mul(m)
		}
		return linear(m)
	}
	return geom.Identity, false
}

// turned is the rotation of a quaternion whose real part comes first.
func turned(q []float64) geom.Mat3 {
	l := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	if l == 0 {
		return geom.Identity3
	}
	axis := geom.Vec3{q[1], q[2], q[3]}
	if axis.Len() == 0 {
		return geom.Identity3
	}
	return geom.Rotation(axis, 2*math.Atan2(axis.Len()/l, q[0]/l))
}

// instancer places prototypes at points.
func (r *reader) instancer(p *prim, w where) error {
	protos := p.targets("prototypes")
	which, at := numbers(p.attr("protoIndices")), numbers(p.attr("positions"))
	turns, scales := numbers(p.attr("orientations")), numbers(p.attr("scales"))
	out := map[float64]bool{}
	for _, id := range numbers(p.attr("invisibleIds")) {
		out[id] = true
	}
	ids := numbers(p.attr("ids"))
	for i, k := range which {
		id := float64(i)
		if i < len(ids) {
			id = ids[i]
		}
		if out[id] || k < 0 || int(k) >= len(protos) || 3*i+3 > len(at) {
			continue
		}
		proto := r.top.find(protos[int(k)])
		if proto == nil {
			continue
		}
		a := geom.Translation(geom.Vec3(at[3*i : 3*i+3]).Mul(r.s.UnitMetres))
		if 4*i+4 <= len(turns) {
			a = a.Mul(geom.Linear(turned(turns[4*i : 4*i+4])))
		}
		if 3*i+3 <= len(scales) {
			s := scales[3*i : 3*i+3]
			a = a.Mul(geom.Linear(geom.Columns(geom.Vec3{s[0], 0, 0}, geom.Vec3{0, s[1], 0}, geom.Vec3{0, 0, s[2]})))
		}
		next := w
		next.parent = len(r.s.Nodes)
		r.s.Nodes = append(r.s.Nodes, scene.Node{Name: fmt.Sprintf("%s %d", proto.name, i+1), Kind: scene.KindEmpty,
			Parent: w.parent, Mesh: -1, Local: a})
		if err := r.prim(proto, next); err != nil {
			return err
		}
	}
	return nil
}
