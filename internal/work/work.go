// Package work holds the use cases of Yarvek without any drawing: what pages, commands
// and a build machine call. It reads sources, runs the stations, keeps decisions and
// exports, and knows what was computed before.
package work

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/memo"
	"yarvek/core/naming"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// The rows that pages show, by the names they are known by here.
type (
	Kit        = store.Kit
	Asset      = store.Asset
	Revision   = store.Revision
	AssetState = store.State
)

// ErrNotFound is given for what is not there, and ErrStale when what is decided for an
// asset changed since the page that asks for a change was made.
var (
	ErrNotFound = store.ErrNotFound
	ErrStale    = store.ErrStale
)

// Limits bound what is accepted from outside.
type Limits struct {
	Upload    int64 // bytes of one upload
	Unzipped  int64 // bytes the zips of an upload may hold unpacked, in all
	ZipRatio  int64 // unpacked bytes a packed one may make
	ZipFiles  int   // files in the zips of an upload
	FilesEach int   // files of one upload
	Kit       int64 // bytes of a kit's files and exports, 0 for any number
	Person    int64 // bytes that one who signs in may bring in, 0 for any number
}

// DefaultLimits suit a machine with some gigabytes of memory.
var DefaultLimits = Limits{Upload: 2 << 30, Unzipped: 4 << 30, ZipRatio: 200, ZipFiles: 5000, FilesEach: 2000,
	Kit: 100 << 30}

// How much is kept of what can be computed again, in bytes.
const (
	stepsKept   = 1 << 30 // outcomes of stations
	sourcesKept = 1 << 30 // sources as they were read
	blobsKept   = 256 << 20
)

// Desk is the service over an open data folder; there is one for a folder. It is safe
// for use by several goroutines.
type Desk struct {
	Limits  Limits
	Jobs    *Jobs
	Derived *Derived
	Fillers map[string]Filler // those that fill kits, by their names; set before the desk is used

	store   *store.Store
	log     *slog.Logger
	steps   *prep.Memo
	sources *memo.Memo[read]

	swept atomic.Pointer[store.Swept] // what the last sweep did
	blobs *memo.Memo[[]byte]          // kept files that stations ask for again and again

	placing  sync.Mutex       // held while the folders are looked at
	outboxes map[int64]string // where a kit's exports may be written, by its number
	writing  sync.Mutex       // held while files are written there

	unread   sync.Map         // by the name of a summary, why its source could not be read when it was last tried
	looking  sync.Mutex       // held while it is seen whether a kit is being looked at
	climbing sync.Mutex       // held while it is seen whether LODs are being made
	climbs   map[int64]*climb // what is made for assets, or was
}

// New makes a desk over a store, which it does not close. log gets what goes wrong out
// of sight of any page; nil for nowhere.
func New(s *store.Store, limits Limits, log *slog.Logger) *Desk {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	return &Desk{Limits: limits, climbs: map[int64]*climb{}, Jobs: NewJobs(log),
		Derived: NewDerived(s.CacheDir(), derivedKept, log),
		store:   s, log: log,
		steps:   prep.NewMemo(stepsKept),
		blobs:   memo.New(blobsKept, func(b []byte) int64 { return 256 + int64(len(b)) }),
		sources: memo.New(sourcesKept, func(r read) int64 { return 4096 + r.scene.Bytes() })}
}

// Close stops what runs in the background and waits for it.
func (d *Desk) Close() {
	d.Jobs.Close()
}

// read is a source as its reader gave it.
type read struct {
	scene    *scene.Scene
	findings []finding.Finding
}

// sourceKey names a revision's content, as it is read with variants chosen.
func sourceKey(r Revision, chosen map[string]string) string {
	h := sha256.New()
	for _, k := range slices.Sorted(maps.Keys(chosen)) {
		fmt.Fprintf(h, "chosen %q %q\n", k, chosen[k])
	}
	fmt.Fprintf(h, "reader %d\n%q\n", format.Version, r.Main)
	for _, f := range r.Files {
		fmt.Fprintf(h, "%q %s\n", f.Name, f.SHA)
	}
	return fmt.Sprintf("%x", h.Sum(nil)[:16])
}

