package deliver

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/axes"
	"yarvek/core/station/collision"
	"yarvek/core/station/export"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// splatNames are the properties of a file of blobs, in the usual order.
var splatNames = func() []string {
	list := []string{"x", "y", "z", "f_dc_0", "f_dc_1", "f_dc_2"}
	for i := range 45 {
		list = append(list, fmt.Sprint("f_rest_", i))
	}
	return append(list, "opacity", "scale_0", "scale_1", "scale_2", "rot_0", "rot_1", "rot_2", "rot_3", "station")
}()

// splatFile is a binary PLY of blobs, written byte by byte here.
func splatFile(n int) []byte {
	rng := rand.New(rand.NewPCG(11, 12))
	b := fmt.Appendf(nil, "ply\nformat binary_little_endian 1.0\nelement vertex %d\n", n)
	for _, name := range splatNames {
		b = fmt.Appendf(b, "property float %s\n", name)
	}
	b = append(b, "end_header\n"...)
	for range n {
		for _, name := range splatNames {
			v := rng.NormFloat64()
			if strings.HasPrefix(name, "scale") {
				v -= 4
			}
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(v)))
		}
	}
	return b
}

// splatRows reads such a file without any reader of the house: by the place of its bytes.
func splatRows(t *testing.T, data []byte) (rows []map[string]float64) {
	t.Helper()
	head, body, ok := strings.Cut(string(data), "end_header\n")
	require.True(t, ok)
	var names []string
	for _, l := range strings.Split(head, "\n") {
		if w := strings.Fields(l); len(w) == 3 && w[0] == "property" {
			require.Equal(t, "float", w[1])
			names = append(names, w[2])
		}
	}
	for len(body) > 0 {
		row := map[string]float64{}
		for _, n := range names {
			row[n] = float64(math.Float32frombits(binary.LittleEndian.Uint32([]byte(body[:4]))))
			body = body[4:]
		}
		rows = append(rows, row)
	}
	return rows
}

// light is a channel of a row in a direction.
func light(row map[string]float64, channel int, d geom.Vec3) float64 {
	v := row[fmt.Sprint("f_dc_", channel)] * cloud.Harmonics(0, d)[0]
	at := 15 * channel
	for l := 1; l <= 3; l++ {
		for _, y := range cloud.Harmonics(l, d) {
			v += row[fmt.Sprint("f_rest_", at)] * y
			at++
		}
	}
	return v
}

// Blobs that were turned leave for each target as worked out from the bytes of both files: their places in its axes and
// unit, their light from directions carried along, their sizes in the logarithm, and what nobody knows as it was. A
// byte that is changed on the way is seen.
func TestBlobsLeaveWithAllTheyCarry(t *testing.T) {
	ctx := context.Background()
	data := splatFile(50)
	src, found, err := format.Read(ctx, bundle.New([]bundle.File{{Name: "bell.ply", Data: data}}), "bell.ply", nil)
	require.NoError(t, err)
	was := splatRows(t, data)
	for _, to := range target.Shipped {
		p := prep.Prep{Axes: axes.Decisions{Turns: []axes.Turn{{About: axes.AboutUp, Degrees: 30}}}}
		r, err := prep.Run(ctx, prep.Input{Key: "bell", Scene: src, Findings: found, Target: to}, p, nil)
		require.NoError(t, err)
		made, err := Make(ctx, Order{Delivery: r.Delivery, Decisions: export.Decisions{}, Asset: "bell", Target: to})
		require.NoError(t, err, to.ID)
		require.Equal(t, "ply", made.Format.ID, "what holds points, where the target prefers what does not")
		assert.True(t, made.Certificate.Equal(), "%s: %v", to.ID, failing(made.Certificate))
		is := splatRows(t, made.Package.Files[0].Data)
		require.Len(t, is, len(was))
		sin, cos := math.Sincos(30 * math.Pi / 180)
		turn := geom.Mat3{{cos, 0, sin}, {0, 1, 0}, {-sin, 0, cos}} // about +Y, anticlockwise from above
		unit := to.Unit.Metres
		carried := func(d geom.Vec3) geom.Vec3 { // right is -X of a PLY
			d = turn.Apply(d)
			return byHand[to.ID](-d[0], d[1], d[2])
		}
		origin := geom.Vec3{}
		rng := rand.New(rand.NewPCG(1, 2))
		for i := range was {
			at := carried(geom.Vec3{was[i]["x"], was[i]["y"], was[i]["z"]})
			got := geom.Vec3{is[i]["x"], is[i]["y"], is[i]["z"]}.Mul(unit)
			if i == 0 {
				origin = got.Sub(at) // where the pivot went
			}
			require.Less(t, got.Sub(origin).Dist(at), 1e-5, "%s: point %d", to.ID, i)
			for range 50 {
				d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
				for channel := range 3 {
					require.InDelta(t, light(was[i], channel, d), light(is[i], channel, carried(d)), 1e-5, to.ID)
				}
			}
			for k := range 3 {
				name := fmt.Sprint("scale_", k)
				require.InDelta(t, was[i][name]-math.Log(unit), is[i][name], 1e-5, to.ID)
			}
			require.Equal(t, was[i]["station"], is[i]["station"])
			require.Equal(t, was[i]["opacity"], is[i]["opacity"])
		}
		for _, at := range []int{4*len(splatNames)*7 + 1, 4*len(splatNames)*20 + 4*10 + 2} { // a place, a light
			bad := *made.Package
			bad.Files = []bundle.File{{Name: bad.Files[0].Name, Data: append([]byte{}, bad.Files[0].Data...)}}
			body := strings.Index(string(bad.Files[0].Data), "end_header\n") + len("end_header\n")
			bad.Files[0].Data[body+at] ^= 0x40
			c, err := Check(ctx, r.Delivery, &bad, made.Format, to)
			require.NoError(t, err)
			assert.False(t, c.Arrived(), "%s: byte %d", to.ID, at)
		}
		_, err = Make(ctx, Order{Delivery: r.Delivery, Decisions: export.Decisions{Format: "glb"}, Asset: "bell",
			Target: to})
		assert.ErrorContains(t, err, "holds faces")
	}
}

