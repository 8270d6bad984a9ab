// Package cloud is points without faces, with whatever a scan or a splat carries for each of them: colours, normals,
// turns, sizes, light by direction, and properties that nobody here knows, which are kept by their name and type.
//
// Lengths are metres, in the basis of whoever made the cloud. Names are those in common use in PLY files: nx ny nz,
// red green blue, rot_0 to rot_3 (a quaternion, its real part first), scale_0 to scale_2, f_dc_0 to f_dc_2, and
// f_rest_0 and on (spherical harmonics, channel by channel).
package cloud

import (
	"context"
	"fmt"
	"math"
	"strings"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// Field is a property of all points.
type Field struct {
	Name string
	Type string // of the file: "float", "uchar", ...
	// Single or Double holds a value for each point: Single whatever a 32-bit float holds exactly, Double the rest.
	Single []float32
	Double []float64
}

// Width is how many bytes a value of a type has.
func Width(of string) int {
	switch of {
	case "char", "uchar":
		return 1
	case "short", "ushort":
		return 2
	case "double":
		return 8
	}
	return 4
}

// At is the value of a point.
func (f *Field) At(i int) float64 {
	if f.Single != nil {
		return float64(f.Single[i])
	}
	return f.Double[i]
}

// Set gives a point another value.
func (f *Field) Set(i int, v float64) {
	if f.Single != nil {
		f.Single[i] = float32(v)
		return
	}
	f.Double[i] = v
}

// Len is for how many points it has values.
func (f *Field) Len() int { return len(f.Single) + len(f.Double) }

// Cloud is points with their fields, each of which has a value for every point.
type Cloud struct {
	Name   string
	Points []geom.Vec3
	Fields []Field
	// Type is that of the coordinates in the file, "float" or "double".
	Type string
}

// Field finds one by its name, nil where there is none.
func (c *Cloud) Field(name string) *Field {
	for i := range c.Fields {
		if c.Fields[i].Name == name {
			return &c.Fields[i]
		}
	}
	return nil
}

// run finds the fields name0, name1, … of a prefix; nil where fewer than n are there, all there are for n = 0.
func (c *Cloud) run(prefix string, n int) (list []*Field) {
	for i := 0; n == 0 || i < n; i++ {
		f := c.Field(fmt.Sprint(prefix, i))
		if f == nil {
			break
		}
		list = append(list, f)
	}
	if len(list) < n {
		return nil
	}
	return list
}

// Box is round all points, empty without any.
func (c *Cloud) Box() geom.Box { return c.BoxBy(geom.Identity) }

// BoxBy is round all points, carried by a map.
func (c *Cloud) BoxBy(a geom.Affine) geom.Box {
	still := a.IsIdentity()
	parts := make([]geom.Box, 8)
	_ = split.Each(context.Background(), len(parts), func(k int) { // which nothing ends
		b := geom.EmptyBox()
		for _, p := range c.Points[k*len(c.Points)/len(parts) : (k+1)*len(c.Points)/len(parts)] {
			if !still {
				p = a.Apply(p)
			}
			for i, v := range p { // plain comparisons: the built-in ones mind numbers that no reader lets in
				if v < b.Min[i] {
					b.Min[i] = v
				}
				if v > b.Max[i] {
					b.Max[i] = v
				}
			}
		}
		parts[k] = b
	})
	b := geom.EmptyBox()
	for _, p := range parts {
		b = b.Union(p)
	}
	return b
}

// Bytes is what the cloud holds on to.
func (c *Cloud) Bytes() int64 {
	n := int64(24 * len(c.Points))
	for _, f := range c.Fields {
		n += int64(4*len(f.Single) + 8*len(f.Double))
	}
	return n
}

// Only is the cloud of the points that keep says, in their order.
func (c *Cloud) Only(keep []bool) *Cloud {
	n := 0
	for _, k := range keep {
		if k {
			n++
		}
	}
	out := &Cloud{Name: c.Name, Type: c.Type, Points: make([]geom.Vec3, 0, n)}
	for i, k := range keep {
		if k {
			out.Points = append(out.Points, c.Points[i])
		}
	}
	for _, f := range c.Fields {
		g := Field{Name: f.Name, Type: f.Type}
		g.Single, g.Double = picked(f.Single, keep, n), picked(f.Double, keep, n)
		out.Fields = append(out.Fields, g)
	}
	return out
}

func picked[T any](list []T, keep []bool, n int) []T {
	if list == nil {
		return nil
	}
	out := make([]T, 0, n)
	for i, k := range keep {
		if k {
			out = append(out, list[i])
		}
	}
	return out
}

// Splats tells whether points are blobs with a size and a turn of their own.
func (c *Cloud) Splats() bool { return c.run("rot_", 4) != nil && c.run("scale_", 3) != nil }

// Logarithmic tells whether sizes are kept as natural logarithms: that is how it is with any below zero, which no
// length can be.
func (c *Cloud) Logarithmic() bool {
	for _, f := range c.run("scale_", 3) {
		for i := range f.Len() {
			if f.At(i) < 0 {
				return true
			}
		}
	}
	return false
}

// Carries names what points have besides their place, in words, for people.
func (c *Cloud) Carries() string {
	var list []string
	add := func(is bool, what string) {
		if is {
			list = append(list, what)
		}
	}
	add(c.Field("red") != nil, "colours")
	add(c.Field("nx") != nil, "normals")
	add(c.Splats(), "sizes and turns")
	add(c.Field("opacity") != nil, "opacity")
	if d := c.Degree(); d >= 0 {
		add(true, fmt.Sprintf("light to degree %d", d))
	}
	if len(list) == 0 {
		return "places alone"
	}
	return strings.Join(list, ", ")
}

// Degree is that of the harmonics which points have, -1 without any; what is no whole set of bands of three channels
// counts as the bands that are.
func (c *Cloud) Degree() int {
	if c.Field("f_dc_0") == nil {
		return -1
	}
	each := len(c.run("f_rest_", 0)) / 3
	d := 0
	for d < mostDegree && (d+2)*(d+2)-1 <= each {
		d++
	}
	return d
}

// unit is a vector of length one, zero where it has none.
func unit(v geom.Vec3) geom.Vec3 {
	if l := v.Len(); l > 0 && !math.IsInf(l, 0) {
		return v.Mul(1 / l)
	}
	return geom.Vec3{}
}
