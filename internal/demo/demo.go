// Package demo makes the Tern Point weather station, a made-up coastal level:
// thirteen assets by our own code, with such faults as artists really have, three of them
// prepared and exported already, in the formats that artists' sources give.
package demo

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/obj"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/collision"
	"yarvek/core/station/pivot"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// KitName is what the demo kit is called.
const KitName = "Tern Point weather station"

// item is one asset of the kit: how its file is written, and what is decided.
type item struct {
	scene *scene.Scene
	class string
	write func(context.Context, *scene.Scene) ([]bundle.File, error)
	ready bool // prepared and exported
	as    string
	far   bool // it has LODs
	touch collision.Form
}

func items() []item {
	zUp := geom.Basis{Up: geom.PosZ, Forward: geom.NegY}
	return []item{
		{bollard(), "street-furniture", glb, true, "glb", true, collision.Hulls},
		{lantern(), "street-furniture", objIn(geom.GLTF, 0.01), false, "", false, ""},
		{vane(), "street-furniture", objIn(zUp, 1), false, "", false, ""},
		{boardwalk(), "modular-piece", glb, true, "obj", false, collision.Box},
		// Its single hull fills the doorway, as many a first one does.
		{hut(), "building", glb, true, "gltf", false, collision.OneHull},
		{dinghy(), "vehicle", glb, false, "", false, ""},
		{shutter(), "building-part", objIn(geom.GLTF, 100), false, "", false, ""},
		{anemometer(), "street-furniture", parts, false, "", false, ""},
		{rock(), "", glb, false, "", false, ""},
		{quay(), "building-part", glb, false, "", false, ""},
		{bell(), "", scan, false, "", false, ""},
		{gauge(), "street-furniture", inches, false, "", false, ""},
		{beacon(), "street-furniture", variants, false, "", false, ""},
	}
}

