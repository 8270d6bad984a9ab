package axes

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/stand"
	"yarvek/core/scene"
)

// Rest is a pose the body can lie in by itself.
type Rest struct {
	stand.Pose
	Turn   geom.Vec3 // the decision that lays it so; see Decisions.Pose
	Angle  float64   // radians from how it is decided to stand
	Size   geom.Vec3 // width, height, depth it gives; metres
	Map    geom.Mat3 // of the paper's frame, from the pose decided
	Chosen bool
}

// maxPoses is how many resting poses are offered.
const maxPoses = 6

// samples is how many places on the surface symmetry is judged by.
const samples = 6000

// Standing is how well the body stands in each stance, and the poses it comes to rest
// in by itself.
type Standing struct {
	Stances []Stance // six, by the axis that points up, with their ranks
	Poses   []Rest
}

// Standing is measured when first asked for, and kept. The error is ctx's.
func (r *Report) Standing(ctx context.Context) (Standing, error) { return r.standing.Get(ctx) }

// rank orders the six stances by how well the body would stand in them: what share
// of its outline touches the ground, how far within that its middle of mass lies,
// how low, and how even it is about an upright plane.
func (r *Report) rank(s *scene.Scene, body extents.Body) []Stance {
	stances := slices.Clone(r.Stances)
	if body.Box.IsEmpty() {
		return stances
	}
	places := stand.Sample(s, samples)
	var even [3]float64
	for k := range 3 {
		var n geom.Vec3
		n[k] = 1
		even[k] = stand.Symmetry(places, body.Box.Center(), n)
	}
	order := make([]int, len(stances))
	for i := range stances {
		order[i] = i
		st := &stances[i]
		up := st.Basis.Up.Vec()
		g := extents.GroundOf(body.Hull.Points, up)
		st.Contact = g.Contact.Area()
		st.Margin = g.Contact.Inside(g.Flat(body.Centre))
		k := st.Basis.Up.Index()
		st.Symmetry = max(even[(k+1)%3], even[(k+2)%3])
		outline := g.Outline.Area()
		if outline <= 0 {
			continue
		}
		height := body.Box.Size()[k]
		low := 0.5
		if height > 0 {
			low = 1 - (body.Centre.Dot(up)-g.Level)/height
		}
		balance := min(1, st.Margin/(0.25*math.Sqrt(outline)))
		st.Score = 0.4*st.Contact/outline + 0.3*max(balance, -1) + 0.2*st.Symmetry + 0.1*low
	}
	// Which end is broader does not tell which is up: of two that stand, the usual one is as good at least.
	for i := range stances {
		for k := range stances {
			x, y := &stances[i], &stances[k]
			if y.Basis.Up == x.Basis.Up.Neg() && r.usual(y.Basis.Up) == y.Basis.Up && y.Margin >= 0 && y.Contact > 0 &&
				x.Score > y.Score {
				x.Score, y.Score = y.Score, x.Score
			}
		}
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := stances[a], stances[b]
		if math.Abs(x.Score-y.Score) > 1e-3 {
			return cmp.Compare(y.Score, x.Score)
		}
		if x.AsRead != y.AsRead { // as good: as it came
			if x.AsRead {
				return -1
			}
			return 1
		}
		return 0
	})
	for n, i := range order {
		stances[i].Rank = n + 1
	}
	return stances
}

// Reasons says why a stance has its rank.
func (s Stance) Reasons() string {
	var w []string
	if s.Contact > 0 {
		w = append(w, "stands on "+figure.Area(s.Contact))
	} else {
		w = append(w, "stands on a point or an edge")
	}
	if s.Margin >= 0 {
		w = append(w, fmt.Sprintf("its weight %s within", figure.Length(s.Margin)))
	} else {
		w = append(w, fmt.Sprintf("its weight %s beyond: it tips over", figure.Length(-s.Margin)))
	}
	return strings.Join(append(w, fmt.Sprintf("%.0f %% even", 100*s.Symmetry)), ", ")
}

// rests lists the likeliest resting poses.
func (r *Report) rests(body extents.Body, d Decisions) (list []Rest) {
	if len(body.Hull.Faces) == 0 {
		return nil
	}
	toPaper := r.Decided.To(geom.GLTF)
	down := r.Decided.Up.Vec().Mul(-1)
	for _, p := range stand.Poses(body.Hull, body.Centre) {
		if len(list) == maxPoses || p.Share < 0.005 {
			break
		}
		turn := toPaper.Mul(geom.Turning(p.Down, down)).Mul(toPaper.Transpose())
		q := Rest{Pose: p, Map: turn, Angle: turn.Angle(), Turn: rounded(turn)}
		b := geom.EmptyBox()
		m := turn.Mul(toPaper)
		for _, c := range body.Hull.Points {
			b = b.Add(m.Apply(c))
		}
		q.Size = b.Size()
		q.Chosen = q.Turn.Near(d.Pose, 1e-3) && len(d.Turns) == 0
		list = append(list, q)
	}
	return list
}

// rounded writes a rotation as a Pose, to a millionth of a degree.
func rounded(m geom.Mat3) geom.Vec3 {
	v := m.RotationVector().Mul(180 / math.Pi)
	for k := range 3 {
		if v[k] = math.Round(v[k]*1e6) / 1e6; v[k] == 0 {
			v[k] = 0 // no minus
		}
	}
	return v
}

