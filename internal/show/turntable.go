package show

import (
	"context"

	"yarvek/core/fault"
	"yarvek/internal/work"
)

// turntableTriangles bounds what is sent to the turntable.
const turntableTriangles = 2_000_000

// Turntable is a station's scene packed for the solid view; see [draft.Model]. More than
// it can show is a *fault.Error of the kind Limit.
func (b *Board) Turntable(ctx context.Context, o *work.Opened, id string) ([]byte, error) {
	v, err := look(o, id, 0)
	if err != nil {
		return nil, err
	}
	if n := v.stop.Scene.Count().Triangles; n > turntableTriangles {
		return nil, fault.New(fault.Limit, "the turntable shows up to 2 million triangles, and this has more; the drawing shows it all")
	}
	m, err := b.model(ctx, v.stop.Key, v.stop.Scene)
	if err != nil {
		return nil, err
	}
	return m.Turntable(), nil
}
