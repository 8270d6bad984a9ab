// Package deliver takes a prepared asset to its files and proves them: it shapes what
// leaves as the Export station decided, writes it in one format, reads the written bytes
// back the way the target would, and sets what arrived beside what was sent.
//
// Pages, commands and batches all call [Make].
package deliver

import (
	"context"

	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/process/tangent"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// Order says what to make.
type Order struct {
	Delivery  scene.Delivery // as the stations left it, in the target's basis
	Decisions export.Decisions
	Asset     string // its name: the main file's by the target's pattern, when the decisions give none
	Kit       string // its kit's
	Class     string // its class, as it is called; "" for none
	Target    target.Target
}

// Parcel is what was made of an order.
type Parcel struct {
	Name        string // of the main file, without suffix
	Folder      string // that its files lie in, with slashes; "" for none
	Format      format.Format
	Package     *pack.Package // its Changes begin with what was decided
	Certificate *Certificate
	Contents    []Item // all that left, in the order of the file
	Decisions   export.Decisions
}

// Make shapes, writes and reads back. An error is a *fault.Error when it is about what
// was ordered, and ctx's when that ended; nothing is left behind then.
func Make(ctx context.Context, o Order) (*Parcel, error) {
	f, err := o.Decisions.ChosenOf(o.Delivery.Scene, o.Target.Prefers)
	if err != nil {
		return nil, err
	}
	if count := o.Delivery.Scene.Count(); count.Polygons+count.Dots == 0 {
		return nil, fault.Input("nothing goes on, so there is nothing to export").Advise(
			"Keep a node with polygons at Source")
	}
	if !f.Several { // what goes along goes beside
		if o.Decisions.LODs != export.LODsLeft {
			o.Decisions.LODs = export.LODsApart
		}
		if o.Decisions.Shapes != export.ShapesLeft {
			o.Decisions.Shapes = export.ShapesApart
		}
	}
	p := &Parcel{Format: f, Decisions: o.Decisions}
	if err := p.named(o); err != nil {
		return nil, err
	}
	chosen, said, err := lodsOf(o.Delivery, o.Decisions, f)
	if err != nil {
		return nil, err
	}
	chosen, left := without(chosen, o.Decisions, f)
	said = append(said, left...)
	shaped, changes := Shape(ctx, chosen, o.Decisions, f)
	said = append(said, changes...)
	before := shaped
	shaped, names, err := named(shaped, o.Target, o.Asset)
	if err != nil {
		return nil, err
	}
	p.Contents = contents(before, shaped)
	said = append(said, names...)
	apart := shaped.LODs
	if o.Decisions.LODs != export.LODsApart {
		apart = nil
	} else {
		shaped.LODs = nil
	}
	touch := shaped.Collision
	if o.Decisions.Shapes != export.ShapesApart {
		touch = nil
	} else {
		shaped.Collision = nil
	}
	if p.Package, err = format.Write(ctx, shaped, f, p.Name, o.Target); err != nil {
		return nil, err
	}
	p.Package.Changes = append(said, p.Package.Changes...)
	if p.Certificate, err = Check(ctx, shaped, p.Package, f, o.Target); err != nil {
		return nil, err
	}
	for i, l := range apart {
		if err := p.addLOD(ctx, o, l, i+1); err != nil {
			return nil, err
		}
	}
	if len(touch) > 0 {
		if err := p.addShapes(ctx, o, touch, shaped.Scene); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// Shape makes the decided changes to what leaves, as far as they count in the format,
// and says them. Markers stay nodes of their own: they are nothing but a transform.
func Shape(ctx context.Context, d scene.Delivery, by export.Decisions, f format.Format) (scene.Delivery,
	[]pack.Change) {
	var said []pack.Change
	if by.Grid > 0 && f.Several {
		d, said = laid(ctx, d, by.Grid)
	}
	if by.Triangles && f.Polygons {
		d = d.Each((*scene.Scene).Triangulated)
		said = append(said, pack.Change{About: pack.Polygons, What: "polygons became triangles", Why: "as decided"})
	}
	if by.Tangents && f.Tangents {
		d = d.Each(func(s *scene.Scene) *scene.Scene { return tangent.Filled(ctx, s) })
		said = append(said, pack.Change{About: pack.Tangents, What: "tangents were made of normals and the first UV set",
			Why: "as decided, where there were none"})
	}
	if by.Bake && f.Bakes {
		d = d.Each((*scene.Scene).Flattened)
		said = append(said, pack.Change{About: pack.Nodes, What: "node transforms, the tree of nodes and instances",
			Why: "every point was written where it stands, as decided"})
	}
	return d, said
}
