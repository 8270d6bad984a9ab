package deliver

import (
	"math"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Came is a file as a target takes it that gets it as it came, with nothing decided.
type Came struct {
	Scene *scene.Scene // in the target's basis, where the target stands it; metres
	By    geom.Affine  // from the coordinates it was read in
}

// AsItCame gives a scene that was read from a file as the target would have it by its own rules.
func AsItCame(s *scene.Scene, t target.Target) (Came, error) {
	f, err := format.Of(s)
	if err != nil {
		return Came{}, err
	}
	said := format.Frame{Basis: s.Basis, UnitMetres: s.UnitMetres}
	by, _ := carried(said, s.UnitMetres, f, t)
	return Came{First(received(s, said, f, t), t), t.Arrival.Map(t.Basis).Mul(by)}, nil
}

// Unlike says in a few words how what came stands otherwise than what leaves, which the map left brings there from the
// same coordinates; none where it stands the same. Up and forward are the target's. A map that is no turn, such as one
// that squeezes, has no words but those of its height and its pivot.
func (c Came) Unlike(left geom.Affine, t target.Target) []string {
	back, ok := left.Inverse()
	if !ok {
		return nil
	}
	turn := c.By.M.Mul(back.M) // from how it leaves to how it came
	scale := math.Cbrt(math.Abs(turn.Det()))
	if scale == 0 {
		return nil
	}
	turn = turn.Scaled(1 / scale)
	var list []string
	up, front := t.Basis.Up.Vec(), t.Basis.Forward.Vec()
	for _, w := range []Cell{turned(turn, up, "", "upside down", "on its side"),
		turned(turn, front, "", "faces backward", "faces another way")} {
		if !w.OK {
			list = append(list, w.Says)
			break // what lies on its side faces another way too
		}
	}
	if turn.Det() < 0 {
		list = append(list, "mirrored")
	}
	if r := math.Max(scale, 1/scale); r > 1+1e-4 {
		list = append(list, "× "+figure.Significant(scale, 4)+" in size")
	}
	came, ok := c.By.Inverse()
	if !ok {
		return list
	}
	size := math.Cbrt(math.Abs(left.M.Det()))
	if off := came.T.Sub(back.T).Len() * size; off > 1e-6*max(1, c.Scene.Bounds().Size().Max()) {
		list = append(list, "pivot "+figure.Length(off)+" off")
	}
	return list
}

// First is what is drawn of a scene first: without its LODs but the base, and without its shapes to collide with, as
// the target's patterns and the format's own groups tell them; all of it where nothing else is there.
func First(s *scene.Scene, t target.Target) *scene.Scene {
	lod, err1 := t.Pattern(target.LODName)
	solid, err2 := t.SolidNames()
	if err1 != nil || err2 != nil {
		return s
	}
	out := s.Clone()
	level, kept, beside := levels(s), false, false
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		_, isSolid := solid.Read(n.Name)
		m, isLOD := lod.Read(n.Name)
		if isSolid || isLOD && m["n"] != "0" || level[i] > 0 {
			out.Nodes[i].Mesh, beside = -1, true
		} else {
			kept = true
		}
	}
	if !kept || !beside {
		return s
	}
	return out
}
