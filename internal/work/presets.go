package work

import (
	"context"
	"encoding/json"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/strict"
	"yarvek/internal/store"
)

// Preset is a way to send that has a name, of a kit.
type Preset struct {
	store.Preset
	Export export.Decisions
}

// Presets lists those of a kit, by name. One that is damaged, or of a newer program, is there with its Harm.
func (d *Desk) Presets(ctx context.Context, kit int64) ([]Preset, error) {
	rows, err := d.store.Presets(ctx, kit)
	if err != nil {
		return nil, err
	}
	list := make([]Preset, len(rows))
	for i, r := range rows {
		list[i].Preset = r
		if r.Harm != nil {
			continue
		}
		err := strict.Unmarshal(r.Body, &list[i].Export)
		if err == nil {
			err = list[i].Export.Validate()
		}
		if err != nil {
			list[i].Harm = fault.From(fault.Damaged, fmt.Errorf("the preset “%s” can't be read: %w", r.Name, err))
		}
	}
	return list, nil
}

// Preset finds one of a kit.
func (d *Desk) Preset(ctx context.Context, kit, id int64) (Preset, error) {
	list, err := d.Presets(ctx, kit)
	if err != nil {
		return Preset{}, err
	}
	for _, p := range list {
		if p.ID == id {
			return p, p.Harm
		}
	}
	return Preset{}, ErrNotFound
}

// KeepPreset keeps a way to send under a name, in the place of the kit's one of that name.
func (d *Desk) KeepPreset(ctx context.Context, kit int64, name string, by export.Decisions) error {
	clean, err := CleanName(name)
	if err != nil {
		return err
	}
	by = by.General()
	if err := by.Validate(); err != nil {
		return fault.From(fault.Invalid, err)
	}
	body, err := json.Marshal(by)
	if err != nil {
		return err
	}
	return d.store.KeepPreset(ctx, store.Preset{Kit: kit, Name: clean, Body: body})
}

// TakePreset keeps one that a file holds.
func (d *Desk) TakePreset(ctx context.Context, kit int64, data []byte) error {
	name, by, err := export.ParsePreset(data)
	if err != nil {
		return err
	}
	return d.KeepPreset(ctx, kit, name, by)
}

// RemovePreset takes one away.
func (d *Desk) RemovePreset(ctx context.Context, kit, id int64) error {
	return d.store.RemovePreset(ctx, kit, id)
}

// SetStandard has new assets of a kit begin with a preset; 0 is for none.
func (d *Desk) SetStandard(ctx context.Context, kit, id int64) error {
	return d.store.SetStandard(ctx, kit, id)
}

// begun has a new asset begin with its kit's standard way to send, or with the one that was used last in the kit.
// What can't be read of either is as if there were none.
func (d *Desk) begun(ctx context.Context, a Asset, s *scene.Scene) (Asset, error) {
	by, label, err := d.usual(ctx, a.KitID)
	if f, wrong := by.Chosen(by.Format); s.Dotted() && (wrong != nil || !f.Points) {
		by.Format = "" // points leave as what holds them
	}
	if err != nil || by == (export.Decisions{}) {
		return a, err
	}
	p := prep.Prep{Export: by}
	if err := d.store.SavePrep(ctx, a.ID, a.Changes, p.JSON(), label); err != nil {
		return a, err
	}
	st, err := d.store.State(ctx, a.ID)
	return st.Asset, err
}

func (d *Desk) usual(ctx context.Context, kit int64) (export.Decisions, string, error) {
	list, err := d.Presets(ctx, kit)
	if err != nil {
		return export.Decisions{}, "", err
	}
	for _, p := range list {
		if p.Standard && p.Harm == nil {
			return p.Export, "Send with “" + p.Name + "”", nil
		}
	}
	last, err := d.store.LastSent(ctx, kit)
	if err != nil || last == nil {
		return export.Decisions{}, "", err
	}
	p, err := prep.Parse(last)
	if err != nil {
		return export.Decisions{}, "", nil // the export says so where it is shown
	}
	return p.Export.General(), "Send as the kit’s last one", nil
}
