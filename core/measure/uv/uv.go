// Package uv measures texture coordinates: how they cover the plane, which charts they make,
// how they stretch, and whether a set is fit for a lightmap.
//
// The plane has its origin at the bottom left and the unit square for the picture. Cover is an integral: rows of
// the plane are swept, and in each the spans of triangles are added up, so that what lies twice and what lies
// outside is measured and not drawn; rows are bounded, and with them the work. Density is texels a metre from the
// singular values of the map from a triangle to the plane (Sander, Snyder, Gortler and Hoppe 2001, "Texture mapping
// progressive meshes"). Triangles of different slots never overlap: they are in different pictures.
package uv

import (
	"context"

	"yarvek/core/scene"
)

// Triangles are a mesh's on the plane of a UV set, by material: corners without a coordinate
// leave their triangle out. Materials come in the order of first use.
func Triangles(m *scene.Mesh, set int, into *ByMaterial) {
	if set >= len(m.UVs) || !m.UVs[set].Has() {
		return
	}
	u := m.UVs[set]
	m.EachTriangle(func(f int, a, b, c int32) {
		i, j, k := u.Index[a], u.Index[b], u.Index[c]
		if i < 0 || j < 0 || k < 0 {
			return
		}
		list := into.of(m.Material(f))
		*list = append(*list, Triangle{u.Values[i], u.Values[j], u.Values[k]})
	})
}

// ByMaterial are triangles on the plane, those of each material by themselves: the same place
// in two textures is no overlap. The zero value is ready for use.
type ByMaterial struct {
	Lists [][]Triangle // in the order of first use
	at    map[int]int
}

// of is the list of a material.
func (b *ByMaterial) of(mat int) *[]Triangle {
	if b.at == nil {
		b.at = map[int]int{}
	}
	k, ok := b.at[mat]
	if !ok {
		k = len(b.Lists)
		b.at[mat] = k
		b.Lists = append(b.Lists, nil)
	}
	return &b.Lists[k]
}

// Cover measures all materials' planes together.
func (b *ByMaterial) Cover(ctx context.Context) Cover {
	var sum Cover
	for _, list := range b.Lists {
		sum = sum.Add(CoverOf(ctx, list))
	}
	return sum
}