// bundleOf is a set of kept files, each loaded when it is asked for.
func (d *Desk) bundleOf(list []store.File) *bundle.Bundle {
	files := make([]bundle.File, len(list))
	for i, f := range list {
		files[i] = bundle.File{Name: f.Name, Load: func() ([]byte, error) { return d.keptBytes(f) }}
	}
	return bundle.New(files)
}

// source reads a revision with variants chosen, nil for those that the file chooses, or gives it as it was read before.
func (d *Desk) source(ctx context.Context, r Revision, chosen map[string]string) (read, error) {
	return d.sources.Get(ctx, sourceKey(r, chosen), func(ctx context.Context) (read, error) {
		set := d.bundleOf(r.Files)
		s, found, err := format.Read(ctx, set.Choosing(chosen), r.Main, nil)
		// A choice that leaves nothing to see must be there to be taken back.
		if why := err; err != nil && ctx.Err() == nil && len(chosen) > 0 {
			if s, found, err = format.Read(ctx, set, r.Main, nil); err == nil {
				found = append(found, finding.Finding{Code: "source/variants-unread", Severity: finding.Look,
					Title: "What is chosen does not come in", Text: why.Error() + ". What the file chooses came in instead."})
			}
		}
		return read{s, found}, err
	})
}

// Opened is an asset with the outcome of its stations, all of one moment. It is shared
// by nobody; its Result's scenes are.
type Opened struct {
	store.State
	Prep   prep.Prep
	Result *prep.Result
}

// Base is what a page sends along with a change, so that it is noticed when the page is
// out of date.
func (o *Opened) Base() int { return o.Asset.Changes }

// Open loads an asset and runs its stations.
func (d *Desk) Open(ctx context.Context, asset int64) (*Opened, error) {
	st, err := d.store.State(ctx, asset)
	if err != nil {
		return nil, err
	}
	return d.open(ctx, st)
}

// open reads, or takes from the memo, what a state names, and runs the stations.
func (d *Desk) open(ctx context.Context, st store.State) (*Opened, error) {
	p, err := prep.Parse(st.Step.JSON)
	if err != nil {
		return nil, err
	}
	return d.run(ctx, st, p, "")
}

// run takes a state through the stations with a prep, which need not be its own.
func (d *Desk) run(ctx context.Context, st store.State, p prep.Prep, upto string) (*Opened, error) {
	src, err := d.source(ctx, st.Revision, p.Source.Variants)
	if err != nil {
		return nil, err
	}
	in, err := d.input(ctx, st, src, p)
	if err != nil {
		return nil, err
	}
	in.Upto = upto
	r, err := prep.Run(ctx, in, p, d.steps)
	if err != nil {
		return nil, err
	}
	return &Opened{st, p, r}, nil
}

// input is what the stations start from.
func (d *Desk) input(ctx context.Context, st store.State, src read, p prep.Prep) (prep.Input, error) {
	in := prep.Input{Key: sourceKey(st.Revision, p.Source.Variants), Scene: src.scene, Findings: src.findings,
		Revision: st.Revision.Number,
		Target:   st.Kit.Target, Grid: st.Kit.Grid, Shelf: shelf{d.Derived}}
	var err error
	if in.SlotMap, err = SlotMap(st.Kit); err != nil {
		return in, err
	}
	in.Added, err = d.added(ctx, st, p)
	return in, err
}

// Made is the asset as it is, with its LODs and shapes, however long they take to be made. progress, which
// may be nil, is told how far that is at what, from 0 to 1.
func (d *Desk) Made(ctx context.Context, o *Opened, progress func(string, float64)) (*Opened, error) {
	if !o.Result.Pending() {
		return o, nil
	}
	return d.make(ctx, o, progress)
}

// make is Made for all that a job is for, what pages only looked at in part among it.
func (d *Desk) make(ctx context.Context, o *Opened, progress func(string, float64)) (*Opened, error) {
	made, err := d.whole(ctx, o, progress)
	if err != nil {
		return nil, err
	}
	return made, Put(d.Derived, "summary", SummaryKey(o.State), summarize(made))
}

