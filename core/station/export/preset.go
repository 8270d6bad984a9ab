package export

import (
	"encoding/json"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/strict"
)

// PresetVersion is that of preset files. One of a later version is refused.
const PresetVersion = 1

// maxPreset bounds a preset file, in bytes.
const maxPreset = 1 << 16

// presetFile is what a preset file holds.
type presetFile struct {
	Yarvek int       `json:"yarvekPreset"` // its version
	Name   string    `json:"name"`
	Export Decisions `json:"export"`
}

// PresetFile is a way to send as a file that [ParsePreset] reads, with a line a field.
func PresetFile(name string, d Decisions) []byte {
	b, err := json.MarshalIndent(presetFile{PresetVersion, name, d}, "", "  ")
	if err != nil {
		panic(err) // no value of it is one that can't be written
	}
	return append(b, '\n')
}

// ParsePreset reads a preset file. The error says the line and what was expected, and is a *fault.Error.
func ParsePreset(data []byte) (name string, d Decisions, err error) {
	if len(data) > maxPreset {
		return "", d, fault.Input("a preset file has at most %d bytes", maxPreset)
	}
	var f presetFile
	err = strict.Unmarshal(data, &f)
	// One of a later version has fields that are not known here: that it is later is said first.
	var head struct {
		Yarvek *int `json:"yarvekPreset"`
	}
	_ = json.Unmarshal(strict.Bare(data), &head)
	switch {
	case head.Yarvek == nil && err == nil:
		err = fmt.Errorf("it has no yarvekPreset: this is no preset file")
	case head.Yarvek != nil && *head.Yarvek > PresetVersion:
		err = fmt.Errorf("version %d is newer than this program reads: expected at most %d", *head.Yarvek, PresetVersion)
	case head.Yarvek != nil && *head.Yarvek < 1:
		err = fmt.Errorf("%d is no version: expected %d", *head.Yarvek, PresetVersion)
	case err == nil:
		err = f.Export.Validate()
	}
	if err != nil {
		return "", d, fault.From(fault.Invalid, err)
	}
	return f.Name, f.Export, nil
}

// General is a way to send without what is meant for one asset alone: a name that is no pattern, and which LOD leaves.
func (d Decisions) General() Decisions {
	if !hasPlaceholder(d.Name) {
		d.Name = ""
	}
	d.Only = 0
	return d
}

// For is a way to send for an asset that has decisions of its own: its name and its LOD stay where the way says none.
func (d Decisions) For(own Decisions) Decisions {
	if d.Name == "" {
		d.Name = own.Name
	}
	if d.Only == 0 {
		d.Only = own.Only
	}
	return d
}
