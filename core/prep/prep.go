// Package prep walks an asset through the stations in their order. A prep is all
// decisions taken for it; the source is never changed.
package prep

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station/axes"
	"yarvek/core/station/export"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// Station is one stop of the work.
type Station struct {
	ID       string
	Name     string
	Number   int // of ten
	Question string
}

// Stations lists those that are built, in order.
var Stations = []Station{
	{"source", "Source", 1, "What came in, and what of it goes on?"},
	{"size", "Size", 2, "How big is it, truly?"},
	{"axes", "Axes", 3, "Which way does it stand and face?"},
	{"pivot", "Pivot", 4, "Where does it turn and stand?"},
	{"export", "Export", 10, "What leaves, and did it arrive?"},
}

// StationByID finds a station.
func StationByID(id string) (Station, bool) {
	for _, s := range Stations {
		if s.ID == id {
			return s, true
		}
	}
	return Station{}, false
}

// Prep is the decisions of an asset, station by station. Its JSON is what is kept.
type Prep struct {
	Source source.Decisions `json:"source,omitzero"`
	Size   size.Decisions   `json:"size,omitzero"`
	Axes   axes.Decisions   `json:"axes,omitzero"`
	Pivot  pivot.Decisions  `json:"pivot,omitzero"`
	Export export.Decisions `json:"export,omitzero"`
}

// Parse reads a kept prep.
func Parse(b []byte) (Prep, error) {
	var p Prep
	if len(b) == 0 {
		return p, nil
	}
	if err := json.Unmarshal(b, &p); err != nil {
		return p, fmt.Errorf("the decisions can't be read: %w", err)
	}
	return p, p.Validate()
}

// Validate checks every station's decisions.
func (p Prep) Validate() error {
	return errors.Join(p.Source.Validate(), p.Size.Validate(), p.Axes.Validate(), p.Pivot.Validate(), p.Export.Validate())
}

// JSON writes the prep for keeping; equal preps give equal bytes.
func (p Prep) JSON() []byte {
	b, err := json.Marshal(p)
	if err != nil {
		panic(err) // plain data: numbers are checked to be finite on the way in
	}
	return b
}

// With returns the prep with one station's decisions replaced. The decisions must
// be of that station's type, as a remedy's are.
func (p Prep) With(decision any) (Prep, error) {
	switch d := decision.(type) {
	case source.Decisions:
		p.Source = d
	case size.Decisions:
		p.Size = d
	case axes.Decisions:
		p.Axes = d
	case pivot.Decisions:
		p.Pivot = d
	case export.Decisions:
		p.Export = d
	default:
		return p, fmt.Errorf("no station has decisions of type %T", decision)
	}
	return p, p.Validate()
}

// Input is what a run starts from. Key names the source scene: equal keys must
// mean equal scenes.
type Input struct {
	Key      string
	Scene    *scene.Scene
	Findings []finding.Finding // of the reader
	Target   target.Target
	Grid     float64 // the kit's module in metres, 0 for none
}

// Result is the outcome of every station. The scenes are shared with the cache
// and must not be written to.
type Result struct {
	Survey *source.Survey // of the scene as read
	Source *source.Report
	Size   *size.Report
	Axes   *axes.Report
	Pivot  *pivot.Report

	Read  *scene.Scene // as the reader gave it
	Kept  *scene.Scene // after Source
	Sized *scene.Scene // after Size
	Stood *scene.Scene // after Axes, in the target's basis
	Ready *scene.Scene // after the last station that changes the mesh
	// Keys name each station's outcome by its ID, for caches of what is drawn of it.
	Keys map[string]string
	Hits int // stations taken from the cache
}

// ToStood is the map from what Source left to what Axes made of it, and ToReady on
// to the outcome.
func (r *Result) ToStood() geom.Affine {
	return r.Axes.Map.Mul(geom.Linear(geom.Identity3.Scaled(r.Size.Factor)))
}

// ToReady is the map from what Source left to the outcome of Pivot.
func (r *Result) ToReady() geom.Affine { return r.Pivot.Map.Mul(r.ToStood()) }

