package show

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/split"
	"yarvek/core/station/axes"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/internal/work"
)

// million is a GLB of a million triangles. split gives every quad four points of
// its own, two million in all, as exporters do that cut along every UV seam;
// otherwise half a million are shared.
func million(b testing.TB, split bool) bundle.File {
	m := new(shape.Builder).Grid(708, 708, func(u, v float64) geom.Vec3 {
		return geom.Vec3{3 * u, math.Sin(40*u) * math.Cos(37*v) * .2, -3 * v}
	}).Mesh("terrain")
	m.Smooth = nil
	if !split {
		m.UVs = nil
	}
	return glb(b, shape.Scene("terrain", []scene.Material{scene.NewMaterial("ground")}, m))
}

func glb(b testing.TB, s *scene.Scene) bundle.File {
	p, err := gltf.Write(context.Background(), s, pack.Options{Name: s.Name})
	require.NoError(b, err)
	return p.Files[0]
}

func (b *bench) bringFile(f bundle.File) int64 {
	b.t.Helper()
	u := b.desk.NewUpload()
	require.NoError(b.t, u.Add(f.Name, bytes.NewReader(f.Data)))
	a, err := b.desk.Bring(context.Background(), b.kit, "asset", u)
	require.NoError(b.t, err)
	return a.ID
}

// BenchmarkFirstDrawing opens an asset of a million triangles that nobody has
// opened yet (read, run the stations, draw), then again from the cache.
func BenchmarkFirstDrawing(b *testing.B) {
	for name, split := range map[string]bool{"shared": false, "split": true} {
		b.Run(name, func(b *testing.B) {
			f := million(b, split)
			for b.Loop() {
				first, again, svg := firstDrawing(b, f)
				b.ReportMetric(first.Seconds(), "first-s")
				b.ReportMetric(again.Seconds()*1000, "again-ms")
				b.ReportMetric(float64(svg)/1000, "drawing-kB")
			}
			b.ReportMetric(float64(len(f.Data))/1e6, "file-MB")
		})
	}
}

func firstDrawing(b *testing.B, f bundle.File) (first, again time.Duration, svg int) {
	ctx := context.Background()
	bn := newBench(b)
	defer bn.close()
	id := bn.bringFile(f)
	draw := func() time.Duration {
		start := time.Now()
		o := bn.open(id)
		p, err := bn.Draw(ctx, o, "size", 0)
		require.NoError(b, err)
		svg = len(p.Drawn.SVG)
		return time.Since(start)
	}
	first = draw()
	return first, draw(), svg
}

// BenchmarkDecision is what a person waits for: a decision is kept, the stations from
// it on run, and the drawing, the tape and what the worksheet shows are made.
func BenchmarkDecision(b *testing.B) {
	ctx := context.Background()
	var list []*scene.Mesh
	for i := range 10 {
		list = append(list, shapetest.Boulder(51).Mapped(geom.Translation(geom.Vec3{float64(i) * 1.3, 0, 0})))
		list[i].Name = fmt.Sprintf("rock %d", i)
	}
	s := shape.Scene("rocks", nil, list...)
	bn := newBench(b)
	id := bn.bringFile(glb(b, s))
	see := func(station string) time.Duration {
		t := time.Now()
		o := bn.open(id)
		_, err := bn.Draw(ctx, o, station, 0)
		require.NoError(b, err)
		if station == "size" {
			_, err := o.Result.Size.Body().Get(ctx)
			require.NoError(b, err)
		}
		if station == "axes" {
			st, err := o.Result.Axes.Standing(ctx)
			require.NoError(b, err)
			require.NoError(b, bn.smalls(ctx, o, st))
		}
		o.Tape()
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
			t := time.Now()
			o := bn.decide(id, c.change)
			see(c.station)
			b.Logf("a decision at %s: %v", c.station, time.Since(t))
			if c.station != "size" {
				continue
			}
			next := o.Prep
			next.Size.Length = k + .5
			t = time.Now()
			_, err := bn.Preview(ctx, o, "size", 0, next)
			require.NoError(b, err)
			b.Logf("its preview: %v", time.Since(t))
		}
	}
}

// BenchmarkAbandoned measures how long a computation goes on after the one who asked
// for it has left: at a million triangles, at fifty moments spread over it.
func BenchmarkAbandoned(b *testing.B) {
	f := million(b, true)
	for name, work := range map[string]func(ctx context.Context, bn *bench, id int64) error{
		"first drawing": func(ctx context.Context, bn *bench, id int64) error {
			o, err := bn.desk.Open(ctx, id)
			if err != nil {
				return err
			}
			_, err = bn.Draw(ctx, o, "size", 0)
			return err
		},
		"axes page": func(ctx context.Context, bn *bench, id int64) error {
			o, err := bn.desk.Open(ctx, id)
			if err != nil {
				return err
			}
			st, err := o.Result.Axes.Standing(ctx)
			if err != nil {
				return err
			}
			return bn.smalls(ctx, o, st)
		},
	} {
		b.Run(name, func(b *testing.B) {
			worst := time.Duration(0)
			for b.Loop() {
				worst = max(worst, abandoned(b, f, work))
			}
			b.ReportMetric(worst.Seconds()*1000, "worst-ms")
		})
	}
}

