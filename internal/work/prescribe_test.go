package work

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/picture/picturetest"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/collision"
	"yarvek/core/target"
)

// boulderOBJ is a ball of 2·n·(n-1) triangles with UVs and a slot.
func boulderOBJ(n int) string {
	var b strings.Builder
	b.WriteString("mtllib rock.mtl\nusemtl rock\n")
	for i := range n + 1 {
		for k := range n {
			lat, lon := math.Pi*float64(i)/float64(n), 2*math.Pi*float64(k)/float64(n)
			fmt.Fprintf(&b, "v %g %g %g\nvt %g %g\n", math.Sin(lat)*math.Cos(lon), 1-math.Cos(lat),
				math.Sin(lat)*math.Sin(lon), float64(k)/float64(n), float64(i)/float64(n))
		}
	}
	for i := range n {
		for k := range n {
			a, c := i*n+k+1, i*n+(k+1)%n+1
			if i > 0 {
				fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d\n", a, a, c, c, c+n, c+n)
			}
			if i < n-1 {
				fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d\n", a, a, c+n, c+n, a+n, a+n)
			}
		}
	}
	return b.String()
}

// Each prescription does to every asset what it says, touches no other station, and is undone as one.
func TestWhatIsMadeForMany(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k, err := d.NewKit(ctx, "Tern Point", target.Shipped[0].ID)
	require.NoError(t, err)
	odd := string(picturetest.PNG(t, picturetest.Painted(48, 20, picturetest.Plain(90, 80, 70, 255))))
	plain := take(t, d, k, "rock.obj", boulderOBJ(16), "rock.mtl", "newmtl rock\nmap_Kd rock.png\n", "rock.png", odd).
		Came[0].Asset
	own := take(t, d, k, "post.obj", strings.ReplaceAll(tri, "f 1", "o post\nf 1")).Came[0].Asset
	whole := func(o *Opened) int { return o.Result.LODs.LODs[0].Cost.Triangles }
	levels := func(n int) func(*Opened) {
		return func(o *Opened) {
			require.Len(t, o.Result.LODs.LODs, n+1)
			for i, l := range o.Result.LODs.LODs {
				assert.InDelta(t, float64(whole(o))/float64(int(1)<<i), l.Cost.Triangles, .02*float64(whole(o)), "LOD %d", i)
			}
		}
	}
	shape := func(kind solid.Kind) func(*Opened) {
		return func(o *Opened) {
			require.NotEmpty(t, o.Result.Collision.Shapes)
			for _, s := range o.Result.Collision.Shapes {
				assert.Equal(t, string(kind), s.Kind())
			}
		}
	}
	sees := map[string]func(o *Opened){
		"lods-few": func(o *Opened) {
			assert.Greater(t, len(o.Result.LODs.LODs), 1)
			assert.LessOrEqual(t, o.Result.LODs.Worst(), 1.05*o.Result.LODs.Allowed)
		},
		"lods-1": levels(1), "lods-2": levels(2), "lods-3": levels(3), "lods-4": levels(4), "lods-none": levels(0),
		"collision-hulls": shape(solid.Hull), "collision-hull": shape(solid.Hull), "collision-slab": shape(solid.Hull),
		"collision-box": shape(solid.Box), "collision-turned": shape(solid.Box), "collision-ball": shape(solid.Ball),
		"collision-capsule": shape(solid.Capsule),
		"collision-none":    func(o *Opened) { assert.Empty(t, o.Result.Collision.Shapes) },
		"pictures": func(o *Opened) {
			require.Len(t, o.Result.Slots.Pictures, 1)
			x := o.Result.Slots.Pictures[0]
			assert.Equal(t, [2]int{32, 16}, [2]int{x.W, x.H}, "the powers of two below 48 × 20")
		},
	}
	require.Len(t, sees, len(Prescriptions))
	for _, p := range Prescriptions {
		t.Run(p.ID, func(t *testing.T) {
			was, err := d.Prep(ctx, plain.ID)
			require.NoError(t, err)
			done, err := d.DoMany(ctx, k.ID, Many{Do: Prescribed, Make: p.ID, Assets: []int64{plain.ID, own.ID}}, nil)
			require.NoError(t, err)
			assert.Empty(t, done.Failed)
			d.Jobs.Wait()
			o, err := d.Open(ctx, plain.ID)
			require.NoError(t, err)
			if o, err = d.Made(ctx, o, nil); assert.NoError(t, err) {
				sees[p.ID](o)
			}
			now := o.Prep
			now.LODs, now.Collision, now.Slots = was.LODs, was.Collision, was.Slots
			assert.Equal(t, string(was.JSON()), string(now.JSON()), "nothing else was decided")
			require.NotZero(t, done.Round)
			_, stay, err := d.UndoMany(ctx, k.ID, done.Round)
			require.NoError(t, err)
			assert.Empty(t, stay)
			back, err := d.Prep(ctx, plain.ID)
			require.NoError(t, err)
			assert.Equal(t, string(was.JSON()), string(back.JSON()))
		})
	}
	_, err = d.Preview(ctx, k.ID, Many{Do: Prescribed, Make: "spheres", Assets: []int64{plain.ID}}, nil)
	assert.ErrorContains(t, err, "spheres")
}

// LODs and shapes that came along, or were changed by hand, are an artist's: they are not made anew for many.
func TestWhatCameAlongIsNotMadeForMany(t *testing.T) {
	ctx := context.Background()
	d := desk(t, t.TempDir())
	k, err := d.NewKit(ctx, "Tern Point", target.Shipped[0].ID)
	require.NoError(t, err)
	box := shape.Scene("post", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("post"),
		new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {1, 1}}, 0, 1).Mesh("post lod 1"),
		new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("post solid box 01"))
	f, err := format.ByID("glb")
	require.NoError(t, err)
	p, err := format.Write(ctx, scene.Delivery{Scene: box}, f, "post", k.Target)
	require.NoError(t, err)
	came := take(t, d, k, "post.glb", string(p.Files[0].Data)).Came[0].Asset
	hand := take(t, d, k, "rock.obj", boulderOBJ(8)).Came[0].Asset
	_, err = d.Decide(ctx, hand.ID, 0, func(p *prep.Prep) error {
		p.Collision.Edited = []collision.Edited{{Solid: solid.OfBall(fit.Ball{Radius: 1})}}
		return nil
	})
	require.NoError(t, err)
	for _, c := range []struct {
		make string
		of   Asset
		why  string
	}{
		{"lods-2", came, "1 LOD of its own"}, {"collision-hulls", came, "shapes of its own"},
		{"collision-none", came, "shapes of its own"}, {"collision-box", hand, "by hand"},
	} {
		list, err := d.Preview(ctx, k.ID, Many{Do: Prescribed, Make: c.make, Assets: []int64{c.of.ID}}, nil)
		require.NoError(t, err)
		assert.Contains(t, list[0].Why, c.why, c.make)
		assert.False(t, list[0].Changes())
	}
}
