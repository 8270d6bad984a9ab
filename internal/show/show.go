// Package show gives every station its face on paper: which scene is drawn, at which
// layout, with which layers, and how the outcome of a decision is outlined. It also
// draws what needs a drawing besides: the line-up, small pictures, two revisions side by
// side, and the mesh for the turntable.
//
// A station has one file here, with its [face], and a line in the list of faces.
package show

import (
	"context"
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/memo"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station"
	"yarvek/core/station/collision"
	"yarvek/core/station/source"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// modelsKept bounds what is kept of models ready to be drawn, in bytes.
const modelsKept = 256 << 20

// anchorsKept bounds what is kept of what shapes snap to, in bytes.
const anchorsKept = 16 << 20

// Board draws what a desk has opened. There is one for a desk; it is safe for use by
// several goroutines.
type Board struct {
	desk     *work.Desk
	models   *memo.Memo[*draft.Model]
	anchors  *memo.Memo[*collision.Anchors]
	painting chan struct{} // holds one while a picture is made
}

// New makes a board over a desk.
func New(desk *work.Desk) *Board {
	return &Board{desk, memo.New(modelsKept, (*draft.Model).Bytes), memo.New(anchorsKept, (*collision.Anchors).Bytes),
		make(chan struct{}, 1)}
}

// model is a view's scene made ready to be drawn as it stands. What the stations after
// Source do to it moves, turns and scales it as a whole, so it is flattened once for them
// all, as Source leaves it, as long as none has changed a mesh.
func (b *Board) model(ctx context.Context, v view) (*draft.Model, error) {
	if v.stop.Changed {
		return b.models.Get(ctx, v.standing(), func(ctx context.Context) (*draft.Model, error) {
			return draft.NewModel(ctx, v.stop.Scene), ctx.Err()
		})
	}
	first, err := b.first(ctx, v.Opened)
	if err != nil {
		return nil, err
	}
	by, ok := v.fromRead()
	if !ok || by.IsIdentity() {
		return first, nil
	}
	return b.models.Get(ctx, v.standing(), func(ctx context.Context) (*draft.Model, error) {
		return first.Carried(by, v.box), ctx.Err()
	})
}

// first is an opened asset's scene as Source leaves it, in the basis it was read in.
func (b *Board) first(ctx context.Context, o *work.Opened) (*draft.Model, error) {
	kept, err := o.Result.Stop(source.Info.ID)
	if err != nil {
		return nil, err
	}
	return b.models.Get(ctx, kept.Key, func(ctx context.Context) (*draft.Model, error) {
		m := draft.NewModel(ctx, kept.Scene)
		return m, ctx.Err()
	})
}

// fromRead carries the paper of the asset as Source leaves it and as it was read to the
// view's; false of an asset without extent.
func (v view) fromRead() (geom.Affine, bool) {
	kept := v.Result.Stops()[0]
	by := v.onPaper.Mul(geom.Linear(geom.GLTF.To(kept.Scene.Basis)))
	_, ok := by.Inverse()
	return by, ok
}

// standing names a view's scene with how it stands.
func (v view) standing() string { return fmt.Sprint(v.stop.Key, v.stop.Stand) }

// face is how a station shows itself. All its fields are set but dense, bySlot and drawn.
type face struct {
	id string
	// ask says what the layout depends on besides the box and the artist's own figure.
	ask draft.Ask
	// layers are what the station shows over the views, from the lowest up.
	layers func(v view) []draft.Layer
	// outline is what becomes of the drawing by a decision: now is what it shows, then
	// what it would.
	outline func(ctx context.Context, b *Board, now, then view) (draft.Ghost, error)
	// dense shades the views by how many triangles a square metre has.
	dense bool
	// bySlot gives the order of materials, by number plus one, that the views are hatched by; nil for none.
	bySlot func(v view) []int
	// drawn makes a drawing of the station's own in the place of the views; nil for the views.
	drawn func(ctx context.Context, b *Board, v view) (*Picture, error)
}

// faces lists those of all stations.
var faces = []face{sourceFace, sizeFace, axesFace, pivotFace, surfaceFace, budgetFace, lodsFace, collisionFace,
	slotsFace, exportFace}

// faceOf finds a station's; the error is a *station.UnknownError.
func faceOf(id string) (face, error) {
	for _, f := range faces {
		if f.id == id {
			return f, nil
		}
	}
	return face{}, &station.UnknownError{ID: id}
}

// view is one station of an opened asset, as it is drawn. Its box and maps are in the
// frame of the paper: x to the right of the front view, y up, z toward the viewer;
// metres.
type view struct {
	*work.Opened
	stop    prep.Stop
	face    face
	paper   geom.Mat3   // from the basis of the stop's scene
	onPaper geom.Affine // from coordinates as Source leaves the scene
	box     geom.Box    // of the stop's scene
	layout  draft.Layout
}

// look finds a station of an opened asset; height is that of the artist's own figure in
// metres, 0 for none. The error is a *station.UnknownError.
func look(o *work.Opened, id string, height float64) (view, error) {
	stop, err := o.Result.Stop(id)
	if err != nil {
		return view{}, err
	}
	f, err := faceOf(id)
	if err != nil {
		return view{}, err
	}
	v := view{Opened: o, stop: stop, face: f, paper: stop.Stand}
	v.onPaper = geom.Linear(v.paper).Mul(stop.FromSource)
	v.box = stop.Standing
	ask := f.ask
	ask.Height = height
	v.layout = draft.Arrange(v.box, ask)
	return v, nil
}

// Numbered is a finding with its balloon.
type Numbered struct {
	finding.Finding
	Number int
	Zone   string // of the drawing, "" when it has no place there
}

// Picture is a station's drawing and its findings, numbered alike.
type Picture struct {
	Drawn    draft.Drawn
	Findings []Numbered
	Ratio    float64 // drawn at 1 to Ratio
}

// Draw makes the drawing of a station. height is the artist's own figure in metres, 0
// for none; measured are distances to draw besides.
func (b *Board) Draw(ctx context.Context, o *work.Opened, id string, height float64, measured ...Measured) (*Picture,
	error) {
	v, err := look(o, id, height)
	if err != nil {
		return nil, err
	}
	if v.face.drawn != nil {
		return v.face.drawn(ctx, b, v)
	}
	views, err := b.views(ctx, v, v.layout.Scale)
	if err != nil {
		return nil, err
	}
	d := &draft.Drawing{Asset: o.Asset.Name, Kit: o.Kit.Name, Unit: o.Kit.Target.Unit, Revision: o.Revision.Number,
		Counts: v.stop.Scene.Count(), Basis: v.stop.Letters, Views: views, Box: v.box, Layout: v.layout}
	p := &Picture{Ratio: v.layout.Ratio}
	for _, f := range v.stop.Report.Findings() {
		n := Numbered{Finding: f, Number: len(p.Findings) + 1}
		if f.Place.Point != nil && f.Severity > finding.Note {
			d.Balloons = append(d.Balloons, draft.Balloon{Number: n.Number, Severity: f.Severity,
				At: v.paper.Apply(*f.Place.Point)})
		}
		p.Findings = append(p.Findings, n)
	}
	d.Layers = v.face.layers(v)
	if id == source.Info.ID {
		detail, err := b.detail(ctx, v)
		if err != nil {
			return nil, err
		}
		if detail != nil {
			d.Layers = append([]draft.Layer{*detail}, d.Layers...)
		}
	}
	for _, m := range measured {
		d.Layers = append(d.Layers, draft.Rule{From: v.onPaper.Apply(m.From), To: v.onPaper.Apply(m.To),
			Figure: figure.Length(m.Length)})
	}
	p.Drawn = d.Draw()
	for i := range p.Findings {
		p.Findings[i].Zone = p.Drawn.Zones[p.Findings[i].Number]
	}
	return p, nil
}

// detail is the main body of what Source leaves, drawn at a scale of its own where parts far off leave it a speck; nil
// where it is none.
func (b *Board) detail(ctx context.Context, v view) (*draft.Detail, error) {
	body := v.Result.Source.Main
	if by, ok := v.fromRead(); !ok || !by.IsIdentity() || body.IsEmpty() {
		return nil, nil
	}
	s := v.stop.Scene
	within := func(box geom.Box) bool {
		return max(body.Distance(box.Min), body.Distance(box.Max)) <= 1e-3*body.Size().Max()
	}
	part := geom.EmptyBox()
	boxes := s.NodeBounds()
	for i, box := range boxes {
		if s.Nodes[i].Mesh >= 0 && within(box) {
			part = part.Union(box)
		}
	}
	d := draft.NewDetail(v.box, part.Carried(v.paper), v.layout)
	if d == nil {
		return nil, nil
	}
	var err error
	d.View, err = work.Derive(ctx, b.desk.Derived, "detail", fmt.Sprintf("%s %g", v.standing(), d.Scale),
		func(ctx context.Context) (draft.View, error) {
			alone := s.Clone()
			for i, box := range boxes {
				if n := &alone.Nodes[i]; n.Mesh >= 0 && !within(box) {
					n.Mesh, n.Kind = -1, scene.KindEmpty
				}
			}
			return draft.NewModel(ctx, alone).Draw(ctx, draft.Front, d.Scale), ctx.Err()
		})
	return d, err
}

// views draws a stop's scene from its three sides, at scale pixels a metre.
func (b *Board) views(ctx context.Context, v view, scale float64) ([3]draft.View, error) {
	key, kind := fmt.Sprintf("%s %g", v.standing(), scale), "views"
	if v.face.dense && !v.stop.Scene.Dotted() {
		kind = "dense views"
	}
	var order []int
	if v.face.bySlot != nil {
		order = v.face.bySlot(v)
		kind, key = "slot views", fmt.Sprint(key, order)
	}
	return work.Derive(ctx, b.desk.Derived, kind, key, func(ctx context.Context) (out [3]draft.View, err error) {
		m, err := b.model(ctx, v)
		if err != nil {
			return out, err
		}
		if v.face.dense && !v.stop.Scene.Dotted() {
			m = m.ByDensity(ctx)
		}
		if order != nil {
			m = m.BySlot(ctx, order)
		}
		split.Together(
			func() { out[draft.Front] = m.Draw(ctx, draft.Front, scale) },
			func() { out[draft.RightSide] = m.Draw(ctx, draft.RightSide, scale) },
			func() { out[draft.Plan] = m.Draw(ctx, draft.Plan, scale) })
		return out, ctx.Err()
	})
}

// outlines are the views without their shading, of a thinned model where it is dense.
func (b *Board) outlines(ctx context.Context, v view, scale float64) (out [3]draft.View, err error) {
	m, err := b.sketch(ctx, v)
	if err != nil {
		return out, err
	}
	split.Together(
		func() { out[draft.Front] = m.Outline(ctx, draft.Front, scale) },
		func() { out[draft.RightSide] = m.Outline(ctx, draft.RightSide, scale) },
		func() { out[draft.Plan] = m.Outline(ctx, draft.Plan, scale) })
	return out, ctx.Err()
}

// sketch is a view's model, or of a dense one the thinned model that outlines are made of, without the other.
func (b *Board) sketch(ctx context.Context, v view) (*draft.Model, error) {
	if v.stop.Changed {
		return b.model(ctx, v)
	}
	first, err := b.first(ctx, v.Opened)
	if err != nil {
		return nil, err
	}
	thin, err := first.Sketch(ctx)
	by, ok := v.fromRead()
	if err != nil || thin == first || !ok {
		return b.model(ctx, v)
	}
	return thin.Carried(by, v.box), nil
}

// Preview outlines what another prep would make of an asset over a station's drawing;
// nothing is decided by it. What comes is SVG for that drawing.
func (b *Board) Preview(ctx context.Context, o *work.Opened, id string, height float64, p prep.Prep) (string, error) {
	now, _, g, err := b.ghost(ctx, o, id, height, p)
	if err != nil {
		return "", err
	}
	return draft.Outlined(now.layout, now.box, g), nil
}

// PreviewLines is the same for the turntable, as [draft.Ghost.Lines] packs it.
func (b *Board) PreviewLines(ctx context.Context, o *work.Opened, id string, p prep.Prep) ([]byte, error) {
	now, then, g, err := b.ghost(ctx, o, id, 0, p)
	if err != nil {
		return nil, err
	}
	var m *draft.Model
	if g.Views != nil {
		if m, err = b.model(ctx, then); err != nil {
			return nil, err
		}
	}
	return g.Lines(m, now.box), nil
}

// ghost is what another prep would make of an asset at a station, beside what it is now.
func (b *Board) ghost(ctx context.Context, o *work.Opened, id string, height float64, p prep.Prep) (now, then view,
	g draft.Ghost,
	err error) {
	if now, err = look(o, id, height); err != nil {
		return now, then, g, err
	}
	with, err := b.desk.Glimpse(ctx, o, p, id)
	if err != nil {
		return now, then, g, err
	}
	if then, err = look(with, id, height); err != nil {
		return now, then, g, err
	}
	g, err = now.face.outline(ctx, b, now, then)
	return now, then, g, err
}

// outlineOfScene outlines the scene a station would leave, standing where the one that
// is drawn stands.
func outlineOfScene(ctx context.Context, b *Board, now, then view) (draft.Ghost, error) {
	views, err := b.outlines(ctx, then, now.layout.Scale)
	if err != nil {
		return draft.Ghost{}, err
	}
	z := then.box.Size()
	return draft.Ghost{Views: &views, Box: then.box, Shift: foot(now.box).Sub(foot(then.box)),
		Say: fmt.Sprintf("It would measure %s wide, %s high, %s deep", figure.Length(z[0]), figure.Length(z[1]),
			figure.Length(z[2]))}, nil
}

// foot is the middle of a box's base.
func foot(b geom.Box) geom.Vec3 {
	c := b.Center()
	if !b.IsEmpty() {
		c[1] = b.Min[1]
	}
	return c
}
