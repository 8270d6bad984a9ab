package show

import (
	"context"
	"fmt"

	"yarvek/core/station/pivot"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// reviewPixels is the width of one of the two pictures of a review.
const reviewPixels = 380

// Fronts draws the fronts of two outcomes at one scale, as SVG; "" where there is
// nothing to draw.
func (b *Board) Fronts(ctx context.Context, before, after *work.Opened) (was, is string, err error) {
	x, y := before.Result.Axes.Size, after.Result.Axes.Size
	largest := max(x[0], x[1], y[0], y[1])
	if largest < draft.Least {
		return "", "", nil
	}
	scale := reviewPixels * 0.8 / largest
	height := min(reviewPixels*0.72, max(x[1], y[1])*scale+24)
	for _, p := range []struct {
		o  *work.Opened
		to *string
	}{{before, &was}, {after, &is}} {
		v, err := b.front(ctx, p.o, scale)
		if err != nil {
			return "", "", err
		}
		*p.to = draft.Standing(v, reviewPixels, height)
	}
	return was, is, nil
}

// front is the front view of an asset as it is seated, at scale pixels a metre.
func (b *Board) front(ctx context.Context, o *work.Opened, scale float64) (draft.View, error) {
	v, err := look(o, pivot.Info.ID, 0)
	if err != nil {
		return draft.View{}, err
	}
	return b.viewFront(ctx, v, scale)
}

// viewFront is that of a view.
func (b *Board) viewFront(ctx context.Context, v view, scale float64) (draft.View, error) {
	return work.Derive(ctx, b.desk.Derived, "front", fmt.Sprintf("%s %g", v.standing(), scale),
		func(ctx context.Context) (draft.View, error) {
			m, err := b.model(ctx, v)
			if err != nil {
				return draft.View{}, err
			}
			front := m.Draw(ctx, draft.Front, scale)
			return front, ctx.Err()
		})
}
