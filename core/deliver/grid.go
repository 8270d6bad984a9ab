package deliver

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
)

// laid cuts what leaves by a grid: the asset, its LODs by the same lines, each piece about a place of its own. A shape
// that stands for what was cut stands for the piece it is nearest to.
func laid(ctx context.Context, d scene.Delivery, step float64) (scene.Delivery, []pack.Change) {
	l := d.Scene.Gridded(ctx, step)
	var said []pack.Change
	note := func(what, why string) {
		said = append(said, pack.Change{About: pack.Nodes, What: what, Why: why})
	}
	pieces := 0
	for _, is := range l.Piece {
		if is {
			pieces++
		}
	}
	if pieces > 0 {
		note(fmt.Sprintf("meshes became %s of a grid of %s", figure.Plural(pieces, "piece", "pieces"), figure.Length(step)),
			"as decided; each stands about the middle of its square")
	}
	for _, k := range l.Whole {
		note(fmt.Sprintf("“%s” stayed whole", k.Name), k.Why)
	}
	d.Collision = append([]scene.Shape(nil), d.Collision...)
	for i := range d.Collision {
		if near := nearestPiece(d.Scene, l, d.Collision[i]); near != "" {
			d.Collision[i].Of = near
		}
	}
	d.Scene = l.Scene
	d.LODs = append([]scene.LOD(nil), d.LODs...)
	for i := range d.LODs {
		d.LODs[i].Scene = d.LODs[i].Scene.Gridded(ctx, step).Scene
	}
	return d, said
}

// nearestPiece is the name of the piece that a shape is nearest to, of those that its node was cut into; "" where it
// was not cut.
func nearestPiece(before *scene.Scene, l *scene.Laid, s scene.Shape) (name string) {
	middle := s.Frame.Apply(s.Mesh.Extent().Center())
	worlds := l.Worlds()
	least := math.Inf(1)
	for i, n := range l.Nodes {
		if !l.Piece[i] || before.Nodes[l.From[i]].Name != s.Of {
			continue
		}
		if far := worlds[i].T.Dist(middle); far < least {
			least, name = far, n.Name
		}
	}
	return name
}
