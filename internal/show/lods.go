package show

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station/lods"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// lodsFace is the ladder: every LOD at the size it takes over at, over what is drawn from where.
var lodsFace = face{
	id:     lods.Info.ID,
	ask:    draft.Ask{Ground: true},
	layers: func(view) []draft.Layer { return nil },
	outline: func(_ context.Context, _ *Board, now, then view) (draft.Ghost, error) {
		r := then.Result.LODs
		g := draft.Ghost{Box: now.box}
		switch {
		case r.Pending:
			g.Say = "They would have to be made first"
		case len(r.LODs) == 1:
			g.Say = "There would be no LODs"
		default:
			var list []string
			for _, l := range r.LODs[1:] {
				list = append(list, fmt.Sprintf("%s from %s", figure.Count(l.Cost.Much()), figure.Length(l.From)))
			}
			g.Say = fmt.Sprintf("%s then: %s", figure.Plural(len(list), "LOD", "LODs"), strings.Join(list, ", "))
		}
		return g, nil
	},
	drawn: drawLadder,
}

// lodModel is a LOD ready to be drawn.
func (b *Board) lodModel(ctx context.Context, v view, n int) (*draft.Model, error) {
	if n == 0 {
		return b.model(ctx, v)
	}
	l := v.Result.LODs.LODs[n]
	return b.models.Get(ctx, "lod "+l.Key, func(ctx context.Context) (*draft.Model, error) {
		return draft.NewModel(ctx, l.Scene), ctx.Err()
	})
}

// drawLadder makes the ladder drawing.
func drawLadder(ctx context.Context, b *Board, v view) (*Picture, error) {
	r := v.Result.LODs
	d := &draft.Ladder{Asset: v.Asset.Name, Kit: v.Kit.Name, Revision: v.Revision.Number, Dots: r.Dots,
		Lines: r.View.Lines,
		Near:  r.Range.Near, Far: r.Range.Far,
		Allowed: r.Allowed, NearAt: r.View.NearAt, Vanish: v.Prep.LODs.Vanish, Factor: 1,
		Fade: float64(v.Prep.LODs.Fade) / 100}
	if len(r.LODs) > 1 {
		d.Near, d.Far = min(d.Near, r.LODs[1].From/1.3), max(d.Far, 1.3*r.LODs[len(r.LODs)-1].From)
	}
	switch {
	case v.box.IsEmpty():
		d.Say = "Nothing to draw: no polygons go on."
	case r.Pending:
		d.Say = "The LODs are still to be made."
	}
	if d.Say == "" {
		if err := b.rungs(ctx, v, d); err != nil {
			return nil, err
		}
	}
	p := &Picture{Ratio: d.Factor}
	for _, f := range r.Findings() {
		n := Numbered{Finding: f, Number: len(p.Findings) + 1}
		if k := r.About[f.Code]; k > 0 && k < len(d.Rungs) && f.Severity > finding.Note {
			d.Balloons = append(d.Balloons, draft.RungBalloon{Number: n.Number, Severity: f.Severity, Rung: k})
		}
		p.Findings = append(p.Findings, n)
	}
	p.Drawn = d.Draw()
	for i := range p.Findings {
		p.Findings[i].Zone = p.Drawn.Zones[p.Findings[i].Number]
	}
	return p, nil
}

// factors are the parts of the size on the screen that LODs may be drawn at.
var factors = []float64{1, 1. / 2, 1. / 3, 1. / 4, 1. / 5, 1. / 6, 1. / 8, 1. / 10, 1. / 15, 1. / 20, 1. / 30,
	1. / 50, 1. / 100, 1. / 200, 1. / 500, 1. / 1000}

