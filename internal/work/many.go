package work

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/prep"
	"yarvek/core/split"
	"yarvek/core/station/source"
	"yarvek/internal/store"
)

// Round is what was decided for many at once.
type Round = store.Round

// Doing is what is to be done for many assets.
type Doing string

// What can be done for many.
const (
	AsProposed Doing = "proposed" // the first remedy of each finding of some codes, of all where none is named
	AsOn       Doing = "as"       // what another asset has decided at a station
	WithPreset Doing = "preset"   // how they are sent
	OfClass    Doing = "class"    // their class
	Prescribed Doing = "make"     // LODs, collision or pictures; see [Prescriptions]
	AsOne      Doing = "one"      // a picture or material that they share is called alike
	Renamed    Doing = "names"    // what their nodes are called, by a pattern; see package naming
)

// Many is something that is to be done for many assets of a kit.
// It is kept as JSON with what is under way.
type Many struct {
	Do      Doing
	Assets  []int64
	Codes   []string // of findings; AsProposed
	At      string   // the station whose findings they are, "" for all; AsProposed
	Match   string   // what names are like that get another, and To which; Renamed
	To      string   // likewise, and of AsOne the one name
	Kind    PartKind // of what they share, and its Sum; AsOne
	Sum     string
	From    int64  // the asset; AsOn
	Station string // whose decisions; AsOn
	Preset  int64  // its number, 0 for the target's own; WithPreset
	Class   string // its ID; OfClass
	Make    string // of a prescription, its ID; Prescribed
}

// Title says it in a few words.
func (m Many) Title() string {
	switch m.Do {
	case AsProposed:
		return "Do as proposed"
	case AsOn:
		return "Do as on another asset"
	case WithPreset:
		return "Send as by a preset"
	case Renamed:
		return "Names by a pattern"
	case AsOne:
		return "Make one"
	case Prescribed:
		if p, err := prescription(m.Make); err == nil {
			return "Make " + p.Name
		}
		return "Make for all"
	}
	return "Give a class"
}

// Outlook is what something would change for one asset.
type Outlook struct {
	Asset  Asset
	Lines  []string // what would be decided
	Cells  []Shift  // how it would stand then, station by station where that is otherwise
	Why    string   // why it can't be done, "" where it can
	Misfit []string // of what would be decided, what finds nothing here
	prep   prep.Prep
	label  string // of the decision, in the history
}

// Shift is how an asset stands at a station before and after.
type Shift struct {
	Station, Was, Is string
	Better, Worse    bool // by its findings
}

// Preview says for each asset what would change, in the order they are given. Nothing is changed. Assets that are not
// the kit's are passed over; one that can't be opened says why.
func (d *Desk) Preview(ctx context.Context, kit int64, m Many, progress func(string, float64)) ([]Outlook, error) {
	by, err := d.manyBy(ctx, kit, m)
	if err != nil {
		return nil, err
	}
	states, err := d.store.States(ctx, kit)
	if err != nil {
		return nil, err
	}
	of := map[int64]store.State{}
	for _, s := range states {
		of[s.Asset.ID] = s
	}
	var list []store.State
	for _, id := range m.Assets {
		if s, ok := of[id]; ok {
			list = append(list, s)
		}
	}
	out := make([]Outlook, len(list))
	var mu sync.Mutex
	done := 0
	err = split.Each(ctx, len(list), func(i int) {
		out[i] = d.outlook(ctx, list[i], by)
		mu.Lock()
		done++
		if progress != nil {
			progress("Looking at "+list[i].Asset.Name, float64(done)/float64(len(list)))
		}
		mu.Unlock()
	})
	return out, err
}

// change is what would be decided for an opened asset; misfit names what of it finds nothing there.
type change func(ctx context.Context, o *Opened) (now prep.Prep, misfit []string, err error)

