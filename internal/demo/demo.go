// Package demo makes the Tern Point weather station, a made-up coastal level: ten
// assets by our own code, with such faults as artists really have, three of them
// prepared and exported already.
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
	"yarvek/core/station/pivot"
	"yarvek/core/target"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// KitName is what the demo kit is called.
const KitName = "Tern Point weather station"

// item is one asset of the kit: how its file is written, and what is decided.
type item struct {
	scene *scene.Scene
	class string
	write func(*scene.Scene) ([]bundle.File, error)
	ready bool // prepared and exported
	as    string
}

func items() []item {
	zUp := geom.Basis{Up: geom.PosZ, Forward: geom.NegY}
	return []item{
		{bollard(), "street-furniture", glb, true, "glb"},
		{lantern(), "street-furniture", objIn(geom.GLTF, 0.01), false, ""},
		{vane(), "street-furniture", objIn(zUp, 1), false, ""},
		{boardwalk(), "modular-piece", glb, true, "obj"},
		{hut(), "building", glb, true, "gltf"},
		{dinghy(), "vehicle", glb, false, ""},
		{shutter(), "building-part", objIn(geom.GLTF, 100), false, ""},
		{anemometer(), "street-furniture", parts, false, ""},
		{rock(), "", glb, false, ""},
		{quay(), "building-part", glb, false, ""},
	}
}

func glb(s *scene.Scene) ([]bundle.File, error) {
	p, err := gltf.Write(s, pack.Options{Name: s.Name})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

func parts(s *scene.Scene) ([]bundle.File, error) {
	p, err := gltf.Write(s, pack.Options{Name: s.Name, Parts: true})
	if err != nil {
		return nil, err
	}
	return p.Files, nil
}

// objIn writes an OBJ in a basis and unit that nothing in the file will tell.
func objIn(b geom.Basis, unit float64) func(*scene.Scene) ([]bundle.File, error) {
	return func(s *scene.Scene) ([]bundle.File, error) {
		p, err := obj.Write(s, pack.Options{Name: s.Name, Basis: b, UnitMetres: unit})
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
func Files() ([][]bundle.File, error) {
	var sets [][]bundle.File
	for _, it := range items() {
		files, err := it.write(it.scene)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", it.scene.Name, err)
		}
		sets = append(sets, files)
	}
	return sets, nil
}

// Fill makes the demo kit.
func Fill(ctx context.Context, d *work.Desk) (store.Kit, error) {
	kit, err := d.Store.NewKit(ctx, KitName, target.Shipped[1])
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

func add(ctx context.Context, d *work.Desk, kit store.Kit, it item) error {
	files, err := it.write(it.scene)
	if err != nil {
		return err
	}
	var kept []store.File
	for _, f := range files {
		sha, n, err := d.Store.PutBlob(bytes.NewReader(f.Data))
		if err != nil {
			return err
		}
		kept = append(kept, store.File{Name: f.Name, SHA: sha, Size: n})
	}
	a, err := d.Store.NewAsset(ctx, kit.ID, it.scene.Name, files[0].Name, kept)
	if err != nil {
		return err
	}
	decide := func(label string, change func(*prep.Prep)) error {
		h, err := d.Store.Prep(ctx, a.ID)
		if err != nil {
			return err
		}
		return d.Decide(ctx, a.ID, h.Seq, label, func(p *prep.Prep) error {
			change(p)
			return nil
		})
	}
	if err := decide("Class", func(p *prep.Prep) { p.Size.Class = it.class }); err != nil || !it.ready {
		return err
	}
	if err := decide("Seat at the centre of the base", func(p *prep.Prep) { p.Pivot = pivot.BaseCentre }); err != nil {
		return err
	}
	if err := decide("Export as "+it.as, func(p *prep.Prep) { p.Export.Format = it.as }); err != nil {
		return err
	}
	_, err = d.Export(ctx, a.ID)
	return err
}
