package work

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/target"
	"yarvek/core/target/class"
	"yarvek/internal/store"
)

// Targets lists those to choose from: the shipped ones, then the newest revisions of the
// house's own.
func (d *Desk) Targets(ctx context.Context) ([]target.Target, error) {
	own, _, err := d.store.Targets(ctx)
	if err != nil {
		return nil, err
	}
	list := slices.Clone(target.Shipped)
	for _, r := range own {
		if !r.Removed {
			list = append(list, r.Target)
		}
	}
	return list, nil
}

// TargetRevision is one kept revision of a target that artists made, as the store
// holds it.
type TargetRevision = store.TargetRevision

// OwnTargets lists the newest revisions of the house's own; those taken out come too. Damaged ones are counted.
func (d *Desk) OwnTargets(ctx context.Context) (list []TargetRevision, damaged int, err error) {
	return d.store.Targets(ctx)
}

// TargetRevisions lists the revisions of one of them, the newest first.
func (d *Desk) TargetRevisions(ctx context.Context, id string) ([]TargetRevision, error) {
	return d.store.TargetRevisions(ctx, id)
}

// Target finds a target by its ID: a revision of it, or with 0 the newest. One that is not
// there is the asker's *fault.Error.
func (d *Desk) Target(ctx context.Context, id string, revision int) (target.Target, error) {
	if t, ok := target.ByID(id); ok && revision <= 1 {
		return t, nil
	}
	list, err := d.store.TargetRevisions(ctx, id)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return target.Target{}, err
	}
	for _, r := range list {
		if r.Harm == nil && (revision == 0 || r.Target.Revision == revision) {
			return r.Target, nil
		}
	}
	if len(list) > 0 {
		return target.Target{}, fault.New(fault.Missing, "“%s” has no revision %d", list[0].Target.Name, revision)
	}
	all, err := d.Targets(ctx)
	if err != nil {
		return target.Target{}, err
	}
	var ids []string
	for _, t := range all {
		ids = append(ids, t.ID)
	}
	return target.Target{}, fault.Input("%q is no target: expected one of %s", id, strings.Join(ids, ", "))
}

// Own tells whether a target is the house's own, so that it can be revised.
func Own(t target.Target) bool {
	_, shipped := target.ByID(t.ID)
	return !shipped
}

// CopyTarget makes a target of the house's own of another one.
func (d *Desk) CopyTarget(ctx context.Context, id, name string) (target.Target, error) {
	t, err := d.Target(ctx, id, 0)
	if err != nil {
		return t, err
	}
	return d.begin(ctx, t.Copy(), name)
}

// begin keeps a target as the first revision of a new one.
func (d *Desk) begin(ctx context.Context, t target.Target, name string) (target.Target, error) {
	clean, err := CleanName(name)
	if err != nil {
		return t, err
	}
	t.Name, t.Revision = clean, 1
	base := Slug(clean)
	for n := 1; ; n++ {
		if t.ID = base; n > 1 {
			t.ID = fmt.Sprintf("%s-%d", base, n)
		}
		if _, shipped := target.ByID(t.ID); shipped {
			continue
		}
		if err := t.Check(); err != nil {
			return t, fault.Input("%v", err)
		}
		if err = d.store.KeepTarget(ctx, t); !errors.Is(err, ErrStale) {
			return t, err
		}
	}
}

// Slug makes an ID of a name.
func Slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-") && (unicode.IsSpace(r) || unicode.IsPunct(r)):
			b.WriteByte('-')
		}
	}
	s := strings.Trim(b.String(), "-")
	if s == "" {
		s = "target"
	}
	return strings.TrimRight(s[:min(len(s), 40)], "-")
}

// ReviseTarget keeps a changed target as its next revision; base is the revision the change was
// made of. When there is a later one the error is ErrStale, and nothing is kept; nor is a
// revision that changes nothing, which gives the one there is.
func (d *Desk) ReviseTarget(ctx context.Context, t target.Target, base int) (target.Target, error) {
	if !Own(t) {
		return t, fault.Input("“%s” is one that comes with Yarvek and can't be changed", t.Name).Advise("Copy it")
	}
	now, err := d.Target(ctx, t.ID, 0)
	if err != nil {
		return t, err
	}
	if now.Revision != base {
		return t, ErrStale
	}
	t.Revision = base
	if t.Equal(now) {
		return now, nil
	}
	t.Revision = base + 1
	if err := t.Check(); err != nil {
		return t, fault.Input("%v", err)
	}
	return t, d.store.KeepTarget(ctx, t)
}

// ImportTarget keeps the target of a file as a new one, or gives the one that is there when
// it says the same.
func (d *Desk) ImportTarget(ctx context.Context, data []byte) (target.Target, error) {
	t, err := target.Parse(data)
	if err != nil {
		return t, fault.Input("the target file can't be used: %v", err)
	}
	all, err := d.Targets(ctx)
	if err != nil {
		return t, err
	}
	for _, have := range all {
		if have.ID == t.ID && have.Equal(t) {
			return have, nil
		}
	}
	return d.begin(ctx, t, t.Name)
}