// whole is an asset with all that takes long made, whatever state it is thought to be in; nothing is noted of it.
func (d *Desk) whole(ctx context.Context, o *Opened, progress func(string, float64)) (*Opened, error) {
	src, err := d.source(ctx, o.Revision, o.Prep.Source.Variants)
	if err != nil {
		return nil, err
	}
	in, err := d.input(ctx, o.State, src, o.Prep)
	if err != nil {
		return nil, err
	}
	in.Make, in.Progress = true, progress
	r, err := prep.Run(ctx, in, o.Prep, d.steps)
	if err != nil {
		return nil, err
	}
	return &Opened{o.State, o.Prep, r}, nil
}

// shelf keeps what takes long to make among the derived data.
type shelf struct{ *Derived }

// Load gives bytes that were saved, while they are kept.
func (s shelf) Load(key string) ([]byte, bool) { return s.loadBytes(shelfName(key)) }

// Save keeps bytes.
func (s shelf) Save(key string, b []byte) { s.save(shelfName(key), b, 0) } // equal keys mean equal bytes

// shelfName is the file of what is kept under a key. It is a digest: what a key is made of came from outside.
func shelfName(key string) string {
	sum := sha256.Sum256([]byte(key))
	return fmt.Sprintf("shelf-%x.bin", sum[:16])
}

// With is the asset as it would be with another prep; nothing is decided by it.
func (d *Desk) With(ctx context.Context, o *Opened, p prep.Prep) (*Opened, error) {
	return d.run(ctx, o.State, p, "")
}

// Glimpse is With as far as a station, which need not wait for those after it.
func (d *Desk) Glimpse(ctx context.Context, o *Opened, p prep.Prep, station string) (*Opened, error) {
	return d.run(ctx, o.State, p, station)
}

// Decision changes a prep in place. It may run more than once, and must give the same
// change for the same prep. An error that is a *fault.Error is for the person.
type Decision func(p *prep.Prep) error

// Decide changes what is decided for an asset, and says in words what that changed; ""
// when it changed nothing, and then there is nothing to undo either. base is what the
// page sent; when another page changed the asset meanwhile the error is ErrStale and
// nothing is changed.
func (d *Desk) Decide(ctx context.Context, asset int64, base int, by Decision) (label string, err error) {
	st, err := d.store.State(ctx, asset)
	if err != nil {
		return "", err
	}
	if st.Asset.Changes != base {
		return "", ErrStale
	}
	was, err := prep.Parse(st.Step.JSON)
	if err != nil {
		return "", err
	}
	now := was
	if err := by(&now); err != nil {
		return "", err
	}
	if err := cmp.Or(now.Validate(), now.Plain(was)); err != nil {
		return "", err
	}
	if now, err = d.follow(ctx, st, was, now); err != nil {
		return "", err
	}
	after := now.JSON()
	if string(after) == string(was.JSON()) {
		return "", nil
	}
	label = prep.Label(was, now)
	return label, d.store.SavePrep(ctx, asset, base, after, label)
}

// Sort gives assets of a kit their classes, by ID, each as a decision of its own that can be
// undone. It returns how many it sorted; assets that are not the kit's, or have a class, stay
// as they are.
func (d *Desk) Sort(ctx context.Context, kit int64, classes map[int64]string) (int, error) {
	states, err := d.store.States(ctx, kit)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, st := range states {
		id, ok := classes[st.Asset.ID]
		if !ok || st.Harm != nil {
			continue
		}
		if _, has := st.Kit.Target.Class(id); !has {
			return n, NoClass(st.Kit.Target, id)
		}
		label, err := d.Decide(ctx, st.Asset.ID, st.Asset.Changes, func(p *prep.Prep) error {
			if p.Size.Class == "" {
				p.Size.Class = id
			}
			return nil
		})
		switch {
		case errors.Is(err, ErrStale): // somebody is at it just now
		case err != nil:
			return n, err
		case label != "":
			n++
		}
	}
	return n, nil
}

