// Package axes is station 3: which way it stands and faces. Its outcome is in the
// target's basis.
package axes

import (
	"context"
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/stand"
	"yarvek/core/memo"
	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "axes", Name: "Axes", Number: 3, Question: "Which way does it stand and face?"}

// About names an axis of the world to turn about.
type About string

// The three axes of the world.
const (
	AboutUp      About = "up"
	AboutRight   About = "right"
	AboutForward About = "forward"
)

// Turn is a rotation by degrees, anticlockwise seen from the tip of the axis.
type Turn struct {
	About   About   `json:"about"`
	Degrees float64 `json:"degrees"`
}

// Decisions say which of the file's axes is up and which way the front faces, what
// its handedness is, and any turns after that, in order. Empty means as read.
type Decisions struct {
	Up      geom.Axis `json:"up,omitempty"`
	Forward geom.Axis `json:"forward,omitempty"`
	Hand    string    `json:"hand,omitempty"` // "right" or "left"
	Turns   []Turn    `json:"turns,omitempty"`
	// Pose is a rotation before the turns: its axis, with the angle in degrees as
	// length, in glTF's basis once up and forward are decided. A resting pose and the
	// remedy for a tilt are kept so.
	Pose geom.Vec3 `json:"pose,omitzero"`
	Drop bool      `json:"drop,omitempty"` // the lowest point goes to the height of the origin
}

// Refs lists nothing: no decision names a node.
func (d Decisions) Refs() []string { return nil }

// Repoint changes nothing.
func (d Decisions) Repoint(string, string) station.Decisions { return d }

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if d.Hand != "" {
		say("Read as %s-handed", d.Hand)
	}
	if d.Up != geom.NoAxis {
		say("Stand with %s up", d.Up)
	}
	if d.Forward != geom.NoAxis {
		say("Face %s", d.Forward)
	}
	if d.Pose != (geom.Vec3{}) {
		say("Rest it another way, turned by %s°", figure.Significant(d.Pose.Len(), 4))
	}
	for _, t := range d.Turns {
		say("Turn %s° about %s", figure.Significant(t.Degrees, 4), t.About)
	}
	if d.Drop {
		say("Drop it to the ground")
	}
	return l
}

// MaxTurns bounds the list of turns; the form adds one at a time.
const MaxTurns = 32

// Validate checks the decisions against one another.
func (d Decisions) Validate() error {
	if d.Hand != "" && d.Hand != "right" && d.Hand != "left" {
		return fmt.Errorf("%q is no handedness: expected right or left", d.Hand)
	}
	if d.Up != geom.NoAxis && d.Forward != geom.NoAxis && d.Up.Index() == d.Forward.Index() {
		return fmt.Errorf("up and forward can't both lie along %s", d.Up.Letter())
	}
	if !(d.Pose.Len() <= 360) {
		return fmt.Errorf("a pose turned by %g degrees is out of bounds", d.Pose.Len())
	}
	if len(d.Turns) > MaxTurns {
		return fmt.Errorf("at most %d turns are kept", MaxTurns)
	}
	for _, t := range d.Turns {
		if t.About != AboutUp && t.About != AboutRight && t.About != AboutForward {
			return fmt.Errorf("%q is no axis to turn about: expected up, right or forward", t.About)
		}
		if !(math.Abs(t.Degrees) <= 3600) {
			return fmt.Errorf("a turn by %g degrees is out of bounds", t.Degrees)
		}
	}
	return nil
}

// Stance is one of the six ways to stand, or of the four to face.
type Stance struct {
	Basis  geom.Basis // the file's basis if this is chosen
	Size   geom.Vec3  // width, height, depth it gives; metres
	Ground float64    // area of the faces resting on the ground; square metres
	Chosen bool
	AsRead bool
	// How well it would stand so.
	Rank     int     // 1 is best; 0 for facings
	Contact  float64 // area of the outline of what touches the ground; square metres
	Margin   float64 // of the middle of mass within it, negative when beyond; metres
	Symmetry float64 // about an upright plane, 0 to 1
	Score    float64
}

// Report is what the station found.
type Report struct {
	station.Account
	Read     geom.Basis // as the file was read
	ReadHow  string
	Decided  geom.Basis // after the decisions
	Target   geom.Basis
	Stances  []Stance // six, by the axis that points up
	Facings  []Stance // four, by the axis that faces forward
	Size     geom.Vec3
	Box      geom.Box    // of the outcome
	Mirrored bool        // the handedness was changed from what was read
	Tilt     *stand.Tilt // by which it is askew as it stands now
	Lies     []Lie
	Map      geom.Affine // from the scene before to the outcome
	Low      float64     // of the lowest point against the origin before dropping; metres

	standing *memo.Once[Standing]
}

