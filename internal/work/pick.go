package work

import (
	"context"
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/internal/draft"
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
	Kind   string        `json:"kind"`
	Source geom.Vec3     `json:"source"`
	Edge   *[2]geom.Vec3 `json:"edge,omitempty"` // likewise, of the feature edge
	Shown  geom.Vec3     `json:"shown"`          // in the frame of the paper
	Paper  [3][2]float64 `json:"paper"`          // in each view
	Face   float64       `json:"face"`           // heading of the surface, degrees
	Say    string        `json:"say"`
}

// toShown is the map from what Source left to the scene a station's drawing shows,
// in the frame of the paper.
func (sh *Sheet) toShown(station string) geom.Affine {
	r := sh.Result
	s, _ := sh.Shown(station)
	paper := geom.Linear(s.Basis.To(geom.GLTF))
	switch station {
	case "source":
		return paper
	case "size":
		return paper.Mul(geom.Linear(geom.Identity3.Scaled(r.Size.Factor)))
	case "axes":
		return paper.Mul(r.ToStood())
	}
	return paper.Mul(r.ToReady())
}

// layout is how a station's drawing lies on the paper: its box and its layout.
func (sh *Sheet) layout(station string, height float64) (geom.Box, draft.Layout) {
	s, _ := sh.Shown(station)
	box := sh.box(station).Carried(s.Basis.To(geom.GLTF))
	return box, draft.Arrange(box, draft.Ask{Known: station == "size", Height: height, Ground: station == "pivot" || station == "export", Bare: station == "pivot"})
}

// Pick finds what somebody points at.
func (d *Desk) Pick(ctx context.Context, sh *Sheet, at Sight) (Picked, error) {
	if err := ctx.Err(); err != nil {
		return Picked{}, err
	}
	s, key := sh.Shown(at.Station)
	box, lay := sh.layout(at.Station, at.Height)
	m := d.models.get(key, s)
	var pick draft.Pick
	var ok bool
	if at.Ray != nil {
		pick, ok = m.Pick(at.Ray[0], at.Ray[1], func(dist float64) float64 { return dist * at.Spread })
	} else if r, in := lay.Sight(box, at.X, at.Y); in {
		pick, ok = m.Pick(r.From, r.Along, lay.Reach())
	}
	if !ok {
		return Picked{}, inputError("nothing of the mesh is there; point at it")
	}
	back, can := sh.toShown(at.Station).Inverse()
	if !can {
		return Picked{}, inputError("the asset has no size here, so no place on it can be kept")
	}
	p := Picked{Kind: pick.Kind, Source: back.Apply(pick.Point), Shown: pick.Point, Paper: lay.Places(box, pick.Point)}
	words := map[string]string{"corner": "a corner", "middle": "the middle of an edge", "edge": "an edge", "surface": "the surface"}
	p.Say = words[pick.Kind]
	if pick.HasEdge() {
		p.Edge = &[2]geom.Vec3{back.Apply(pick.Edge[0]), back.Apply(pick.Edge[1])}
		p.Say += fmt.Sprintf(" of an edge %s long", figure.Length(pick.Edge[0].Dist(pick.Edge[1])))
		if pick.Kind == "edge" || pick.Kind == "middle" {
			p.Say = fmt.Sprintf("%s, %s long", words[pick.Kind], figure.Length(pick.Edge[0].Dist(pick.Edge[1])))
		}
	}
	p.Face = draft.HeadingOf(pick.Normal)
	return p, nil
}

// Area turns a rectangle on the plan into the sideways and frontward extents a rule
// of Source keeps: right, forward, right, forward, as read.
func (d *Desk) Area(sh *Sheet, x0, y0, x1, y1 float64) [4]float64 {
	box, lay := sh.layout("source", 0)
	a := lay.Area(box, x0, y0, x1, y1)
	// The paper's x runs to the viewer's right, which is the asset's own left; rules go
	// by the scene as read, the drawing shows it moved.
	m := sh.Result.Read.Basis.ToView().Apply(sh.Prep.Source.Move)
	return [4]float64{m[0] - a[2], m[2] + a[1], m[0] - a[0], m[2] + a[3]}
}

// Measured is a distance between two picked points.
type Measured struct {
	From, To geom.Vec3 // as Source leaves them
	Length   float64   // metres now
	Along    geom.Vec3 // sideways, up and frontward share of it; metres
}

// Measure tells how far two points are apart at a station.
func (sh *Sheet) Measure(station string, from, to geom.Vec3) Measured {
	m := sh.toShown(station)
	d := m.Apply(to).Sub(m.Apply(from))
	for k := range 3 {
		d[k] = max(d[k], -d[k])
	}
	return Measured{from, to, d.Len(), d}
}

// OnPaper gives the paper positions, in the three views, of a point in coordinates as
// Source leaves the scene.
func (sh *Sheet) OnPaper(station string, p geom.Vec3) [3][2]float64 {
	box, lay := sh.layout(station, 0)
	return lay.Places(box, sh.toShown(station).Apply(p))
}
