package work

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"sync"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/pivot"
	"yarvek/internal/draft"
)

// cached gives derived data by its key: from the cache folder, or made now and
// kept there. The folder may be emptied at any moment; a file that can't be
// written or read is no error, the data is made again.
func cached[T any](d *Desk, kind, key string, make func() (T, error)) (T, error) {
	sum := sha256.Sum256([]byte("drawing 2\n" + kind + "\n" + key))
	name := fmt.Sprintf("%s-%x.json", kind, sum[:16])
	lock, _ := d.drawing.LoadOrStore(name, &sync.Mutex{})
	mu := lock.(*sync.Mutex)
	mu.Lock()
	defer mu.Unlock()
	path := filepath.Join(d.Store.CacheDir(), name)
	if b, err := os.ReadFile(path); err == nil {
		var v T
		if json.Unmarshal(b, &v) == nil {
			return v, nil
		}
	}
	v, err := make()
	if err != nil {
		return v, err
	}
	if b, err := json.Marshal(v); err == nil {
		if f, err := os.CreateTemp(d.Store.CacheDir(), "new-*"); err == nil {
			_, werr := f.Write(b)
			cerr := f.Close()
			if werr != nil || cerr != nil || os.Rename(f.Name(), path) != nil {
				_ = os.Remove(f.Name())
			}
		}
	}
	return v, nil
}

// Shown is the scene a station's drawing is made of, with the key of its content.
func (sh *Sheet) Shown(station string) (*scene.Scene, string) {
	r := sh.Result
	switch station {
	case "source":
		return r.Kept, r.Keys["source"]
	case "size":
		return r.Sized, r.Keys["size"]
	case "axes":
		return r.Stood, r.Keys["axes"]
	}
	return r.Ready, r.Keys["pivot"]
}

// box is the box of the scene Shown gives, as the station measured it.
func (sh *Sheet) box(station string) geom.Box {
	r := sh.Result
	switch station {
	case "source":
		return r.Source.Box
	case "size":
		return r.Size.Box
	case "axes":
		return r.Axes.Box
	}
	return r.Pivot.Box
}

// Numbered is a finding with its balloon.
type Numbered struct {
	finding.Finding
	Number int
	Zone   string // of the drawing, "" when it has no place there
}

// Picture is a station's drawing and its findings, numbered alike.
type Picture struct {
	Drawn    draft.Drawn
	Findings []Numbered
	Ratio    float64
}

// Draw makes the drawing of a station. height is the artist's own figure in metres,
// rules are measured distances to draw.
func (d *Desk) Draw(ctx context.Context, sh *Sheet, station string, height float64, rules ...Measured) (*Picture, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	s, key := sh.Shown(station)
	toPaper := s.Basis.To(geom.GLTF)
	box, lay := sh.layout(station, height)
	views, err := d.views(s, key, lay.Scale)
	if err != nil {
		return nil, err
	}
	sheet := &draft.Sheet{Asset: sh.Asset.Name, Kit: sh.Kit.Name, Unit: sh.Kit.Target.Unit, Revision: sh.Revision.Number,
		Counts: s.Count(), Basis: s.Basis, Views: views, Box: box, Layout: lay}
	p := &Picture{Ratio: lay.Ratio}
	for _, f := range sh.Result.Findings(station) {
		n := Numbered{Finding: f, Number: len(p.Findings) + 1}
		if f.Place.Point != nil && f.Severity > finding.Note {
			sheet.Balloons = append(sheet.Balloons, draft.Balloon{Number: n.Number, Severity: f.Severity, At: toPaper.Apply(*f.Place.Point)})
		}
		p.Findings = append(p.Findings, n)
	}
	sh.overlay(sheet, station, toPaper)
	shown := sh.toShown(station)
	for _, m := range rules {
		sheet.Rules = append(sheet.Rules, draft.Rule{From: shown.Apply(m.From), To: shown.Apply(m.To), Figure: figure.Length(m.Length)})
	}
	p.Drawn = sheet.Draw()
	for i := range p.Findings {
		p.Findings[i].Zone = p.Drawn.Zones[p.Findings[i].Number]
	}
	return p, nil
}

// overlay adds what only one station shows.
func (sh *Sheet) overlay(sheet *draft.Sheet, station string, toPaper geom.Mat3) {
	r := sh.Result
	switch station {
	case "source":
		for _, n := range r.Source.Nodes {
			if !n.Kept && n.Triangles > 0 {
				sheet.Left = append(sheet.Left, n.Box.Carried(toPaper))
			}
		}
	case "size":
		sheet.Dimensions = true
		if w, any := finding.Worst(r.Size.Findings); any && w == finding.MustFix {
			sheet.Alarm = true
		}
	case "axes":
		sheet.Facing = true
		sheet.Dimensions = true
	case "pivot":
		sheet.Datum, sheet.Places = true, true
		sh.seated(sheet, toPaper)
		if sh.Prep.Pivot.Place == pivot.OnBox {
			sheet.Seat = sh.Prep.Pivot.Box
		} else {
			sheet.Seat = pivot.BaseCentre.Box
		}
		if len(r.Pivot.Parts) > 1 {
			for _, p := range r.Pivot.Parts {
				sheet.Parts = append(sheet.Parts, toPaper.Apply(p.Origin))
			}
		}
	case "export":
		sheet.Datum, sheet.Dimensions = true, true
		sh.seated(sheet, toPaper)
	}
}