// Figure is the axis decided to point up, and the target's.
func (r *Report) Figure() string { return fmt.Sprintf("%s → %s", r.Decided.Up, r.Target.Up) }

// Decide is the file's basis after the decisions. An up axis alone takes the
// forward axis that the shortest turn from the basis as read gives.
func Decide(read geom.Basis, d Decisions) geom.Basis {
	b := read
	if d.Hand != "" {
		b.Left = d.Hand == "left"
	}
	if d.Up != geom.NoAxis {
		b.Forward = facingAfter(read, d.Up)
		b.Up = d.Up
	}
	if d.Forward != geom.NoAxis && d.Forward.Index() != b.Up.Index() {
		b.Forward = d.Forward
	}
	return b
}

// Stand takes directions of a scene in the basis read to those of the basis to, once it
// stands as decided.
func Stand(read geom.Basis, d Decisions, to geom.Basis) geom.Mat3 {
	return turns(d.Turns, to).Mul(posed(d.Pose, to)).Mul(Decide(read, d).To(to))
}

// facingAfter is the axis that faces forward once up points up, by the shortest turn.
func facingAfter(read geom.Basis, up geom.Axis) geom.Axis {
	switch {
	case up == read.Up:
		return read.Forward
	case up == read.Up.Neg():
		return read.Forward // half a turn about the forward axis
	case up == read.Forward:
		return read.Up.Neg()
	case up == read.Forward.Neg():
		return read.Up
	}
	return read.Forward
}

// Flats are what of a scene is flat. They are looked for once, however it is scaled and
// turned after.
type Flats struct {
	ground map[geom.Axis]float64 // area it would rest on with that axis up; square metres
	frame  stand.Flat
}

// FlatsOf looks for them. When ctx ends it returns early, and what it returns means nothing.
func FlatsOf(ctx context.Context, s *scene.Scene) Flats {
	var f Flats
	split.Together(
		func() { f.ground = resting(ctx, s, s.Bounds()) },
		func() { f.frame = stand.FlatOf(ctx, s) })
	return f
}

// Ask is what the station has to know of the scene besides its points.
type Ask struct {
	Flats  Flats    // of the scene before it was scaled
	Factor float64  // by which it was scaled since
	Box    geom.Box // of the scene that comes
	Body   *memo.Once[extents.Body]
}

// Run stands the scene up and carries it into the target's basis. When ctx ends it returns
// early, and what it returns means nothing.
func Run(ctx context.Context, s *scene.Scene, d Decisions, to geom.Basis, ask Ask) (*scene.Scene, *Report) {
	r := &Report{Read: s.Basis, ReadHow: string(s.BasisHow), Decided: Decide(s.Basis, d), Target: to}
	r.Mirrored = r.Decided.Left != s.Basis.Left
	tu := turns(d.Turns, to)
	m := Stand(s.Basis, d, to)
	r.stances(ask)
	out := s.CarriedIn(ctx, geom.Linear(m))
	out.Basis = to
	if ctx.Err() != nil {
		return out, r
	}
	if m.SwapsAxes() {
		r.Box = ask.Box.Carried(m)
	} else {
		r.Box = out.Bounds()
	}
	r.Map = geom.Linear(m)
	if up := to.Up; !r.Box.IsEmpty() {
		if r.Low = r.Box.Min[up.Index()]; up.Sign() < 0 {
			r.Low = -r.Box.Max[up.Index()]
		}
		if d.Drop {
			r.Map.T = up.Vec().Mul(-r.Low)
			r.Box = r.Box.Shifted(r.Map.T)
			out = out.CarriedIn(ctx, geom.Translation(r.Map.T))
		}
	}
	r.Size = to.Extents(r.Box)
	r.standing = memo.NewOnce(func(ctx context.Context) (Standing, error) {
		b, err := ask.Body.Get(ctx)
		if err != nil {
			return Standing{}, err
		}
		return Standing{r.rank(s, b), r.rests(b, d)}, ctx.Err()
	})
	r.lies(m)
	r.judge(ctx, s, d, ask)
	if s.Count().Dots > 0 {
		r.floored(out, tu, d)
	} else {
		r.tilted(ctx, ask, tu, d)
	}
	return out, r
}

// posed is the rotation of a pose, carried from glTF's basis.
func posed(pose geom.Vec3, to geom.Basis) geom.Mat3 {
	c := geom.GLTF.To(to)
	return c.Mul(geom.FromRotationVector(pose.Mul(math.Pi / 180))).Mul(c.Transpose())
}

// turns composes the rotations in the target's coordinates. A turn is a fact of
// the world, so in a left-handed basis its algebraic angle is turned round.
func turns(list []Turn, to geom.Basis) geom.Mat3 {
	m := geom.Identity3
	for _, t := range list {
		axis := map[About]geom.Axis{AboutUp: to.Up, AboutRight: to.Right(), AboutForward: to.Forward}[t.About]
		angle := t.Degrees * math.Pi / 180
		if to.Left {
			angle = -angle
		}
		m = geom.Rotation(axis.Vec(), angle).Mul(m)
	}
	return m
}

