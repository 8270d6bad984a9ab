package deliver

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// pairs are the materials that faces use, sent and arrived, side by side: by their order where there are as many,
// else by name.
func pairs(sent, got *scene.Scene) (list [][2]*scene.Material) {
	used := func(s *scene.Scene) []int {
		return slices.DeleteFunc(s.UsedMaterials(), func(k int) bool { return k < 0 })
	}
	a, b := used(sent), used(got)
	called := make(map[string]int, len(b)) // the first of a name
	for _, k := range slices.Backward(b) {
		called[got.Materials[k].Name] = k
	}
	for i, k := range a {
		x := &sent.Materials[k]
		var y *scene.Material
		if len(a) == len(b) {
			y = &got.Materials[b[i]]
		}
		if y == nil || y.Name != x.Name {
			if j, ok := called[x.Name]; ok {
				y = &got.Materials[j]
			}
		}
		if y != nil {
			list = append(list, [2]*scene.Material{shown(sent, x), shown(got, y)})
		}
	}
	return list
}

// shown is a material without an opacity picture that is opaque all over, as a format adds and drops one.
func shown(s *scene.Scene, m *scene.Material) *scene.Material {
	o := m.Maps[scene.UseOpacity]
	if m.AlphaMode == scene.Opaque || !o.Has() || !picture.Full(s.Images[s.Textures[o.Texture-1].Image].Data, o.Channel) {
		return m
	}
	out := *m
	out.Maps[scene.UseOpacity] = scene.Map{}
	return &out
}

// valueNear is how far a value of a material may be off; numbers in text have digits enough.
const valueNear = 1e-6

func near(a, b float64) bool { return math.Abs(a-b) <= valueNear*max(1, math.Abs(a)) }

// aspect is one property of a material as it is compared, and how it is said.
type aspect struct {
	code, what string
	property   pack.Property
	differ     func(a, b *scene.Material) (sent, arrived string, differ bool)
}

// numbers compares lists of numbers.
func numbers(a, b []float64) (string, string, bool) {
	differ := false
	for i := range a {
		differ = differ || !near(a[i], b[i])
	}
	say := func(v []float64) (s string) {
		for i, x := range v {
			if i > 0 {
				s += " "
			}
			s += figure.Significant(x, 3)
		}
		return s
	}
	return say(a), say(b), differ
}

// shine is the light a material gives of itself.
func shine(m *scene.Material) []float64 {
	return []float64{m.Emissive[0] * m.Glow, m.Emissive[1] * m.Glow, m.Emissive[2] * m.Glow}
}

// cut is how a material lets something through, as far as it shows: blended without anything to blend is opaque.
func cut(m *scene.Material) string {
	switch {
	case m.AlphaMode == scene.Mask:
		return "cut out at " + figure.Significant(m.AlphaCutoff, 3)
	case m.AlphaMode == scene.Blend && (m.BaseColor[3] < 1 || m.Maps[scene.UseOpacity].Has()):
		return "translucent"
	}
	return "opaque"
}

func yesNo(on bool, yes, no string) string {
	if on {
		return yes
	}
	return no
}

// values are the properties that are compared. A factor over a picture that a format holds instead is another
// property, which the packing list names as such.
var values = []aspect{
	{"colour", "Colours", pack.Colour, func(a, b *scene.Material) (string, string, bool) {
		return numbers(a.BaseColor[:3], b.BaseColor[:3])
	}},
	{"metallic", "Metallic", pack.Metallic, func(a, b *scene.Material) (string, string, bool) {
		return numbers([]float64{a.Metallic}, []float64{b.Metallic})
	}},
	{"roughness", "Roughness", pack.Roughness, func(a, b *scene.Material) (string, string, bool) {
		return numbers([]float64{a.Roughness}, []float64{b.Roughness})
	}},
	{"glow", "Emissive and its strength", pack.Glow,
		func(a, b *scene.Material) (string, string, bool) { return numbers(shine(a), shine(b)) }},
	{"opacity", "Opacity", pack.Opacity, func(a, b *scene.Material) (string, string, bool) {
		return numbers([]float64{a.Opacity()}, []float64{b.Opacity()})
	}},
	{"cut-out", "How opacity is used", pack.CutOut, func(a, b *scene.Material) (string, string, bool) {
		x, y := cut(a), cut(b)
		return x, y, x != y
	}},
	{"sides", "Sides", pack.Sides, func(a, b *scene.Material) (string, string, bool) {
		say := func(m *scene.Material) string { return yesNo(m.TwoSided, "two-sided", "one-sided") }
		return say(a), say(b), a.TwoSided != b.TwoSided
	}},
	{"lighting", "Lighting", pack.Lighting, func(a, b *scene.Material) (string, string, bool) {
		say := func(m *scene.Material) string { return yesNo(m.Unlit, "unlit", "lit") }
		return say(a), say(b), a.Unlit != b.Unlit
	}},
	{"strengths", "Strength of normals and occlusion", pack.Strength,
		func(a, b *scene.Material) (string, string, bool) {
			of := func(m, by *scene.Material) []float64 {
				v := []float64{1, 1}
				if by.Maps[scene.UseNormal].Has() {
					v[0] = m.NormalScale
				}
				if by.Maps[scene.UseOcclusion].Has() {
					v[1] = m.Occlusion
				}
				return v
			}
			// A picture that did not arrive has no strength; that it did not is told by itself.
			both := *a
			for u := range both.Maps {
				if !b.Maps[u].Has() {
					both.Maps[u] = scene.Map{}
				}
			}
			return numbers(of(a, &both), of(b, &both))
		}},
}

