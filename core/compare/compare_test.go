package compare

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

func box(name string, slot int, lo, hi geom.Vec3) *scene.Mesh {
	return new(shape.Builder).Slot(slot).Box(lo, hi).Mesh(name)
}

func ramp(mats ...string) *scene.Scene {
	var list []scene.Material
	for _, m := range mats {
		list = append(list, scene.NewMaterial(m))
	}
	return shape.Scene("ramp", list, box("slope", 0, geom.Vec3{}, geom.Vec3{4, .2, 2}),
		box("rail", 0, geom.Vec3{0, .2, 0}, geom.Vec3{4, 1, .1}),
		box("bolt", 0, geom.Vec3{1, .3, .2}, geom.Vec3{1.1, .4, .3}))
}

func run(t *testing.T, key string, s *scene.Scene, p prep.Prep) *prep.Result {
	t.Helper()
	r, err := prep.Run(context.Background(), prep.Input{Key: key, Scene: s, Target: target.Shipped[0]}, p, nil)
	require.NoError(t, err)
	return r
}

func TestTheSameRevisionDiffersInNothing(t *testing.T) {
	p := prep.Prep{Source: source.Decisions{Leave: []string{"bolt"}}}
	c := Results(context.Background(), run(t, "a", ramp("wood"), p), run(t, "b", ramp("wood"), p))
	assert.True(t, c.Same(), "%+v", c)
	// The same materials in another order are the same slots.
	other := ramp("new", "wood")
	for i := range other.Meshes {
		m := *other.Meshes[i]
		m.Slots = []int{1}
		other.Meshes[i] = &m
	}
	assert.Empty(t, Results(context.Background(), run(t, "a", ramp("wood"), p), run(t, "b", other, p)).Nodes)
}

func TestAPrepReplaysOnRenamedAddedAndRemovedNodes(t *testing.T) {
	p := prep.Prep{Source: source.Decisions{Leave: []string{"bolt"}, Names: map[string]string{"rail": "handrail"}},
		Size: size.Decisions{Fit: size.Width, Length: 8, Bake: size.BakeAll, Nodes: []string{"handrail"}},
		Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0},
			Each: map[string]pivot.Seat{"handrail": {Place: pivot.OnMass}}}}
	was := run(t, "a", ramp("wood"), p)
	assert.Empty(t, was.Lost())
	next := ramp("wood")
	next.Nodes[1].Name = "balustrade" // renamed
	next.Nodes[2].Name = "bolt"       // still there, but wider
	next.Meshes[2] = box("bolt", 0, geom.Vec3{1, .3, .2}, geom.Vec3{1.3, .4, .3})
	next.Materials = append(next.Materials, scene.NewMaterial("tar"))
	next.Meshes = append(next.Meshes, box("kerb", 1, geom.Vec3{0, 0, 2}, geom.Vec3{4, .3, 2.2}))
	next.Nodes = append(next.Nodes, scene.Node{Name: "kerb", Kind: scene.KindMesh, Parent: -1, Mesh: 3,
		Local: geom.Identity})
	is := run(t, "b", next, p)
	assert.InDelta(t, 8, is.Size.Now[0], 1e-9, "decisions that name no node replay")
	assert.Equal(t, 3, is.Source.Kept, "the bolt stays behind")
	c := Results(context.Background(), was, is)
	what := map[string]string{}
	for _, n := range c.Nodes {
		what[n.Key] = n.What
	}
	assert.Equal(t, map[string]string{"balustrade": "renamed", "bolt": "changed", "kerb": "added"}, what)
	assert.Equal(t, []string{"tar"}, c.SlotsNew)
	require.NotEmpty(t, c.Lost)
	assert.Equal(t, prep.Ref{Station: "source", Key: "rail"}, c.Lost[0].Ref)
	assert.Equal(t, "balustrade", c.Lost[0].Means)
	// Pointed anew, all of it holds again: the name was decided at Source, so what later
	// stations decided under that name is found too.
	q, err := p.Repointed(c.Lost[0].Ref, c.Lost[0].Means)
	require.NoError(t, err)
	again := run(t, "b", next, q)
	assert.Empty(t, again.Lost())
	gone := Results(context.Background(), is, run(t, "c", ramp("wood").Without(func(i int) bool { return i == 0 }), p))
	assert.Contains(t, gone.Nodes, Node{Key: "slope", What: "gone", Text: "12 triangles"})
	assert.Contains(t, gone.SlotsGone, "tar")
}
