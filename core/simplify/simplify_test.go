package simplify

import (
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deviation"
	"yarvek/core/flaw"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var ctx = context.Background()

func apart(a, b *scene.Mesh, n int) deviation.Between {
	return deviation.Of(ctx, shape.Scene("a", nil, a), shape.Scene("b", nil, b), n)
}

func TestX(t *testing.T) {
	m := shapetest.Boulder(224)
	for _, share := range []float64{0.5, 0.25, 0.1, 0.02} {
		s := time.Now()
		r := Of(ctx, m, Options{Triangles: int(share * float64(m.Triangles()))})
		d := time.Since(s)
		require.NoError(t, r.Mesh.Validate())
		f := flaw.Find(ctx, r.Mesh, flaw.Limits{})
		t.Log(share, r.In, r.Out, r.Why, d, apart(m, r.Mesh, 100000).Worst(), len(f.Borders), len(f.Crowded), len(f.Flipped))
	}
	big := shapetest.Boulder(500)
	s := time.Now()
	r := Of(ctx, big, Options{Triangles: big.Triangles() / 10})
	t.Log(r.In, r.Out, time.Since(s))
	_ = fmt.Sprint
	_ = math.Pi
	_ = geom.Vec3{}
	assert.True(t, true)
}
