package show

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"

	"yarvek/core/collide/floor"
	"yarvek/core/collide/solid"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/measure/stand"
	"yarvek/core/station/collision"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// Tried is a line of the table of trials.
type Tried struct {
	Kind    floor.Kind
	What    string
	Outcome string
	Figure  string
	Good    bool
}

// Floor is the test floor of an asset: what came of a trial, and of the usual ones beside it.
type Floor struct {
	Trial   floor.Trial
	Outcome *floor.Outcome // nil where there is nothing to try
	Drawn   draft.Drawn
	Others  []Tried
	Share   float64 // of throws that end as Axes has it standing, 0 to 1
	Why     string  // nothing could be tried
}

// directions somebody walks from, in degrees.
var directions = []float64{0, 45, 90, 135, 180, 225, 270, 315}

// Floor tries the collision of an asset. A trial that can't be meant is a *fault.Error.
func (b *Board) Floor(ctx context.Context, o *work.Opened, t floor.Trial) (*Floor, error) {
	t = t.Usual()
	if err := t.Validate(); err != nil {
		return nil, fault.From(fault.Invalid, err)
	}
	v, err := look(o, collision.Info.ID, 0)
	if err != nil {
		return nil, err
	}
	r := o.Result.Collision
	f := &Floor{Trial: t}
	forms := b.formsOn(ctx, v)
	if f.Outcome, err = b.tried(ctx, v, forms, t); err != nil {
		if errors.Is(err, floor.ErrNothing) || fault.KindOf(err) != 0 {
			f.Why = err.Error()
			f.Drawn = draft.FloorSheet{Asset: o.Asset.Name, Kit: o.Kit.Name,
				Say: "Nothing to try: there is no collision with a volume."}.Draw()
			return f, nil
		}
		return nil, err
	}
	sheet := draft.FloorSheet{Asset: o.Asset.Name, Kit: o.Kit.Name, Title: Titled(f.Outcome)}
	var walks []*floor.Outcome
	for _, from := range directions {
		w, err := b.tried(ctx, v, forms, floor.Trial{Kind: floor.Walk, From: from, Tall: walkTall(t, r), Wide: walkWide(t, r),
			Step: t.Step, Slope: t.Slope})
		if err != nil {
			return nil, err
		}
		walks = append(walks, w)
	}
	sheet.WalksSay = fmt.Sprintf("Walked at from %d directions: %s", len(directions), endsOf(walks))
	sheet.Walks, sheet.Plan = walksOf(walks), planOf(forms)
	if t.Kind == floor.Walk {
		sheet.Stages = walkStages(f.Outcome, forms)
	} else {
		sheet.Stages = stagesOf(f.Outcome, forms)
		sheet.Energy = f.Outcome.Energy
		sheet.Seconds = f.Outcome.Frames[len(f.Outcome.Frames)-1].T
		if f.Outcome.Rested {
			sheet.Rest = f.Outcome.Rest
		}
	}
	sheet.Cells = [][2]string{{"Shapes", fmt.Sprint(len(forms))}, {"Mass", massWords(f.Outcome.Mass)}, {"Step", "4.2 ms"},
		{"Sank in", figure.Length(f.Outcome.Deepest)}}
	f.Drawn = sheet.Draw()
	var pts []geom.Vec3
	for _, x := range forms {
		pts = append(pts, x.Convex.Points...)
	}
	for _, p := range stand.Poses(geom.HullOf(ctx, pts), f.Outcome.Centre) {
		if p.Down[1] < -0.99 {
			f.Share += p.Share
		}
	}
	return f, b.others(ctx, v, forms, f, walks)
}

func walkTall(t floor.Trial, r *collision.Report) float64 {
	if t.Tall > 0 {
		return t.Tall
	}
	if r.Keep.Height > 0 {
		return r.Keep.Height
	}
	return collision.Walker.Height
}

func walkWide(t floor.Trial, r *collision.Report) float64 {
	if t.Wide > 0 {
		return t.Wide
	}
	if r.Keep.Radius > 0 && r.Keep.Height > 0 {
		return 2 * r.Keep.Radius
	}
	return 2 * collision.Walker.Radius
}

// formsOn are the shapes in the frame of the paper.
func (b *Board) formsOn(ctx context.Context, v view) []*solid.Form {
	var list []*solid.Form
	for _, s := range v.Result.Collision.Shapes {
		list = append(list, s.Form.Solid.Carried(geom.Linear(v.paper)).Form(ctx))
	}
	return list
}