// manyBy is the change of something that is to be done.
func (d *Desk) manyBy(ctx context.Context, kit int64, m Many) (change, error) {
	switch m.Do {
	case AsProposed:
		if _, err := prep.Station(m.At); err != nil && m.At != "" {
			return nil, err
		}
		return func(ctx context.Context, o *Opened) (prep.Prep, []string, error) {
			p, err := d.proposed(ctx, o, m)
			return p, nil, err
		}, nil
	case AsOne:
		return oneName(m), m.oneSaid()
	case Prescribed:
		p, err := prescription(m.Make)
		return p.change, err
	case Renamed:
		by := source.Rename{Match: m.Match, To: m.To}
		if err := (source.Decisions{Rename: []source.Rename{by}}).Validate(); err != nil {
			return nil, fault.From(fault.Invalid, err)
		}
		return func(ctx context.Context, o *Opened) (prep.Prep, []string, error) { return d.renamed(ctx, o, by) }, nil
	case AsOn:
		from, err := d.Prep(ctx, m.From)
		if err != nil {
			return nil, err
		}
		of, err := from.Of(m.Station)
		if err != nil {
			return nil, err
		}
		return func(ctx context.Context, o *Opened) (prep.Prep, []string, error) {
			p, err := o.Prep.With(of)
			if err != nil {
				return p, nil, err
			}
			with, err := d.Glimpse(ctx, o, p, m.Station)
			if err != nil {
				return p, nil, err
			}
			var misfit []string
			for _, l := range with.Result.Lost() {
				misfit = append(misfit, l.Key)
			}
			return p, misfit, nil
		}, nil
	case WithPreset:
		var x Preset
		if m.Preset != 0 {
			var err error
			if x, err = d.Preset(ctx, kit, m.Preset); err != nil {
				return nil, err
			}
		}
		return func(_ context.Context, o *Opened) (prep.Prep, []string, error) {
			p := o.Prep
			p.Export = x.Export.For(p.Export)
			return p, nil, nil
		}, nil
	case OfClass:
		k, err := d.Kit(ctx, kit)
		if err != nil {
			return nil, err
		}
		if _, ok := k.Target.Class(m.Class); !ok {
			return nil, NoClass(k.Target, m.Class)
		}
		return func(_ context.Context, o *Opened) (prep.Prep, []string, error) {
			p := o.Prep
			p.Size.Class = m.Class
			return p, nil, nil
		}, nil
	}
	return nil, fault.Input("%q can't be done for many", m.Do)
}

// proposed is a prep with the first remedy of each finding that has one to propose, station after station, each to what
// the ones before made; only of some codes where any are named. One that would leave less than half of the triangles is
// passed over.
func (d *Desk) proposed(ctx context.Context, o *Opened, m Many) (prep.Prep, error) {
	now, whole, tried := o, o.Result.Delivery.Scene.Count().Triangles, map[string]bool{}
	for range 200 {
		next, found := now.Prep, false
		for _, stop := range now.Result.Stops() {
			if m.At != "" && stop.ID != m.At {
				continue
			}
			for _, f := range stop.Report.Findings() {
				k := stop.ID + " " + f.Code
				if found || tried[k] || !Proposed(f) || len(m.Codes) > 0 && !slices.Contains(m.Codes, f.Code) {
					continue
				}
				tried[k], found = true, true
				var err error
				if next, err = now.Prep.With(f.Remedies[0].Decision); err != nil {
					return now.Prep, err
				}
			}
		}
		if !found {
			break
		}
		with, err := d.With(ctx, o, next)
		if err != nil {
			return now.Prep, err
		}
		if 2*with.Result.Delivery.Scene.Count().Triangles >= whole {
			now = with
		}
	}
	return now.Prep, nil
}

// renamed is a prep that gives nodes other names by a pattern; where none is called like that, it is the one there is.
func (d *Desk) renamed(ctx context.Context, o *Opened, by source.Rename) (prep.Prep, []string, error) {
	p := o.Prep
	p.Source.Rename = append(slices.Clone(p.Source.Rename), by)
	with, err := d.Glimpse(ctx, o, p, source.Info.ID)
	if err != nil {
		return o.Prep, nil, err
	}
	called := func(a, b source.Node) bool { return a.Name == b.Name }
	if slices.EqualFunc(o.Result.Source.Nodes, with.Result.Source.Nodes, called) {
		return o.Prep, nil, nil
	}
	return p, nil, nil
}

func (d *Desk) outlook(ctx context.Context, st store.State, by change) Outlook {
	out := Outlook{Asset: st.Asset}
	fail := func(err error) Outlook {
		out.Why = "it can't be opened just now; the log has the details"
		if fault.KindOf(err) != 0 {
			out.Why = err.Error()
		} else if ctx.Err() == nil {
			d.log.Error("an asset can't be looked at with many", "asset", st.Asset.ID, "error", err)
		}
		return out
	}
	o, err := d.open(ctx, st)
	if err != nil {
		return fail(err)
	}
	if out.prep, out.Misfit, err = by(ctx, o); err != nil {
		return fail(err)
	}
	if err := cmp.Or(out.prep.Validate(), out.prep.Plain(o.Prep)); err != nil {
		return fail(err)
	}
	if out.prep, err = d.follow(ctx, st, o.Prep, out.prep); err != nil {
		return fail(err)
	}
	out.label = prep.Label(o.Prep, out.prep)
	out.Lines = prep.Diff(o.Prep, out.prep)
	if string(out.prep.JSON()) == string(o.Prep.JSON()) {
		return out
	}
	if len(out.Lines) == 0 {
		out.Lines = []string{out.label}
	}
	then, err := d.With(ctx, o, out.prep)
	if err != nil {
		return fail(err)
	}
	was, is := o.Tape(), then.Tape()
	for i := range was {
		if a, b := was[i], is[i]; a.Figure != b.Figure || a.Severity != b.Severity || a.Count != b.Count {
			out.Cells = append(out.Cells, Shift{a.Name, a.Figure, b.Figure,
				b.Severity < a.Severity || b.Severity == a.Severity && b.Count < a.Count,
				b.Severity > a.Severity || b.Severity == a.Severity && b.Count > a.Count})
		}
	}
	return out
}

