package show

import (
	"context"
	"fmt"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// exportFace sets the asset as it came beside the asset as it leaves.
var exportFace = face{
	id:  export.Info.ID,
	ask: draft.Ask{Ground: true},
	layers: func(v view) []draft.Layer {
		return append([]draft.Layer{draft.Dimensions{}}, seated(v, false)...)
	},
	// What is decided here changes files, and nothing that is drawn.
	outline: func(context.Context, *Board, view, view) (draft.Ghost, error) { return draft.Ghost{}, nil },
	drawn: func(ctx context.Context, b *Board, v view) (*Picture, error) {
		return b.arrival(ctx, v, nil, v.Kit.Target)
	},
}

// Arrival is the drawing of Export: the asset as it came and as it leaves, with what arrived of an export over it as a
// target of the house takes it; sent may be nil.
func (b *Board) Arrival(ctx context.Context, o *work.Opened, sent *work.Sent, at target.Target) (*Picture, error) {
	v, err := look(o, export.Info.ID, 0)
	if err != nil {
		return nil, err
	}
	return b.arrival(ctx, v, sent, at)
}

func (b *Board) arrival(ctx context.Context, v view, sent *work.Sent, at target.Target) (*Picture, error) {
	p := &Picture{Ratio: 1}
	for _, f := range v.stop.Report.Findings() {
		p.Findings = append(p.Findings, Numbered{Finding: f, Number: len(p.Findings) + 1})
	}
	came, err := b.came(ctx, v.Opened, v.stop.FromSource)
	if err != nil {
		return nil, err
	}
	a := draft.NewArrival(came.Box, v.box)
	a.Asset, a.Kit, a.Revision, a.Receiver, a.CameWords = v.Asset.Name, v.Kit.Name, v.Revision.Number, at.Name, came.Words
	if a.Came.View, err = b.stoodFront(ctx, came, a.Came.Scale); err != nil {
		return nil, err
	}
	if a.Left.View, err = b.viewFront(ctx, v, a.Left.Scale); err != nil {
		return nil, err
	}
	if sent != nil && sent.Harm == nil {
		if err := b.readBack(ctx, v, a, sent, at); err != nil {
			return nil, err
		}
	}
	p.Drawn = a.Draw()
	return p, nil
}

// standing is something that can be drawn: by its key, with its box in the frame of the paper.
type standing struct {
	Box   geom.Box // zero of what is Bare
	Bare  bool     // there is nothing to draw
	Words []string // how it is unlike what leaves

	key   string
	scene func(context.Context) (*scene.Scene, error)
}

// modelOf is what is drawn of it. It is not kept: its drawing is.
func modelOf(ctx context.Context, s standing) (*draft.Model, error) {
	of, err := s.scene(ctx)
	if err != nil {
		return nil, err
	}
	m := draft.NewModel(ctx, of)
	return m, ctx.Err()
}

// stoodFront draws the front of something at scale pixels a metre.
func (b *Board) stoodFront(ctx context.Context, s standing, scale float64) (draft.View, error) {
	if s.Bare {
		return draft.View{}, nil
	}
	return work.Derive(ctx, b.desk.Derived, "stood", fmt.Sprintf("%s %g", s.key, scale),
		func(ctx context.Context) (draft.View, error) {
			m, err := modelOf(ctx, s)
			if err != nil {
				return draft.View{}, err
			}
			front := m.Draw(ctx, draft.Front, scale)
			return front, ctx.Err()
		})
}

// came is an asset as its target would have it with nothing decided; left brings coordinates as Source leaves them to
// what leaves.
func (b *Board) came(ctx context.Context, o *work.Opened, left geom.Affine) (standing, error) {
	t := o.Kit.Target
	key := fmt.Sprintf("came %d %s for %s", o.Asset.ID, o.Result.Stops()[0].Key, t.JSON())
	of := func(context.Context) (*scene.Scene, error) {
		c, err := deliver.AsItCame(o.Result.Read, t)
		return c.Scene, err
	}
	s, err := work.Derive(ctx, b.desk.Derived, "came", fmt.Sprint(key, left), func(context.Context) (standing, error) {
		c, err := deliver.AsItCame(o.Result.Read, t)
		if err != nil {
			return standing{}, err
		}
		out := standing{Box: onPaper(c.Scene), Words: c.Unlike(left, t)}
		if out.Bare = out.Box.IsEmpty(); out.Bare { // which can't be kept
			out.Box = geom.Box{}
		}
		return out, ctx.Err()
	})
	if s.key, s.scene = key, of; s.Bare {
		s.Box = geom.EmptyBox()
	}
	return s, err
}

// AsItCame is an asset as its target would have it with nothing decided.
type AsItCame struct {
	SVG   string   // its front beside something everybody knows the size of, "" where there is nothing to draw
	Words []string // how it is unlike what leaves by now; none where it is not
	For   string   // name of the target
}

// Of the small drawing of what came.
const cameW, cameH = 300.0, 170.0

// Came draws it.
func (b *Board) Came(ctx context.Context, o *work.Opened) (AsItCame, error) {
	stop, err := o.Result.Stop(export.Info.ID)
	if err != nil {
		return AsItCame{}, err
	}
	s, err := b.came(ctx, o, stop.FromSource)
	if err != nil || s.Bare {
		return AsItCame{Words: s.Words, For: o.Kit.Target.Name}, err
	}
	small := draft.NewSmall(s.Box, cameW, cameH)
	small.View, err = b.stoodFront(ctx, s, small.Scale)
	return AsItCame{small.Draw(cameW, cameH), s.Words, o.Kit.Target.Name}, err
}

// SmallOf draws the front of a scene that stands in a target's basis, beside something everybody knows the size of; ""
// where there is nothing to draw.
func (b *Board) SmallOf(ctx context.Context, s *scene.Scene) (string, error) {
	box := onPaper(s)
	if box.IsEmpty() || box.Size().Max() < draft.Least {
		return "", nil
	}
	small := draft.NewSmall(box, cameW, cameH)
	small.View = draft.NewModel(ctx, s).Draw(ctx, draft.Front, small.Scale)
	return small.Draw(cameW, cameH), ctx.Err()
}

// CameTurntable is the same packed for the turntable.
func (b *Board) CameTurntable(ctx context.Context, o *work.Opened) ([]byte, error) {
	stop, err := o.Result.Stop(export.Info.ID)
	if err != nil {
		return nil, err
	}
	s, err := b.came(ctx, o, stop.FromSource)
	if err != nil {
		return nil, err
	}
	if o.Result.Read.Count().Triangles > turntableTriangles {
		return nil, fault.New(fault.Limit, "the turntable shows up to 2 million triangles, and what came has more")
	}
	m, err := modelOf(ctx, s)
	if err != nil {
		return nil, err
	}
	return m.Turntable(ctx, draft.Table{})
}

// onPaper is the box of a scene in the frame of the paper.
func onPaper(s *scene.Scene) geom.Box { return s.Bounds().Carried(s.Basis.To(geom.GLTF)) }

// back is what arrived of an export.
type back struct {
	Box  geom.Box
	View draft.View
}

// readBack draws what arrived of an export over what leaves, and says how far they are apart.
func (b *Board) readBack(ctx context.Context, v view, a *draft.Arrival, sent *work.Sent, at target.Target) error {
	key := fmt.Sprintf("%d %s at %s %g", sent.ID, sent.SHA, at.JSON(), a.Left.Scale)
	got, err := work.Derive(ctx, b.desk.Derived, "arrived", key, func(ctx context.Context) (back, error) {
		s, err := b.desk.Received(ctx, sent.ID, at)
		if err != nil {
			return back{}, err
		}
		if s = deliver.First(s, at); s.Bounds().IsEmpty() {
			return back{}, ctx.Err()
		}
		return back{onPaper(s), draft.NewModel(ctx, s).Outline(ctx, draft.Front, a.Left.Scale)}, ctx.Err()
	})
	if err != nil {
		return err
	}
	a.Arrived = &draft.Stood{Box: got.Box, Scale: a.Left.Scale, View: got.View}
	near := 1e-5 * v.box.Size().Max()
	apart := sent.Certificate.Apart
	switch mine := at.Equal(sent.Target); {
	case mine && apart != nil:
		a.Words = "apart at most " + figure.Length(*apart)
		a.Alarm = *apart > near
	case got.Box.Min.Near(v.box.Min, near) && got.Box.Max.Near(v.box.Max, near):
		a.Words = "stands where it is meant to"
	default:
		z := got.Box.Size()
		a.Alarm, a.Words = true, fmt.Sprintf("arrives %s wide, %s high, %s deep", figure.Length(z[0]), figure.Length(z[1]),
			figure.Length(z[2]))
	}
	return nil
}
