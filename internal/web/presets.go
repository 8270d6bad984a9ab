package web

import (
	"io"
	"net/http"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/core/station/export"
	"yarvek/core/strict"
	"yarvek/internal/work"
)

// keepPreset keeps a way to send under a name.
func (s *Server) keepPreset(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	name, raw, back := f.str("name"), f.raw("decisions"), f.str("back")
	var by export.Decisions
	if wrong := strict.Unmarshal([]byte(raw), &by); wrong != nil {
		f.fail("how it is to be sent can’t be read: %v", wrong)
	}
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.KeepPreset(r.Context(), kid, name, by); err != nil {
		return err
	}
	return backTo(w, r, back, kid)
}

// takePreset takes one in from a file.
func (s *Server) takePreset(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	file, head, err := r.FormFile("file")
	if err != nil {
		return fault.Input("no preset file was sent").Advise("Choose one first: JSON as this page gives it")
	}
	defer file.Close()
	b, err := io.ReadAll(file)
	if err != nil {
		return err
	}
	if err := s.desk.TakePreset(r.Context(), kid, b); fault.KindOf(err) != 0 {
		return fault.Input("%s: %v", fault.Shown(head.Filename), err)
	} else if err != nil {
		return err
	}
	return backTo(w, r, r.FormValue("back"), kid)
}

// ofPreset reads the addresses and the form of a button about one.
func ofPreset(w http.ResponseWriter, r *http.Request) (kit, preset int64, back string, err error) {
	kit, err1 := id(r, "kit")
	preset, err2 := id(r, "preset")
	f := parse(w, r)
	back = f.str("back")
	return kit, preset, back, first(err1, err2, f.end())
}

// removePreset takes one away.
func (s *Server) removePreset(w http.ResponseWriter, r *http.Request) error {
	kit, preset, back, err := ofPreset(w, r)
	if err == nil {
		err = s.desk.RemovePreset(r.Context(), kit, preset)
	}
	if err != nil {
		return err
	}
	return backTo(w, r, back, kit)
}

// standardPreset has new assets of the kit begin with one, or with 0 with none.
func (s *Server) standardPreset(w http.ResponseWriter, r *http.Request) error {
	kit, preset, back, err := ofPreset(w, r)
	if err == nil {
		err = s.desk.SetStandard(r.Context(), kit, preset)
	}
	if err != nil {
		return err
	}
	return backTo(w, r, back, kit)
}

// presetFile gives one as a file.
func (s *Server) presetFile(w http.ResponseWriter, r *http.Request) error {
	kit, err1 := id(r, "kit")
	preset, err2 := id(r, "preset")
	if err := first(err1, err2); err != nil {
		return err
	}
	p, err := s.desk.Preset(r.Context(), kit, preset)
	if err != nil {
		return err
	}
	attachment(w, "application/json", bundle.Safe(p.Name)+".preset.json")
	_, err = w.Write(export.PresetFile(p.Name, p.Export))
	return err
}

// presetRow is a preset as the page offers it.
type presetRow struct {
	work.Preset
	Decisions string // JSON of what it would make of the asset's decisions
	InForce   bool
	Lines     []string
}

// Ways are the kit's presets, for the asset of the page.
func (p exportPage) Ways() (list []presetRow, err error) {
	for _, x := range p.Presets {
		row := presetRow{Preset: x}
		if x.Harm == nil {
			by := x.Export.For(p.Decided)
			row.Decisions, err = decisionsJSON(by)
			if err != nil {
				return nil, err
			}
			row.InForce, row.Lines = by == p.Decided, x.Export.Lines()
		}
		list = append(list, row)
	}
	return list, nil
}

// Way is the name of the preset in force, "" for none.
func (p exportPage) Way() (string, error) {
	list, err := p.Ways()
	for _, w := range list {
		if w.InForce {
			return w.Name, err
		}
	}
	return "", err
}

// OwnWay is JSON of how the asset is to be sent.
func (p exportPage) OwnWay() (string, error) { return decisionsJSON(p.Decided) }

// Plainest tells whether nothing is decided here, so that all is as the target has it.
func (p exportPage) Plainest() bool { return strings.Join(p.Decided.Lines(), "") == "" }
