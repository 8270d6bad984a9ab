package work

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"time"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/split"
	"yarvek/core/station"
	"yarvek/core/station/surface"
	"yarvek/internal/store"
)

// Cell is one station of the tape: how the asset stands there.
type Cell struct {
	station.Info
	Figure   string
	Severity finding.Severity // of its worst finding; a Note settles it
	Count    int              // of findings of that severity
}

// Tape is how an asset stands at every station, in the order of the work.
func (o *Opened) Tape() []Cell {
	var list []Cell
	for _, s := range o.Result.Stops() {
		c := Cell{Info: s.Info, Figure: s.Figure()}
		c.Severity, c.Count = s.Report.Stands()
		list = append(list, c)
	}
	return list
}

// Summary is one asset's row in its kit, kept as derived data.
type Summary struct {
	ClassID   string
	Class     string // its name
	Proposed  string // ID of the class its name says, while it has none
	Because   string // why
	Tape      []Cell
	Size      geom.Vec3 // width, height, depth in the target; metres
	Low       float64   // of the base against the origin; metres
	OffGrid   float64   // of the pivot against the kit's grid, sideways and frontward at most; metres
	Fits      bool      // its size is plausible for its class
	Longest   float64   // its largest extent; metres
	Triangles int
	Slots     int
	DrawCalls int
	Vertices  int      // as a receiver holds them
	Bytes     int64    // of vertices and indices
	Pictures  int      // that leave
	Memory    int64    // of pictures in graphics memory, in blocks and with mips, as they leave
	HadMemory int64    // and as they came
	NodeNames []string // of the nodes with a mesh that leave, the first few thousand
	SlotNames []string // likewise
	Found     []Found  // what was found, but for notes; the first forty
	Parts     []Part   // what other assets may have, too; the first few hundred
	Shapes    int      // of collision
	Corners   int      // of those shapes, as a receiver tests them
	Texels    float64  // of its pictures to a metre, the mean over what has one; 0 where nothing has
	MustFix   int
	Look      int
	Trouble   string // the first finding that spoils its place on the line-up, "" for none
	Brief     string // the same in three words, to stand below it
	Waits     bool   // for a job: more will be known
	Unread    string `json:"-"` // why the source can't be read now; never kept
	Unlooked  bool   `json:"-"` // it was not looked at yet, and nothing else is said; never kept
}

// Found is something that was found of an asset, as a kit shows it.
type Found struct {
	Station  string
	Code     string
	Severity finding.Severity
	Title    string
	Proposes bool // its first remedy can be taken along with others
}

// foundKept bounds what a summary tells of findings.
const foundKept = 40

// namesKept bounds the names of a summary.
const namesKept = 4000

// Row is an asset in its kit, all of one moment.
type Row struct {
	store.State
	Summary Summary
	Last    *store.Export // nil when never exported
	Changed bool          // since the last export
}

// Overview is a kit with all its assets, of one moment.
func (d *Desk) Overview(ctx context.Context, kit int64) (Kit, []Row, error) {
	return d.OverviewUntil(ctx, kit, time.Time{})
}

// OverviewUntil is Overview for somebody who waits no longer than to a moment, the zero one for as long as it takes:
// assets that were not looked at until then are Unlooked.
func (d *Desk) OverviewUntil(ctx context.Context, kit int64, until time.Time) (Kit, []Row, error) {
	soon, cancel := ctx, context.CancelFunc(func() {})
	if !until.IsZero() {
		soon, cancel = context.WithDeadline(ctx, until)
	}
	defer cancel()
	k, states, last, err := d.store.Overview(ctx, kit)
	if err != nil {
		return k, nil, err
	}
	rows, rules := make([]Row, len(states)), k.Target.JSON()
	errs := make([]error, len(states))
	// A few are made at once: after a change of target none is kept.
	err = split.Each(ctx, len(states), func(i int) {
		rows[i].State = states[i]
		key := summaryKey(states[i], rules)
		if soon.Err() == nil || !d.known(&rows[i], key) {
			rows[i].Summary, errs[i] = d.summary(soon, states[i], key)
		}
		if errs[i] != nil && ctx.Err() == nil && soon.Err() != nil {
			if errs[i] = nil; !d.known(&rows[i], key) { // it may have been cut short though more is known
				rows[i].Summary = Summary{Unlooked: true}
			}
		}
	})
	if err = cmp.Or(err, cmp.Or(errs...)); err != nil {
		return k, nil, err
	}
	for i := range rows {
		r := &rows[i]
		if e, ok := last[r.Asset.ID]; ok {
			r.Last = &e
			r.Changed = r.Harm != nil || e.Harm != nil || !samePrep(r.Step.JSON, e.Prep) || r.Revision.Number != e.Revision ||
				!r.Kit.Target.Equal(e.Target)
		}
	}
	return k, rows, nil
}

// known gives a row the summary that is kept, or why there was none when it was last tried; false where neither is
// known.
func (d *Desk) known(r *Row, key string) bool {
	if r.Harm != nil {
		return false
	}
	if s, ok := Kept[Summary](d.Derived, "summary", key); ok {
		r.Summary = s
		return true
	}
	why, ok := d.unread.Load(derivedName("summary", key))
	if ok {
		r.Summary = Summary{Unread: why.(string)}
	}
	return ok
}