// stances sets up the six ways to stand, whose judging is done when asked for.
func (r *Report) stances(ask Ask) {
	box := ask.Box
	for _, up := range geom.Axes {
		b := Decide(r.Read, Decisions{Up: up, Hand: r.Decided.Handedness()})
		r.Stances = append(r.Stances, Stance{Basis: b, Size: b.Extents(box),
			Ground: ask.Flats.ground[up] * ask.Factor * ask.Factor, Chosen: up == r.Decided.Up, AsRead: up == r.Read.Up})
	}
	for _, fwd := range facings(r.Decided) {
		b := r.Decided
		b.Forward = fwd
		r.Facings = append(r.Facings, Stance{Basis: b, Size: b.Extents(box),
			Chosen: fwd == r.Decided.Forward, AsRead: b.Up == r.Read.Up && fwd == r.Read.Forward})
	}
}

// facings lists the four axes that can face forward, a quarter turn apart,
// beginning with the one the basis as decided gives.
func facings(b geom.Basis) []geom.Axis {
	return []geom.Axis{b.Forward, b.Right(), b.Forward.Neg(), b.Right().Neg()}
}

// resting measures, for each axis that could point up, the area of the faces that
// lie flat on the ground then: within 2% of the extent of the lowest point and
// within 8 degrees of level.
func resting(ctx context.Context, s *scene.Scene, box geom.Box) map[geom.Axis]float64 {
	size := box.Size()
	area := map[geom.Axis]float64{}
	if box.IsEmpty() {
		return area
	}
	level := math.Cos(8 * math.Pi / 180)
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		w := worlds[i]
		pts := m.Points
		if !w.IsIdentity() {
			pts = make([]geom.Vec3, len(m.Points))
			for k, p := range m.Points {
				pts[k] = w.Apply(p)
			}
		}
		for f := range m.Faces() {
			if f&0x7fff == 0 && ctx.Err() != nil {
				return area
			}
			c0, c1 := m.FaceStart[f], m.FaceStart[f+1]
			var nrm geom.Vec3
			o := pts[m.Corners[c0]]
			lo, hi := o, o
			for c := c0 + 1; c < c1; c++ {
				p := pts[m.Corners[c]]
				for k := range 3 {
					lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
				}
				if c+1 < c1 {
					nrm = nrm.Add(p.Sub(o).Cross(pts[m.Corners[c+1]].Sub(o)))
				}
			}
			l := nrm.Len()
			for k := range 3 {
				if math.Abs(nrm[k]) < level*l || l == 0 {
					continue
				}
				// Whichever way the face looks: in a broken mesh the lowest may look inward.
				down := geom.Axis(2*k + 2) // the negative axis
				if hi[k]-box.Min[k] <= 0.02*size[k] {
					area[down.Neg()] += l / 2 // rests on its low side when the positive axis is up
				}
				if box.Max[k]-lo[k] <= 0.02*size[k] {
					area[down] += l / 2
				}
			}
		}
	}
	return area
}

// judge says what deserves a look.
func (r *Report) judge(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) {
	if s.BasisHow == scene.Assumed && d.Up == geom.NoAxis && d.Forward == geom.NoAxis {
		r.Say(finding.Finding{Code: "axes/assumed", Severity: finding.Note,
			Title: fmt.Sprintf("The file has no axes: %s up assumed",
				r.Read.Up),
			Text: strings.ToUpper(s.Format) + " does not say which way is up. If it lies on its side in the drawing, choose " +
				"the stance that stands."})
	}
	if len(d.Turns) == 0 && d.Pose == (geom.Vec3{}) {
		if !r.long(ctx, s, d, ask) {
			r.lying(ctx, d, ask)
		}
	}
}

// sense tells which of the two ways along a line is up, and whether that can be told: never by which end is
// broader, for a bench is broadest where one sits. Where the mass is not over what one end stands on, it is the
// other; else it is the usual sense of the two axes that files have up, which is the positive one.
func (r *Report) sense(ctx context.Context, ask Ask, along geom.Axis) (up geom.Axis, sure bool) {
	pos := r.usual(along)
	body, err := ask.Body.Get(ctx)
	if err != nil {
		return pos, false // ctx ended
	}
	stable := func(a geom.Axis) bool {
		g := extents.GroundOf(body.Hull.Points, a.Vec())
		return g.Contact.Area() > 0 && g.Contact.Inside(g.Flat(body.Centre)) >= 0
	}
	p, n := stable(pos), stable(pos.Neg())
	switch {
	case n && !p:
		return pos.Neg(), true
	case p && !n:
		return pos, true
	}
	return pos, pos.Index() != geom.PosX.Index() || pos.Index() == r.Read.Up.Index()
}

