package target

import (
	"encoding/json"
	"errors"
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/strict"
)

// FileVersion is that of target files. One of a later version is refused.
const FileVersion = 1

// maxFile bounds a target file, in bytes.
const maxFile = 1 << 20

// file is what a target file holds.
type file struct {
	Yarvek int    `json:"yarvekTarget"` // its version
	Target Target `json:"target"`
}

// File is the target as a file that [Parse] reads, with a line a field.
func (t Target) File() []byte {
	b, err := json.MarshalIndent(file{FileVersion, t}, "", "  ")
	if err != nil {
		panic(err) // no value of it is one that can't be written
	}
	return append(b, '\n')
}

// Parse reads a target file. The error says the line or the field and what was expected, and
// can be asked with errors.As for a *FieldError; an unknown field is one too.
func Parse(data []byte) (Target, error) {
	if len(data) > maxFile {
		return Target{}, fmt.Errorf("a target file of %s is too large: expected at most %s",
			figure.Bytes(int64(len(data))), figure.Bytes(maxFile))
	}
	var head struct {
		Yarvek *int `json:"yarvekTarget"`
	}
	var f file
	err := where(strict.Unmarshal(data, &f))
	// One of a later version has fields that are not known here: that it is later is said first.
	_ = json.Unmarshal(strict.Bare(data), &head)
	switch {
	case head.Yarvek == nil && err != nil:
		return Target{}, err
	case head.Yarvek == nil:
		return Target{}, &FieldError{"yarvekTarget", fmt.Errorf("missing: this is no target file")}
	case *head.Yarvek > FileVersion:
		return Target{}, &FieldError{"yarvekTarget",
			fmt.Errorf("version %d is newer than this program reads: expected at most %d",
				*head.Yarvek, FileVersion)}
	case *head.Yarvek < 1:
		return Target{}, &FieldError{"yarvekTarget", fmt.Errorf("%d is no version: expected %d", *head.Yarvek, FileVersion)}
	}
	if err != nil {
		return Target{}, err
	}
	f.Target.told()
	return f.Target, f.Target.Check()
}

// Kept reads a target as a kit or an export keeps it. Those that were kept before targets held
// more than a frame get all else from the shipped one of their ID.
func Kept(data []byte) (Target, error) {
	var t Target
	if err := json.Unmarshal(data, &t); err != nil || t.Revision > 0 {
		t.told()
		return t, err
	}
	full, ok := ByID(t.ID)
	if !ok {
		full = Shipped[0]
	}
	full.ID, full.Name, full.Basis, full.Unit = t.ID, t.Name, t.Basis, t.Unit
	return full, nil
}

// where gives what is wrong with a field as a *FieldError.
func where(err error) error {
	var wrong *strict.Error
	if errors.As(err, &wrong) && wrong.Path != "" {
		return &FieldError{wrong.Path, fmt.Errorf("line %d: %s", wrong.Line, wrong.What)}
	}
	return err
}
