package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/internal/draft"
	"yarvek/internal/store"
)

// Summary is one asset's row in its kit, kept as derived data.
type Summary struct {
	Class     string
	Marks     []Mark
	Size      geom.Vec3 // width, height, depth in the target; metres
	Low       float64   // of the base against the origin; metres
	OffGrid   float64   // of the pivot against the kit's grid, sideways and frontward at most; metres
	Triangles int
	Slots     int
	MustFix   int
	Look      int
	Trouble   string // the first finding that spoils its place on the line-up, "" for none
	Brief     string // the same in three words, to stand below it
	View      draft.View
	ViewScale float64
	Unread    string // why the source can't be read any more
}

// Row is an asset in its kit.
type Row struct {
	Asset   store.Asset
	Summary Summary
	Last    *store.Export // nil when never exported
	Stale   bool          // changed since the last export
}

// lineupPixels is the size the line-up's pictures are drawn at.
const lineupPixels = 230

// Overview is a kit with all its assets.
func (d *Desk) Overview(ctx context.Context, kit int64) (store.Kit, []Row, error) {
	k, err := d.Store.Kit(ctx, kit)
	if err != nil {
		return k, nil, err
	}
	assets, err := d.Store.Assets(ctx, kit, false)
	if err != nil {
		return k, nil, err
	}
	exports, err := d.Store.Exports(ctx, kit, 0)
	if err != nil {
		return k, nil, err
	}
	last := map[int64]*store.Export{}
	for i := len(exports) - 1; i >= 0; i-- {
		last[exports[i].AssetID] = &exports[i]
	}
	sums, err := d.summaries(ctx, k, assets)
	if err != nil {
		return k, nil, err
	}
	var rows []Row
	for i, a := range assets {
		r := Row{Asset: a, Summary: sums[i], Last: last[a.ID]}
		if r.Last != nil {
			h, err := d.Store.Prep(ctx, a.ID)
			if err != nil {
				return k, nil, err
			}
			rev, err := d.Store.Current(ctx, a.ID)
			if err != nil {
				return k, nil, err
			}
			r.Stale = !samePrep(h.JSON, r.Last.Prep) || rev.Number != r.Last.Revision || k.Target != r.Last.Target
		}
		rows = append(rows, r)
	}
	return k, rows, nil
}

// summaries makes those of all assets, a few at once: after a change of target none
// is in the cache.
func (d *Desk) summaries(ctx context.Context, k store.Kit, assets []store.Asset) ([]Summary, error) {
	sums, errs := make([]Summary, len(assets)), make([]error, len(assets))
	var next atomic.Int64
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(assets); i = int(next.Add(1)) - 1 {
				sums[i], errs[i] = d.summary(ctx, k, assets[i])
			}
		})
	}
	wg.Wait()
	return sums, errors.Join(errs...)
}

func samePrep(a, b []byte) bool {
	p, err1 := prep.Parse(a)
	q, err2 := prep.Parse(b)
	return err1 == nil && err2 == nil && string(p.JSON()) == string(q.JSON())
}

func (d *Desk) summary(ctx context.Context, k store.Kit, a store.Asset) (Summary, error) {
	rev, err := d.Store.Current(ctx, a.ID)
	if err != nil {
		return Summary{}, err
	}
	h, err := d.Store.Prep(ctx, a.ID)
	if err != nil {
		return Summary{}, err
	}
	t, err := json.Marshal(k.Target)
	if err != nil {
		return Summary{}, err
	}
	key := fmt.Sprintf("%s\n%s\n%s\n%g", sourceKey(rev), h.JSON, t, k.Grid)
	return cached(d, "summary", key, func() (Summary, error) {
		sh, err := d.Open(ctx, a.ID)
		if ctx.Err() != nil {
			return Summary{}, ctx.Err()
		}
		if err != nil {
			return Summary{Unread: err.Error()}, nil
		}
		return d.summarize(sh), nil
	})
}

