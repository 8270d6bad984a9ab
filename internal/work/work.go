// Package work holds the use cases of Yarvek: what the pages and the commands call.
// It reads sources, runs the stations, keeps decisions and exports, and draws.
package work

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/store"
)

// Limits bound what is accepted from outside.
type Limits struct {
	Upload    int64 // bytes of one upload
	Unzipped  int64 // bytes a zip may hold unpacked, in all
	ZipRatio  int64 // unpacked bytes a packed one may make
	ZipFiles  int   // files in a zip
	FilesEach int   // files of one upload
}

// DefaultLimits suit a machine with some gigabytes of memory.
var DefaultLimits = Limits{Upload: 2 << 30, Unzipped: 4 << 30, ZipRatio: 200, ZipFiles: 5000, FilesEach: 2000}

// Desk is the service: one for an open data folder.
type Desk struct {
	Store  *store.Store
	Limits Limits
	Jobs   *Jobs

	steps  *prep.Cache
	scenes *sourceCache
	models *modelCache
	// drawing keeps two pages from making the same drawing at once.
	drawing sync.Map // key to *sync.Mutex
}

// New makes a desk over a store.
func New(s *store.Store, limits Limits) *Desk {
	return &Desk{Store: s, Limits: limits, Jobs: NewJobs(), steps: prep.NewCache(1 << 30),
		scenes: &sourceCache{}, models: &modelCache{}}
}

// ErrInput marks what the person can put right: the message is for the page.
var ErrInput = errors.New("")

func inputError(format string, args ...any) error {
	return fmt.Errorf("%w"+format, append([]any{ErrInput}, args...)...)
}

// read is a source as its reader gave it.
type read struct {
	scene    *scene.Scene
	findings []finding.Finding
}

// sourceCache keeps the few sources read last; reading is the slowest step.
type sourceCache struct {
	mu    sync.Mutex
	order []string
	byKey map[string]read
}

const sourcesKept = 24

func (c *sourceCache) get(key string) (read, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	r, ok := c.byKey[key]
	return r, ok
}

func (c *sourceCache) put(key string, r read) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.byKey == nil {
		c.byKey = map[string]read{}
	}
	if _, ok := c.byKey[key]; !ok {
		c.order = append(c.order, key)
	}
	c.byKey[key] = r
	weight := int64(0)
	for _, k := range c.order {
		weight += prep.Weigh(c.byKey[k].scene)
	}
	for len(c.order) > 1 && (len(c.order) > sourcesKept || weight > 1<<30) {
		weight -= prep.Weigh(c.byKey[c.order[0]].scene)
		delete(c.byKey, c.order[0])
		c.order = c.order[1:]
	}
}

// modelCache keeps the last few models, so that the stations of one asset share them.
type modelCache struct {
	mu    sync.Mutex
	keys  [4]string
	model [4]*draft.Model
	next  int
}

func (c *modelCache) get(key string, s *scene.Scene) *draft.Model {
	c.mu.Lock()
	defer c.mu.Unlock()
	for i, k := range c.keys {
		if k == key && c.model[i] != nil {
			return c.model[i]
		}
	}
	m := draft.NewModel(s)
	c.keys[c.next], c.model[c.next] = key, m
	c.next = (c.next + 1) % len(c.keys)
	return m
}

// sourceKey names a revision's content.
func sourceKey(r store.Revision) string {
	h := sha256.New()
	fmt.Fprintf(h, "reader 1\n%q\n", r.Main)
	for _, f := range r.Files {
		fmt.Fprintf(h, "%q %s\n", f.Name, f.SHA)
	}
	return fmt.Sprintf("%x", h.Sum(nil)[:16])
}

// bundleOf loads a revision's files.
func (d *Desk) bundleOf(r store.Revision) (*bundle.Bundle, error) {
	var files []bundle.File
	for _, f := range r.Files {
		data, err := d.Store.Blob(f.SHA)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		files = append(files, bundle.File{Name: f.Name, Data: data})
	}
	return bundle.New(files), nil
}

// source reads a revision, from the cache when it was read before.
func (d *Desk) source(ctx context.Context, r store.Revision) (read, error) {
	key := sourceKey(r)
	if got, ok := d.scenes.get(key); ok {
		return got, nil
	}
	set, err := d.bundleOf(r)
	if err != nil {
		return read{}, err
	}
	s, found, err := format.Read(ctx, set, r.Main, nil)
	if err != nil {
		return read{}, err
	}
	got := read{s, found}
	d.scenes.put(key, got)
	return got, nil
}

