package work

import (
	"bytes"
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/internal/store"
)

// BenchmarkDecision is what a person waits for: a decision is kept, the stations from
// it on run, and the drawing, the tape and what the worksheet shows are made.
func BenchmarkDecision(b *testing.B) {
	var list []*scene.Mesh
	for i := range 10 {
		list = append(list, shapetest.Boulder(51).Mapped(geom.Translation(geom.Vec3{float64(i) * 1.3, 0, 0})))
		list[i].Name = fmt.Sprintf("rock %d", i)
	}
	s := shape.Scene("rocks", nil, list...)
	p, err := gltf.Write(s, pack.Options{Name: "rocks"})
	require.NoError(b, err)
	d := desk(b, b.TempDir())
	ctx := context.Background()
	kit := kit(b, d)
	sha, n, err := d.Store.PutBlob(bytes.NewReader(p.Files[0].Data))
	require.NoError(b, err)
	a, err := d.Store.NewAsset(ctx, kit.ID, "rocks", "rocks.glb", []store.File{{Name: "rocks.glb", SHA: sha, Size: n}})
	require.NoError(b, err)
	see := func(station string) time.Duration {
		t := time.Now()
		sh, err := d.Open(ctx, a.ID)
		require.NoError(b, err)
		_, err = d.Draw(ctx, sh, station, 0)
		require.NoError(b, err)
		if station == "size" {
			sh.Result.Size.Body()
		}
		if station == "axes" {
			_, err = d.DrawStances(ctx, sh)
			require.NoError(b, err)
		}
		sh.Marks()
		return time.Since(t)
	}
	b.Logf("%d triangles in %d nodes; first sight of it %v", s.Count().Triangles, len(s.Nodes), see("source"))
	for i := 0; b.Loop(); i++ {
		k := float64(i + 2)
		for _, c := range []struct {
			station string
			change  func(p *prep.Prep)
		}{
			{"source", func(p *prep.Prep) { p.Source.Leave = []string{fmt.Sprintf("rock %d", i%9)} }},
			{"size", func(p *prep.Prep) { p.Size.Fit, p.Size.Length = size.Height, k }},
			{"axes", func(p *prep.Prep) { p.Axes.Up = geom.Axes[i%6]; p.Axes.Forward = geom.NoAxis }},
			{"axes", func(p *prep.Prep) { p.Axes.Pose = geom.Vec3{k, 2, 3} }},
			{"pivot", func(p *prep.Prep) { p.Pivot = pivot.BaseCentre; p.Pivot.Heading = k }},
		} {
			see(c.station) // the page the decision is taken on
			h, err := d.Store.Prep(ctx, a.ID)
			require.NoError(b, err)
			t := time.Now()
			require.NoError(b, d.Decide(ctx, a.ID, h.Seq, "bench", func(p *prep.Prep) error { c.change(p); return nil }))
			see(c.station)
			b.Logf("a decision at %s: %v", c.station, time.Since(t))
			sh, err := d.Open(ctx, a.ID)
			require.NoError(b, err)
			next := sh.Prep
			next.Size.Length = k + .5
			t = time.Now()
			_, err = d.Preview(ctx, sh, "size", 0, next)
			require.NoError(b, err)
			if c.station == "size" {
				b.Logf("its preview: %v", time.Since(t))
			}
		}
	}
}
