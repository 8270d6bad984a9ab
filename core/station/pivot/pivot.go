// Package pivot is station 4: where the asset turns and stands. Seating moves the
// asset so that the chosen place becomes the scene's origin.
package pivot

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "pivot", Name: "Pivot", Number: 4, Question: "Where does it turn and stand?"}

// SeatBy says by what rule the pivot is seated.
type SeatBy string

// The rules.
const (
	AsRead    SeatBy = ""
	OnBox     SeatBy = "box"     // one of the 27 points of the bounding box
	At        SeatBy = "point"   // typed coordinates
	OnContact SeatBy = "contact" // the middle of what touches the ground
	OnMass    SeatBy = "mass"    // the centre of mass
	OnPicks   SeatBy = "picks"   // a picked point, or the middle between two
)

// Seat is a place by rule.
type Seat struct {
	Place SeatBy    `json:"place,omitempty"`
	Box   [3]int    `json:"box,omitzero"`   // right, up, forward: -1, 0 or 1
	Point geom.Vec3 `json:"point,omitzero"` // metres, x y z of the target's basis
	// Picks are one or two points of the mesh, in metres as Source leaves them, so that
	// they stay on the mesh whatever Size and Axes do.
	Picks []geom.Vec3 `json:"picks,omitempty"`
	// Feature is what points of a scan were found to lie on where it was picked; the pick is its centre.
	Feature Feature `json:"feature,omitzero"`
}

// Feature says what was found, for people: the place itself is a pick.
type Feature struct {
	Sort   cloud.Sort `json:"sort"`
	Radius float64    `json:"radius,omitempty"` // of a ball and a circle; metres as Source leaves them, likewise
	RMS    float64    `json:"rms,omitempty"`    // by which the points on it are off
}

// validate checks it; the error is for the person who asked.
func (f Feature) validate(by SeatBy, picks int) error {
	switch {
	case f == Feature{}:
		return nil
	case by != OnPicks || picks != 1:
		return fmt.Errorf("a feature is a place that was picked")
	case !slices.ContainsFunc(cloud.Sorts, func(s [2]string) bool { return s[0] == string(f.Sort) }):
		return fmt.Errorf("%q is no feature: expected plane, ball, circle or edge", f.Sort)
	case !(f.Radius >= 0 && f.Radius <= 1e9 && f.RMS >= 0 && f.RMS <= 1e9):
		return fmt.Errorf("a feature of %g m is out of bounds", f.Radius)
	}
	return nil
}

// words says the feature.
func (f Feature) words() string {
	s := "in the middle of a " + string(f.Sort)
	if f.Sort == cloud.Edge {
		s = "in the middle of an edge"
	}
	if f.Radius > 0 {
		s += " of " + figure.Length(f.Radius) + " radius"
	}
	return s + ", which its points are off by " + figure.Length(f.RMS)
}

// Decisions seat the pivot.
type Decisions struct {
	Place   SeatBy      `json:"place,omitempty"` // with Box, Point and Picks: the Seat of the whole
	Box     [3]int      `json:"box,omitzero"`
	Point   geom.Vec3   `json:"point,omitzero"`
	Picks   []geom.Vec3 `json:"picks,omitempty"`
	Feature Feature     `json:"feature,omitzero"`
	// Parts seats each part's own origin at the same point of its own box.
	Parts bool `json:"parts,omitempty"`
	// Each seats the origins of single parts, by node.
	Each map[string]Seat `json:"each,omitempty"`
	// Snap moves the place so that the box lies on lines of the kit's grid.
	Snap bool `json:"snap,omitempty"`
	// Heading turns the pivot about the upright, in degrees anticlockwise from above;
	// Along turns it from one picked point to another instead.
	Heading float64     `json:"heading,omitempty"`
	Along   []geom.Vec3 `json:"along,omitempty"`
	// Under moves the pivot under the mesh, which stays where it stands; otherwise the
	// mesh moves onto the origin.
	Under   bool     `json:"under,omitempty"`
	Markers []Marker `json:"markers,omitempty"`
}

// Whole is the seat of the whole asset.
func (d Decisions) Whole() Seat { return Seat{d.Place, d.Box, d.Point, d.Picks, d.Feature} }

// Seated is the decisions with another place for the whole; what is decided for
// heading, parts and markers stays.
func (d Decisions) Seated(s Seat) Decisions {
	d.Place, d.Box, d.Point, d.Picks, d.Feature = s.Place, s.Box, s.Point, s.Picks, s.Feature
	return d
}

// BaseCentre is where a pivot nearly always belongs: the middle of the base.
var BaseCentre = Decisions{Place: OnBox, Box: [3]int{0, -1, 0}}