// What is decided of points counts: the largest piece, one in each cube, and a floor that is levelled by the remedy.
func TestPointsAreCutAndLevelled(t *testing.T) {
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(3, 9))
	b := []byte("ply\nformat ascii 1.0\nelement vertex 20400\nproperty float x\nproperty float y\nproperty float z\n" +
		"end_header\n")
	for range 20_000 {
		x, z := 2*rng.Float64()-1, 2*rng.Float64()-1
		b = fmt.Appendf(b, "%.6f %.6f %.6f\n", x, math.Tan(5*math.Pi/180)*x, z)
	}
	for range 400 {
		b = fmt.Appendf(b, "%.6f %.6f %.6f\n", 8*rng.Float64(), 9+rng.Float64(), 8*rng.Float64())
	}
	src, found, err := format.Read(ctx, bundle.New([]bundle.File{{Name: "quay.ply", Data: b}}), "quay.ply", nil)
	require.NoError(t, err)
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	run := func(p prep.Prep) *prep.Result {
		r, err := prep.Run(ctx, prep.Input{Key: "quay", Scene: src, Findings: found, Target: to}, p, nil)
		require.NoError(t, err)
		return r
	}
	remedy := func(r *prep.Result, code string) prep.Prep {
		for _, f := range r.Findings() {
			if f.Code == code {
				p, err := prep.Prep{}.With(f.Remedies[0].Decision)
				require.NoError(t, err)
				return p
			}
		}
		require.Fail(t, "nothing is found", code)
		return prep.Prep{}
	}
	first := run(prep.Prep{})
	p := remedy(first, "source/stray-points")
	kept := run(p)
	assert.Equal(t, 20_000, kept.Delivery.Scene.Count().Dots)
	assert.Equal(t, 20_400, kept.Source.Counts.Dots)
	level := remedy(kept, "axes/floor")
	level.Source = source.Decisions{Piece: true, Thin: .05}
	done := run(level)
	dots := done.Delivery.Scene.Count().Dots
	assert.Less(t, dots, 2000)
	assert.Greater(t, dots, 1500, "one in each of 40 by 40 cubes, and of those that the slope goes through besides")
	assert.Less(t, done.Delivery.Scene.Bounds().Size()[1], 1e-3, "it lies flat")
	level.Collision = collision.Decisions{Fits: []collision.Fit{{Form: collision.Box}}}
	boxed := run(level)
	require.Len(t, boxed.Delivery.Collision, 1, "a shape goes round the points")
	assert.True(t, boxed.Delivery.Collision[0].Mesh.Cloud == nil && boxed.Delivery.Scene.Count().Dots == dots)
	made, err := Make(ctx, Order{Delivery: boxed.Delivery, Decisions: export.Decisions{}, Asset: "quay", Target: to})
	require.NoError(t, err)
	assert.Len(t, made.Package.Files, 2, "the points, and the shape as a file of its own")
	assert.True(t, made.Certificate.Arrived(), "%v", failing(made.Certificate))
}
