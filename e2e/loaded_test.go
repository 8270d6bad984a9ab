package e2e

import (
	"context"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// corner is what is drawn at a corner: point, normal, coordinates on the first picture, and
// colour in linear light; NaN for what it lacks.
type corner [11]float64

// parts of a corner, and how far they may be off: points of the size of what is drawn,
// normals and colours of one.
var cornerParts = []struct {
	what     string
	from, to int
}{{"normal", 3, 6}, {"place on the picture", 6, 8}, {"colour", 8, 11}}

// look is a material as a loader draws it.
type look struct {
	Color, Glow                        []float64
	Opacity, Metalness, Roughness, Cut float64
	Shininess                          float64
	Both, Lit                          bool
	Maps                               []string
}

// drawn is what independent loaders draw of a file.
type drawn struct {
	corners   map[string][]corner
	materials map[string]look
}

// draw gives a package to the independent loaders.
func (b *bench) draw(t *testing.T, files []bundle.File) drawn {
	t.Helper()
	dir, mtl := b.serve(files)
	defer func() {
		b.mu.Lock()
		for _, f := range files {
			delete(b.files, dir+f.Name)
		}
		b.mu.Unlock()
	}()
	r, err := chromedp.Run(b.ctx, chromedp.Evaluate[struct {
		Corners   map[string]string
		Materials map[string]look
	}](fmt.Sprintf("corners(%q, %s)", b.url+dir+files[0].Name, mtl), chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	d := drawn{map[string][]corner{}, map[string]look{}}
	for name, text := range r.Corners {
		raw, err := base64.StdEncoding.DecodeString(text)
		require.NoError(t, err)
		for ; len(raw) >= 44; raw = raw[44:] {
			var c corner
			for k := range c {
				c[k] = float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[4*k:])))
			}
			d.corners[plainSlot(name)] = append(d.corners[plainSlot(name)], c)
		}
	}
	for name, l := range r.Materials {
		d.materials[plainSlot(name)] = l
	}
	return d
}

// plainSlot is a slot's name as every format can have it, "" for none.
func plainSlot(name string) string {
	name = strings.ReplaceAll(strings.ReplaceAll(name, "&quot;", `"`), " ", "_")
	if slices.Contains([]string{scene.NoSlot, "__DEFAULT", "no-material", "no_material"}, name) {
		return ""
	}
	return name
}

// meant is what a scene has at its corners, as the loader of a format stands it.
func meant(s *scene.Scene, f format.Format, to target.Target) map[string][]corner {
	frame := f.Frame(to)
	w := s.Carried(geom.Linear(s.Basis.To(frame.Basis).Scaled(1 / frame.UnitMetres)))
	if strings.HasPrefix(f.ID, "fbx") && frame.Basis.Up.Index() == 2 {
		// The loader honours a declared Z up by tipping the scene onto Y up.
		w = w.Carried(geom.Linear(geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2)))
	}
	out := map[string][]corner{}
	for _, m := range w.Flattened().Meshes {
		m.EachTriangle(func(face int, a, b, c int32) {
			slot := ""
			if k := m.Material(face); k >= 0 {
				slot = plainSlot(w.Materials[k].Name)
			}
			for _, i := range []int32{a, b, c} {
				out[slot] = append(out[slot], cornerOf(m, i, f.Fixed != nil))
			}
		})
	}
	return out
}

// cornerOf is a corner of a flat mesh. Rows of pictures run downwards in glTF.
func cornerOf(m *scene.Mesh, i int32, down bool) corner {
	none := math.NaN()
	c := corner{0, 0, 0, none, none, none, none, none, none, none, none}
	p := m.Points[m.Corners[i]]
	copy(c[:], p[:])
	if m.Normals.Has() && m.Normals.Index[i] >= 0 {
		v := m.Normals.Values[m.Normals.Index[i]]
		if n := (geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}).Unit(); n.Len() > 0.5 {
			copy(c[3:], n[:])
		}
	}
	if len(m.UVs) > 0 && m.UVs[0].Has() && m.UVs[0].Index[i] >= 0 {
		v := m.UVs[0].Values[m.UVs[0].Index[i]]
		if down {
			v[1] = 1 - v[1]
		}
		c[6], c[7] = v[0], v[1]
	}
	if m.Colors.Has() && m.Colors.Index[i] >= 0 {
		for k, v := range m.Colors.Values[m.Colors.Index[i]][:3] {
			c[8+k] = float64(v)
		}
	}
	return c
}