// Changes tells whether anything would be decided.
func (o Outlook) Changes() bool { return o.Why == "" && len(o.Lines) > 0 }

// Done is what came of something that was done for many.
type Done struct {
	Title   string
	Round   int64 // by which it is undone, 0 where nothing was changed
	Changed []Outlook
	Same    int       // assets that had it already
	Failed  []Outlook // with why
}

// DoMany decides what was looked at, for all in one: stopped or broken off, nothing is decided. One that can't be
// decided, or that somebody changed meanwhile, stops no other. What was decided is kept as a round, which is undone as
// one.
func (d *Desk) DoMany(ctx context.Context, kit int64, m Many, progress func(string, float64)) (Done, error) {
	return d.doMany(ctx, kit, m, "", progress)
}

// doMany is DoMany for an errand, which ends with it, "" for none.
func (d *Desk) doMany(ctx context.Context, kit int64, m Many, errand string, progress func(string, float64)) (Done,
	error) {
	list, err := d.Preview(ctx, kit, m, progress)
	if err != nil {
		return Done{}, err
	}
	out := Done{Title: m.Title()}
	by := map[int64]Outlook{}
	var steps []store.Decided
	for _, x := range list {
		switch {
		case x.Why != "":
			out.Failed = append(out.Failed, x)
		case !x.Changes():
			out.Same++
		default:
			by[x.Asset.ID] = x
			steps = append(steps, store.Decided{Asset: x.Asset.ID, Base: x.Asset.Changes, Prep: x.prep.JSON(), Label: x.label})
		}
	}
	title := func(n int) string { return fmt.Sprintf("%s: %s", out.Title, figure.Plural(n, "asset", "assets")) }
	var left []int64
	if out.Round, left, err = d.store.DecideRound(ctx, store.Deciding{Kit: kit, List: steps, Title: title,
		Errand: errand}); err != nil {
		return Done{}, err
	}
	for _, id := range left {
		x := by[id]
		x.Why = "it was changed meanwhile"
		out.Failed = append(out.Failed, x)
		delete(by, id)
	}
	for _, s := range steps {
		if x, ok := by[s.Asset]; ok {
			out.Changed = append(out.Changed, x)
			d.beginMaking(ctx, s.Asset)
		}
	}
	return out, nil
}

// beginMaking has made in the background what an asset waits for since something was decided; where it can't be opened
// its page says why.
func (d *Desk) beginMaking(ctx context.Context, asset int64) {
	if o, err := d.Open(ctx, asset); err == nil {
		d.Climb(ctx, o)
	}
}

// UndoMany takes a round back: of each asset that nothing was decided for since. It gives how many those are, and the
// numbers of those that stay, since more was decided there.
func (d *Desk) UndoMany(ctx context.Context, kit, round int64) (undone int, stay []int64, err error) {
	undone, stay, err = d.store.UndoRound(ctx, kit, round)
	if errors.Is(err, ErrStale) {
		err = fault.Input("this was undone already")
	}
	return undone, stay, err
}

// LastRound is the newest of a kit that can be undone, nil for none.
func (d *Desk) LastRound(ctx context.Context, kit int64) (*store.Round, error) {
	list, err := d.store.Rounds(ctx, kit, 1)
	if err != nil || len(list) == 0 || list[0].Harm != nil || list[0].Undone {
		return nil, err
	}
	return &list[0], nil
}

// Grouped sums previews up: what would be decided, for how many assets, and how they would stand.
type Grouped struct {
	Line   string
	Assets []string // names
	Was    string   // the figure of the station before, where all have one
	Is     string
	Better bool
}

// Group gathers what outlooks have in common, the most frequent first.
func Group(list []Outlook) []Grouped {
	by := map[string]*Grouped{}
	for _, x := range list {
		if !x.Changes() {
			continue
		}
		for _, l := range x.Lines {
			station, _, _ := strings.Cut(l, ",")
			g := by[l]
			if g == nil {
				g = &Grouped{Line: l}
				by[l] = g
			}
			g.Assets = append(g.Assets, x.Asset.Name)
			for _, c := range x.Cells {
				if c.Station != station {
					continue
				}
				if len(g.Assets) == 1 {
					g.Was, g.Is, g.Better = c.Was, c.Is, c.Better
				} else if g.Was != c.Was || g.Is != c.Is {
					g.Was, g.Is = "differ", "differ"
				}
			}
		}
	}
	return slices.SortedFunc(func(yield func(Grouped) bool) {
		for _, k := range slices.Sorted(maps.Keys(by)) {
			if !yield(*by[k]) {
				return
			}
		}
	}, func(a, b Grouped) int {
		return cmp.Or(cmp.Compare(len(b.Assets), len(a.Assets)), cmp.Compare(a.Line, b.Line))
	})
}
