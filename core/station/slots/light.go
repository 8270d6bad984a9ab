package slots

import (
	"context"
	"errors"
	"math"
	"slices"

	"yarvek/core/measure/uv"
	"yarvek/core/picture/outfit"
	"yarvek/core/process/unfold"
	"yarvek/core/scene"
)

// LightMade is a light set as it came out, with the layers of its meshes.
type LightMade struct {
	There  bool // one is decided and there
	Kept   bool // it came along
	Charts int
	Fill   float64 // share of the plane that charts cover
	Worst  float64 // stretch of the worst chart, 1 for none
	Mean   float64 // over all
	Gap    float64 // the smallest between two charts, in texels
	Over   bool    // charts overlap
	Full   bool    // charts don't fit
	Set    string  // its name
	Number int     // of the UV set, on the first mesh

	Sets []scene.UVSet // of each mesh; of no name where it is to have none
}

// FitSet is the number of a UV set of all meshes that carries light already: there, within the square and
// without overlap. -1 for none; the first set is never looked at, since pictures lie on it.
func FitSet(ctx context.Context, s *scene.Scene) int {
	for set := 1; set < 8; set++ {
		var one uv.ByMaterial
		fit := true
		for _, m := range s.Meshes {
			if m.Faces() == 0 {
				continue
			}
			if set >= len(m.UVs) || !m.UVs[set].Has() || slices.Contains(m.UVs[set].Index, -1) {
				fit = false
				break
			}
			all := *m
			all.Slot, all.Slots = nil, []int{0} // one picture, whatever the slots
			uv.Triangles(&all, set, &one)
		}
		if !fit {
			continue
		}
		if c := one.Cover(ctx); c.Mapped > 0 && c.Share(c.Overlap) < 1e-4 && c.Share(c.Outside) < 1e-4 {
			return set
		}
	}
	return -1
}

// LightOf makes the light set of a scene whose slots are settled, or finds the one that came along. plan
// tells which slots get room. Instances of one mesh share its place. The error is ctx's.
func LightOf(ctx context.Context, s *scene.Scene, l outfit.Light, plan *outfit.Plan,
	progress func(float64)) (LightMade, error) {
	out := LightMade{Set: l.Name}
	if out.Set == "" {
		out.Set = outfit.UsualLightName
	}
	if !l.Again && len(l.Slots) == 0 {
		if set := FitSet(ctx, s); set > 0 {
			out.There, out.Kept, out.Number = true, true, set
			for _, m := range s.Meshes {
				if set < len(m.UVs) {
					out.Set = m.UVs[set].Name
				}
			}
			return out, ctx.Err()
		}
	}
	wanted := func(mat int) bool {
		if len(l.Slots) == 0 {
			return true
		}
		for _, key := range l.Slots {
			if i := plan.Keys.Of(key); i >= -1 && plan.To[i+1] == mat {
				return true
			}
		}
		return false
	}
	scale := make([]float64, len(s.Meshes))
	for i, w := range s.Worlds() {
		if n := s.Nodes[i]; n.Mesh >= 0 {
			scale[n.Mesh] = max(scale[n.Mesh], math.Cbrt(math.Abs(w.M.Det())))
		}
	}
	var pieces []unfold.Piece
	var at []int
	for i, m := range s.Meshes {
		if m.Faces() == 0 || scale[i] == 0 {
			continue
		}
		pieces = append(pieces, unfold.Piece{Mesh: m, Scale: scale[i],
			Faces: func(f int) bool { return wanted(m.Material(f)) }})
		at = append(at, i)
	}
	pad := l.Padding
	if pad == 0 {
		pad = outfit.UsualLightPadding
	}
	r, err := unfold.Unfold(ctx, pieces, unfold.Options{Size: l.Size, Padding: pad}, progress)
	if errors.Is(err, unfold.ErrRoom) {
		out.Full = true
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.There, out.Charts, out.Fill, out.Worst, out.Mean, out.Gap = true, r.Charts, r.Fill, r.Worst, r.Mean, r.Gap
	out.Sets = make([]scene.UVSet, len(s.Meshes))
	for k, i := range at {
		out.Sets[i] = scene.UVSet{Name: out.Set, Layer: r.Sets[k]}
	}
	// A second method looks whether anything lies on anything.
	var all uv.ByMaterial
	for k, i := range at {
		m := *s.Meshes[i]
		m.Slot, m.Slots, m.UVs = nil, []int{0}, []scene.UVSet{{Layer: r.Sets[k]}}
		uv.Triangles(&m, 0, &all)
	}
	c := all.Cover(ctx)
	out.Over = c.Share(c.Overlap) > 1e-4
	return out, ctx.Err()
}

// Lit is a scene with its light set, and the set's number: in the place of the set of that name, else as
// the second one, or as the last where pictures lie on a second one. A mesh without any set has it as the
// first too, so that it is the second everywhere.
func (l LightMade) Lit(s *scene.Scene) (*scene.Scene, int) {
	if !l.There || l.Kept || len(l.Sets) != len(s.Meshes) {
		return s, l.Number
	}
	second := false
	for _, m := range s.Materials {
		for _, mp := range m.Maps {
			second = second || mp.Has() && mp.UVSet > 0
		}
	}
	out := s.Clone()
	number := 0
	for i, m := range s.Meshes {
		if !l.Sets[i].Has() {
			continue
		}
		own := *m
		own.UVs = slices.Clone(m.UVs)
		k := 1 + slices.IndexFunc(own.UVs[min(1, len(own.UVs)):], func(u scene.UVSet) bool { return u.Name == l.Set })
		switch {
		case k > 0:
			own.UVs[k] = l.Sets[i]
		case len(own.UVs) == 0:
			first := l.Sets[i]
			first.Name = "first"
			k, own.UVs = 1, []scene.UVSet{first, l.Sets[i]}
		case second:
			k = len(own.UVs)
			own.UVs = append(own.UVs, l.Sets[i])
		default:
			k = 1
			own.UVs = slices.Insert(own.UVs, 1, l.Sets[i])
		}
		number = max(number, k)
		out.Meshes[i] = &own
	}
	return out, number
}