// otherwise names what is drawn otherwise than it was meant, "" for nothing: every corner that
// was meant is drawn, and every one that is drawn was meant, whatever way polygons are cut;
// areas of equal size by slot; and every value of a material that the loader has a place for.
func otherwise(s *scene.Scene, f format.Format, to target.Target, got drawn) string {
	want := meant(s, f, to)
	size := 0.0
	for _, list := range want {
		for _, c := range list {
			size = max(size, math.Abs(c[0]), math.Abs(c[1]), math.Abs(c[2]))
		}
	}
	for slot := range got.corners {
		if len(want[slot]) == 0 {
			return fmt.Sprintf("a slot “%s” that was not sent", slot)
		}
	}
	for slot, list := range want {
		if len(got.corners[slot]) != len(list) {
			return fmt.Sprintf("“%s” has %d corners, not %d", slot, len(got.corners[slot]), len(list))
		}
		a, b := newCloud(list, 1e-5*size), newCloud(got.corners[slot], 1e-5*size)
		for _, c := range list {
			if why := b.misses(c, apart); why != "" {
				return fmt.Sprintf("“%s” at %.5g: %s", slot, c[:3], why)
			}
		}
		for _, c := range got.corners[slot] {
			if why := a.misses(c, func(got, meant corner) string { return apart(meant, got) }); why != "" {
				return fmt.Sprintf("“%s” at %.5g, which was not meant: %s", slot, c[:3], why)
			}
		}
		if x, y := facing(list), facing(got.corners[slot]); x.Sub(y).Len() > 1e-4*(size*size+x.Len()) {
			return fmt.Sprintf("“%s” faces %.5g, not %.5g", slot, y, x)
		}
	}
	for _, k := range s.UsedMaterials() {
		if k >= 0 {
			m := &s.Materials[k]
			if why := looksOther(m, got.materials[plainSlot(m.Name)], f); why != "" {
				return fmt.Sprintf("“%s”: %s", m.Name, why)
			}
		}
	}
	return ""
}

// facing is the sum of what triangles face, each as long as it is large: for a polygon the
// same however it is cut.
func facing(list []corner) geom.Vec3 {
	at := func(i int) geom.Vec3 { return geom.Vec3(list[i][:3]) }
	var sum geom.Vec3
	for i := 0; i+2 < len(list); i += 3 {
		sum = sum.Add(at(i + 1).Sub(at(i)).Cross(at(i + 2).Sub(at(i))).Mul(0.5))
	}
	return sum
}

// looksOther compares the values of a material, as far as the loader of a format reads them.
func looksOther(m *scene.Material, l look, f format.Format) string {
	differ := func(a, b float64) bool { return math.Abs(a-b) > 2e-3 }
	textured := slices.Contains(l.Maps, "map")
	for k := range 3 {
		if !m.Unlit && m.Emissive[k]*m.Glow <= 1 && len(l.Glow) == 3 && differ(m.Emissive[k]*m.Glow, l.Glow[k]) {
			return fmt.Sprintf("glows %.4g, not %.4g", l.Glow, m.Emissive)
		}
		if len(l.Color) != 3 || differ(m.BaseColor[k], l.Color[k]) && !(textured && f.ID == "obj") {
			return fmt.Sprintf("is drawn in %.4g, not %.4g", l.Color, m.BaseColor)
		}
	}
	if differ(m.Opacity(), l.Opacity) && m.AlphaMode == scene.Blend {
		return fmt.Sprintf("has opacity %.4g, not %.4g", l.Opacity, m.Opacity())
	}
	if f.Fixed == nil {
		return ""
	}
	switch {
	case m.Unlit == l.Lit:
		return "takes light otherwise"
	case m.TwoSided != l.Both:
		return "has other sides"
	case !m.Unlit && (differ(m.Metallic, l.Metalness) || differ(m.Roughness, l.Roughness)):
		return fmt.Sprintf("metallic %.4g and roughness %.4g, not %.4g and %.4g", l.Metalness, l.Roughness, m.Metallic,
			m.Roughness)
	case m.AlphaMode == scene.Mask && differ(m.AlphaCutoff, l.Cut):
		return "is cut out otherwise"
	}
	return ""
}

// cloud finds corners by where they stand.
type cloud struct {
	near  float64
	cells map[[3]int64][]corner
}

func newCloud(list []corner, near float64) *cloud {
	c := &cloud{max(near, 1e-9), map[[3]int64][]corner{}}
	for _, k := range list {
		at := c.cell(k)
		if !slices.ContainsFunc(c.cells[at], func(o corner) bool { return o == k }) {
			c.cells[at] = append(c.cells[at], k)
		}
	}
	return c
}

func (c *cloud) cell(k corner) (at [3]int64) {
	for i := range 3 {
		at[i] = int64(math.Floor(k[i] / (2 * c.near)))
	}
	return at
}

// misses tells what no corner near one has that it has, "" for nothing.
func (c *cloud) misses(k corner, apart func(k, o corner) string) string {
	at, best, stands := c.cell(k), "", false
	for d := range 27 {
		for _, o := range c.cells[[3]int64{at[0] + int64(d%3) - 1, at[1] + int64(d/3%3) - 1, at[2] + int64(d/9) - 1}] {
			if !(geom.Vec3(o[:3]).Sub(geom.Vec3(k[:3])).Len() <= c.near) {
				continue
			}
			stands = true
			why := apart(k, o)
			if why == "" {
				return ""
			}
			best = why
		}
	}
	if !stands {
		return "nothing stands there"
	}
	return best
}

// apart tells what a corner that is drawn has otherwise than one that was meant, of what was meant of it.
func apart(meant, got corner) string {
	for _, p := range cornerParts {
		for i := p.from; i < p.to; i++ {
			if meant[i] == meant[i] && !(math.Abs(meant[i]-got[i]) <= 2e-3*max(1, math.Abs(meant[i]))) {
				return fmt.Sprintf("%s %.5g, not %.5g", p.what, got[p.from:p.to], meant[p.from:p.to])
			}
		}
	}
	return ""
}

// filesOf are the files of a scene in a format.
func filesOf(t *testing.T, s *scene.Scene, f format.Format, to target.Target) []bundle.File {
	t.Helper()
	pk, err := format.Write(context.Background(), scene.Delivery{Scene: s}, f, "asset", to)
	require.NoError(t, err)
	return pk.Files
}
