package prep_test

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// What looks only for what can hold an export finds all of that, and what leaves is the same to the byte of its key:
// random scenes, ragged ones, and boxes inside out.
func TestWhatHoldsIsFoundByItself(t *testing.T) {
	list := []*scene.Scene{}
	for seed := range uint64(20) {
		list = append(list, shapetest.Scene(seed), shapetest.Ragged(seed))
	}
	out := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("crate")
	for f := range out.Faces() {
		slices.Reverse(out.Corners[out.FaceStart[f]:out.FaceStart[f+1]])
	}
	out.Normals = scene.Layer[[3]float32]{}
	list = append(list, shape.Scene("crate", nil, out))
	must := func(r *prep.Result) (codes []string) {
		for _, stop := range r.Stops() {
			for _, f := range stop.Report.Findings() {
				if f.Severity == finding.MustFix {
					codes = append(codes, fmt.Sprint(f.Code, f.Place.Point))
				}
			}
		}
		return codes
	}
	held := 0
	for i, s := range list {
		for _, to := range target.Shipped[:2] {
			in := prep.Input{Key: fmt.Sprint(i), Scene: s, Target: to}
			all, err := prep.Run(context.Background(), in, prep.Prep{}, nil)
			require.NoError(t, err)
			in.Holds = true
			holds, err := prep.Run(context.Background(), in, prep.Prep{}, nil)
			require.NoError(t, err)
			assert.Equal(t, must(all), must(holds), "scene %d", i)
			for _, code := range must(holds) {
				if len(code) > 7 && code[:7] == "surface" {
					held++
				}
			}
			assert.Equal(t, all.Delivery.Scene.Bounds(), holds.Delivery.Scene.Bounds())
		}
	}
	assert.Positive(t, held, "some are inside out")
}
