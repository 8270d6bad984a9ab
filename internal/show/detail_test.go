package show

import (
	"context"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// Where a part far off leaves the rest a speck, the main body is drawn as a detail at a scale of its own, as large as
// that says; where nothing is far off there is none.
func TestAFarPartLeavesADetail(t *testing.T) {
	b := newBench(t)
	hut := new(shape.Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{4, 3, 4}).Mesh("hut")
	for _, x := range []struct {
		name string
		far  float64
		is   bool
	}{{"near", 6, false}, {"far", 60, true}} {
		gull := new(shape.Builder).Box(geom.Vec3{x.far, 5, 0}, geom.Vec3{x.far + .2, 5.1, .2}).Mesh("gull")
		o := b.open(b.bring(x.name+".obj", objOf(hut, gull)))
		p, err := b.Draw(context.Background(), o, "source", 0)
		require.NoError(t, err)
		rings := regexp.MustCompile(`class="detail-ring" cx="[0-9.]+" cy="[0-9.]+" r="([0-9.]+)"`).
			FindAllStringSubmatch(p.Drawn.SVG, -1)
		if !x.is {
			assert.Empty(t, rings, x.name)
			continue
		}
		require.Len(t, rings, 2, "one on the view, and the detail")
		small, err := strconv.ParseFloat(rings[0][1], 64)
		require.NoError(t, err)
		large, err := strconv.ParseFloat(rings[1][1], 64)
		require.NoError(t, err)
		assert.Greater(t, large, 2*small)
		m := regexp.MustCompile(`A   1 : ([0-9.]+)`).FindStringSubmatch(p.Drawn.SVG)
		require.NotNil(t, m)
		ratio, err := strconv.ParseFloat(m[1], 64)
		require.NoError(t, err)
		assert.Less(t, ratio, p.Ratio/2)
		half := math.Hypot(4, 3) / 2 * 1000 / (ratio * 25.4 / 96)
		assert.LessOrEqual(t, half, large, "all of the body lies within the ring")
		assert.Equal(t, 1, strings.Count(p.Drawn.SVG, `A   1 : `))
	}
}

// objOf is meshes of plain polygons as an OBJ, an object each.
func objOf(meshes ...*scene.Mesh) string {
	var sb strings.Builder
	first := 1
	for _, m := range meshes {
		fmt.Fprintf(&sb, "o %s\n", m.Name)
		for _, p := range m.Points {
			fmt.Fprintf(&sb, "v %g %g %g\n", p[0], p[1], p[2])
		}
		for f := range m.Faces() {
			sb.WriteString("f")
			for _, c := range m.Corners[m.FaceStart[f]:m.FaceStart[f+1]] {
				fmt.Fprintf(&sb, " %d", first+int(c))
			}
			sb.WriteString("\n")
		}
		first += len(m.Points)
	}
	return sb.String()
}

// The tape of the line-up is divided by 1, 2 or 5 times a power of ten, at any scale.
func TestTheTapeIsDividedRoundly(t *testing.T) {
	for scale := 0.01; scale < 1e5; scale *= 1.37 {
		var last float64
		labels := 0
		for _, k := range ticks(scale) {
			if k.Label == "" {
				continue
			}
			labels++
			m, err := strconv.ParseFloat(k.Label, 64)
			require.NoError(t, err)
			if labels == 2 {
				lead := m / math.Pow(10, math.Floor(math.Log10(m)*(1+1e-12)))
				assert.True(t, math.Abs(lead-1) < 1e-9 || math.Abs(lead-2) < 1e-9 || math.Abs(lead-5) < 1e-9 ||
					math.Abs(lead-10) < 1e-9, "%g m at %g pixels a metre", m, scale)
				assert.GreaterOrEqual(t, m*scale, 33.9)
				assert.LessOrEqual(t, m*scale, 86.0)
			}
			last = m
		}
		assert.Positive(t, last)
	}
}