// values compares what materials say besides their pictures.
func (c *Certificate) values(list [][2]*scene.Material) {
	for _, v := range values {
		var off []difference
		for _, p := range list {
			if x, y, differ := v.differ(p[0], p[1]); differ {
				off = append(off, difference{v.property, p[0].Name, fmt.Sprintf("“%s” %s, not %s", p[0].Name, y, x)})
			}
		}
		c.differences(v.code, v.what, len(list), "material", "materials", off)
	}
}

// shows tells whether the picture of a use of a material changes anything: an alpha nobody looks at does not, nor
// does a channel that is full because others in the picture are meant.
func shows(s *scene.Scene, m *scene.Material, use scene.Use) bool {
	mp := m.Maps[use]
	if !mp.Has() {
		return false
	}
	im := s.Images[s.Textures[mp.Texture-1].Image]
	switch use {
	case scene.UseOpacity:
		return m.AlphaMode != scene.Opaque
	case scene.UseMetallic:
		return m.Metallic != 0 && !picture.Full(im.Data, mp.Channel)
	case scene.UseRoughness:
		return m.Roughness != 0 && !picture.Full(im.Data, mp.Channel)
	case scene.UseBaseColor:
		return !(picture.Full(im.Data, scene.Red) && picture.Full(im.Data, scene.Green) && picture.Full(im.Data, scene.Blue))
	case scene.UseEmissive:
		return m.Emissive != [3]float64{}
	}
	return true
}

// pictures compares the uses of pictures: which there are, how each lies on its coordinates, and what it shows.
func (c *Certificate) pictures(ctx context.Context, sent, got *scene.Scene, list [][2]*scene.Material) {
	var gone, moved, other []difference
	uses := 0
	look := newLooker(ctx)
	tiles := map[string]bool{}
	for k, is := range tiling(sent) {
		if is && k >= 0 {
			tiles[sent.Materials[k].Name] = true
		}
	}
	for _, p := range list {
		for use := range scene.Uses {
			a, b := p[0].Maps[use], p[1].Maps[use]
			if !a.Has() && !b.Has() {
				continue
			}
			there := a.Has() && sent.Images[sent.Textures[a.Texture-1].Image].Found()
			arrived := b.Has() && got.Images[got.Textures[b.Texture-1].Image].Found()
			if there == arrived && !there {
				continue
			}
			uses++
			if there != arrived {
				if there && shows(sent, p[0], use) {
					gone = append(gone, difference{pack.Texture.By(use), p[0].Name, fmt.Sprintf("%s of “%s” is gone", use, p[0].Name)})
				}
				if arrived && shows(got, p[1], use) {
					gone = append(gone, difference{pack.Texture.By(use), p[0].Name,
						fmt.Sprintf("%s of “%s” was not sent", use, p[0].Name)})
				}
				continue
			}
			x, y := sent.Textures[a.Texture-1], got.Textures[b.Texture-1]
			if use == scene.UseOpacity && p[0].AlphaMode == scene.Opaque {
				continue
			}
			if !lie(a, b, x, y, tiles[p[0].Name]) {
				moved = append(moved, difference{pack.Placing.By(use), p[0].Name, fmt.Sprintf("%s of “%s” lies otherwise", use,
					p[0].Name)})
			}
			if !look.same(sent.Images[x.Image], got.Images[y.Image], a.Channel, b.Channel, use) {
				other = append(other, difference{pack.Content, sent.Images[x.Image].Name,
					fmt.Sprintf("%s of “%s” shows another picture", use, p[0].Name)})
			}
		}
	}
	c.differences("textures", "Textures", uses, "use of a picture", "uses of pictures", gone)
	c.differences("placing", "How pictures lie", uses, "use of a picture", "uses of pictures", moved)
	c.differences("pictures", "What pictures show", uses, "use of a picture", "uses of pictures", other)
	var closed []difference
	files := 0
	for _, im := range got.Images {
		if !im.Found() {
			continue
		}
		files++
		if !slices.Contains(openable, im.MIME) {
			closed = append(closed, difference{pack.Openable, im.Name,
				fmt.Sprintf("“%s” is %s, which common loaders don't open", im.Name,
					yesNo(im.MIME == "", "of no known kind", im.MIME))})
		}
	}
	c.differences("openable", "Pictures that loaders open", files, "picture", "pictures", closed)
}