// wanted is the seat for a place that a target names; false for one that leaves it as it is.
func wanted(place string) (Seat, bool) {
	switch place {
	case "contact":
		return Seat{Place: OnContact}, true
	case "mass":
		return Seat{Place: OnMass}, true
	case "centre":
		return Seat{Place: OnBox}, true
	case "corner":
		return Seat{Place: OnBox, Box: [3]int{-1, -1, -1}}, true
	case "as it is":
		return Seat{}, false
	}
	return BaseCentre.Whole(), true
}

// Validate checks a seat.
func (d Seat) Validate() error {
	switch d.Place {
	case AsRead, OnBox, At, OnContact, OnMass:
	case OnPicks:
		if len(d.Picks) != 1 && len(d.Picks) != 2 {
			return fmt.Errorf("pick one point for a corner, or two for the middle between them")
		}
	default:
		return fmt.Errorf("%q is no place for a pivot: expected box, point, contact, mass, picks or none", d.Place)
	}
	for _, b := range d.Box {
		if b < -1 || b > 1 {
			return fmt.Errorf("%d is no side of a box: expected -1, 0 or 1", b)
		}
	}
	if err := d.Feature.validate(d.Place, len(d.Picks)); err != nil {
		return err
	}
	return bounded(append([]geom.Vec3{d.Point}, d.Picks...)...)
}

// bounded checks that points are numbers of at most a million kilometres.
func bounded(pts ...geom.Vec3) error {
	for _, p := range pts {
		for _, c := range p {
			if !(math.Abs(c) <= 1e9) {
				return fmt.Errorf("a coordinate of %g m is out of bounds", c)
			}
		}
	}
	return nil
}

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if err := d.Whole().Validate(); err != nil {
		return err
	}
	for _, s := range d.Each {
		if err := s.Validate(); err != nil {
			return err
		}
	}
	if !(math.Abs(d.Heading) <= 3600) {
		return fmt.Errorf("a heading of %g degrees is out of bounds", d.Heading)
	}
	if len(d.Along) != 0 && (len(d.Along) != 2 || d.Along[0] == d.Along[1]) {
		return fmt.Errorf("a heading along an edge needs two different points")
	}
	if err := bounded(d.Along...); err != nil {
		return err
	}
	return validMarkers(d.Markers)
}

// Refs lists the nodes the decisions name, sorted.
func (d Decisions) Refs() []string { return slices.Sorted(maps.Keys(d.Each)) }

// Repoint returns the decisions with one node named in the place of another; an empty
// name drops what was decided for it.
func (d Decisions) Repoint(from, to string) station.Decisions {
	seat, ok := d.Each[from]
	if !ok {
		return d
	}
	each := maps.Clone(d.Each)
	delete(each, from)
	if to != "" {
		each[to] = seat
	}
	if len(each) == 0 {
		each = nil
	}
	d.Each = each
	return d
}

// Part tells where a node's own origin lies.
type Part struct {
	Name   string
	Origin geom.Vec3 // metres, in the target's basis
	Where  Spot      // against its own box
	Off    float64   // how far outside its own box; metres
}

// Report is what the station found. Points are in the target's basis.
type Report struct {
	station.Account
	Before  geom.Box  // the box before seating
	Box     geom.Box  // and after
	Moved   geom.Vec3 // the place the pivot is seated at, in coordinates before
	Heading float64   // degrees anticlockwise from above against how the asset faces
	Origin  geom.Vec3 // where the pivot is now: the origin, or under the mesh
	Where   Spot      // the pivot against the box
	Parts   []Part
	Markers []Marked
	Grid    float64
	OffGrid geom.Vec3   // right, up, forward: by how much the box is off the grid; metres
	Map     geom.Affine // from the scene before to the outcome
	// Shifts is how far the points of each mesh went in its own frame, beyond what Map does; nil when none
	// did. Added is how many nodes of the outcome stand before those that came.
	Shifts []geom.Vec3
	Added  int
}