func (d *Desk) summarize(sh *Sheet) Summary {
	r := sh.Result
	c := r.Ready.Count()
	s := Summary{Class: r.Size.Class.Name, Marks: sh.Marks(), Size: r.Axes.Size, Triangles: c.Triangles, Slots: c.Slots}
	s.MustFix, s.Look = r.Open()
	s.OffGrid = max(math.Abs(r.Pivot.OffGrid[0]), math.Abs(r.Pivot.OffGrid[2]))
	box := r.Pivot.Box.Carried(r.Ready.Basis.To(geom.GLTF))
	if !box.IsEmpty() {
		s.Low = box.Min[1]
		if w := max(box.Size()[0], box.Size()[1]); w > 0 {
			s.ViewScale = lineupPixels / w
			s.View = d.models.get(r.Keys["pivot"], r.Ready).Draw(draft.Front, s.ViewScale)
		}
	}
	for _, st := range prep.Stations {
		for _, f := range r.Findings(st.ID) {
			if f.Severity == finding.MustFix && s.Trouble == "" || f.Code == "axes/lying" && s.Trouble == "" {
				s.Trouble, s.Brief = f.Title, brief(f, r)
			}
		}
	}
	return s
}

// brief says a finding in so few words that they fit under an asset.
func brief(f finding.Finding, r *prep.Result) string {
	switch f.Code {
	case "size/unit-slip", "size/implausible":
		if c := r.Size.Class; r.Size.Longest > c.Most {
			return "far too large"
		}
		return "far too small"
	case "axes/lying":
		return "on its side?"
	case "pivot/far":
		return "pivot far off"
	case "source/nothing":
		return "nothing kept"
	case "source/missing-buffer":
		return "buffer missing"
	}
	return "must fix"
}

// Marks is the tape: how each station stands, in a figure and a mark.
func (sh *Sheet) Marks() []Mark {
	r := sh.Result
	var list []Mark
	held := 0
	for _, st := range prep.Stations {
		m := Mark{Station: st, Mark: "tick"}
		worst := finding.Note
		for _, f := range r.Findings(st.ID) {
			if f.Severity > worst {
				worst, m.Count = f.Severity, 0
			}
			if f.Severity == worst {
				m.Count++
			}
		}
		switch worst {
		case finding.MustFix:
			m.Mark = "must"
			held += m.Count
		case finding.Look:
			m.Mark = "look"
		}
		switch st.ID {
		case "source":
			m.Figure = fmt.Sprintf("%s · rev %d", r.Read.Format, sh.Revision.Number)
		case "size":
			m.Figure = figure.Length(r.Size.Longest)
		case "axes":
			m.Figure = fmt.Sprintf("%s → %s", r.Axes.Decided.Up, r.Axes.Target.Up)
		case "pivot":
			m.Figure = pivotFigure(r.Pivot)
		case "export":
			m.Figure = "ready"
			if held > 0 {
				m.Mark, m.Count = "must", held
				m.Figure = fmt.Sprintf("held: %d", held)
			}
		}
		list = append(list, m)
	}
	return list
}

func pivotFigure(p *pivot.Report) string {
	if p.Box.IsEmpty() {
		return "–"
	}
	if off := p.Box.Distance(p.Origin); off > max(0.001, 0.005*p.Box.Size().Max()) {
		return figure.Length(off) + " off"
	}
	for _, f := range p.Findings {
		switch f.Code {
		case "pivot/floats":
			return "floats"
		case "pivot/sunk":
			return "sunk"
		}
	}
	switch p.Where {
	case "at the centre of its base":
		return "base centre"
	case "at its centre":
		return "centre"
	case "inside, at no special place":
		return "inside"
	}
	return "on the box"
}

// Place is where an asset stands on the line-up.
type Place struct {
	Row
	X, W, H float64 // pixels of the line-up
	Scale   float64 // of the kept picture to the line-up's
	Speck   bool
	Above   float64 // metres the base is above the ground line
}