// openable are the formats of pictures that loaders of every mesh format open.
var openable = []string{"image/png", "image/jpeg", "image/webp", "image/tga", "image/x-tga", "image/bmp", "image/gif"}

// lie tells whether two uses lie alike on their coordinates: in the same set, scaled, turned and moved alike, and
// alike beyond the edge, where coordinates go there.
func lie(a, b scene.Map, x, y scene.Texture, tiles bool) bool {
	wraps := x.WrapU == y.WrapU && x.WrapV == y.WrapV
	return a.UVSet == b.UVSet && samePlace(a, b) && (wraps || !tiles && a.Place == nil)
}

// tiling tells the materials whose coordinates go beyond the edge of a picture, by number.
func tiling(s *scene.Scene) map[int]bool {
	out := map[int]bool{}
	for _, m := range s.Meshes {
		beyond := slices.ContainsFunc(m.UVs, func(u scene.UVSet) bool {
			return slices.ContainsFunc(u.Values, func(t [2]float64) bool { return min(t[0], t[1]) < 0 || max(t[0], t[1]) > 1 })
		})
		for _, k := range m.Slots {
			out[k] = out[k] || beyond
		}
	}
	return out
}

// samePlace compares what placements do at three coordinates, which tell all of a map of the plane.
func samePlace(a, b scene.Map) bool {
	for _, at := range [][2]float64{{0, 0}, {1, 0}, {0, 1}} {
		p, q := a.Place.At(at), b.Place.At(at)
		if !near(p[0], q[0]) || !near(p[1], q[1]) {
			return false
		}
	}
	return true
}

// looker compares pictures by rasters of them, each opened once and let go.
type looker struct {
	ctx    context.Context
	opened map[string]*raster
}

func newLooker(ctx context.Context) *looker { return &looker{ctx, map[string]*raster{}} }

// side is how many cells a side the raster of a picture has; shade is how far a cell, of pictures of one size, or
// all on the whole may be off: a picture may have been made larger to be put together with others.
const (
	side  = 96
	shade = 6. / 255
)

// raster is a picture in cells, each the mean of all pixels in it, as parts from 0 to 1.
type raster struct {
	w, h  int
	cells [side * side][4]float32
}

// open gives a picture's raster, nil where it can't be opened.
func (l *looker) open(im scene.Image) *raster {
	k := im.Sum()
	r, ok := l.opened[k]
	if !ok {
		_, w, h := picture.Probe(im.Data)
		done := picture.Alone(l.ctx, w*h)
		if img, _, err := picture.Open(im.Data); err == nil && l.ctx.Err() == nil {
			r = rasterOf(img)
		}
		done()
		l.opened[k] = r
	}
	return r
}

func rasterOf(img *image.NRGBA) *raster {
	r := &raster{w: img.Bounds().Dx(), h: img.Bounds().Dy()}
	// A cell narrower than a pixel is the pixel in its middle.
	span := func(i, n int) (int, int) {
		if n < 2*side {
			k := (2*i + 1) * n / (2 * side)
			return k, k + 1
		}
		return i * n / side, (i + 1) * n / side
	}
	for i := range r.cells {
		y0, y1 := span(i/side, r.h)
		x0, x1 := span(i%side, r.w)
		var sum [4]int
		for y := y0; y < y1; y++ {
			row := img.Pix[y*img.Stride:]
			for x := x0; x < x1; x++ {
				for k := range 4 {
					sum[k] += int(row[4*x+k])
				}
			}
		}
		for k := range 4 {
			r.cells[i][k] = float32(sum[k]) / float32(255*(y1-y0)*(x1-x0))
		}
	}
	return r
}

// same tells whether two uses of pictures read the same: the same bytes by the same channel, or what that channel
// shows in the cells of a raster.
func (l *looker) same(a, b scene.Image, from, to scene.Channel, use scene.Use) bool {
	if from == to && bytes.Equal(a.Data, b.Data) {
		return true
	}
	x, y := l.open(a), l.open(b)
	if x == nil || y == nil {
		return bytes.Equal(a.Data, b.Data) // what can't be opened goes as it is
	}
	scalar := use != scene.UseBaseColor && use != scene.UseNormal && use != scene.UseEmissive
	sum, most := 0.0, 0.0
	for i := range x.cells {
		d := 0.0
		if scalar {
			d = math.Abs(channel(x.cells[i], from) - channel(y.cells[i], to))
		} else {
			for k := range 3 {
				d = max(d, math.Abs(float64(x.cells[i][k]-y.cells[i][k])))
			}
		}
		sum, most = sum+d, max(most, d)
	}
	if x.w == y.w && x.h == y.h {
		return l.ctx.Err() == nil && most <= shade
	}
	return l.ctx.Err() == nil && sum <= shade*side*side
}

// channel is what a use of one number reads.
func channel(p [4]float32, c scene.Channel) float64 {
	if c == scene.Whole {
		return 0.2126*float64(p[0]) + 0.7152*float64(p[1]) + 0.0722*float64(p[2])
	}
	return float64(p[c-scene.Red])
}
