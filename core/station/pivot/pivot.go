// Package pivot is station 4: where the asset turns and stands. Seating moves the
// asset so that the chosen place becomes the scene's origin.
package pivot

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Place says by what rule the pivot is seated.
type Place string

// The rules.
const (
	AsRead Place = ""
	OnBox  Place = "box"   // one of the 27 points of the bounding box
	At     Place = "point" // typed coordinates
)

// Decisions seat the pivot.
type Decisions struct {
	Place Place     `json:"place,omitempty"`
	Box   [3]int    `json:"box,omitzero"`   // right, up, forward: -1, 0 or 1
	Point geom.Vec3 `json:"point,omitzero"` // metres, x y z of the target's basis
	// Parts seats each part's own origin at the same point of its own box.
	Parts bool `json:"parts,omitempty"`
}

// BaseCentre is where a pivot nearly always belongs: the middle of the base.
var BaseCentre = Decisions{Place: OnBox, Box: [3]int{0, -1, 0}}

// Validate checks the decisions.
func (d Decisions) Validate() error {
	switch d.Place {
	case AsRead, OnBox, At:
	default:
		return fmt.Errorf("%q is no place for a pivot: expected box, point or none", d.Place)
	}
	for _, b := range d.Box {
		if b < -1 || b > 1 {
			return fmt.Errorf("%d is no side of a box: expected -1, 0 or 1", b)
		}
	}
	for _, c := range d.Point {
		if !(math.Abs(c) <= 1e9) {
			return fmt.Errorf("a coordinate of %g m is out of bounds", c)
		}
	}
	return nil
}

// Part tells where a node's own origin lies.
type Part struct {
	Name   string
	Origin geom.Vec3 // metres, in the target's basis
	Where  string    // against its own box, in words
	Off    float64   // how far outside its own box; metres
}

// Report is what the station found. Points are in the target's basis.
type Report struct {
	Before   geom.Box  // the box before seating
	Box      geom.Box  // and after
	Moved    geom.Vec3 // the place that became the origin, in coordinates before
	Where    string    // the origin against the box, in words
	Parts    []Part
	Findings []finding.Finding
}

// OnBoxPoint is one of the 27 points of a box, given by right, up and forward.
func OnBoxPoint(b geom.Box, basis geom.Basis, at [3]int) geom.Vec3 {
	c, half := b.Center(), b.Size().Mul(0.5)
	p := c
	for i, axis := range []geom.Axis{basis.Right(), basis.Up, basis.Forward} {
		k := axis.Index()
		p[k] = c[k] + float64(at[i])*axis.Sign()*half[k]
	}
	return p
}

// Run seats the pivot.
func Run(s *scene.Scene, d Decisions) (*scene.Scene, *Report) {
	boxes := s.NodeBounds()
	r := &Report{Before: scene.Union(boxes)}
	switch {
	case r.Before.IsEmpty():
	case d.Place == OnBox:
		r.Moved = OnBoxPoint(r.Before, s.Basis, d.Box)
	case d.Place == At:
		r.Moved = d.Point
	}
	out := s
	if r.Moved != (geom.Vec3{}) {
		out = moved(s, r.Moved)
	}
	if d.Place != AsRead {
		out = seatParts(out, d)
	}
	// Seating moves the whole; what each part's origin does leaves it where it is.
	for i := range boxes {
		boxes[i] = boxes[i].Shifted(r.Moved.Mul(-1))
	}
	r.Box = r.Before.Shifted(r.Moved.Mul(-1))
	if !r.Box.IsEmpty() {
		r.Where = Where(geom.Vec3{}, r.Box, s.Basis)
		r.parts(out, boxes)
		r.judge(out, d)
	}
	return out, r
}

// moved shifts every root so that p becomes the origin.
func moved(s *scene.Scene, p geom.Vec3) *scene.Scene {
	out := s.Clone()
	for i := range out.Nodes {
		if n := &out.Nodes[i]; n.Parent < 0 {
			n.Local.T = n.Local.T.Sub(p)
		}
	}
	return out
}

// seatParts moves the origins of nodes under their meshes. One part alone always
// gets the scene's origin: a receiver that takes the node's pivot and one that
// takes the scene's then agree. An instance's mesh is shared, so its point of the
// box is taken in the mesh's own frame and every instance moves alike.
func seatParts(s *scene.Scene, d Decisions) *scene.Scene {
	uses := map[int][]int{}
	var order []int
	for i, n := range s.Nodes {
		if n.Mesh >= 0 {
			if uses[n.Mesh] == nil {
				order = append(order, n.Mesh)
			}
			uses[n.Mesh] = append(uses[n.Mesh], i)
		}
	}
	single := len(order) == 1 && len(uses[order[0]]) == 1
	if !single && !(d.Parts && d.Place == OnBox) {
		return s
	}
	out := s.Clone()
	worlds := s.Worlds()
	var boxes []geom.Box
	if !single {
		boxes = s.NodeBounds()
	}
	for _, m := range order {
		first := uses[m][0]
		w := worlds[first]
		var world geom.Vec3 // where the first user's origin goes
		if !single {
			world = OnBoxPoint(boxes[first], s.Basis, d.Box)
		}
		inv, ok := w.Inverse()
		if !ok {
			continue // flattened: no place in its own frame can be told
		}
		local := inv.Apply(world)
		out.Meshes[m] = s.Meshes[m].Mapped(geom.Translation(local.Mul(-1)))
		for _, i := range uses[m] {
			shift(out, i, local)
		}
	}
	return out
}

