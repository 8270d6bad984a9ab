package show

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/station/slots"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// Bounds of what is sent to the turntable, in triangles: as paper, and with materials, where
// each corner has more to carry.
const (
	turntableTriangles = 2_000_000
	paintedTriangles   = 1_000_000
)

// Turntable is a station's scene packed for the solid view, with what stands beside it there;
// see [draft.Model.Turntable]. More than it can show is a *fault.Error of the kind Limit.
func (b *Board) Turntable(ctx context.Context, o *work.Opened, id string, height float64) ([]byte, error) {
	v, err := look(o, id, height)
	if err != nil {
		return nil, err
	}
	if n := v.stop.Scene.Count().Triangles; n > turntableTriangles {
		return nil, fault.New(fault.Limit,
			"the turntable shows up to 2 million triangles, and this has more; the drawing shows it all")
	}
	m, err := b.model(ctx, v)
	if err != nil {
		return nil, err
	}
	t := draft.Table{Height: height, Ground: v.layout.Ground(v.box),
		Axes: [3]string{v.stop.Letters.Right().Neg().String(), v.stop.Letters.Up.String(), v.stop.Letters.Forward.String()}}
	for _, l := range v.face.layers(v) {
		switch l := l.(type) {
		case draft.Datum:
			t.Pivot, t.Heading = &l.At, l.Heading
		case draft.Marker:
			t.Marks = append(t.Marks, l.At)
		case draft.Flaws:
			t.Flaws = l
		case draft.Solids:
			t.Solids, t.Patches = l.List, [2][]draft.Patch{l.Out, l.Air}
		}
	}
	return m.Turntable(ctx, t)
}

// Painted is the same scene with its materials, or with another look; see [draft.Painted].
func (b *Board) Painted(ctx context.Context, o *work.Opened, id string, as draft.Coat) ([]byte, error) {
	v, err := look(o, id, 0)
	if err != nil {
		return nil, err
	}
	return b.painted(ctx, v, v.stop.Scene, as)
}

// painted is a scene in the place of a view's.
func (b *Board) painted(ctx context.Context, v view, s *scene.Scene, as draft.Coat) ([]byte, error) {
	if !slices.Contains(draft.Coats, as) {
		return nil, fault.Input("%q is no look: expected one of %v", as, draft.Coats)
	}
	if n := s.Count().Triangles; n > paintedTriangles {
		return nil, fault.New(fault.Limit,
			"the turntable shows materials, shading, checker and density of up to a million triangles, and this has more; "+
				"it shows it as paper")
	}
	return draft.Painted(ctx, s, geom.Linear(v.paper), as, draft.Shown{
		Has: func(image int) bool { return picture.Shown(s.Images[image].Data) },
		Down: func(image int) bool {
			list := v.Result.Slots
			if s != v.stop.Scene || v.stop.ID != slots.Info.ID && v.stop.ID != export.Info.ID || list == nil ||
				image >= len(list.Pictures) {
				return false
			}
			return list.Pictures[image].Green == texture.GreenDown
		}})
}

// pictureSide bounds the pictures on the turntable, in pixels.
const pictureSide = 2048

// Shot is a picture as a browser shows it.
type Shot struct {
	Data []byte
	MIME string
	Name string // of a file that is kept, "" of one that is looked at
}

// Picture is one of the images of a station's scene, by its number. Without such an image the
// error is a *fault.Error. What has to be made smaller or into another format is made one at
// a time, and kept.
//
// channel is which of it is shown as grey, 1 to 4 for red, green, blue and alpha; 0 for all of it.
func (b *Board) Picture(ctx context.Context, o *work.Opened, id string, image, channel int) (Shot, error) {
	stop, err := o.Result.Stop(id)
	if err != nil {
		return Shot{}, err
	}
	all := stop.Scene.Images
	if image < 0 || image >= len(all) || !picture.Shown(all[image].Data) {
		return Shot{}, fault.New(fault.Missing, "there is no such picture that could be shown")
	}
	data := all[image].Data
	return work.Derive(ctx, b.desk.Derived, "picture", fmt.Sprintf("%s %d %d", stop.Key, image, channel),
		func(ctx context.Context) (Shot, error) {
			select {
			case b.painting <- struct{}{}:
				defer func() { <-b.painting }()
			case <-ctx.Done():
				return Shot{}, ctx.Err()
			}
			if channel > 0 {
				one := texture.Channel{From: channel - 1}
				var err error
				if data, err = texture.Make(ctx, [][]byte{data}, texture.Recipe{Sort: texture.Numbers,
					Pack: &[4]texture.Channel{one, one, one, {Of: -1, Value: 255}}}); err != nil {
					return Shot{}, fault.Input("%s: %v", all[image].Name, err)
				}
			}
			shown, mime, err := picture.OnScreen(data, pictureSide)
			if err != nil {
				return Shot{}, fault.Input("%s: %v", all[image].Name, err)
			}
			return Shot{Data: shown, MIME: mime}, nil
		})
}
