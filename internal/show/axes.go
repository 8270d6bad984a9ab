package show

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/geom"
	"yarvek/core/split"
	"yarvek/core/station/axes"
	"yarvek/core/station/size"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// axesFace shows where the front is.
var axesFace = face{
	id:      axes.Info.ID,
	layers:  func(view) []draft.Layer { return []draft.Layer{draft.Dimensions{}, draft.Facing{}} },
	outline: outlineOfScene,
}

// Stances are small drawings, as SVG, in the order of the Axes report: of the six ways
// to stand and the four to face, of the resting poses, and of how the asset lies in
// receivers that honour a file's axes and in those that ignore them.
type Stances struct {
	Stand, Face, Rest []string
	Lies              [][2]string // honoured, ignored
}

// stancePixels is the width and height of a small drawing.
const stancePixels = 84

// Stances draws them. Each is kept by how the asset is turned in it, so that a decision
// draws only what is new.
func (b *Board) Stances(ctx context.Context, o *work.Opened, st axes.Standing) (Stances, error) {
	rep := o.Result.Axes
	out := Stances{Stand: make([]string, len(rep.Stances)), Face: make([]string, len(rep.Facings)),
		Rest: make([]string, len(st.Poses)), Lies: make([][2]string, len(rep.Lies))}
	sized, err := o.Result.Stop(size.Info.ID)
	if err != nil {
		return out, err
	}
	read := geom.GLTF.To(sized.Scene.Basis)
	var turns []geom.Mat3         // each once
	wanted := map[int][]*string{} // by turn
	number := map[geom.Mat3]int{} // of each turn
	want := func(to *string, by geom.Mat3) {
		for i := range by { // what differs by rounding is one turn
			for k := range by[i] {
				by[i][k] = math.Round(by[i][k]*1e6)/1e6 + 0
			}
		}
		n, ok := number[by]
		if !ok {
			n = len(turns)
			number[by] = n
			turns = append(turns, by)
		}
		wanted[n] = append(wanted[n], to)
	}
	for i, s := range rep.Stances {
		want(&out.Stand[i], s.Basis.To(geom.GLTF).Mul(read))
	}
	for i, s := range rep.Facings {
		want(&out.Face[i], s.Basis.To(geom.GLTF).Mul(read))
	}
	paper := rep.Decided.To(geom.GLTF).Mul(read)
	for i, p := range st.Poses {
		want(&out.Rest[i], p.Map.Mul(paper))
	}
	// How it lies in receivers, from how it stands now.
	stood := geom.GLTF.To(rep.Target).Transpose().Mul(rep.Map.M).Mul(read)
	for i, l := range rep.Lies {
		want(&out.Lies[i][0], l.Honoured.Map.Mul(stood))
		want(&out.Lies[i][1], l.Ignored.Map.Mul(stood))
	}
	errs := make([]error, len(turns))
	err = split.Each(ctx, len(turns), func(i int) {
		var svg string
		key := fmt.Sprintf("%s %v", sized.Key, turns[i])
		svg, errs[i] = work.Derive(ctx, b.desk.Derived, "thumb", key, func(ctx context.Context) (string, error) {
			m, err := b.model(ctx, sized.Key, sized.Scene)
			if err != nil {
				return "", err
			}
			return m.Thumb(ctx, turns[i], stancePixels)
		})
		for _, to := range wanted[i] {
			*to = svg
		}
	})
	for _, e := range errs {
		if err == nil {
			err = e
		}
	}
	return out, err
}