// usual is the way along a line that is up where nothing else tells: that of the file's own up, or the positive one.
func (r *Report) usual(along geom.Axis) geom.Axis {
	switch {
	case along.Index() == r.Read.Up.Index():
		return r.Read.Up
	case along.Sign() < 0:
		return along.Neg()
	}
	return along
}

// stands are the remedies that stand the asset along a line: one end first where it can be told which is up.
func (r *Report) stands(ctx context.Context, ask Ask, d Decisions, along geom.Axis) []finding.Remedy {
	up, sure := r.sense(ctx, ask, along)
	var list []finding.Remedy
	for i, a := range []geom.Axis{up, up.Neg()} {
		size := 0.0
		for _, st := range r.Stances {
			if st.Basis.Up == a {
				size = st.Size[1]
			}
		}
		d.Up, d.Forward = a, geom.NoAxis
		effect := fmt.Sprintf("It becomes %s tall.", figure.Length(size))
		if i > 0 || !sure {
			effect += " It stands on the end that the other choice has on top."
		}
		list = append(list, finding.Remedy{Label: fmt.Sprintf("Stand with %s up", a), Effect: effect, Decision: d,
			Equal: !sure})
	}
	return list
}

// long looks for a long thin thing that lies and shows by its name, or by one end that is
// broader, that it stands. It tells whether it had anything to say.
func (r *Report) long(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) bool {
	var ends []Stance // on one end and on the other
	longest, other := 0.0, 0.0
	for _, st := range r.Stances {
		if st.Size[1] > longest*1.0001 {
			other, longest, ends = longest, st.Size[1], nil
		}
		if st.Size[1] > longest*0.9999 {
			ends = append(ends, st)
		} else {
			other = max(other, st.Size[1])
		}
	}
	if len(ends) != 2 || longest < 4*other || ends[0].Chosen || ends[1].Chosen {
		return false
	}
	broad, narrow := ends[0], ends[1]
	if narrow.Ground > broad.Ground {
		broad, narrow = narrow, broad
	}
	why := ""
	switch {
	case broad.Ground > 1.25*narrow.Ground:
		why = fmt.Sprintf("one end is broader: %s m² against %s m²", figure.Significant(broad.Ground, 2),
			figure.Significant(narrow.Ground, 2))
	case naming.Upright(s.Name):
		why = fmt.Sprintf("“%s” is what upright things are called", s.Name)
	default:
		for _, n := range s.Nodes {
			if n.Mesh >= 0 && naming.Upright(n.Name) {
				why = fmt.Sprintf("“%s” is what upright things are called", n.Name)
				break
			}
		}
	}
	if why == "" {
		return false
	}
	r.Say(finding.Finding{Code: "axes/lying", Severity: finding.Look, Title: "May lie on its side", Brief: "on its side?",
		Text:     fmt.Sprintf("It is %s long, lies, and %s.", figure.Length(longest), why),
		Remedies: r.stands(ctx, ask, d, broad.Basis.Up)})
	return true
}

// lying looks for a stance with a broad flat side, at its foot or on top, while the one chosen stands on
// next to nothing. It only ever offers; a mast or a boulder may be meant so.
func (r *Report) lying(ctx context.Context, d Decisions, ask Ask) {
	var now, best Stance
	for _, st := range r.Stances {
		if st.Chosen {
			now = st
		}
		// Upside down is another matter: a table is broader on top than at its feet.
		if st.Ground > best.Ground*1.0001 && st.Basis.Up.Index() != r.Decided.Up.Index() {
			best = st
		}
	}
	foot := best.Size[0] * best.Size[2]
	if best.Ground == 0 || best.Basis.Up == now.Basis.Up || now.Ground > 0.25*best.Ground || best.Ground < 0.1*foot {
		return
	}
	// The other end must not be as broad: a plank has no underside to tell.
	for _, st := range r.Stances {
		if st.Basis.Up == best.Basis.Up.Neg() && st.Ground > 0.7*best.Ground {
			return
		}
	}
	remedies := r.stands(ctx, ask, d, best.Basis.Up)
	up := remedies[0].Decision.(Decisions).Up
	where := "would rest on"
	if up != best.Basis.Up {
		where = "would have a level top of"
	}
	r.Say(finding.Finding{Code: "axes/lying", Severity: finding.Look, Title: "May lie on its side", Brief: "on its side?",
		Text: fmt.Sprintf("As it stands, %s m² touch the ground. With %s up it %s %s m².",
			figure.Significant(now.Ground, 2), up, where, figure.Significant(best.Ground, 2)),
		Remedies: remedies})
}
