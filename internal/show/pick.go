package show

import (
	"context"
	"fmt"

	"yarvek/core/cloud"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station/pivot"
	"yarvek/core/station/source"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// Sight is where somebody points: a place on the paper of the drawing, or a ray of
// the turntable in the frame of the paper.
type Sight struct {
	Station string
	Height  float64 // of the artist's own figure: the drawing is laid out with it
	X, Y    float64 // on the paper, when Ray is nil
	Ray     *[2]geom.Vec3
	Spread  float64 // metres beside the ray for each metre along it
}

// Picked is what was pointed at. Points are in metres; Source is in coordinates as
// Source leaves the scene, which is how decisions keep it.
type Picked struct {
	Kind   draft.Catch   `json:"kind"`
	Source geom.Vec3     `json:"source"`
	Edge   *[2]geom.Vec3 `json:"edge,omitempty"` // likewise, of the feature edge
	Shown  geom.Vec3     `json:"shown"`          // in the frame of the paper
	Paper  [3][2]float64 `json:"paper"`          // in each view
	Face   float64       `json:"face"`           // heading of the surface, degrees
	Say    string        `json:"say"`
}

// Pick finds what somebody points at. Where no mesh is, the error is a *fault.Error.
func (b *Board) Pick(ctx context.Context, o *work.Opened, at Sight) (Picked, error) {
	v, err := look(o, at.Station, at.Height)
	if err != nil {
		return Picked{}, err
	}
	m, err := b.model(ctx, v)
	if err != nil {
		return Picked{}, err
	}
	var pick draft.Pick
	var ok bool
	if at.Ray != nil {
		pick, ok, err = m.Pick(ctx, at.Ray[0], at.Ray[1], func(dist float64) float64 { return dist * at.Spread })
	} else if r, in := v.layout.Sight(v.box, at.X, at.Y); in && v.face.drawn == nil {
		pick, ok, err = m.Pick(ctx, r.From, r.Along, v.layout.Reach())
	}
	if err != nil {
		return Picked{}, err
	}
	if !ok {
		return Picked{}, fault.New(fault.Missing, "nothing of the mesh is there; point at it")
	}
	back, can := v.onPaper.Inverse()
	if !can {
		return Picked{}, fault.Input("the asset has no size here, so no place on it can be kept")
	}
	p := Picked{Kind: pick.Kind, Source: back.Apply(pick.Point), Shown: pick.Point,
		Paper: v.layout.Places(v.box, pick.Point),
		Face:  draft.HeadingOf(pick.Normal), Say: catchWords[pick.Kind]}
	if pick.HasEdge() {
		p.Edge = &[2]geom.Vec3{back.Apply(pick.Edge[0]), back.Apply(pick.Edge[1])}
		long := figure.Length(pick.Edge[0].Dist(pick.Edge[1]))
		if pick.Kind == draft.Corner {
			p.Say += fmt.Sprintf(" of an edge %s long", long)
		} else {
			p.Say += fmt.Sprintf(", %s long", long)
		}
	}
	return p, nil
}

// Feature is the seat of the pivot on what points lie on near a place, both as Source leaves the scene; metres. The
// error is a *fault.Error.
func Feature(o *work.Opened, sort cloud.Sort, at geom.Vec3, reach float64) (pivot.Seat, error) {
	stop, err := o.Result.Stop(source.Info.ID)
	if err != nil {
		return pivot.Seat{}, err
	}
	s := stop.Scene
	for i, world := range s.Worlds() {
		if n := s.Nodes[i]; n.Mesh >= 0 && s.Meshes[n.Mesh].Cloud != nil {
			f, err := s.Meshes[n.Mesh].Cloud.FeatureAt(sort, at, reach, world)
			return pivot.Seat{Place: pivot.OnPicks, Picks: []geom.Vec3{f.Centre},
				Feature: pivot.Feature{Sort: f.Sort, Radius: f.Radius, RMS: f.RMS}}, err
		}
	}
	return pivot.Seat{}, fault.Input("there are no points without faces here")
}

var catchWords = map[draft.Catch]string{draft.Corner: "a corner", draft.Middle: "the middle of an edge",
	draft.Edge: "an edge", draft.Surface: "the surface",
	draft.Dot: "a point"}

// OnPaper gives the paper positions, in the three views of a station's drawing, of a
// point in coordinates as Source leaves the scene. The error is a
// *station.UnknownError.
func OnPaper(o *work.Opened, id string, p geom.Vec3) ([3][2]float64, error) {
	v, err := look(o, id, 0)
	if err != nil {
		return [3][2]float64{}, err
	}
	return v.layout.Places(v.box, v.onPaper.Apply(p)), nil
}