// RemoveTarget takes a target of the house's own out of the list, or puts it back. Kits that
// use it keep what they use.
func (d *Desk) RemoveTarget(ctx context.Context, id string, removed bool) error {
	return d.store.RemoveTarget(ctx, id, removed)
}

// Effect is what another target would change for the assets of a kit.
type Effect struct {
	Assets  int
	Frame   bool     // all of them stand and are counted in another frame
	Over    []string // assets over a budget that they were not over
	Within  []string // assets within all budgets that were not
	Odd     []string // assets of a size their class does not have, and had
	Right   []string // the other way round
	NoClass []string // assets whose class it has not
	Renamed int      // nodes and slots that leave with another name
	Clashes []string // names that would clash, each with its asset
	Written []string // what is written or judged otherwise for all of them, in sentences
}

// Says lists the effect in words, "" where there is none.
func (e Effect) Says() []string {
	var l []string
	count := func(list []string, one, many string) {
		if len(list) > 0 {
			l = append(l, figure.Plural(len(list), one, many)+": "+fewOf(list))
		}
	}
	if e.Frame {
		l = append(l, figure.Plural(e.Assets, "asset is carried into another frame", "assets are carried into another frame"))
	}
	count(e.Over, "asset goes over budget", "assets go over budget")
	count(e.Within, "asset comes within budget", "assets come within budget")
	count(e.Odd, "asset has no size of its class any more", "assets have no size of their class any more")
	count(e.Right, "asset has a size of its class now", "assets have a size of their class now")
	count(e.NoClass, "asset loses its class", "assets lose their class")
	if e.Renamed > 0 {
		l = append(l, figure.Plural(e.Renamed, "name changes", "names change"))
	}
	count(e.Clashes, "name would clash and stays", "names would clash and stay")
	return append(l, e.Written...)
}

// fewOf lists up to four.
func fewOf(list []string) string {
	if n := len(list); n > 4 {
		return fmt.Sprintf("%s and %d more", strings.Join(list[:4], ", "), n-4)
	}
	return strings.Join(list, ", ")
}

// EffectOf works out what a target would change for a kit, whose assets' rows are given, against
// the one it has.
func EffectOf(rows []Row, from, to target.Target) (e Effect) {
	e.Assets = len(rows)
	e.Written = target.Written(from, to)
	e.Frame = from.Basis != to.Basis || from.Unit.Metres != to.Unit.Metres
	was, _ := deliver.NewNamer(from) // a pattern that can't be read names nothing
	is, _ := deliver.NewNamer(to)
	for _, r := range rows {
		s := r.Summary
		if s.Unread != "" {
			continue
		}
		name := r.Asset.Name
		a, had := from.Class(s.ClassID)
		b, has := to.Class(s.ClassID)
		switch {
		case !has && had:
			e.NoClass = append(e.NoClass, name)
		case has:
			was, is := over(a, s), over(b, s)
			if !had {
				was = 0
			}
			if is&^was != 0 {
				e.Over = append(e.Over, name)
			} else if was != 0 && is == 0 {
				e.Within = append(e.Within, name)
			}
			put(!a.Fits(s.Longest) && had, !b.Fits(s.Longest), name, &e.Odd, &e.Right)
		}
		if from.Names == to.Names {
			continue
		}
		before, _ := namesOf(was, name, s)
		after, clashes := namesOf(is, name, s)
		for i := range after {
			if after[i] != before[i] {
				e.Renamed++
			}
		}
		for _, c := range clashes {
			e.Clashes = append(e.Clashes, fmt.Sprintf("“%s” of %s", c, name))
		}
	}
	return e
}

// put notes a name where a state began, and where it ended.
func put(was, is bool, name string, began, ended *[]string) {
	if is && !was {
		*began = append(*began, name)
	}
	if was && !is {
		*ended = append(*ended, name)
	}
}

// over tells the budgets of its class that an asset is over, a bit each.
func over(c class.Class, s Summary) (bits uint) {
	b := c.Budget
	for i, p := range [][2]int{{s.Triangles, b.Triangles}, {s.DrawCalls, b.DrawCalls}, {s.Slots, b.Slots}} {
		if p[1] > 0 && p[0] > p[1] {
			bits |= 1 << i
		}
	}
	return bits
}

// namesOf gives the names that an asset's nodes and slots leave with, and those that would
// clash.
func namesOf(by deliver.Namer, asset string, s Summary) (names, clashes []string) {
	names = append(slices.Clone(s.NodeNames), s.SlotNames...)
	take := func(at int, list []deliver.Renamed) {
		for i, r := range list {
			names[at+i] = r.Is
			if r.Clash {
				clashes = append(clashes, r.Was)
			}
		}
	}
	take(0, by.Nodes(asset, s.NodeNames))
	take(len(s.NodeNames), by.Slots(asset, s.SlotNames))
	return names, clashes
}