// shift moves node i's origin to p of its own frame without moving its children.
func shift(s *scene.Scene, i int, p geom.Vec3) {
	n := &s.Nodes[i]
	n.Local = n.Local.Mul(geom.Translation(p))
	for k := range s.Nodes {
		if c := &s.Nodes[k]; c.Parent == i {
			c.Local.T = c.Local.T.Sub(p)
		}
	}
}

// Where says in words where a point lies against a box. Left and right are those of
// somebody looking at its front, as the drawing shows it.
func Where(p geom.Vec3, b geom.Box, basis geom.Basis) string {
	size := b.Size()
	tol := max(size.Max()*0.005, 1e-4)
	words := [3][3]string{{"right", "middle", "left"}, {"base", "mid-height", "top"}, {"back", "middle", "front"}}
	var at [3]string
	var off []string
	exact := true
	for i, axis := range []geom.Axis{basis.Right(), basis.Up, basis.Forward} {
		k := axis.Index()
		lo, hi := b.Min[k], b.Max[k]
		v := p[k]
		if axis.Sign() < 0 {
			lo, hi, v = -hi, -lo, -v
		}
		beyond := [3][2]string{{"to the right of it", "to the left of it"}, {"below it", "above it"}, {"behind it", "in front of it"}}[i]
		switch {
		case v < lo-tol:
			off = append(off, figure.Length(lo-v)+" "+beyond[0])
		case v > hi+tol:
			off = append(off, figure.Length(v-hi)+" "+beyond[1])
		case math.Abs(v-lo) <= tol:
			at[i] = words[i][0]
		case math.Abs(v-hi) <= tol:
			at[i] = words[i][2]
		case math.Abs(v-(lo+hi)/2) <= tol:
			at[i] = words[i][1]
		default:
			exact = false
		}
	}
	if len(off) > 0 {
		return strings.Join(off, ", ")
	}
	if !exact {
		return "inside, at no special place"
	}
	sides := at[2] + " " + at[0]
	switch {
	case at[0] == "middle" && at[2] == "middle":
		if at[1] == "mid-height" {
			return "at its centre"
		}
		return "at the centre of its " + at[1]
	case at[0] == "middle":
		sides = at[2]
	case at[2] == "middle":
		sides = at[0]
	}
	return fmt.Sprintf("at its %s, %s", at[1], sides)
}

func (r *Report) parts(s *scene.Scene, boxes []geom.Box) {
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || boxes[i].IsEmpty() {
			continue
		}
		o := worlds[i].T
		r.Parts = append(r.Parts, Part{n.Name, o, Where(o, boxes[i], s.Basis), boxes[i].Distance(o)})
	}
}

func (r *Report) judge(s *scene.Scene, d Decisions) {
	b, up := r.Box, s.Basis.Up
	size := b.Size()
	low := b.Min[up.Index()]
	if up.Sign() < 0 {
		low = -b.Max[up.Index()]
	}
	tol := max(0.001, 0.005*size[up.Index()])
	origin := geom.Vec3{}
	away := b.Distance(origin)
	seat := BaseCentre
	seat.Parts = d.Parts
	remedies := []finding.Remedy{{Label: "Seat at the centre of the base", Effect: "The asset moves so that the middle of its base is the origin.", Decision: seat}}
	far := away > max(1, 1.5*size.Len())
	if far {
		r.Findings = append(r.Findings, finding.Finding{Code: "pivot/far", Severity: finding.MustFix,
			Title:    fmt.Sprintf("The pivot is %s away", figure.Length(away)),
			Text:     fmt.Sprintf("It lies %s. Placed in a level, the asset appears that far from where it is put.", r.Where),
			Place:    finding.Place{Point: &origin},
			Remedies: remedies})
	}
	if d.Place != AsRead || far {
		return // chosen on purpose, or said already
	}
	drop := finding.Remedy{Label: "Lower the pivot to the base", Effect: "The pivot stays where it is sideways."}
	onGround := d
	onGround.Place = At
	onGround.Point = geom.Vec3{}
	onGround.Point[up.Index()] = low * up.Sign()
	drop.Decision = onGround
	switch {
	case low > tol:
		r.Findings = append(r.Findings, finding.Finding{Code: "pivot/floats", Severity: finding.Look,
			Title:    "Floats " + figure.Length(low) + " above the ground",
			Text:     "Its base is above the origin. Put on a floor, it hangs in the air by that much.",
			Place:    finding.Place{Point: &origin},
			Remedies: append(remedies, drop)})
	case low < -tol:
		drop.Label = "Lower the pivot to the base"
		r.Findings = append(r.Findings, finding.Finding{Code: "pivot/sunk", Severity: finding.Look,
			Title:    "Sunk " + figure.Length(-low) + " below the ground",
			Text:     fmt.Sprintf("Its base is below the origin, which lies %s. Put on a floor, it sinks in by that much.", r.Where),
			Place:    finding.Place{Point: &origin},
			Remedies: append(remedies, drop)})
	}
}
