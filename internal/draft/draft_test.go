package draft

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/xml"
	"errors"
	"image"
	"image/png"
	"io"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/split"
)

func box(lo, hi geom.Vec3) *scene.Scene {
	return shape.Scene("box", nil, new(shape.Builder).Box(lo, hi).Mesh("box"))
}

// ends lists the corner points of path data.
func ends(path string) [][2]float64 {
	var list [][2]float64
	for _, m := range regexp.MustCompile(`[ML](-?[\d.]+) (-?[\d.]+)`).FindAllStringSubmatch(path, -1) {
		x, _ := strconv.ParseFloat(m[1], 64)
		y, _ := strconv.ParseFloat(m[2], 64)
		list = append(list, [2]float64{x, y})
	}
	return list
}

func TestABoxIsDrawnAsItsOutline(t *testing.T) {
	m := NewModel(context.Background(), box(geom.Vec3{10, 0, 0}, geom.Vec3{12, 3, 5}))
	for side, size := range map[Side][2]float64{Front: {2, 3}, RightSide: {5, 3}, Plan: {2, 5}} {
		v := m.Draw(context.Background(), side, 100)
		assert.InDelta(t, size[0]*100, v.Width, 1e-9)
		assert.InDelta(t, size[1]*100, v.Height, 1e-9)
		pts := ends(v.Path)
		require.NotEmpty(t, pts)
		for _, p := range pts {
			onX := math.Min(math.Abs(p[0]), math.Abs(p[0]-v.Width)) < 0.2
			onY := math.Min(math.Abs(p[1]), math.Abs(p[1]-v.Height)) < 0.2
			assert.True(t, onX && onY, "side %d: %v is no corner of %gx%g", side, p, v.Width, v.Height)
		}
	}
}

// A small box behind a large one is not seen from the front, and from the side it is.
func TestHiddenEdgesStayHidden(t *testing.T) {
	s := shape.Scene("two", nil,
		new(shape.Builder).Box(geom.Vec3{-1, 0, 0}, geom.Vec3{1, 2, 1}).Mesh("wall"),
		new(shape.Builder).Box(geom.Vec3{-.5, .5, -3}, geom.Vec3{.5, 1.5, -2}).Mesh("crate"))
	m := NewModel(context.Background(), s)
	inside := func(v View, x, y float64) bool {
		for _, p := range ends(v.Path) {
			if math.Abs(p[0]-x) < 0.5 && math.Abs(p[1]-y) < 0.5 {
				return true
			}
		}
		return false
	}
	assert.False(t, inside(m.Draw(context.Background(), Front, 100), 50, 50), "the crate's upper corner")
	assert.True(t, inside(m.Draw(context.Background(), RightSide, 100), 400, 50))
}

func TestThirdAngleProjection(t *testing.T) {
	// A box with a peg to the front and one to the viewer's right.
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{-1, 0, -1}, geom.Vec3{1, 1, 1}).
		Box(geom.Vec3{-.1, .4, 1}, geom.Vec3{.1, .6, 2}).Box(geom.Vec3{1, .4, -.1}, geom.Vec3{1.5, .6, .1}).Mesh("x"))
	b := NewModel(context.Background(), s).Box
	l := Arrange(b, Ask{})
	fx, fy := l.place(b, Front, geom.Vec3{0, 0, 2})
	px, py := l.place(b, Plan, geom.Vec3{0, 0, 2})
	_, backY := l.place(b, Plan, geom.Vec3{0, 0, -1})
	assert.InDelta(t, fx, px, 1e-9, "the plan stands straight above the front")
	assert.Less(t, py, fy)
	assert.Greater(t, py, backY, "the front of the plan is below its back")
	sx, _ := l.place(b, RightSide, geom.Vec3{0, 0, 2})
	sb, _ := l.place(b, RightSide, geom.Vec3{0, 0, -1})
	assert.Less(t, sx, sb, "in the right side view the front is to the left")
	rx, _ := l.place(b, Front, geom.Vec3{1.5, .5, 0})
	assert.Greater(t, rx, fx)
}