// samePrep compares two kept preps by what they decide.
func samePrep(a, b []byte) bool {
	p, err1 := prep.Parse(a)
	q, err2 := prep.Parse(b)
	return err1 == nil && err2 == nil && string(p.JSON()) == string(q.JSON())
}

// SummaryKey names what a summary is made of, for what else is derived of it.
func SummaryKey(st store.State) string { return summaryKey(st, st.Kit.Target.JSON()) }

// summaryKey is SummaryKey for those who have the target as JSON.
func summaryKey(st store.State, rules []byte) string {
	return fmt.Sprintf("rows 2 rules %d\n%s\n%s\n%s\n%g\n%d\n%s", prep.Rules, sourceKey(st.Revision, nil), st.Step.JSON,
		rules, st.Kit.Grid, st.Revision.Number, st.Kit.SlotMap)
}

// Summary is the row of an asset as it was at one moment. A source that can't be read is
// no error: the summary says so, and the next one looks again.
func (d *Desk) Summary(ctx context.Context, st store.State) (Summary, error) {
	return d.summary(ctx, st, SummaryKey(st))
}

// summary is Summary by its key.
func (d *Desk) summary(ctx context.Context, st store.State, key string) (Summary, error) {
	if st.Harm != nil {
		return Summary{Unread: st.Harm.Error()}, nil
	}
	s, err := Derive(ctx, d.Derived, "summary", key, func(ctx context.Context) (Summary, error) {
		o, err := d.open(ctx, st)
		if err != nil {
			return Summary{}, err
		}
		return summarize(o), nil
	})
	switch {
	case err == nil:
		d.unread.Delete(derivedName("summary", key))
		return s, nil
	case ctx.Err() != nil:
		return Summary{}, ctx.Err()
	case fault.KindOf(err) != 0:
		s.Unread = err.Error()
	default:
		d.Jobs.log.Error("an asset can't be opened", "asset", st.Asset.ID, "error", err)
		s.Unread = "its files can't be opened just now; the log has the details"
	}
	d.unread.Store(derivedName("summary", key), s.Unread)
	return Summary{Unread: s.Unread}, nil
}

// OpenState is an asset as it was at one moment, with the outcome of its stations.
func (d *Desk) OpenState(ctx context.Context, st store.State) (*Opened, error) {
	return d.open(ctx, st)
}

// texelsOf is the mean texel density of an asset's slots by the surface they cover; texels to a metre.
func texelsOf(r *surface.Report) float64 {
	sum, area := 0.0, 0.0
	for _, s := range r.Slots {
		if d := s.PerMetre(r.Scale); d > 0 {
			sum, area = sum+d*s.Area, area+s.Area
		}
	}
	if area == 0 {
		return 0
	}
	return sum / area
}

// summarize makes a row of the kit’s table of what the stations found.
func summarize(o *Opened) Summary {
	r := o.Result
	c := r.Delivery.Scene.Count()
	s := Summary{ClassID: r.Size.Class.ID, Class: r.Size.Class.Name, Tape: o.Tape(), Size: r.Axes.Size,
		Triangles: c.Triangles, Slots: c.Slots, Waits: r.Pending()}
	if p := r.Size.Proposals; len(p) > 0 && p[0].ByName {
		s.Proposed, s.Because = p[0].Class.ID, p[0].Why
	}
	s.Vertices, s.Bytes = r.Budget.Cost.Vertices, r.Budget.Cost.Bytes.Vertices+r.Budget.Cost.Bytes.Indices
	s.Fits, s.Longest, s.DrawCalls = r.Size.Class.Fits(r.Size.Longest), r.Size.Longest, r.Delivery.Scene.DrawCalls()
	s.Pictures, s.Memory, s.HadMemory = len(r.Slots.Pictures), r.Slots.Memory.Blocks, r.Slots.Had.Blocks
	for _, n := range r.Delivery.Scene.Nodes {
		if n.Mesh >= 0 && len(s.NodeNames) < namesKept {
			s.NodeNames = append(s.NodeNames, n.Name)
		}
	}
	for _, m := range r.Delivery.Scene.Materials {
		if len(s.SlotNames) < namesKept {
			s.SlotNames = append(s.SlotNames, m.Name)
		}
	}
	s.Parts, s.Texels = partsOf(o), texelsOf(r.Surface)
	for _, x := range r.Collision.Shapes {
		s.Shapes, s.Corners = s.Shapes+1, s.Corners+x.Points()
	}
	s.MustFix, s.Look = r.Open()
	s.OffGrid = max(math.Abs(r.Pivot.OffGrid[0]), math.Abs(r.Pivot.OffGrid[2]))
	if box := r.Pivot.Box.Carried(r.Delivery.Scene.Basis.To(geom.GLTF)); !box.IsEmpty() {
		s.Low = box.Min[1]
	}
	for _, stop := range r.Stops() {
		for _, f := range stop.Report.Findings() {
			if f.Severity > finding.Note && len(s.Found) < foundKept {
				s.Found = append(s.Found, Found{stop.ID, f.Code, f.Severity, f.Title, Proposed(f)})
			}
		}
	}
	for _, f := range r.Findings() {
		if f.Severity == finding.MustFix || f.Severity == finding.Look && f.Brief != "" {
			s.Trouble, s.Brief = f.Title, f.Brief
			if s.Brief == "" {
				s.Brief = f.Severity.String()
			}
			break
		}
	}
	return s
}