// Findings are those of one station.
func (r *Result) Findings(station string) []finding.Finding {
	switch station {
	case "source":
		return r.Source.Findings
	case "size":
		return r.Size.Findings
	case "axes":
		return r.Axes.Findings
	case "pivot":
		return r.Pivot.Findings
	}
	return nil
}

// Open counts the findings of all stations that must be fixed and that deserve a look.
func (r *Result) Open() (mustFix, look int) {
	for _, s := range Stations {
		for _, f := range r.Findings(s.ID) {
			switch f.Severity {
			case finding.MustFix:
				mustFix++
			case finding.Look:
				look++
			}
		}
	}
	return mustFix, look
}

// outcome is what a station leaves in the cache.
type outcome struct {
	scene  *scene.Scene
	report any
}

// Run walks the stations. What no decision before it changed comes from the cache,
// which may be nil.
func Run(ctx context.Context, in Input, p Prep, c *Cache) (*Result, error) {
	if err := p.Validate(); err != nil {
		return nil, err
	}
	r := &Result{Read: in.Scene, Keys: map[string]string{}}
	w := &walk{ctx: ctx, cache: c, key: in.Key, result: r}
	_, r.Survey = stop(w, "survey", nil, func() (*scene.Scene, *source.Survey) {
		return nil, source.Look(in.Scene)
	})
	r.Kept, r.Source = stop(w, "source", p.Source, func() (*scene.Scene, *source.Report) {
		return source.Run(in.Scene, r.Survey, in.Findings, p.Source)
	})
	sized := struct {
		D size.Decisions
		G float64
	}{p.Size, in.Grid}
	r.Sized, r.Size = stop(w, "size", sized, func() (*scene.Scene, *size.Report) {
		s, rep := size.Run(r.Kept, p.Size, in.Grid)
		rep.Findings = append(rep.Findings, lost(p, "size", rep.Lost)...)
		return s, rep
	})
	at := struct {
		D axes.Decisions
		B any
	}{p.Axes, in.Target.Basis}
	r.Stood, r.Axes = stop(w, "axes", at, func() (*scene.Scene, *axes.Report) {
		return axes.Run(r.Sized, p.Axes, in.Target.Basis, r.Size.Box, r.Size.Body)
	})
	seated := struct {
		D pivot.Decisions
		G float64
	}{p.Pivot, in.Grid}
	r.Ready, r.Pivot = stop(w, "pivot", seated, func() (*scene.Scene, *pivot.Report) {
		s, rep := pivot.Run(r.Stood, p.Pivot, pivot.Ask{Body: r.Size.Body, Stood: r.Axes.Map, Source: r.ToStood(),
			Grid: in.Grid, Module: r.Size.Class.ID == "modular-piece"})
		rep.Findings = append(rep.Findings, lost(p, "pivot", rep.Lost)...)
		return s, rep
	})
	if w.err != nil {
		return nil, w.err
	}
	r.Keys["export"] = w.key
	return r, nil
}

type walk struct {
	ctx    context.Context
	cache  *Cache
	key    string
	result *Result
	err    error
}

// stop runs one station or takes its outcome from the cache. The key of an
// outcome is made of everything it depends on: the key before it and its decisions.
func stop[R any](w *walk, id string, decisions any, run func() (*scene.Scene, R)) (*scene.Scene, R) {
	var none R
	if w.err == nil {
		w.err = w.ctx.Err()
	}
	if w.err != nil {
		return nil, none
	}
	d, err := json.Marshal(decisions)
	if err != nil {
		w.err = err
		return nil, none
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%s", w.key, id, d))
	w.key = fmt.Sprintf("%x", sum[:16])
	w.result.Keys[id] = w.key
	if o, ok := w.cache.get(w.key); ok {
		w.result.Hits++
		return o.scene, o.report.(R)
	}
	s, rep := run()
	w.cache.put(w.key, outcome{s, rep})
	return s, rep
}
