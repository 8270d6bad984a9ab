package deliver

import (
	"context"
	"math"
	"slices"
	"strings"

	"yarvek/core/cloud"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Figures are what a reader makes of a file, as few numbers as tell one reading from another: in the file's own unit,
// its triangles as they are drawn, where the reader stands them.
//
// A layer is told by integrals over the surface, of its values and of its values times where they lie. They are the
// same however a polygon is cut, as long as it is flat and its values are linear over it, and in whatever order
// triangles come; another place, turn, side, row or channel of anything changes them.
type Figures struct {
	Triangles int        `json:"triangles"`
	Min       geom.Vec3  `json:"min"`
	Max       geom.Vec3  `json:"max"`
	Volume    float64    `json:"volume"` // with its sign: of what is inside out it is negative
	Nodes     []string   `json:"nodes"`  // names of those with a mesh, sorted; none where they are more than 5 000
	Slots     []SlotArea `json:"slots"`  // by name
	// Integrals, each over the surface: of 1; of x, y, z and their squares; of the normal and of its parts times x, y,
	// z; of u, v, their squares, u times x and v times y; of red, green, blue and their parts times x, y, z.
	Area    float64   `json:"area"`
	Points  []float64 `json:"points"`
	Normals []float64 `json:"normals"` // none where corners lack normals, and so on
	UVs     []float64 `json:"uvs"`
	Colors  []float64 `json:"colors"`
	// Pictures are the sizes of those that were decoded, width times 65 536 plus height, sorted; Broken are those that
	// could not be.
	Pictures []int `json:"pictures"`
	Broken   int   `json:"broken"`
	// Dots are points without faces. Of them the integrals are sums over all.
	Dots int `json:"dots"`
	// Cut tells that polygons of more than three corners are in the file, which readers cut their own way.
	Cut bool `json:"cut"`
}

// SlotArea is how much of the surface has a slot.
type SlotArea struct {
	Name string  `json:"name"`
	Area float64 `json:"area"`
}

// mostNamed bounds the nodes that are compared by name.
const mostNamed = 5000

// sized packs the size of a picture.
func sized(w, h int) int { return w<<16 | h }

// FiguresOf reads the files of a package, the main one first, and gives what this reader makes of them.
func FiguresOf(ctx context.Context, files []bundle.File, f format.Format, t target.Target) (*Figures, error) {
	s, err := readBack(ctx, files)
	if err != nil {
		return nil, err
	}
	return figuresOf(ctx, s, f, t)
}

// figuresOf are those of a scene as it was read from a file of a format, where general loaders stand it.
func figuresOf(ctx context.Context, s *scene.Scene, f format.Format, t target.Target) (*Figures, error) {
	by := geom.Linear(geom.Identity.M.Scaled(1 / s.UnitMetres))
	if len(f.Ups) > 0 { // whose unit they honour
		by = geom.Identity
	}
	if f.Declares && f.Fixed == nil && f.Frame(t).Basis.Up.Index() == 2 {
		// A declared Z up is honoured by tipping all of it onto Y up.
		by = geom.Linear(geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2)).Mul(by)
	}
	out := &Figures{}
	sum := newIntegral(f.Fixed != nil)
	box := geom.EmptyBox()
	slots := map[string]float64{}
	for i, w := range s.Worlds() {
		n := s.Nodes[i]
		if n.Mesh >= 0 && s.Meshes[n.Mesh].Cloud != nil {
			sum.dots(s.Meshes[n.Mesh].Cloud.Carried(by.Mul(w)), &box)
		}
		if n.Mesh < 0 || s.Meshes[n.Mesh].Faces() == 0 {
			continue
		}
		switch {
		case !f.Several: // it is no more than the file's name
		case f.Calls != nil:
			out.Nodes = append(out.Nodes, f.Calls(n.Name))
		default:
			out.Nodes = append(out.Nodes, n.Name)
		}
		m := s.Meshes[n.Mesh].MappedIn(ctx, by.Mul(w))
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		m.EachTriangle(func(face int, a, b, c int32) {
			slot := ""
			if k := m.Material(face); k >= 0 {
				slot = s.Materials[k].Name
			}
			out.Triangles++
			slots[slot] += sum.add(m, [3]int32{a, b, c}, &box)
		})
		out.Cut = out.Cut || f.Polygons && len(m.Corners) > 3*m.Faces()
	}
	if !box.IsEmpty() {
		out.Min, out.Max = box.Min, box.Max
	}
	sum.into(out)
	if slices.Sort(out.Nodes); len(out.Nodes) > mostNamed {
		out.Nodes = nil
	}
	for name, area := range slots {
		out.Slots = append(out.Slots, SlotArea{name, area})
	}
	slices.SortFunc(out.Slots, func(a, b SlotArea) int { return strings.Compare(a.Name, b.Name) })
	for i, im := range s.Images {
		if im.Found() && drawnPicture(s, i) {
			out.Pictures = append(out.Pictures, sized(im.Width, im.Height))
		}
	}
	slices.Sort(out.Pictures)
	return out, ctx.Err()
}

