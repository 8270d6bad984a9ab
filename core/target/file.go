package target

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"

	"yarvek/core/fault"
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
		return Target{}, fmt.Errorf("a target file of %d bytes is too large: expected at most %d", len(data), maxFile)
	}
	var head struct {
		Yarvek *int `json:"yarvekTarget"`
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return Target{}, where(data, err)
	}
	switch {
	case head.Yarvek == nil:
		return Target{}, &FieldError{"yarvekTarget", fmt.Errorf("missing: this is no target file")}
	case *head.Yarvek > FileVersion:
		return Target{}, &FieldError{"yarvekTarget",
			fmt.Errorf("version %d is newer than this program reads: expected at most %d",
				*head.Yarvek, FileVersion)}
	case *head.Yarvek < 1:
		return Target{}, &FieldError{"yarvekTarget", fmt.Errorf("%d is no version: expected %d", *head.Yarvek, FileVersion)}
	}
	var f file
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&f); err != nil {
		return Target{}, where(data, err)
	}
	return f.Target, f.Target.Check()
}

// Kept reads a target as a kit or an export keeps it. Those that were kept before targets held
// more than a frame get all else from the shipped one of their ID.
func Kept(data []byte) (Target, error) {
	var t Target
	if err := json.Unmarshal(data, &t); err != nil || t.Revision > 0 {
		return t, err
	}
	full, ok := ByID(t.ID)
	if !ok {
		full = Shipped[0]
	}
	full.ID, full.Name, full.Basis, full.Unit = t.ID, t.Name, t.Basis, t.Unit
	return full, nil
}

// where says the line of an error in JSON, or the field.
func where(data []byte, err error) error {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		return fmt.Errorf("line %d: %w", line(data, syntax.Offset), err)
	case errors.As(err, &kind):
		return &FieldError{kind.Field, fmt.Errorf("line %d: expected %s, found %s", line(data, kind.Offset),
			fault.JSON(kind.Type), kind.Value)}
	}
	return err
}

func line(data []byte, at int64) int {
	return 1 + bytes.Count(data[:min(int64(len(data)), max(0, at))], []byte("\n"))
}