// rungs draws the LODs of a ladder, all at one part of their size on the screen.
func (b *Board) rungs(ctx context.Context, v view, d *draft.Ladder) error {
	r := v.Result.LODs
	size := v.box.Size()
	// The first is drawn where the second takes over from it, or at the near end.
	at := func(i int) float64 {
		switch {
		case i > 0:
			return r.LODs[i].From
		case len(r.LODs) > 1:
			return r.LODs[1].From
		}
		return d.Near
	}
	wide := 0.0
	for i := range r.LODs {
		wide += max(size[0]*r.View.PixelsAt(at(i)), 66)
	}
	high := size[1] * r.View.PixelsAt(at(0))
	for _, f := range factors {
		if d.Factor = f; high*f <= draft.RungRoom && (wide*f <= 620 || f <= 1./30) {
			break
		}
	}
	if high*d.Factor > draft.RungRoom {
		d.Factor = draft.RungRoom / high
	}
	for i, l := range r.LODs {
		rung := draft.Rung{Number: l.Number, Triangles: l.Cost.Much(), From: l.From, Pixels: l.Pixels, Metres: l.Visible,
			High: size[1] * r.View.PixelsAt(at(i))}
		scale := r.View.PixelsAt(at(i)) * d.Factor
		key := v.standing()
		if i > 0 {
			key = l.Key
		}
		var err error
		drawn := fmt.Sprintf("%s %g", key, scale)
		rung.View, err = work.Derive(ctx, b.desk.Derived, "rung", drawn, func(ctx context.Context) (draft.View, error) {
			m, err := b.lodModel(ctx, v, i)
			if err != nil {
				return draft.View{}, err
			}
			return m.Silhouetted(ctx, draft.Front, scale), ctx.Err()
		})
		if err != nil {
			return err
		}
		if i > 0 && !r.Dots { // points have no outline
			if rung.Lens, err = b.lens(ctx, v, i); err != nil {
				return err
			}
		}
		d.Rungs = append(d.Rungs, rung)
	}
	return nil
}

// lensGap is how wide, in pixels of a lens, what outlines are apart is shown.
const lensGap = 14

// lensed is what is kept of a lens: it does not depend on the distance.
type lensed struct {
	Image  string
	Metres float64
	Side   float64 // metres of the lens
}

// lens shows where the outline of a LOD is farthest from that of the one before it.
func (b *Board) lens(ctx context.Context, v view, i int) (*draft.Lens, error) {
	r := v.Result.LODs
	key := v.standing() + "\n" + r.LODs[i].Key
	if i > 1 {
		key = r.LODs[i-1].Key + "\n" + r.LODs[i].Key
	}
	k, err := work.Derive(ctx, b.desk.Derived, "lens", key, func(ctx context.Context) (lensed, error) {
		before, now := r.LODs[i-1].Scene, r.LODs[i].Scene
		o := ladder.NewOutlines(ctx, before)
		at := o.Apart(ctx, o.Like(ctx, now))
		if at.Metres == 0 {
			return lensed{}, ctx.Err()
		}
		side := min(draft.LensSide/float64(lensGap)*at.Metres, 1.2*before.Bounds().Size().Len())
		return lensed{lensImage(ctx, before, now, at, side), at.Metres, side}, ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	// Outlines are no farther apart than the surfaces; cells may be coarser.
	off := min(k.Metres, r.LODs[i].Visible+r.LODs[i-1].Visible)
	l := &draft.Lens{Image: k.Image, Off: off * r.View.NearAt(r.LODs[i].From)}
	if k.Side > 0 {
		l.Times = draft.LensSide / (k.Side * r.View.PixelsAt(r.LODs[i].From))
	}
	return l, nil
}

// lensColours are those of [ladder.Lens]: paper, what both cover, what goes and what comes.
var lensColours = color.Palette{color.NRGBA{0xfb, 0xfc, 0xf8, 255}, color.NRGBA{0xcd, 0xd6, 0xd2, 255},
	color.NRGBA{0xc2, 0x39, 0x1a, 255},
	color.NRGBA{0x1f, 0x4f, 0xbf, 255}}

func lensImage(ctx context.Context, a, b *scene.Scene, at ladder.Apart, side float64) string {
	const n = 2 * draft.LensSide
	img := &image.Paletted{Pix: ladder.Lens(ctx, a, b, at, side, n), Stride: n, Rect: image.Rect(0, 0, n, n),
		Palette: lensColours}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return "" // a buffer in memory takes every write
	}
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes())
}