// seated shows the pivot, its heading and the markers.
func (sh *Sheet) seated(sheet *draft.Sheet, toPaper geom.Mat3) {
	p := sh.Result.Pivot
	sheet.At = toPaper.Apply(p.Origin)
	turn := 0.0
	if sh.Prep.Pivot.Under {
		turn = p.Heading
	}
	sheet.Heading = turn
	for _, m := range p.Markers {
		// A mesh that moved onto the origin has turned by the pivot's heading.
		h := m.Heading
		if !sh.Prep.Pivot.Under {
			h -= p.Heading
		}
		sheet.Marks = append(sheet.Marks, draft.Mark{Name: m.Name, At: toPaper.Apply(m.Place), Heading: h})
	}
}

// Stances are the small drawings of the six ways to stand and the four to face, of
// the resting poses, and of how the asset lies in receivers.
type Stances struct {
	Stand, Face, Rest []string
	Lies              [][2]string // honoured, ignored
}

// DrawStances makes them, in the order of the Axes report. Each small drawing is kept
// by how the asset is turned in it, so that a decision draws only what is new.
func (d *Desk) DrawStances(ctx context.Context, sh *Sheet) (Stances, error) {
	r := sh.Result
	rep := r.Axes
	poses := rep.Standing().Poses
	out := Stances{Stand: make([]string, len(rep.Stances)), Face: make([]string, len(rep.Facings)), Rest: make([]string, len(poses)), Lies: make([][2]string, len(rep.Lies))}
	var jobs []func()
	errs := make([]error, 0)
	var mu sync.Mutex
	seen := map[string][]*string{}
	add := func(to *string, key string, s *scene.Scene, by geom.Mat3) {
		for i := range by { // what differs by rounding is one turn
			for k := range by[i] {
				by[i][k] = math.Round(by[i][k]*1e6)/1e6 + 0
			}
		}
		name := fmt.Sprintf("%s %v", key, by)
		seen[name] = append(seen[name], to)
		if len(seen[name]) > 1 {
			return
		}
		jobs = append(jobs, func() {
			svg, err := cached(d, "thumb", name, func() (string, error) { return d.models.get(key, s).Thumb(by, 84), nil })
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				errs = append(errs, err)
			}
			for _, p := range seen[name] {
				*p = svg
			}
		})
	}
	read := geom.GLTF.To(r.Sized.Basis)
	for i, st := range rep.Stances {
		add(&out.Stand[i], r.Keys["size"], r.Sized, st.Basis.To(geom.GLTF).Mul(read))
	}
	for i, st := range rep.Facings {
		add(&out.Face[i], r.Keys["size"], r.Sized, st.Basis.To(geom.GLTF).Mul(read))
	}
	paper := rep.Decided.To(geom.GLTF).Mul(read)
	for i, p := range poses {
		add(&out.Rest[i], r.Keys["size"], r.Sized, p.Map.Mul(paper))
	}
	// How it lies in receivers, from how it stands now: the same small drawings.
	stood := geom.GLTF.To(rep.Target).Transpose().Mul(rep.Map.M).Mul(read)
	for i, l := range rep.Lies {
		add(&out.Lies[i][0], r.Keys["size"], r.Sized, l.Honoured.Map.Mul(stood))
		add(&out.Lies[i][1], r.Keys["size"], r.Sized, l.Ignored.Map.Mul(stood))
	}
	if err := twoAtOnce(ctx, jobs); err != nil {
		return out, err
	}
	return out, errors.Join(errs...)
}

// twoAtOnce runs jobs on two goroutines.
func twoAtOnce(ctx context.Context, jobs []func()) error {
	var wg sync.WaitGroup
	work := make(chan func())
	for range 2 {
		wg.Go(func() {
			for f := range work {
				f()
			}
		})
	}
	for _, f := range jobs {
		work <- f
	}
	close(work)
	wg.Wait()
	return ctx.Err()
}

// turntableTriangles bounds what is sent to the turntable.
const turntableTriangles = 2_000_000

// Turntable is the shown scene packed for the solid view; see draft.Model.
func (d *Desk) Turntable(sh *Sheet, station string) ([]byte, error) {
	s, key := sh.Shown(station)
	if n := s.Count().Triangles; n > turntableTriangles {
		return nil, inputError("the turntable shows up to 2 million triangles, and this has more; the drawing shows it all")
	}
	return d.models.get(key, s).Turntable(), nil
}

// Mark is how a station stands, for the tape.
type Mark struct {
	prep.Station
	Figure string
	Mark   string // "tick", "look" or "must"
	Count  int    // findings behind the mark
}