// tried is what came of a trial, kept by shapes and trial.
func (b *Board) tried(ctx context.Context, v view, forms []*solid.Form, t floor.Trial) (*floor.Outcome, error) {
	t = t.Usual()
	var solids []solid.Solid
	for _, f := range forms {
		solids = append(solids, f.Solid)
	}
	key, err := json.Marshal([]any{solids, t})
	if err != nil {
		return nil, err
	}
	o, err := work.Derive(ctx, b.desk.Derived, "floor", string(key), func(ctx context.Context) (*floor.Outcome, error) {
		o, err := floor.Run(ctx, forms, t)
		if err != nil {
			return nil, err
		}
		o.Guest = nil // made anew of the trial
		return o, nil
	})
	return o, err
}

// Titled says what was tried.
func Titled(o *floor.Outcome) string {
	t := o.Trial
	switch t.Kind {
	case floor.Drop:
		s := "Dropped from " + figure.Length(t.Height)
		if t.Tilt != 0 || t.Roll != 0 {
			s += fmt.Sprintf(", tilted by %s° and %s°", figure.Significant(t.Tilt, 3), figure.Significant(t.Roll, 3))
		}
		return s
	case floor.Ball:
		return fmt.Sprintf("A ball of %s rolled at it at %s m/s", figure.Length(t.Size), figure.Significant(t.Speed, 2))
	case floor.Box:
		return fmt.Sprintf("A box of %s thrown at it at %s m/s", figure.Length(t.Size), figure.Significant(t.Speed, 2))
	}
	s := fmt.Sprintf("Walked at from %s", sideWord(t.From))
	return s + ": " + Walked(o)
}

// Walked says how a walk ended.
func Walked(o *floor.Outcome) string {
	w := o.Walked
	high := ""
	if w.Climbed > 0.005 {
		high = ", up " + figure.Length(w.Climbed)
	}
	switch w.Ended {
	case floor.Over:
		return "came over it" + high
	case floor.Through:
		return "came through it" + high
	case floor.Within:
		return "came " + figure.Length(w.In) + " in" + high + ", and was stopped there"
	}
	return "was stopped " + figure.Length(w.Before) + " before it"
}

// sideWord names a direction in degrees.
func sideWord(from float64) string {
	words := []string{"the front", "front right", "the right", "back right", "the back", "back left", "the left",
		"front left"}
	return words[int(math.Round(math.Mod(math.Mod(from, 360)+360, 360)/45))%8]
}

func massWords(kg float64) string {
	switch {
	case kg >= 1e4:
		return figure.Significant(kg/1e3, 3) + " t"
	case kg < 1:
		return figure.Significant(kg*1e3, 3) + " g"
	}
	return figure.Significant(kg, 3) + " kg"
}

// Ended says how the asset lies in the end.
func Ended(o *floor.Outcome) string {
	deg := o.Tip * 180 / math.Pi
	switch {
	case !o.Rested:
		return "did not come to rest"
	case deg < 8:
		return "stands as it should"
	case deg > 172:
		return "stands on its head"
	case deg > 60 && deg < 120:
		return "lies on its side"
	}
	return "leans by " + figure.Significant(deg, 2) + "°"
}

// across tells the plane a trial is drawn in: along the ground to the right, as a direction.
func across(t floor.Trial) geom.Vec3 {
	side := geom.Vec3{0, 0, -1} // seen from the right side, as the drawing's
	switch {
	case t.Kind == floor.Drop && math.Abs(t.Roll) > math.Abs(t.Tilt):
		return geom.Vec3{1, 0, 0}
	case t.Kind != floor.Drop:
		sin, cos := math.Sincos(t.From * math.Pi / 180)
		return geom.Vec3{sin, 0, -cos} // what comes goes to the right
	}
	return side
}

// outline of points in a plane.
func outline(pts []geom.Vec3, right geom.Vec3) []geom.Vec2 {
	flat := make([]geom.Vec2, len(pts))
	for i, p := range pts {
		flat[i] = geom.Vec2{p.Dot(right), p[1]}
	}
	return geom.OutlineOf(flat)
}

// moved are points of the asset's own frame where it is.
func moved(o *floor.Outcome, pts []geom.Vec3, at floor.Pose) []geom.Vec3 {
	out := make([]geom.Vec3, len(pts))
	for i, p := range pts {
		out[i] = at.Apply(p.Sub(o.Centre))
	}
	return out
}

