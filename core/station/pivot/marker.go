package pivot

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Marker is a named point with a heading, carried along with the mesh.
type Marker struct {
	Name string `json:"name"`
	// At is in metres as Source leaves the scene, so that it stays on the mesh.
	At      geom.Vec3 `json:"at"`
	Heading float64   `json:"heading,omitempty"` // degrees anticlockwise from above, from the front
	Drop    Drop      `json:"drop,omitempty"`
}

// Drop lowers a marker.
type Drop string

// A marker stays where it was picked, or is dropped.
const (
	Stay        Drop = ""
	ToGround    Drop = "ground"  // to the height of the asset's base
	ToSurface   Drop = "surface" // to the surface below it
	maxMarkers       = 500
	markerShort      = 120
)

// validMarkers checks that markers have names of their own and places within bounds.
func validMarkers(list []Marker) error {
	if len(list) > maxMarkers {
		return fmt.Errorf("at most %d markers are kept", maxMarkers)
	}
	seen := map[string]bool{}
	for _, m := range list {
		if m.Name == "" || len([]rune(m.Name)) > markerShort {
			return fmt.Errorf("a marker needs a name of up to %d letters", markerShort)
		}
		if seen[m.Name] {
			return fmt.Errorf("two markers are called “%s”: a receiver finds them by name", m.Name)
		}
		seen[m.Name] = true
		if !slices.Contains([]Drop{Stay, ToGround, ToSurface}, m.Drop) {
			return fmt.Errorf("%q is no way to drop a marker: expected ground or surface", m.Drop)
		}
		if !(math.Abs(m.Heading) <= 3600) {
			return fmt.Errorf("a heading of %g degrees is out of bounds", m.Heading)
		}
		if err := bounded(m.At); err != nil {
			return err
		}
	}
	return nil
}

// Marked is a marker in the outcome.
type Marked struct {
	Marker
	Place  geom.Vec3   // metres, in the target's basis
	Height float64     // above the asset's base
	Adrift bool        // it was to drop to a surface and there is none below
	Frame  geom.Affine // where it stands and how it is turned, in the outcome
}

// markers finds where they stand. frame is the pivot's, in coordinates before.
func (r *Report) markers(ctx context.Context, out *scene.Scene, d Decisions, ask Ask, frame geom.Affine) {
	if len(d.Markers) == 0 {
		return
	}
	basis := out.Basis
	up := basis.Up.Vec()
	base := OnBoxPoint(r.Before, basis, [3]int{0, -1, 0}).Dot(up)
	var tree *geom.BVH
	for _, m := range d.Markers {
		p := ask.Source.Apply(m.At)
		k := Marked{Marker: m}
		switch m.Drop {
		case ToGround:
			p = p.Add(up.Mul(base - p.Dot(up)))
		case ToSurface:
			if tree == nil {
				tree = surface(ctx, out)
			}
			// From a little above, in the outcome's coordinates: the surface it was picked
			// on is the first below.
			lift := 1e-4 * r.Before.Size().Len()
			q := r.Map.Apply(p).Add(up.Mul(lift))
			if h, ok := tree.First(q, up.Mul(-1), math.Inf(1)); ok {
				p = p.Sub(up.Mul(h.Distance - lift))
			} else {
				k.Adrift = true
			}
		}
		k.Height = p.Dot(up) - base
		k.Frame = r.Map.Mul(geom.Affine{M: aboutUp(basis, m.Heading), T: p})
		if d.Under {
			k.Frame = geom.Affine{M: aboutUp(basis, m.Heading), T: p}
		}
		k.Place = k.Frame.T
		r.Markers = append(r.Markers, k)
		if k.Adrift {
			at := k.Place
			r.Say(finding.Finding{Code: "pivot/marker-adrift", Severity: finding.Look,
				Title: fmt.Sprintf("Nothing is below the marker “%s”", m.Name),
				Text:  "It was to drop to the surface below; it stays where it was picked.", Place: finding.Place{Point: &at}})
		}
	}
}

// Delivered are the markers as they leave.
func (r *Report) Delivered() []scene.Marker {
	var out []scene.Marker
	for _, m := range r.Markers {
		out = append(out, scene.Marker{Name: m.Name, Frame: m.Frame})
	}
	return out
}

// surface is all triangles of a scene where they stand.
func surface(ctx context.Context, s *scene.Scene) *geom.BVH {
	var pts []geom.Vec3
	var tris []int32
	for _, m := range s.Flattened().Meshes {
		base := int32(len(pts))
		pts = append(pts, m.Points...)
		m.EachTriangle(func(_ int, a, b, c int32) {
			tris = append(tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		})
	}
	return geom.NewBVH(ctx, pts, tris)
}

// grid measures by how much the box is off the kit's grid, counted from the pivot.
func (r *Report) grid(basis geom.Basis, ask Ask) {
	if ask.Grid <= 0 {
		return
	}
	view := basis.ToView()
	lo, hi := view.Apply(r.Box.Min.Sub(r.Origin)), view.Apply(r.Box.Max.Sub(r.Origin))
	for k := range 3 {
		v := min(lo[k], hi[k])
		r.OffGrid[k] = v - math.Round(v/ask.Grid)*ask.Grid
		if math.Abs(r.OffGrid[k]) < 1e-9 {
			r.OffGrid[k] = 0
		}
	}
}

// judgeGrid speaks of a modular piece whose pivot is off the kit's grid.
func (r *Report) judgeGrid(d Decisions, ask Ask) {
	off := max(math.Abs(r.OffGrid[0]), math.Abs(r.OffGrid[1]), math.Abs(r.OffGrid[2]))
	if !ask.Module || ask.Grid <= 0 || off < 0.0002 {
		return
	}
	snap := d
	snap.Snap = true
	at := r.Origin
	f := finding.Finding{Code: "pivot/off-grid", Severity: finding.Look, Title: "The pivot is off the kit’s grid by " +
		figure.Length(off),
		Text: fmt.Sprintf("Counted from it, the piece begins %s across, %s up and %s deep beside a line of the %s grid; "+
			"placed on the "+
			"grid, it would not meet its neighbours.",
			figure.Length(math.Abs(r.OffGrid[0])), figure.Length(math.Abs(r.OffGrid[1])), figure.Length(math.Abs(r.OffGrid[2])),
			figure.Length(ask.Grid)),
		Place: finding.Place{Point: &at}}
	if !d.Snap {
		f.Remedies = []finding.Remedy{{Label: "Snap it to the grid",
			Effect:   "The pivot goes to the nearest place, at the base, from which the piece begins on grid lines.",
			Decision: snap}}
	}
	r.Say(f)
}
