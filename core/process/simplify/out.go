package simplify

import "yarvek/core/scene"

// mesh is what is left. It is long because all attributes of a corner are written side by side.
func (w *work) mesh() *scene.Mesh {
	m := w.m
	out := &scene.Mesh{Name: m.Name, Slots: m.Slots, FaceStart: []int32{0}}
	point := make([]int32, len(w.at)) // plus one
	v := &w.values
	number := make([]int32, len(v.data)/max(1, v.width)) // of each wedge, plus one
	count := int32(0)
	var wedge []int32
	for t := range len(w.face) {
		if w.place[3*t] < 0 {
			continue
		}
		for c := 3 * t; c < 3*t+3; c++ {
			p := w.place[c]
			if point[p] == 0 {
				out.Points = append(out.Points, w.at[p].Add(w.origin))
				point[p] = int32(len(out.Points))
			}
			out.Corners = append(out.Corners, point[p]-1)
			if v.width > 0 {
				if number[w.wedge[c]] == 0 {
					count++
					number[w.wedge[c]] = count
					wedge = append(wedge, w.wedge[c])
				}
			}
		}
		out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
		f := w.face[t]
		if m.Slot != nil {
			out.Slot = append(out.Slot, m.Slot[f])
		}
		if m.Smooth != nil {
			out.Smooth = append(out.Smooth, m.Smooth[f])
		}
	}
	if v.width == 0 {
		return out
	}
	index := func() []int32 {
		list := make([]int32, 0, len(out.Corners))
		for t := range len(w.face) {
			if w.place[3*t] >= 0 {
				for c := 3 * t; c < 3*t+3; c++ {
					list = append(list, number[w.wedge[c]]-1)
				}
			}
		}
		return list
	}
	k := 0
	if v.normal {
		if m.Normals.Has() {
			out.Normals.Index = index()
			for _, x := range wedge {
				d := v.of(x)
				out.Normals.Values = append(out.Normals.Values, [3]float32{float32(d[0]), float32(d[1]), float32(d[2])})
			}
		}
		k = 3
	}
	for _, u := range m.UVs {
		set := scene.UVSet{Name: u.Name}
		if u.Has() {
			set.Index = index()
			for _, x := range wedge {
				d := v.of(x)
				set.Values = append(set.Values, [2]float64{d[k], d[k+1]})
			}
			k += 2
		}
		out.UVs = append(out.UVs, set)
	}
	if m.Colors.Has() {
		out.Colors.Index = index()
		for _, x := range wedge {
			d := v.of(x)
			out.Colors.Values = append(out.Colors.Values, [4]float32{float32(d[k]), float32(d[k+1]), float32(d[k+2]),
				float32(d[k+3])})
		}
	}
	return out
}
