package show

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/station/axes"
	"yarvek/core/station/source"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// axesFace shows where the front is.
var axesFace = face{
	id:      axes.Info.ID,
	layers:  func(view) []draft.Layer { return []draft.Layer{draft.Dimensions{}, draft.Facing{}} },
	outline: outlineOfScene,
}

// Turn is how an asset is turned in a small drawing, from how it was read: of the frame of
// the paper. What differs by rounding is one turn.
type Turn geom.Mat3

// turnOf rounds a rotation.
func turnOf(m geom.Mat3) Turn {
	for i := range m {
		for k := range m[i] {
			m[i][k] = math.Round(m[i][k]*1e6)/1e6 + 0
		}
	}
	return Turn(m)
}

// String is the turn as part of an address; see [ParseTurn].
func (t Turn) String() string {
	var w []string
	for _, r := range t {
		for _, v := range r {
			w = append(w, strconv.FormatFloat(v, 'f', -1, 64))
		}
	}
	return strings.Join(w, ",")
}

// ParseTurn reads what String wrote. The error is a *fault.Error when it is no rotation or
// mirroring.
func ParseTurn(s string) (Turn, error) {
	w := strings.Split(s, ",")
	if len(w) != 9 {
		return Turn{}, fault.Input("%q is no turn: expected nine numbers", s)
	}
	var m geom.Mat3
	for i, v := range w {
		x, err := strconv.ParseFloat(v, 64)
		if err != nil || !(math.Abs(x) <= 1) {
			return Turn{}, fault.Input("%q is no turn: %q is no number from -1 to 1", s, v)
		}
		m[i/3][i%3] = x
	}
	for i, r := range m.Mul(m.Transpose()) {
		for k, v := range r {
			if want := map[bool]float64{true: 1}[i == k]; math.Abs(v-want) > 1e-4 {
				return Turn{}, fault.Input("%q is no turn: it stretches", s)
			}
		}
	}
	return turnOf(m), nil
}

// Stances are the turns of the small drawings in the order of the Axes report: of the six
// ways to stand and the four to face, of the resting poses, and of how the asset lies in
// receivers that honour a file's axes and in those that ignore them.
type Stances struct {
	Of                string // names what is drawn: equal names and turns mean equal drawings
	Stand, Face, Rest []Turn
	Lies              [][2]Turn // honoured, ignored
}

// stancePixels is the width and height of a small drawing.
const stancePixels = 84

// StancesOf lists them.
func StancesOf(o *work.Opened, st axes.Standing) Stances {
	rep := o.Result.Axes
	kept := o.Result.Stops()[0]
	out := Stances{Of: kept.Key}
	read := geom.GLTF.To(kept.Scene.Basis)
	for _, s := range rep.Stances {
		out.Stand = append(out.Stand, turnOf(s.Basis.To(geom.GLTF).Mul(read)))
	}
	for _, s := range rep.Facings {
		out.Face = append(out.Face, turnOf(s.Basis.To(geom.GLTF).Mul(read)))
	}
	paper := rep.Decided.To(geom.GLTF).Mul(read)
	for _, p := range st.Poses {
		out.Rest = append(out.Rest, turnOf(p.Map.Mul(paper)))
	}
	// How it lies in receivers, from how it stands now.
	stood := geom.GLTF.To(rep.Target).Transpose().Mul(rep.Map.M).Mul(read)
	for _, l := range rep.Lies {
		out.Lies = append(out.Lies, [2]Turn{turnOf(l.Honoured.Map.Mul(stood)), turnOf(l.Ignored.Map.Mul(stood))})
	}
	return out
}

// Small draws an opened asset from the front, turned so, as SVG that stands by itself. So
// small, it is the same whatever the asset was scaled by.
func (b *Board) Small(ctx context.Context, o *work.Opened, turn Turn) (string, error) {
	kept, err := o.Result.Stop(source.Info.ID)
	if err != nil {
		return "", err
	}
	return work.Derive(ctx, b.desk.Derived, "thumb", fmt.Sprintf("%s %s", kept.Key, turn),
		func(ctx context.Context) (string, error) {
			m, err := b.first(ctx, o)
			if err != nil {
				return "", err
			}
			return m.Thumb(ctx, geom.Mat3(turn), stancePixels)
		})
}