// guestPoints are those of the ball or box that comes, about its middle.
func guestPoints(t floor.Trial) []geom.Vec3 {
	h := t.Size / 2
	var pts []geom.Vec3
	if t.Kind == floor.Ball {
		for i := range 24 {
			s, c := math.Sincos(2 * math.Pi * float64(i) / 24)
			pts = append(pts, geom.Vec3{h * c, h * s, 0}, geom.Vec3{0, h * s, h * c}, geom.Vec3{h * c * math.Sqrt2 / 2, h * s,
				h * c * math.Sqrt2 / 2},
				geom.Vec3{-h * c * math.Sqrt2 / 2, h * s, h * c * math.Sqrt2 / 2})
		}
		return pts
	}
	for i := range 8 {
		pts = append(pts, geom.Vec3{h * float64(i&1*2-1), h * float64(i>>1&1*2-1), h * float64(i>>2&1*2-1)})
	}
	return pts
}

// stagesOf are moments of a trial, from letting go to rest.
func stagesOf(o *floor.Outcome, forms []*solid.Form) []draft.Stage {
	end := o.Frames[len(o.Frames)-1].T
	if o.Rested {
		end = max(o.Rest, 0.1)
	}
	n := 6
	if len(o.Frames[0].Poses) > 1 {
		n, end = 4, min(end, 3)
	}
	right := across(o.Trial)
	var list []draft.Stage
	for i := range n {
		// Early moments are nearer to one another: most happens at first.
		t := end * math.Pow(float64(i)/float64(n-1), 1.3)
		f := o.Frames[min(len(o.Frames)-1, int(math.Round(t*60)))]
		s := draft.Stage{Say: fmt.Sprintf("%.2f s", f.T), Centre: geom.Vec2{f.Poses[0].At.Dot(right), f.Poses[0].At[1]}}
		if i == n-1 && o.Rested {
			s.Say += ", at rest"
		}
		for _, x := range forms {
			s.Outlines = append(s.Outlines, outline(moved(o, x.Convex.Points, f.Poses[0]), right))
		}
		if len(f.Poses) > 1 {
			pts := guestPoints(o.Trial)
			for k, p := range pts {
				if o.Trial.Kind == floor.Ball {
					pts[k] = f.Poses[1].At.Add(p) // round from every side
				} else {
					pts[k] = f.Poses[1].Apply(p)
				}
			}
			s.Guest = outline(pts, right)
		}
		list = append(list, s)
	}
	return list
}

// walkStages is one stage with the walker where they are stopped, and on the way there.
func walkStages(o *floor.Outcome, forms []*solid.Form) []draft.Stage {
	right := across(o.Trial)
	var list []draft.Stage
	r, tall := o.Trial.Wide/2, o.Trial.Tall
	path := o.Walked.Path
	low := path[0][1] // the ground
	for i := range 3 {
		at := path[(len(path)-1)*i/2]
		s := draft.Stage{Say: fmt.Sprintf("%.2f s", float64((len(path)-1)*i/2)*0.02/o.Trial.Speed),
			Centre: geom.Vec2{at.Dot(right),
				at[1] - low + tall/2}}
		if i == 2 && o.Walked.Stopped {
			s.Say += ", stopped"
		}
		for _, x := range forms {
			pts := make([]geom.Vec3, len(x.Convex.Points))
			for k, p := range x.Convex.Points {
				pts[k] = p.Sub(geom.Vec3{0, low, 0})
			}
			s.Outlines = append(s.Outlines, outline(pts, right))
		}
		for k := range 24 {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / 24)
			y := r + r*sin
			if sin > 0 {
				y = tall - r + r*sin
			}
			s.Guest = append(s.Guest, geom.Vec2{at.Dot(right) + r*cos, at[1] - low + y})
		}
		s.Guest = geom.OutlineOf(s.Guest)
		list = append(list, s)
	}
	return list
}

// endsOf counts how walks ended.
func endsOf(list []*floor.Outcome) string {
	count := map[floor.End]int{}
	for _, w := range list {
		count[w.Walked.Ended]++
	}
	var words []string
	for _, e := range []struct {
		end  floor.End
		word string
	}{{floor.Through, "through"}, {floor.Over, "over"}, {floor.Within, "stopped within"},
		{floor.Before, "stopped before"}} {
		if n := count[e.end]; n > 0 {
			words = append(words, fmt.Sprintf("%s %d", e.word, n))
		}
	}
	return strings.Join(words, ", ")
}

// walksOf are paths seen from above, the front downward as on the plan.
func walksOf(list []*floor.Outcome) []draft.Walk {
	var out []draft.Walk
	for _, o := range list {
		w := draft.Walk{Stopped: o.Walked.Stopped}
		for i, p := range o.Walked.Path {
			if i%4 == 0 || i == len(o.Walked.Path)-1 {
				w.Path = append(w.Path, geom.Vec2{p[0], -p[2]})
			}
		}
		out = append(out, w)
	}
	return out
}

