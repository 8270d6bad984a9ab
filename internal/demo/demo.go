// Package demo makes the Tern Point weather station, a made-up coastal level:
// thirteen assets by our own code, with such faults as artists really have, three of them
// prepared and exported already, in the formats that artists' sources give.
package demo

import (
	"bytes"
	"context"
	"fmt"

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

// Fill makes the demo kit.
func Fill(ctx context.Context, d *work.Desk) (work.Kit, error) {
	kit, err := d.NewKit(ctx, KitName, target.Shipped[1].ID)
	if err != nil {
		return kit, err
	}
	for _, it := range items() {
		if err := add(ctx, d, kit, it); err != nil {
			return kit, fmt.Errorf("%s: %w", it.scene.Name, err)
		}
	}
	return kit, nil
}

func add(ctx context.Context, d *work.Desk, kit work.Kit, it item) error {
	files, err := it.write(ctx, it.scene)
	if err != nil {
		return err
	}
	u := d.NewUpload()
	defer u.Close()
	for _, f := range files {
		if err := u.Add(f.Name, bytes.NewReader(f.Data)); err != nil {
			return err
		}
	}
	a, err := d.Bring(ctx, kit.ID, it.scene.Name, u)
	if err != nil {
		return err
	}
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
	_, err = d.Send(ctx, a.ID, work.Leave{})
	return err
}
