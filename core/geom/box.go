package geom

import "math"

// Box is an axis-aligned bounding box in metres. The zero Box is a box at the
// origin; start from EmptyBox to collect points.
type Box struct{ Min, Max Vec3 }

// EmptyBox holds nothing: adding a point makes it that point.
func EmptyBox() Box {
	i := math.Inf(1)
	return Box{Vec3{i, i, i}, Vec3{-i, -i, -i}}
}

// IsEmpty tells whether the box holds no point; a box of one point is not empty.
func (b Box) IsEmpty() bool { return b.Min[0] > b.Max[0] }

// Size is the extent along each axis; an empty box has none.
func (b Box) Size() Vec3 {
	if b.IsEmpty() {
		return Vec3{}
	}
	return b.Max.Sub(b.Min)
}

// Center is the middle, the origin for an empty box.
func (b Box) Center() Vec3 {
	if b.IsEmpty() {
		return Vec3{}
	}
	return b.Min.Add(b.Max).Mul(0.5)
}

// Add is the smallest box that holds b and the point.
func (b Box) Add(p Vec3) Box {
	for i := range 3 {
		b.Min[i] = min(b.Min[i], p[i])
		b.Max[i] = max(b.Max[i], p[i])
	}
	return b
}

// Union is the smallest box that holds both; an empty one adds nothing.
func (b Box) Union(c Box) Box {
	if c.IsEmpty() {
		return b
	}
	return b.Add(c.Min).Add(c.Max)
}

// Distance is how far p lies outside the box, zero when inside.
func (b Box) Distance(p Vec3) float64 {
	var d Vec3
	for i := range 3 {
		d[i] = max(b.Min[i]-p[i], 0, p[i]-b.Max[i])
	}
	return d.Len()
}

// Shifted moves the box by d.
func (b Box) Shifted(d Vec3) Box {
	if b.IsEmpty() {
		return b
	}
	return Box{b.Min.Add(d), b.Max.Add(d)}
}

// Carried maps the box by a matrix that only swaps, turns round and scales axes.
func (b Box) Carried(m Mat3) Box {
	if b.IsEmpty() {
		return b
	}
	return EmptyBox().Add(m.Apply(b.Min)).Add(m.Apply(b.Max))
}

// SwapsAxes tells whether m maps every axis onto an axis, so that boxes stay boxes.
func (m Mat3) SwapsAxes() bool {
	for _, r := range m {
		n := 0
		for _, v := range r {
			if v != 0 {
				n++
			}
		}
		if n != 1 {
			return false
		}
	}
	return m.Det() != 0
}