func planOf(forms []*solid.Form) [][]geom.Vec2 {
	var out [][]geom.Vec2
	for _, f := range forms {
		var flat []geom.Vec2
		for _, p := range f.Convex.Points {
			flat = append(flat, geom.Vec2{p[0], -p[2]})
		}
		out = append(out, geom.OutlineOf(flat))
	}
	return out
}

// others tries what is usual beside the trial that is shown.
func (b *Board) others(ctx context.Context, v view, forms []*solid.Form, f *Floor, walks []*floor.Outcome) error {
	for _, x := range []struct {
		what string
		t    floor.Trial
	}{
		{"Dropped upright", floor.Trial{Kind: floor.Drop, Density: f.Trial.Density}},
		{"Dropped, tilted 30°", floor.Trial{Kind: floor.Drop, Tilt: 30, Density: f.Trial.Density}},
		{"Ball rolled at it", floor.Trial{Kind: floor.Ball, Density: f.Trial.Density}},
		{"Box thrown at it", floor.Trial{Kind: floor.Box, Density: f.Trial.Density}},
	} {
		o, err := b.tried(ctx, v, forms, x.t)
		if err != nil {
			return err
		}
		l := Tried{Kind: x.t.Kind, What: x.what, Outcome: Ended(o), Figure: "–", Good: !o.Through &&
			(o.Rested || x.t.Kind != floor.Drop)}
		if o.Rested {
			l.Figure = fmt.Sprintf("%.2f s", o.Rest)
		}
		if x.t.Kind != floor.Drop {
			if l.Outcome = "stays"; o.Moved > 0.02 {
				l.Outcome = "is moved by " + figure.Length(o.Moved)
			}
			if o.Tip > 0.3 {
				l.Outcome = "tips over"
			}
			if o.Highest > 0.005 {
				l.Outcome += fmt.Sprintf("; what came got %s high", figure.Length(o.Highest))
			}
			if o.Through {
				l.Outcome = "is gone through"
			}
		}
		f.Others = append(f.Others, l)
	}
	climbed := 0.0
	for _, w := range walks {
		climbed = max(climbed, w.Walked.Climbed)
	}
	f.Others = append(f.Others, Tried{Kind: floor.Walk, What: fmt.Sprintf("Walked at, %d ways", len(walks)),
		Outcome: endsOf(walks),
		Figure:  "–", Good: true})
	step := Tried{Kind: floor.Walk, What: "Steps climbed", Outcome: "none", Figure: "–", Good: true}
	if climbed > 0 {
		step.Outcome, step.Figure = "climbed", figure.Length(climbed)
	}
	f.Others = append(f.Others, step)
	return nil
}

// Moves are what the turntable plays: places and turns of the asset, and of what comes, thirty times a
// second.
type Moves struct {
	Centre geom.Vec3     `json:"centre"`
	Frames [][12]float32 `json:"frames"`
	Guest  [][12]float32 `json:"guest,omitempty"`
	Kind   floor.Kind    `json:"kind"`
	Size   float64       `json:"size"`
	Tall   float64       `json:"tall"`
	Wide   float64       `json:"wide"`
	Step   float64       `json:"step"` // seconds from one to the next
}

// Moves of a trial.
func (b *Board) Moves(ctx context.Context, o *work.Opened, t floor.Trial) (*Moves, error) {
	v, err := look(o, collision.Info.ID, 0)
	if err != nil {
		return nil, err
	}
	out, err := b.tried(ctx, v, b.formsOn(ctx, v), t)
	if err != nil {
		return nil, fault.From(fault.Invalid, err)
	}
	m := &Moves{Centre: out.Centre, Kind: out.Trial.Kind, Size: out.Trial.Size, Tall: out.Trial.Tall,
		Wide: out.Trial.Wide, Step: 1. / 30}
	row := func(p floor.Pose) (r [12]float32) {
		for k := range 3 {
			r[k] = float32(p.At[k])
			for j := range 3 {
				r[3+3*k+j] = float32(p.Turn[k][j])
			}
		}
		return r
	}
	each := 2
	if out.Trial.Kind == floor.Walk {
		each = 1
	}
	for i := 0; i < len(out.Frames); i += each {
		m.Frames = append(m.Frames, row(out.Frames[i].Poses[0]))
		if len(out.Frames[i].Poses) > 1 {
			m.Guest = append(m.Guest, row(out.Frames[i].Poses[1]))
		}
	}
	return m, nil
}