// mostTilt is up to how far something counts as askew rather than meant.
const mostTilt = 20 * math.Pi / 180

// leastTilt is what nobody sees.
const leastTilt = 0.1 * math.Pi / 180

// tilted looks whether the outcome is askew and offers to turn it true.
func (r *Report) tilted(ctx context.Context, ask Ask, tu geom.Mat3, d Decisions) {
	if r.Box.IsEmpty() {
		return
	}
	t, ok := stand.TiltOf(ask.Flats.frame.Turned(r.Map.M), r.Box.Size(), func() (geom.Mat3, geom.Vec3) {
		b, err := ask.Body.Get(ctx)
		if err != nil {
			return geom.Identity3, geom.Vec3{1, 1, 1} // ctx ended; it has no long direction
		}
		return r.Map.M.Mul(b.Frame), b.Own
	}, mostTilt)
	if !ok || t.Angle < leastTilt {
		return
	}
	r.Tilt = &t
	// The remedy turns the outcome; kept as the pose before the turns.
	c := geom.GLTF.To(r.Target)
	pose := c.Transpose().Mul(tu.Transpose().Mul(t.Turn).Mul(tu)).Mul(c).Mul(
		geom.FromRotationVector(d.Pose.Mul(math.Pi / 180)))
	true1 := d
	true1.Pose = rounded(pose)
	sev := finding.Look
	if t.Angle < 0.5*math.Pi/180 {
		sev = finding.Note
	}
	at := r.Box.Center()
	r.Say(finding.Finding{Code: "axes/askew", Severity: sev, Title: "Askew by " + figure.Degrees(t.Angle),
		Text:  fmt.Sprintf("Told by %s. A scan often is; a thing that leans on purpose can stay so.", t.By),
		Place: finding.Place{Point: &at},
		Remedies: []finding.Remedy{{Label: "Turn it true", Effect: fmt.Sprintf("It turns by %s, by the shortest way.",
			figure.Degrees(t.Angle)), Decision: true1}}})
}

// Lie is how the asset lies in a receiver of some file.
type Lie struct {
	What              string
	Honoured, Ignored Way
}

// Way is how it lies when the receiver honours the file's axes, or takes its numbers
// as its own.
type Way struct {
	Words string
	Good  bool
	Map   geom.Mat3 // of the paper's frame, from how it stands here
}

// lies works out how the source and the files to be written lie in the target. m is
// the map from the scene as read to the outcome.
func (r *Report) lies(m geom.Mat3) {
	inv, ok := m.Inverse()
	if !ok {
		return
	}
	to := r.Target
	r.Lies = []Lie{
		{"The source, unprepared", r.way(r.Read.To(to).Mul(inv)), r.way(inv)},
		{"glTF and GLB", r.way(geom.Identity3), r.way(to.To(geom.GLTF))},
	}
	if !to.Left {
		r.Lies = append(r.Lies, Lie{"FBX and OBJ", r.way(geom.Identity3), r.way(geom.Identity3)})
		return
	}
	righted := to // FBX leaves right-handed, in the target's up and forward axes
	righted.Left = false
	r.Lies = append(r.Lies, Lie{"FBX", r.way(geom.Identity3), r.way(to.To(righted))},
		Lie{"OBJ, and FBX in the target’s own handedness", r.way(geom.Identity3), r.way(geom.Identity3)})
}

// way says how the asset lies once its coordinates have gone through m.
func (r *Report) way(m geom.Mat3) Way {
	to := r.Target
	paper := to.To(geom.GLTF)
	w := Way{Map: paper.Mul(m).Mul(paper.Transpose())}
	up, front := w.Map.Apply(geom.Vec3{0, 1, 0}), w.Map.Apply(geom.Vec3{0, 0, 1})
	near := func(v, a geom.Vec3) bool { return v.Dot(a) > 0.9 }
	var words []string
	upright := false
	switch {
	case near(up, geom.Vec3{0, 1, 0}):
		upright = true
		words = append(words, "upright")
	case near(up, geom.Vec3{0, -1, 0}):
		words = append(words, "upside down")
	case near(up, geom.Vec3{0, 0, -1}):
		words = append(words, "on its back")
	case near(up, geom.Vec3{0, 0, 1}):
		words = append(words, "on its face")
	case near(up, geom.Vec3{1, 0, 0}), near(up, geom.Vec3{-1, 0, 0}):
		words = append(words, "on its side")
	default:
		words = append(words, "askew")
	}
	facing := true
	if upright && !near(front, geom.Vec3{0, 0, 1}) {
		facing = false
		switch {
		case near(front, geom.Vec3{0, 0, -1}):
			words = append(words, "facing backwards")
		case near(front, geom.Vec3{1, 0, 0}), near(front, geom.Vec3{-1, 0, 0}):
			words = append(words, "facing sideways")
		default:
			words = append(words, "facing askew")
		}
	}
	mirrored := m.Det() < 0
	if mirrored {
		words = append(words, "mirrored")
	}
	w.Good = upright && facing && !mirrored
	w.Words = strings.Join(words, ", ")
	if w.Good {
		w.Words = "as it stands here"
	}
	return w
}