// Lineup is all assets of a kit on one ground line.
type Lineup struct {
	Places  []Place
	Scale   float64 // pixels a metre; 0 when each is fitted
	Width   float64
	Ticks   []Tick
	PersonX float64
	GroundY float64
	Height  float64
	Fit     bool
	Long    bool // wider than the page, so it scrolls
}

// Tick is a mark of the measuring tape beside the line-up.
type Tick struct {
	Y     float64
	Label string
	Long  float64
}

// Line-up geometry in pixels.
const (
	lineupH      = 324.0
	lineupGround = 270.0
	lineupTop    = 26.0
	lineupLeft   = 66.0
	slotLeast    = 92.0
)

// Arrange stands the assets on one line: at one scale, or each fitted to its place.
// The scale serves those of plausible size; one that is far too large is shown as
// large as the paper allows, and said to be.
func Arrange(rows []Row, fit bool, width float64) Lineup {
	l := Lineup{Fit: fit, GroundY: lineupGround, Height: lineupH, Width: width}
	tallest, total := 1.8, 0.0
	for _, r := range rows {
		s := r.Summary
		if implausible(s) {
			continue
		}
		tallest = max(tallest, s.Size[1])
	}
	l.Scale = (lineupGround - lineupTop) / (tallest * 1.08)
	// One that is far off its size gets the least room: it must not thin out the rest.
	slot := func(s Summary, k float64) float64 {
		if implausible(s) {
			return slotLeast
		}
		return max(slotLeast, s.Size[0]*k+26)
	}
	slots := func(k float64) float64 {
		total = lineupLeft + 0.5*k + 40
		for _, r := range rows {
			total += slot(r.Summary, k)
		}
		return total
	}
	for slots(l.Scale) > width && l.Scale > 24 {
		l.Scale *= 0.97
	}
	l.Long = slots(l.Scale) > width
	l.Width = max(width, slots(l.Scale))
	l.PersonX = lineupLeft + 14
	x := l.PersonX + 0.5*l.Scale + 26
	for _, r := range rows {
		s := r.Summary
		p := Place{Row: r, X: x}
		room := slot(s, l.Scale)
		k := l.Scale
		if biggest := max(s.Size[0], s.Size[1]); biggest > 0 {
			if most := min((lineupGround-lineupTop)/s.Size[1], (room-16)/s.Size[0]); fit || k > most {
				k = most
			}
			p.Scale = k / max(1e-9, s.ViewScale)
			p.W, p.H = s.Size[0]*k, s.Size[1]*k
		}
		if s.ViewScale == 0 {
			p.Scale = 0
		}
		p.Speck = max(p.W, p.H) < 6
		p.X = x + room/2
		x += room
		l.Places = append(l.Places, p)
	}
	step := 1.0
	for l.Scale*step < 34 {
		step *= 2
	}
	for l.Scale*step > 130 {
		step /= 2
	}
	for i := 0; ; i++ {
		m := step * float64(i) / 10
		y := lineupGround - m*l.Scale
		if y < lineupTop-18 {
			break
		}
		t := Tick{Y: y, Long: 7}
		if i%10 == 0 {
			t.Label, t.Long = fmt.Sprintf("%g", m), 20
		} else if i%5 == 0 {
			t.Long = 12
		}
		l.Ticks = append(l.Ticks, t)
	}
	return l
}

// implausible tells a size that would spoil the scale for the others.
func implausible(s Summary) bool {
	c := class.Unsorted
	for _, k := range class.All {
		if k.Name == s.Class {
			c = k
		}
	}
	return !c.Fits(math.Max(s.Size[0], math.Max(s.Size[1], s.Size[2])))
}

// Ago says when something happened, as a person would.
func Ago(t, now time.Time) string {
	t, now = t.Local(), now.Local()
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location()) }
	switch d := int(day(now).Sub(day(t)).Hours() / 24); d {
	case 0:
		return "Today " + t.Format("15:04")
	case 1:
		return "Yesterday " + t.Format("15:04")
	}
	return t.Format("2 Jan 2006")
}
