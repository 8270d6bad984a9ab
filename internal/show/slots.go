package show

import (
	"context"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/picture"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station/budget"
	"yarvek/core/station/slots"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// slotsFace hatches each slot in its own way.
var slotsFace = face{
	id:  slots.Info.ID,
	ask: draft.Ask{Ground: true},
	layers: func(v view) []draft.Layer {
		var list draft.SlotLegend
		for _, s := range v.Result.Slots.Slots {
			if s.Stat.Faces > 0 {
				list = append(list, draft.SlotKey{Letter: s.Letter, Name: s.Name,
					Note: fmt.Sprintf("%s · %s tri", figure.Percent(s.Share), budget.Short(s.Stat.Triangles))})
			}
		}
		return []draft.Layer{list}
	},
	bySlot: slotOrder,
	outline: func(_ context.Context, _ *Board, now, then view) (draft.Ghost, error) {
		a, b := now.Result.Slots, then.Result.Slots
		say := fmt.Sprintf("%s then, %s against %d", b.Figure(), figure.Plural(b.Calls, "draw call", "draw calls"), a.Calls)
		if a.Memory.Blocks != b.Memory.Blocks {
			say += fmt.Sprintf("; pictures take %s against %s", figure.Bytes(b.Memory.Blocks), figure.Bytes(a.Memory.Blocks))
		}
		return draft.Ghost{Box: now.box, Say: say}, nil
	},
}

// slotOrder is the place of each material, by number plus one, among the slots that have faces; 0 of one
// that has none.
func slotOrder(v view) []int {
	r := v.Result.Slots
	order := make([]int, len(v.stop.Scene.Materials)+1)
	n := 0
	for i, s := range r.Slots {
		if s.Stat.Faces == 0 {
			continue
		}
		if s.Key == scene.NoSlot {
			order[0] = n
		} else {
			order[i+1] = n
		}
		n++
	}
	return order
}

// thumbSide and compareSide bound pictures in a table, and those that are set side by side.
const (
	thumbSide   = 96
	compareSide = 1024
)

// gain is how many times over differences between pictures are shown.
const gain = 8

// PictureAs is a picture that leaves, by its number: small, before, after or difference to be looked at,
// original or made as a file; before and original are those of the picture with number of, of those that
// go in. Any other word is a *fault.Error, as is a picture that is missing.
func (b *Board) PictureAs(ctx context.Context, o *work.Opened, n int, as string, of int) (Shot, error) {
	x := o.Result.Slots.Pictures[n]
	var came scene.Image
	if of >= 0 && of < len(x.Came) {
		came = x.Came[of]
	}
	stop, err := o.Result.Stop(slots.Info.ID)
	if err != nil {
		return Shot{}, err
	}
	var seen scene.Image
	side := compareSide
	switch as {
	case "small":
		seen, side = x.Image, thumbSide
	case "after":
		seen = x.Image
	case "before":
		seen = came
	case "original":
		return kept(came)
	case "made":
		return kept(x.Image)
	case "difference":
	default:
		return Shot{}, fault.New(fault.Missing, "a picture is shown small, before, after or by its difference, not %q", as)
	}
	if as == "difference" && (!came.Found() || !x.Made || len(x.In) != 1) || as != "difference" &&
		!picture.Shown(seen.Data) {
		return Shot{}, fault.New(fault.Missing, "there is no such picture that could be shown")
	}
	return work.Derive(ctx, b.desk.Derived, "picture", fmt.Sprintf("%s slots %d %s %d", stop.Key, n, as, of),
		func(ctx context.Context) (Shot, error) {
			select {
			case b.painting <- struct{}{}:
				defer func() { <-b.painting }()
			case <-ctx.Done():
				return Shot{}, ctx.Err()
			}
			data := seen.Data
			if as == "difference" {
				if data, _, err = texture.Difference(ctx, came.Data, x.Image.Data, x.Recipe.Sort, gain); err != nil {
					return Shot{}, fault.Input("%s: %v", x.Name, err)
				}
			}
			shown, mime, err := picture.OnScreen(data, side)
			if err != nil {
				return Shot{}, fault.Input("%s: %v", x.Name, err)
			}
			return Shot{Data: shown, MIME: mime}, nil
		})
}

// kept is a picture's file.
func kept(im scene.Image) (Shot, error) {
	if !im.Found() {
		return Shot{}, fault.New(fault.Missing, "“%s” did not come along", im.Name)
	}
	name := im.Name
	if picture.Suffix(im.MIME) != "" && len(name) < 5 || name == "" {
		name += picture.Suffix(im.MIME)
	}
	return Shot{Data: im.Data, MIME: "application/octet-stream", Name: name}, nil
}