// Ask is what the station needs to know besides the scene.
type Ask struct {
	Body   *memo.Once[extents.Body] // of the scene as it stood at Size
	Stood  geom.Affine              // from there to the scene
	Source geom.Affine              // from what Source left to the scene; picks go through it
	Grid   float64                  // the kit's module in metres, 0 for none
	Module bool                     // it is a modular piece
	Place  string                   // where the target wants the pivot, of target.Places; "" is the base
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

// Run seats the pivot. The outcome shares what it can with s. When ctx ends it returns
// early, and what it returns means nothing.
func Run(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) (*scene.Scene, *Report) {
	boxes := s.NodeBounds()
	r := &Report{Before: scene.Union(boxes), Grid: ask.Grid, Map: geom.Identity}
	if r.Before.IsEmpty() {
		r.Refer(Info, d, s.Keys())
		return s, r
	}
	r.Moved = r.place(ctx, s, d, ask)
	r.Heading = r.heading(s, d, ask)
	frame := geom.Affine{M: aboutUp(s.Basis, r.Heading), T: r.Moved}
	inv, _ := frame.Inverse() // a rotation and a move
	seats := d.Place != AsRead || d.Snap && ask.Grid > 0 || r.Heading != 0
	out := s
	if seats {
		out = s.CarriedIn(ctx, inv)
		out = r.seatParts(out, d)
	}
	r.Map = inv
	out = r.each(ctx, out, d, ask)
	if d.Under && seats {
		out, r.Added = under(out, frame)
		r.Map, r.Origin = geom.Identity, r.Moved
	}
	r.markers(ctx, out, d, ask, frame)
	boxes = out.NodeBounds()
	r.Box = r.Before
	switch {
	case d.Under:
	case r.Heading == 0:
		r.Box = r.Before.Shifted(r.Moved.Mul(-1))
	default:
		r.Box = scene.Union(boxes)
	}
	r.Where = SpotOf(r.Origin, r.Box, s.Basis)
	if (d.Place == OnContact || d.Place == OnMass) && !d.Snap {
		r.Where.chosen = d.Whole().Words()
	}
	r.grid(s.Basis, ask)
	r.parts(out, boxes)
	r.judge(ctx, out, d, ask)
	r.judgeGrid(d, ask)
	r.Refer(Info, d, s.Keys())
	return out, r
}

// place finds where the pivot goes, in coordinates before.
func (r *Report) place(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) geom.Vec3 {
	p := seatOf(d.Whole(), s.Basis, r.Before, ask, func() ([]geom.Vec3, geom.Vec3) {
		body, err := ask.Body.Get(ctx)
		if err != nil {
			return nil, geom.Vec3{}
		}
		pts := make([]geom.Vec3, len(body.Hull.Points))
		for i, q := range body.Hull.Points {
			pts[i] = ask.Stood.Apply(q)
		}
		return pts, ask.Stood.Apply(body.Centre)
	})
	if d.Snap && ask.Grid > 0 {
		p = snapped(p, r.Before, s.Basis, ask.Grid)
	}
	return p
}

// snapped moves p so that the box's lowest corner is whole grid cells from it; its
// height goes to the base.
func snapped(p geom.Vec3, b geom.Box, basis geom.Basis, grid float64) geom.Vec3 {
	low := OnBoxPoint(b, basis, [3]int{-1, -1, -1})
	for i, a := range []geom.Axis{basis.Right(), basis.Up, basis.Forward} {
		k := a.Index()
		p[k] = low[k] + math.Round((p[k]-low[k])/grid)*grid
		if i == 1 {
			p[k] = low[k]
		}
	}
	return p
}

// seatOf finds the place of a seat. body gives points of the hull and the centre of
// mass, only asked for when needed.
func seatOf(d Seat, basis geom.Basis, box geom.Box, ask Ask, body func() ([]geom.Vec3, geom.Vec3)) geom.Vec3 {
	switch d.Place {
	case OnBox:
		return OnBoxPoint(box, basis, d.Box)
	case At:
		return d.Point
	case OnContact:
		pts, _ := body()
		up := basis.Up.Vec()
		g := extents.GroundOf(pts, up)
		return g.Place(g.Contact.Centre(), up)
	case OnMass:
		_, c := body()
		return c
	case OnPicks:
		var p geom.Vec3
		for _, q := range d.Picks {
			p = p.Add(ask.Source.Apply(q).Mul(1 / float64(len(d.Picks))))
		}
		return p
	}
	return geom.Vec3{}
}

// heading is the angle the pivot is turned by, in degrees.
func (r *Report) heading(s *scene.Scene, d Decisions, ask Ask) float64 {
	if len(d.Along) != 2 {
		return math.Remainder(d.Heading, 360)
	}
	v := s.Basis.ToView().Apply(ask.Source.Apply(d.Along[1]).Sub(ask.Source.Apply(d.Along[0])))
	if math.Hypot(v[0], v[2]) < 1e-9 {
		return 0 // an upright edge has no heading
	}
	// Anticlockwise from above, from the front: the asset's left is a quarter turn.
	return math.Atan2(-v[0], v[2]) * 180 / math.Pi
}

// aboutUp turns by degrees anticlockwise seen from above, a fact of the world: in a
// left-handed basis the algebraic angle is turned round.
func aboutUp(b geom.Basis, degrees float64) geom.Mat3 {
	if degrees == 0 {
		return geom.Identity3
	}
	angle := degrees * math.Pi / 180
	if b.Left {
		angle = -angle
	}
	return geom.Rotation(b.Up.Vec(), angle)
}

// seatParts moves the origins of nodes under their meshes. One part alone always
// gets the scene's origin: a receiver that takes the node's pivot and one that
// takes the scene's then agree. An instance's mesh is shared, so its point of the
// box is taken in the mesh's own frame and every instance moves alike.
func (r *Report) seatParts(s *scene.Scene, d Decisions) *scene.Scene {
	users := s.Users()
	single := len(s.Meshes) == 1 && len(users[0]) == 1
	if !single && !(d.Parts && d.Place == OnBox) {
		return s
	}
	out := s.Clone()
	worlds := s.Worlds()
	var boxes []geom.Box
	if !single {
		boxes = s.NodeBounds()
	}
	for m, list := range users {
		if len(list) == 0 {
			continue
		}
		first := list[0]
		var world geom.Vec3 // where the first user's origin goes
		if !single {
			world = OnBoxPoint(boxes[first], s.Basis, d.Box)
		}
		r.moveOrigin(out, m, list, worlds[first], world)
	}
	return out
}

// moveOrigin moves the origin of a mesh to a place of the world, as its first user
// stands, and the nodes of all users the other way.
func (r *Report) moveOrigin(out *scene.Scene, mesh int, users []int, w geom.Affine, world geom.Vec3) {
	inv, ok := w.Inverse()
	if !ok {
		return // flattened: no place in its own frame can be told
	}
	local := inv.Apply(world)
	out.Meshes[mesh] = out.Meshes[mesh].Mapped(geom.Translation(local.Mul(-1)))
	if r.Shifts == nil {
		r.Shifts = make([]geom.Vec3, len(out.Meshes))
	}
	r.Shifts[mesh] = r.Shifts[mesh].Sub(local)
	for _, i := range users {
		out.ShiftOrigin(i, local)
	}
}

// each seats the origins of single parts.
func (r *Report) each(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) *scene.Scene {
	if len(d.Each) == 0 {
		return s
	}
	keys := s.Keys()
	// Picks come in coordinates before the whole was seated.
	ask.Source = r.Map.Mul(ask.Source)
	out := s.Clone()
	worlds, boxes, users := s.Worlds(), s.NodeBounds(), s.Users()
	done := map[int]bool{}
	for i, n := range s.Nodes {
		seat, ok := d.Each[keys[i]]
		if !ok || n.Mesh < 0 || boxes[i].IsEmpty() || seat.Place == AsRead || done[n.Mesh] {
			continue
		}
		done[n.Mesh] = true
		if seat.Place == At {
			seat.Point = r.Map.Apply(seat.Point)
		}
		world := seatOf(seat, s.Basis, boxes[i], ask, func() ([]geom.Vec3, geom.Vec3) {
			one := *s
			one.Nodes = []scene.Node{{Kind: scene.KindMesh, Parent: -1, Mesh: n.Mesh, Local: worlds[i]}}
			return extents.Points(&one), extents.Of(ctx, &one).Centre
		})
		r.moveOrigin(out, n.Mesh, users[n.Mesh], worlds[i], world)
	}
	return out
}

// under puts the scene, which stands about the origin, back to where it stood, with
// the pivot under it: a single root that has its own origin there takes the frame
// itself, all else hangs from a new node. added is how many nodes there are before those that came.
func under(s *scene.Scene, frame geom.Affine) (out *scene.Scene, added int) {
	out = s.Clone()
	roots := 0
	for _, n := range s.Nodes {
		if n.Parent < 0 {
			roots++
		}
	}
	if roots == 1 && s.Nodes[0].Local.IsIdentity() {
		out.Nodes[0].Local = frame.Mul(out.Nodes[0].Local)
		return out, 0
	}
	name := s.Name
	if name == "" {
		name = "pivot"
	}
	out.Nodes = append([]scene.Node{{Name: name, Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: frame}}, out.Nodes...)
	for i := 1; i < len(out.Nodes); i++ {
		out.Nodes[i].Parent++ // roots hang from the new one, which is the first
	}
	return out, 1
}

// parts lists each part’s own origin within its box.
func (r *Report) parts(s *scene.Scene, boxes []geom.Box) {
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || boxes[i].IsEmpty() {
			continue
		}
		o := worlds[i].T
		r.Parts = append(r.Parts, Part{n.Name, o, SpotOf(o, boxes[i], s.Basis), boxes[i].Distance(o)})
	}
}