// Of a picture of two LODs.
const pairW, pairH = 1120.0, 600.0

// Pair draws two LODs of an asset beside one another, with the edges of all triangles, as large as
// there is room. Of one that is not there the error is a *fault.Error.
func (b *Board) Pair(ctx context.Context, o *work.Opened, first, second int) (string, error) {
	r := o.Result.LODs
	for _, n := range []int{first, second} {
		if n < 0 || n >= len(r.LODs) {
			return "", fault.New(fault.Missing, "there is no LOD of this number")
		}
	}
	v, err := look(o, lods.Info.ID, 0)
	if err != nil {
		return "", err
	}
	if v.box.IsEmpty() {
		return "", fault.New(fault.Missing, "there is nothing to draw")
	}
	size := v.box.Size()
	scale := min((pairW/2-60)/max(size[0], draft.Least), (pairH-100)/max(size[1], draft.Least))
	var views [2]draft.View
	var under [2]string
	var errs [2]error
	split.Together(func() { views[0], errs[0] = b.wire(ctx, v, first, scale) },
		func() { views[1], errs[1] = b.wire(ctx, v, second, scale) })
	for i, n := range [2]int{first, second} {
		if errs[i] != nil {
			return "", errs[i]
		}
		l := r.LODs[n]
		under[i] = fmt.Sprintf("LOD %d · %s", n, r.Counted(l))
		if n > 0 {
			under[i] += " · off by " + figure.Length(l.Deviation.Worst().Max) + " at most"
		}
	}
	return draft.Pair(views[0], views[1], under, pairW, pairH), nil
}

func (b *Board) wire(ctx context.Context, v view, n int, scale float64) (draft.View, error) {
	key := v.standing()
	if n > 0 {
		key = v.Result.LODs.LODs[n].Key
	}
	return work.Derive(ctx, b.desk.Derived, "wire", fmt.Sprintf("%s %g", key, scale),
		func(ctx context.Context) (draft.View, error) {
			m, err := b.lodModel(ctx, v, n)
			if err != nil {
				return draft.View{}, err
			}
			return m.Wire(ctx, draft.Front, scale), ctx.Err()
		})
}

// Level is a LOD packed for the turntable, as paper or with a look; see [Board.Turntable] and
// [Board.Painted].
func (b *Board) Level(ctx context.Context, o *work.Opened, n int, as draft.Coat) ([]byte, error) {
	r := o.Result.LODs
	if n < 1 || n >= len(r.LODs) {
		return nil, fault.New(fault.Missing, "there is no LOD of this number")
	}
	v, err := look(o, lods.Info.ID, 0)
	if err != nil {
		return nil, err
	}
	if as != "" {
		return b.painted(ctx, v, r.LODs[n].Scene, as)
	}
	m, err := b.lodModel(ctx, v, n)
	if err != nil {
		return nil, err
	}
	return m.Turntable(ctx, draft.Table{Ground: v.layout.Ground(v.box)})
}

// Distances of the turntable's slider: its ends, the angle the receiver sees, and where LODs take
// over.
type Distances struct {
	Near  float64   `json:"near"`
	Far   float64   `json:"far"`
	Angle float64   `json:"angle"`
	From  []float64 `json:"from"`
	Gone  float64   `json:"gone"` // from which on nothing is drawn, 0 for never
}

// DistancesOf are those of an asset; without LODs it has none to switch at.
func DistancesOf(o *work.Opened) Distances {
	r := o.Result.LODs
	d := Distances{Near: r.Range.Near, Far: r.Range.Far, Angle: r.View.Angle, Gone: o.Prep.LODs.Vanish}
	for _, l := range r.LODs[1:] {
		d.From = append(d.From, l.From)
	}
	if n := len(d.From); n > 0 {
		d.Near, d.Far = min(d.Near, d.From[0]/1.3), max(d.Far, 1.3*d.From[n-1])
	}
	if d.Gone > 0 {
		d.Far = max(d.Far, 1.2*d.Gone)
	}
	d.Far = max(d.Far, math.Nextafter(d.Near, math.Inf(1)))
	return d
}