// Remedy is the decision that applies a finding's remedy, found by the station, the
// finding's code and the number of the remedy.
func (d *Desk) Remedy(ctx context.Context, o *Opened, at, code string, n int) (Decision, error) {
	stop, err := o.Result.Stop(at)
	if err != nil {
		return nil, err
	}
	for _, f := range stop.Report.Findings() {
		if f.Code == code && n >= 0 && n < len(f.Remedies) {
			return func(p *prep.Prep) (err error) {
				*p, err = p.With(f.Remedies[n].Decision)
				return err
			}, nil
		}
	}
	return nil, fault.New(fault.Missing, "this finding is gone; the page shows the asset as it is now")
}

// NoClass is the error that a target has no such class; it names those it has.
func NoClass(t target.Target, id string) error {
	var ids []string
	for _, c := range t.Classes {
		ids = append(ids, c.ID)
	}
	return fault.Input("“%s” has no class %q: expected one of %s", t.Name, id, strings.Join(ids, ", "))
}

// Proposed tells whether a finding has a first remedy that can be taken along with those of
// others: it deserves a look at least or nobody would decide otherwise, and what it does is not harsh.
func Proposed(f finding.Finding) bool {
	return len(f.Remedies) > 0 && !f.Remedies[0].Harsh && (f.Severity > finding.Note || f.Remedies[0].Sure)
}

// Proposals is the decision that applies the first remedy of each finding of a station that
// has one to propose, one after the other, each to what the ones before it made. One that
// would leave less than half of the triangles is passed over, and so is one that another one
// has made needless. With a kind only findings of that kind count, "" for all.
func (d *Desk) Proposals(ctx context.Context, o *Opened, at, kind string) (Decision, error) {
	whole := o.Result.Delivery.Scene.Count().Triangles
	now, tried := o, map[string]bool{}
	for {
		stop, err := now.Result.Stop(at)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(stop.Report.Findings(), func(f finding.Finding) bool {
			return Proposed(f) && !tried[f.Code] && (kind == "" || f.Kind() == kind)
		})
		if i < 0 {
			break
		}
		f := stop.Report.Findings()[i]
		tried[f.Code] = true
		p, err := now.Prep.With(f.Remedies[0].Decision)
		if err != nil {
			return nil, err
		}
		with, err := d.With(ctx, o, p)
		if err != nil {
			return nil, err
		}
		if 2*with.Result.Delivery.Scene.Count().Triangles >= whole {
			now = with
		}
	}
	return func(p *prep.Prep) error {
		*p = now.Prep
		return nil
	}, nil
}

// Move undoes the last decision (-1) or does it again (+1), and tells whether there was
// one. base is what the page sent; see Decide.
func (d *Desk) Move(ctx context.Context, asset int64, base, by int) (bool, error) {
	return d.store.MovePrep(ctx, asset, base, by)
}

// Rename gives an asset another name.
func (d *Desk) Rename(ctx context.Context, asset int64, name string) error {
	clean, err := CleanName(name)
	if err != nil {
		return err
	}
	return d.store.RenameAsset(ctx, asset, clean)
}

// Remove takes an asset out of its kit, or puts it back, and says which kit that is.
// Nothing is deleted.
func (d *Desk) Remove(ctx context.Context, asset int64, removed bool) (kit int64, err error) {
	return d.store.RemoveAsset(ctx, asset, removed)
}

// Station finds a station by its ID; one that is not there is ErrNotFound too.
func Station(id string) (station.Info, error) {
	in, err := prep.Station(id)
	if err != nil {
		return in, fmt.Errorf("%w: %w", ErrNotFound, err)
	}
	return in, nil
}

// longestName is how many letters a name that a person types may have.
const longestName = 120

// CleanName tidies a name typed by a person; the error says what is wrong with it.
func CleanName(s string) (string, error) {
	s = strings.Join(strings.Fields(strings.ToValidUTF8(s, "")), " ")
	if s == "" {
		return "", fault.Input("give it a name")
	}
	if err := naming.Plain(s); err != nil {
		return "", fault.Input("%q can't be a name: %v", s, err)
	}
	if len([]rune(s)) > longestName {
		return "", fault.Input("a name of more than %d letters is too long", longestName)
	}
	return s, nil
}