func TestEveryShapeFitsThePaper(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		var size geom.Vec3
		for i := range size {
			size[i] = math.Pow(10, r.Float64()*7-3)
		}
		b := geom.Box{Max: size}
		shift := size.Mul(r.Float64()*4 - 2)
		b = geom.Box{Min: b.Min.Add(shift), Max: b.Max.Add(shift)}
		l := Arrange(b, Ask{Known: r.IntN(2) == 0, Ground: r.IntN(2) == 0, Bare: r.IntN(3) == 0})
		for _, side := range []Side{Front, RightSide, Plan} {
			for _, p := range []geom.Vec3{b.Min, b.Max} {
				x, y := l.place(b, side, p)
				require.True(t, x > innerL && x < innerR && y > innerT && y < baseY+1, "%v: side %d at %g, %g", size, side, x, y)
			}
		}
		ratio := l.Ratio
		if ratio < 1 {
			ratio = 1 / ratio
		}
		_, frac := math.Modf(ratio / math.Pow(10, math.Floor(math.Log10(ratio)+1e-9)) * 4)
		require.InDelta(t, 0, math.Min(frac, 1-frac), 1e-6, "1 : %g is no scale to draw at", l.Ratio)
	}
}

func TestADrawingIsSoundXMLWhateverItsNames(t *testing.T) {
	s := box(geom.Vec3{}, geom.Vec3{1, 1, 1})
	m := NewModel(context.Background(), s)
	l := Arrange(m.Box, Ask{Known: true})
	sheet := &Drawing{Asset: `<script>"&'`, Kit: `]]><b>`, Unit: figure.Units[1], Box: m.Box, Layout: l, Basis: geom.GLTF,
		Balloons: []Balloon{{1, finding.MustFix, geom.Vec3{.5, .5, .5}}},
		Layers: []Layer{Dimensions{}, Facing{}, Seats{}, Datum{Heading: 30, Parts: []geom.Vec3{{1, 0, 0}}},
			Rule{To: geom.Vec3{1, 1, 1}, Figure: `<i>`},
			Marker{Name: `<script>x`}, Left{[]geom.Box{{Min: geom.Vec3{2, 0, 0}, Max: geom.Vec3{3, 1, 1}}}}}}
	for side := range sheet.Views {
		sheet.Views[side] = m.Draw(context.Background(), Side(side), l.Scale)
	}
	d := sheet.Draw()
	dec := xml.NewDecoder(strings.NewReader(d.SVG))
	for {
		_, err := dec.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err)
	}
	assert.NotContains(t, d.SVG, "<script>")
	assert.Regexp(t, `^[A-F][1-8]$`, d.Zones[1])
	assert.Contains(t, d.SVG, `data-balloon="1"`)
}

func TestNothingToDrawIsSaid(t *testing.T) {
	m := NewModel(context.Background(), nil)
	d := (&Drawing{Asset: "x", Basis: geom.GLTF, Box: m.Box, Layout: Arrange(m.Box, Ask{Known: true})}).Draw()
	assert.Contains(t, d.SVG, "Nothing to draw")
	thumb, err := m.Thumb(context.Background(), geom.Identity3, 84)
	require.NoError(t, err)
	assert.Contains(t, thumb, "<svg")
}

// coverage is how many buffer pixels of a view show surface.
func coverage(t *testing.T, v View) int {
	data, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(v.Image, "data:image/png;base64,"))
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	n := 0
	p := img.(*image.Paletted)
	for _, c := range p.Pix {
		if c != 0 {
			n++
		}
	}
	return n
}

func TestThePictureCoversTheSilhouette(t *testing.T) {
	ball := shape.Scene("ball", nil, new(shape.Builder).Lathe(arc(32), 64).Mesh("ball"))
	v := NewModel(context.Background(), ball).Draw(context.Background(), Front, 100)
	want := math.Pi * 100 * 100 * fine * fine // a disc of radius one metre
	assert.InDelta(t, 1, float64(coverage(t, v))/want, 0.01)
}