// drawnPicture tells whether a material that faces use shows an image.
func drawnPicture(s *scene.Scene, image int) bool {
	for _, k := range s.UsedMaterials() {
		if k < 0 {
			continue
		}
		for use := range scene.Uses {
			if pictureOf(s, s.Materials[k].Maps[use]) == image {
				return true
			}
		}
	}
	return false
}

// integral adds up what figures are made of, triangle by triangle.
type integral struct {
	down                         bool // rows of pictures run downwards in the file
	area, volume                 float64
	points, normals, uvs, colors [6]float64
	bare, flat, pale             bool // a corner lacks a normal, a place on the picture, a colour
	n                            int  // points without faces
}

func newIntegral(down bool) *integral { return &integral{down: down} }

// product is the integral over a triangle of one unit of area of the product of two functions that are linear over it,
// by their values at its corners.
func product(f, g [3]float64) float64 {
	return (f[0]*g[0] + f[1]*g[1] + f[2]*g[2] + (f[0]+f[1]+f[2])*(g[0]+g[1]+g[2])) / 12
}

// add adds a triangle of a mesh by its corners, and gives its area.
func (s *integral) add(m *scene.Mesh, at [3]int32, box *geom.Box) float64 {
	var p [3]geom.Vec3
	for k, c := range at {
		p[k] = m.Points[m.Corners[c]]
		*box = box.Add(p[k])
	}
	cross := p[1].Sub(p[0]).Cross(p[2].Sub(p[0]))
	area := cross.Len() / 2
	s.area += area
	s.volume += p[0].Dot(cross) / 6
	var x [3][3]float64 // by axis, then corner
	for k := range p {
		for i := range 3 {
			x[i][k] = p[k][i]
		}
	}
	for i := range 3 {
		s.points[i] += area * (x[i][0] + x[i][1] + x[i][2]) / 3
		s.points[3+i] += area * product(x[i], x[i])
	}
	var n, c [3][3]float64
	var uv [2][3]float64
	for k, corner := range at {
		if v, ok := normal(m, corner); ok {
			for i := range 3 {
				n[i][k] = v[i]
			}
		} else {
			s.bare = true
		}
		if v, ok := uvOf(m, corner); ok {
			uv[0][k], uv[1][k] = v[0], v[1]
			if s.down {
				uv[1][k] = 1 - v[1]
			}
		} else {
			s.flat = true
		}
		if v, ok := value(m.Colors, corner); ok {
			for i := range 3 {
				c[i][k] = float64(v[i])
			}
		} else {
			s.pale = true
		}
	}
	for i := range 3 {
		s.normals[i] += area * (n[i][0] + n[i][1] + n[i][2]) / 3
		s.normals[3+i] += area * product(n[i], x[i])
		s.colors[i] += area * (c[i][0] + c[i][1] + c[i][2]) / 3
		s.colors[3+i] += area * product(c[i], x[i])
	}
	for i := range 2 {
		s.uvs[i] += area * (uv[i][0] + uv[i][1] + uv[i][2]) / 3
		s.uvs[2+i] += area * product(uv[i], uv[i])
		s.uvs[4+i] += area * product(uv[i], x[i])
	}
	return area
}

// dots adds points without faces, each with its normal and its colour as light.
func (s *integral) dots(c *cloud.Cloud, box *geom.Box) {
	s.n += len(c.Points)
	three := func(names ...string) (list [3]*cloud.Field, ok bool) {
		for k, name := range names {
			if list[k] = c.Field(name); list[k] == nil {
				return list, false
			}
		}
		return list, true
	}
	normals, has := three("nx", "ny", "nz")
	colours, painted := three("red", "green", "blue")
	s.bare, s.pale, s.flat = s.bare || !has, s.pale || !painted, true
	for i, p := range c.Points {
		*box = box.Add(p)
		for k := range 3 {
			s.points[k] += p[k]
			s.points[3+k] += p[k] * p[k]
			if has {
				v := normals[k].At(i)
				s.normals[k] += v
				s.normals[3+k] += v * p[k]
			}
			if painted {
				v := scene.Linear(colours[k].At(i) / 255)
				s.colors[k] += v
				s.colors[3+k] += v * p[k]
			}
		}
	}
}

// uvOf is the place of a corner on the first picture.
func uvOf(m *scene.Mesh, c int32) ([2]float64, bool) {
	if len(m.UVs) == 0 {
		return [2]float64{}, false
	}
	return value(m.UVs[0].Layer, c)
}

// into gives what was added up.
func (s *integral) into(out *Figures) {
	out.Area, out.Volume, out.Points = s.area, s.volume, s.points[:]
	if out.Dots = s.n; out.Triangles+out.Dots == 0 {
		return
	}
	if !s.bare {
		out.Normals = s.normals[:]
	}
	if !s.flat {
		out.UVs = s.uvs[:]
	}
	if !s.pale {
		out.Colors = s.colors[:]
	}
}