func glb(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
	p, err := gltf.Write(ctx, s, pack.Options{Name: s.Name})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

func parts(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
	p, err := gltf.Write(ctx, s, pack.Options{Name: s.Name, Parts: true})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

// objIn writes an OBJ in a basis and unit that nothing in the file will tell.
func objIn(b geom.Basis, unit float64) func(context.Context, *scene.Scene) ([]bundle.File, error) {
	return func(ctx context.Context, s *scene.Scene) ([]bundle.File, error) {
		p, err := obj.Write(ctx, s, pack.Options{Name: s.Name, Basis: b, UnitMetres: unit})
		if err != nil {
			return nil, err
		}
		if _, rest, ok := bytes.Cut(p.Files[0].Data, []byte("\n")); ok {
			p.Files[0].Data = rest
		}
		return p.Files, nil
	}
}

// Files are the sources of all assets, a set each.
func Files(ctx context.Context) ([][]bundle.File, error) {
	var sets [][]bundle.File
	for _, it := range items() {
		files, err := it.write(ctx, it.scene)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", it.scene.Name, err)
		}
		sets = append(sets, files)
	}
	return sets, nil
}

// Fillers are what a desk must know to have the demo kit filled in the background.
func Fillers() map[string]work.Filler { return map[string]work.Filler{"demo": fill} }

// Begin makes the demo kit and has it filled in the background, by a desk that knows Fillers.
func Begin(ctx context.Context, d *work.Desk) (work.Kit, error) {
	kit, err := newKit(ctx, d)
	if err == nil {
		_, err = d.FillLater(ctx, kit, "demo")
	}
	return kit, err
}

// Fill makes the demo kit, and is done when it is full.
func Fill(ctx context.Context, d *work.Desk) (work.Kit, error) {
	kit, err := newKit(ctx, d)
	if err == nil {
		_, err = fill(ctx, d, kit, func(string, float64) {})
	}
	return kit, err
}

func newKit(ctx context.Context, d *work.Desk) (work.Kit, error) {
	return d.NewKit(ctx, KitName, target.Shipped[1].ID)
}

// fill is a [work.Filler].
func fill(ctx context.Context, d *work.Desk, kit work.Kit, report func(string, float64)) (*work.Intake, error) {
	there, err := d.Assets(ctx, kit.ID)
	if err != nil {
		return nil, err
	}
	gone, err := d.Removed(ctx, kit.ID)
	if err != nil {
		return nil, err
	}
	// All are there first, so that they can be looked at while some are prepared, which takes longer.
	in, list := &work.Intake{Kit: kit}, items()
	assets := make([]work.Asset, len(list))
	for i, it := range list {
		report(it.scene.Name, 0.2*float64(i)/float64(len(list)))
		named := func(a work.Asset) bool { return a.Name == it.scene.Name }
		switch at := slices.IndexFunc(there, named); {
		case at >= 0:
			assets[i] = there[at]
		case slices.ContainsFunc(gone, named):
		case ctx.Err() != nil: // stopped: what came in stays
			in.Unread = append(in.Unread, it.scene.Name)
		default:
			if assets[i], err = bring(ctx, d, kit, it); err != nil {
				return in, fmt.Errorf("%s: %w", it.scene.Name, err)
			}
		}
	}
	for i, it := range list {
		if assets[i].ID == 0 {
			continue
		}
		report(it.scene.Name, 0.2+0.8*float64(i)/float64(len(list)))
		if err := prepare(ctx, d, kit, assets[i], it); err != nil && ctx.Err() == nil {
			return in, fmt.Errorf("%s: %w", it.scene.Name, err)
		}
		in.Came = append(in.Came, work.Came{Asset: assets[i]})
	}
	return in, nil
}

// bring makes the asset of an item.
func bring(ctx context.Context, d *work.Desk, kit work.Kit, it item) (work.Asset, error) {
	files, err := it.write(ctx, it.scene)
	if err != nil {
		return work.Asset{}, err
	}
	u := d.NewUpload()
	defer u.Close()
	for _, f := range files {
		if err := u.Add(f.Name, bytes.NewReader(f.Data)); err != nil {
			return work.Asset{}, err
		}
	}
	return d.Bring(ctx, kit.ID, it.scene.Name, u)
}

// prepare decides what is decided for an item, and sends it where it is ready. What was done before is not done again.
func prepare(ctx context.Context, d *work.Desk, kit work.Kit, a work.Asset, it item) error {
	changes := a.Changes
	decide := func(change func(*prep.Prep)) error {
		label, err := d.Decide(ctx, a.ID, changes, func(p *prep.Prep) error {
			change(p)
			return nil
		})
		if label != "" {
			changes++
		}
		return err
	}
	if err := decide(func(p *prep.Prep) { p.Size.Class = it.class }); err != nil || !it.ready {
		return err
	}
	if err := decide(func(p *prep.Prep) { p.Pivot = pivot.BaseCentre }); err != nil {
		return err
	}
	if err := decide(func(p *prep.Prep) { p.Export.Format = it.as }); err != nil {
		return err
	}
	if it.far {
		if err := decide(func(p *prep.Prep) { p.LODs.Few = true }); err != nil {
			return err
		}
	}
	if it.touch != "" {
		if err := decide(func(p *prep.Prep) { p.Collision = p.Collision.With(collision.Fit{Form: it.touch}) }); err != nil {
			return err
		}
	}
	if _, sent, err := d.Exports(ctx, kit.ID, a.ID, 0, 1); err != nil || sent > 0 {
		return err
	}
	_, err := d.Send(ctx, a.ID, work.Leave{})
	return err
}

// ExampleName is what the kit of the worked example is called.
const ExampleName = "Worked example"

// Example makes a kit with the lantern as it came, for the worked example of the guide.
func Example(ctx context.Context, d *work.Desk) (work.Asset, error) {
	kit, err := d.NewKit(ctx, ExampleName, target.Shipped[1].ID)
	if err != nil {
		return work.Asset{}, err
	}
	return bring(ctx, d, kit, items()[1])
}
