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

func (b Box) IsEmpty() bool { return b.Min[0] > b.Max[0] }

// Size is the extent along each axis; an empty box has none.
func (b Box) Size() Vec3 {
	if b.IsEmpty() {
		return Vec3{}
	}
	return b.Max.Sub(b.Min)
}

func (b Box) Center() Vec3 {
	if b.IsEmpty() {
		return Vec3{}
	}
	return b.Min.Add(b.Max).Mul(0.5)
}

func (b Box) Add(p Vec3) Box {
	for i := range 3 {
		b.Min[i] = min(b.Min[i], p[i])
		b.Max[i] = max(b.Max[i], p[i])
	}
	return b
}

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