// Sheet is an asset with everything its page shows.
type Sheet struct {
	Kit      store.Kit
	Asset    store.Asset
	Revision store.Revision
	History  store.Prep
	Prep     prep.Prep
	Result   *prep.Result
}

// Open loads an asset and runs its stations.
func (d *Desk) Open(ctx context.Context, id int64) (*Sheet, error) {
	var sh Sheet
	var err error
	if sh.Asset, err = d.Store.Asset(ctx, id); err != nil {
		return nil, err
	}
	if sh.Kit, err = d.Store.Kit(ctx, sh.Asset.KitID); err != nil {
		return nil, err
	}
	if sh.Revision, err = d.Store.Current(ctx, id); err != nil {
		return nil, err
	}
	if sh.History, err = d.Store.Prep(ctx, id); err != nil {
		return nil, err
	}
	if sh.Prep, err = prep.Parse(sh.History.JSON); err != nil {
		return nil, err
	}
	src, err := d.source(ctx, sh.Revision)
	if err != nil {
		return nil, err
	}
	sh.Result, err = d.run(ctx, sh.Kit, sh.Revision, src, sh.Prep)
	return &sh, err
}

// run takes a revision through the stations.
func (d *Desk) run(ctx context.Context, k store.Kit, r store.Revision, src read, p prep.Prep) (*prep.Result, error) {
	return prep.Run(ctx, prep.Input{Key: sourceKey(r), Scene: src.scene, Findings: src.findings, Target: k.Target, Grid: k.Grid}, p, d.steps)
}

// Decide changes an asset's prep. base is the prep the page showed; when another
// page changed it meanwhile the error is store.ErrStale and nothing is changed.
func (d *Desk) Decide(ctx context.Context, id int64, base int, label string, change func(p *prep.Prep) error) error {
	p, err := d.prepAt(ctx, id, base)
	if err != nil {
		return err
	}
	was, before := p, string(p.JSON())
	if err := change(&p); err != nil {
		return err
	}
	if err := p.Validate(); err != nil {
		return inputError("%v", err)
	}
	if p, err = d.follow(ctx, id, was, p); err != nil {
		return err
	}
	now := p.JSON()
	if string(now) == before {
		return nil // nothing to undo later
	}
	_, err = d.Store.SavePrep(ctx, id, base, now, label)
	return err
}

// prepAt is the prep in force, which must be the one numbered base.
func (d *Desk) prepAt(ctx context.Context, id int64, base int) (prep.Prep, error) {
	h, err := d.Store.Prep(ctx, id)
	if err != nil {
		return prep.Prep{}, err
	}
	if h.Seq != base {
		return prep.Prep{}, store.ErrStale
	}
	return prep.Parse(h.JSON)
}

// Remedy applies a finding's remedy, found by the finding's code and the number of
// the remedy.
func (d *Desk) Remedy(ctx context.Context, id int64, base int, code string, n int) error {
	sh, err := d.Open(ctx, id)
	if err != nil {
		return err
	}
	if sh.History.Seq != base {
		return store.ErrStale
	}
	station, _, _ := strings.Cut(code, "/")
	r, err := sh.remedy(station, code, n)
	if err != nil {
		return err
	}
	return d.Decide(ctx, id, base, r.Label, func(p *prep.Prep) (err error) {
		*p, err = p.With(r.Decision)
		return err
	})
}

func (sh *Sheet) remedy(station, code string, n int) (finding.Remedy, error) {
	for _, f := range sh.Result.Findings(station) {
		if f.Code == code && n >= 0 && n < len(f.Remedies) {
			return f.Remedies[n], nil
		}
	}
	return finding.Remedy{}, inputError("this finding is gone; the page shows the asset as it is now")
}

// SetTarget gives a kit another target.
func (d *Desk) SetTarget(ctx context.Context, kit int64, id string) error {
	k, err := d.Store.Kit(ctx, kit)
	if err != nil {
		return err
	}
	t, ok := target.ByID(id)
	if !ok {
		return inputError("%q is no target", id)
	}
	return d.Store.UpdateKit(ctx, kit, k.Name, t)
}

// CleanName tidies a name typed by a person.
func CleanName(s string) (string, error) {
	s = strings.Join(strings.Fields(strings.ToValidUTF8(s, "")), " ")
	if s == "" {
		return "", inputError("give it a name")
	}
	if len([]rune(s)) > 120 {
		return "", inputError("a name of more than 120 letters is too long")
	}
	return s, nil
}
