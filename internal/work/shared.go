package work

import (
	"context"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/picture/outfit"
	"yarvek/core/prep"
	"yarvek/core/station/slots"
)

// PartKind is what sort of thing a [Part] is.
type PartKind string

// The sorts.
const (
	PartPicture  PartKind = "picture"
	PartMaterial PartKind = "material"
	PartMesh     PartKind = "mesh"
	PartWhole    PartKind = "asset" // all of it, as it came
)

// Part is something an asset has, known by what it is and not by what it is called: two assets have the same one where
// kind and sum agree.
type Part struct {
	Kind PartKind
	Name string // of a picture or material as it leaves, of a mesh as it came
	Sum  string // SHA-256 of its bytes, looks or points
	Size int64  // a picture's in graphics memory, in bytes; a mesh's triangles
}

// partsKept bounds the parts of a summary, and leastMesh is from how many triangles on a mesh is worth telling of.
const (
	partsKept = 400
	leastMesh = 24
)

// partsOf lists what other assets may have, too.
func partsOf(o *Opened) (list []Part) {
	r := o.Result
	for _, x := range r.Slots.Pictures {
		if sum := x.Image.Sum(); sum != "" {
			list = append(list, Part{PartPicture, x.Name, sum, x.Blocks})
		}
	}
	leaves := r.Delivery.Scene
	for i, m := range leaves.Materials {
		if len(list) >= partsKept {
			break
		}
		list = append(list, Part{PartMaterial, m.Name, leaves.MaterialSum(i), 0})
	}
	seen := map[int]bool{}
	for _, n := range r.Read.Nodes {
		if n.Mesh < 0 || seen[n.Mesh] {
			continue
		}
		seen[n.Mesh] = true
		if m := r.Read.Meshes[n.Mesh]; m.Triangles() >= leastMesh {
			list = append(list, Part{PartMesh, n.Name, m.Sum(), int64(m.Triangles())})
		}
	}
	whole := Part{PartWhole, o.Asset.Name, r.Read.ShapeSum(), 0}
	return append([]Part{whole}, list[:min(len(list), partsKept-1)]...)
}

// oneName gives what an asset has of a part the name it is to have everywhere, so that the receiver has it once.
func oneName(m Many) change {
	return func(_ context.Context, o *Opened) (prep.Prep, []string, error) {
		d := o.Prep.Slots
		switch m.Kind {
		case PartPicture:
			if d.Pictures.Names {
				return o.Prep, nil, fault.Input("its pictures are named by the target’s pattern").
					Advise("Decide otherwise at its Slots")
			}
			for _, x := range o.Result.Slots.Pictures {
				if x.Image.Sum() == m.Sum && len(x.Was) == 1 && outfit.Stem(x.Name) != m.To {
					d = d.Owning(x.Key, func(own *outfit.Own) { own.Name = m.To })
				}
			}
		case PartMaterial:
			leaves := o.Result.Delivery.Scene
			for i, s := range o.Result.Slots.Slots {
				if i < len(leaves.Materials) && s.Name != m.To && leaves.MaterialSum(i) == m.Sum {
					d = named(d, s.Key, m.To)
				}
			}
		default:
			return o.Prep, nil, fault.Input("a %s can’t be made one", fault.Shown(string(m.Kind)))
		}
		now, err := o.Prep.With(d)
		return now, nil, err
	}
}

// named are decisions that call a slot otherwise.
func named(d slots.Decisions, key, to string) slots.Decisions {
	d.Names = slices.DeleteFunc(slices.Clone(d.Names), func(n outfit.Name) bool { return n.Slot == key })
	d.Names = append(d.Names, outfit.Name{Slot: key, To: to})
	return d
}

// oneSaid checks what is to be made one.
func (m Many) oneSaid() error {
	if m.Kind != PartPicture && m.Kind != PartMaterial || strings.TrimSpace(m.To) == "" {
		return fault.Input("a picture or material needs a name to be made one")
	}
	return nil
}