func arc(n int) [][2]float64 {
	var p [][2]float64
	for i := range n + 1 {
		s, c := math.Sincos(math.Pi * float64(i) / float64(n))
		p = append(p, [2]float64{math.Max(0, math.Abs(s)*b2f(i > 0 && i < n)), 1 - c})
	}
	return p
}

func b2f(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// boulder is a noisy closed surface of 2·n·n triangles or so: the worst case, full
// of creases.
func boulder(n int) *scene.Scene {
	r := rand.New(rand.NewPCG(5, 6))
	bump := make([]float64, 1<<16)
	for i := range bump {
		bump[i] = 1 + 0.01*r.Float64()
	}
	return shape.Scene("boulder", nil, new(shape.Builder).Grid(2*n, n/2, func(u, v float64) geom.Vec3 {
		t, f := v*math.Pi, math.Mod(u, 1)*2*math.Pi
		k := bump[(int(u*float64(2*n))*7919+int(v*float64(n)/2)*104729)&0xffff]
		return geom.Vec3{-math.Sin(t) * math.Cos(f) * k, -math.Cos(t) * k, math.Sin(t) * math.Sin(f) * k}
	}).Mesh("boulder"))
}

// BenchmarkDrawing makes the three views of a million triangles from the scene on,
// and reports the bytes of the finished drawing.
func BenchmarkDrawing(b *testing.B) {
	for name, s := range map[string]*scene.Scene{"boulder": boulder(708)} {
		b.Run(name, func(b *testing.B) {
			size, tris := 0, s.Count().Triangles
			for b.Loop() {
				m := NewModel(context.Background(), s)
				l := Arrange(m.Box, Ask{})
				sheet := &Drawing{Asset: "a", Kit: "k", Box: m.Box, Layout: l, Basis: geom.GLTF, Layers: []Layer{Dimensions{}}}
				_ = split.Each(context.Background(), len(sheet.Views), func(side int) {
					sheet.Views[side] = m.Draw(context.Background(), Side(side), l.Scale)
				})
				size = len(sheet.Draw().SVG)
			}
			b.ReportMetric(float64(size)/1000, "drawing-kB")
			b.ReportMetric(float64(tris), "triangles")
		})
	}
}

// A scene of more instances than a drawing holds is drawn coarsely and says so; one that
// is drawn whole does not. What stands in the same place twice is drawn once.
func TestADrawingSaysWhatItLeftOut(t *testing.T) {
	ctx := context.Background()
	ball := shapetest.Boulder(60) // 14 160 triangles
	of := func(n int, step float64) *Model {
		s := shape.Scene("balls", nil, ball)
		for i := 1; i < n; i++ {
			s.Nodes = append(s.Nodes, scene.Node{Kind: scene.KindMesh, Parent: -1,
				Local: geom.Translation(geom.Vec3{step * float64(i), 0, 0})})
		}
		return NewModel(ctx, s)
	}
	few, many, same := of(3, 2), of(70, 2), of(70, 0)
	assert.False(t, few.Draw(ctx, Front, 50).Coarse)
	assert.False(t, same.Draw(ctx, Front, 50).Coarse)
	assert.Len(t, same.tris, 3*ball.Triangles())
	v := many.Draw(ctx, Front, 5)
	assert.True(t, v.Coarse)
	assert.LessOrEqual(t, len(many.tris), 3*placedMost)
	assert.Greater(t, len(many.tris), 3*placedMost/16, "no coarser than the paper shows")
	assert.InDelta(t, few.Box.Size()[1], many.Box.Size()[1], 1e-9)
	d := Drawing{Box: many.Box, Layout: Arrange(many.Box, Ask{}), Basis: geom.GLTF}
	d.Views[Front] = v
	assert.Contains(t, d.Draw().SVG, "Drawn coarsely")
	d.Views[Front] = few.Draw(ctx, Front, 5)
	assert.NotContains(t, d.Draw().SVG, "Drawn coarsely")
}