// judge says what deserves a look. It is long because it is a list: each finding stands where it is said.
func (r *Report) judge(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) {
	b, up := r.Box, s.Basis.Up
	size := b.Size()
	low := b.Min[up.Index()]
	if up.Sign() < 0 {
		low = -b.Max[up.Index()]
	}
	tol := max(0.001, 0.005*size[up.Index()])
	origin := geom.Vec3{}
	away := b.Distance(origin)
	where, wants := wanted(ask.Place)
	if !wants {
		where = BaseCentre.Whole()
	}
	seat := d.Seated(where)
	seat.Under = false
	remedies := []finding.Remedy{{Label: "Seat " + where.Words(),
		Effect: "The asset moves so that the origin lies " + where.Words() + ".", Decision: seat}}
	// By the thing's own size: a cup's pivot is far off at arm's length, a door's is not.
	far := away > max(0.05, 1.5*size.Len())
	beside := away > max(0.01, 0.1*size.Len())
	if far && d.Under && d.Place != AsRead {
		r.Say(finding.Finding{Code: "pivot/off-origin", Severity: finding.Note,
			Title: fmt.Sprintf("It stays %s from the scene’s origin", figure.Length(away)),
			Text: "The pivot is under the mesh. A receiver that takes the scene’s origin for the pivot, as with OBJ, shows it " +
				"that far off.",
			Remedies: remedies})
		return
	}
	if far {
		r.Say(finding.Finding{Code: "pivot/far", Severity: finding.MustFix, Brief: "pivot far off",
			Title:    fmt.Sprintf("The pivot is %s away", figure.Length(away)),
			Text:     fmt.Sprintf("It lies %s. Placed in a level, the asset appears that far from where it is put.", r.Where),
			Place:    finding.Place{Point: &origin},
			Remedies: remedies})
	}
	if d.Place != AsRead || far {
		return // chosen on purpose, or said already
	}
	if !wants {
		return // the target takes it where the source has it
	}
	if beside {
		r.Say(finding.Finding{Code: "pivot/beside", Severity: finding.Look,
			Title: fmt.Sprintf("The pivot lies %s beside it", figure.Length(away)),
			Text: fmt.Sprintf("It lies %s, a %s of the thing's own size away. Placed in a level, the asset appears that far "+
				"from where "+
				"it is put; a hinge or a chain may be meant so.", r.Where, share(away/size.Len())),
			Place: finding.Place{Point: &origin}, Remedies: remedies})
		return
	}
	drop := finding.Remedy{Label: "Lower the pivot to the base", Effect: "The pivot stays where it is sideways."}
	onGround := d
	onGround.Place = At
	onGround.Point = geom.Vec3{}
	onGround.Point[up.Index()] = low * up.Sign()
	drop.Decision = onGround
	if ask.Place != "" && ask.Place != "base" {
		if off := r.place(ctx, s, seat, ask).Len(); off > tol {
			r.Say(finding.Finding{Code: "pivot/not-as-wanted", Severity: finding.Look,
				Title: "The target wants the pivot " + where.Words(),
				Text:  fmt.Sprintf("It lies %s, %s from there.", r.Where, figure.Length(off)),
				Place: finding.Place{Point: &origin}, Remedies: remedies})
		}
		return
	}
	switch {
	case low > tol:
		r.Say(finding.Finding{Code: codeFloats, Severity: finding.Look,
			Title:    "Floats " + figure.Length(low) + " above the ground",
			Text:     "Its base is above the origin. Put on a floor, it hangs in the air by that much.",
			Place:    finding.Place{Point: &origin},
			Remedies: append(remedies, drop)})
	case low < -tol:
		drop.Label = "Lower the pivot to the base"
		r.Say(finding.Finding{Code: codeSunk, Severity: finding.Look,
			Title: "Sunk " + figure.Length(-low) + " below the ground",
			Text: fmt.Sprintf("Its base is below the origin, which lies %s. Put on a floor, it sinks in by that much.",
				r.Where),
			Place:    finding.Place{Point: &origin},
			Remedies: append(remedies, drop)})
	}
}

// share says a part of one in words.
func share(v float64) string {
	for _, w := range []struct {
		most float64
		word string
	}{{0.15, "tenth"}, {0.3, "quarter"}, {0.45, "third"}, {0.75, "half"}} {
		if v < w.most {
			return w.word
		}
	}
	return "good part"
}

// Codes of findings that other parts of the program ask for.
const (
	codeFloats = "pivot/floats"
	codeSunk   = "pivot/sunk"
)
