package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/demo"
)

// opinion asks the page's own module what the general loaders make of a package.
func (b *bench) opinion(t *testing.T, files []bundle.File) deliver.Figures {
	t.Helper()
	dir, mtl := b.serve(files)
	text, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](fmt.Sprintf(
		`import("/js/opinion.js").then(async (m) => JSON.stringify(await m.figures(%q, %s)))`, b.url+dir+files[0].Name, mtl),
		chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	var f deliver.Figures
	require.NoError(t, json.Unmarshal([]byte(text), &f))
	return f
}

// agreed holds that two readers say the same of what is made of an order; where it has hollow polygons, which some
// loaders cut wrong, once they are cut here.
func agreed(t *testing.T, b *bench, o deliver.Order) {
	t.Helper()
	p, err := deliver.Make(context.Background(), o)
	require.NoError(t, err)
	list := p.Certificate.Figures.Against(b.opinion(t, p.Package.Files), p.Format)
	if p.Certificate.Figures.Cut && !deliver.Agree(list) {
		o.Decisions.Triangles = true
		if p, err = deliver.Make(context.Background(), o); err != nil {
			t.Fatal(err)
		}
		list = p.Certificate.Figures.Against(b.opinion(t, p.Package.Files), p.Format)
		assert.False(t, p.Certificate.Figures.Cut)
	}
	for _, v := range list {
		assert.True(t, v.Equal, "%s: %s, and the loaders say %s", v.What, v.Ours, v.Theirs)
	}
}

// The loaders that ship with the page say of every asset of the demo kit, in every format, what this house's reader
// says: by every target in turn.
func TestTheSecondOpinionAgrees(t *testing.T) {
	b := newBench(t)
	sets, err := demo.Files(context.Background())
	require.NoError(t, err)
	for i, files := range sets {
		src, found, err := format.Read(context.Background(), bundle.New(files), files[0].Name, nil)
		require.NoError(t, err)
		for k, to := range target.Shipped {
			if k != i%len(target.Shipped) && (testing.Short() || src.Count().Triangles > 20_000) {
				continue
			}
			r, err := prep.Run(context.Background(), prep.Input{Key: src.Name, Scene: src, Findings: found, Target: to},
				prep.Prep{}, nil)
			require.NoError(t, err)
			for _, f := range format.Written {
				if src.Dotted() && !f.Points {
					continue
				}
				t.Run(fmt.Sprintf("%s/%s/%s", src.Name, to.ID, f.ID), func(t *testing.T) {
					agreed(t, b, deliver.Order{Delivery: r.Delivery, Asset: src.Name,
						Decisions: export.Decisions{Format: f.ID}, Target: to})
				})
			}
		}
	}
}

// And of random scenes: trees, mirrored instances, polygons, names in many scripts.
func TestTheSecondOpinionAgreesOnRandomScenes(t *testing.T) {
	b := newBench(t)
	for seed := range uint64(6) {
		s := shapetest.Scene(seed)
		to := target.Framed("own", "own", s.Basis, target.Shipped[0].Unit)
		for _, f := range format.Written {
			t.Run(fmt.Sprintf("%d/%s", seed, f.ID), func(t *testing.T) {
				sent := s
				if !f.Several || len(f.Ups) > 0 { // those loaders cut polygons otherwise, or pass over them
					sent = s.Triangulated()
				}
				files := filesOf(t, sent, f, to)
				ours, err := deliver.FiguresOf(context.Background(), files, f, to)
				require.NoError(t, err)
				for _, v := range ours.Against(b.opinion(t, files), f) {
					assert.True(t, v.Equal, "%s: %s, and the loaders say %s", v.What, v.Ours, v.Theirs)
				}
			})
		}
	}
}