func abandoned(b *testing.B, f bundle.File, work func(ctx context.Context, bn *bench, id int64) error) time.Duration {
	whole := func() time.Duration {
		bn := newBench(b)
		defer bn.close()
		id := bn.bringFile(f)
		start := time.Now()
		require.NoError(b, work(context.Background(), bn, id))
		return time.Since(start)
	}()
	worst := time.Duration(0)
	const moments = 50
	for i := range moments {
		bn := newBench(b)
		id := bn.bringFile(f)
		ctx, cancel := context.WithCancel(context.Background())
		left := make(chan time.Time, 1)
		time.AfterFunc(whole*time.Duration(i)/moments, func() { left <- time.Now(); cancel() })
		err := work(ctx, bn, id)
		if err == nil {
			bn.close()
			continue // it was done before anybody left
		}
		at := <-left
		bn.idle()
		took := time.Since(at)
		bn.close()
		if took > worst {
			b.Logf("left after %v of %v: went on for %v", whole*time.Duration(i)/moments, whole, took)
		}
		worst = max(worst, took)
	}
	return worst
}

// BenchmarkFourAtOnce opens one asset of a million triangles by four people at the same
// moment, none of whom has seen it: the last has it as soon as one alone would, for
// equal requests at one time compute once.
func BenchmarkFourAtOnce(b *testing.B) {
	f := million(b, false)
	for _, people := range []int{1, 4} {
		b.Run(fmt.Sprint(people), func(b *testing.B) {
			for b.Loop() {
				bn := newBench(b)
				id := bn.bringFile(f)
				start := time.Now()
				var all sync.WaitGroup
				for range people {
					all.Go(func() {
						o, err := bn.desk.Open(context.Background(), id)
						if err == nil {
							_, err = bn.Draw(context.Background(), o, "size", 0)
						}
						if err != nil {
							b.Error(err)
						}
					})
				}
				all.Wait()
				b.ReportMetric(time.Since(start).Seconds(), "last-s")
				bn.close()
			}
		})
	}
}

// smalls draws all small drawings of Axes, as a browser asks for them.
func (bn *bench) smalls(ctx context.Context, o *work.Opened, st axes.Standing) error {
	all := StancesOf(o, st)
	turns := slices.Concat(all.Stand, all.Face, all.Rest)
	for _, l := range all.Lies {
		turns = append(turns, l[:]...)
	}
	errs := make([]error, len(turns))
	err := split.Each(ctx, len(turns), func(i int) { _, errs[i] = bn.Small(ctx, o, turns[i]) })
	return errors.Join(append(errs, err)...)
}

// BenchmarkLargePreview is the same at 200 000 and at 870 000 triangles in one scan: a preview
// of a size and of a stance, and a decision on them until the drawing is there.
func BenchmarkLargePreview(b *testing.B) {
	ctx := context.Background()
	for _, rings := range []int{224, 466} {
		b.Run(fmt.Sprintf("%dk", 4*rings*rings/1000), func(b *testing.B) {
			s := shape.Scene("scan", nil, shapetest.Boulder(rings))
			bn := newBench(b)
			defer bn.close()
			id := bn.bringFile(glb(b, s))
			for _, at := range []string{"size", "axes"} {
				_, err := bn.Draw(ctx, bn.open(id), at, 0)
				require.NoError(b, err)
			}
			factor := 1.1
			for b.Loop() {
				for at, with := range map[string]func(p *prep.Prep){
					"size": func(p *prep.Prep) { p.Size.Fit, p.Size.Factor = size.ByFactor, factor },
					"axes": func(p *prep.Prep) { p.Axes.Turns = []axes.Turn{{About: axes.AboutUp, Degrees: 10 * factor}} },
				} {
					factor *= 1.01
					o := bn.open(id)
					p := o.Prep
					with(&p)
					t := time.Now()
					_, err := bn.Preview(ctx, o, at, 0, p)
					require.NoError(b, err)
					b.ReportMetric(1000*time.Since(t).Seconds(), at+"-preview-ms")
					t = time.Now()
					_, err = bn.desk.Decide(ctx, id, o.Asset.Changes, func(q *prep.Prep) error { with(q); return nil })
					require.NoError(b, err)
					_, err = bn.Draw(ctx, bn.open(id), at, 0)
					require.NoError(b, err)
					b.ReportMetric(1000*time.Since(t).Seconds(), at+"-decision-ms")
				}
			}
			b.ReportMetric(float64(s.Count().Triangles), "triangles")
		})
	}
}
