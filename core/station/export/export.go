// Package export is station 10: what leaves, and in what form.
package export

import (
	"fmt"

	"yarvek/core/format"
)

// Decisions choose the file to write.
type Decisions struct {
	Format string `json:"format,omitempty"` // of format.Written; "" is glb
	Name   string `json:"name,omitempty"`   // of the file without suffix; "" is the asset's
}

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if d.Format != "" {
		if _, ok := format.ByID(d.Format); !ok {
			return fmt.Errorf("%q is no format that can be written: expected glb, gltf, fbx, fbx-one, fbx-text or obj", d.Format)
		}
	}
	if len(d.Name) > 200 {
		return fmt.Errorf("a file name of %d bytes is too long", len(d.Name))
	}
	return nil
}

// FormatID is the format chosen.
func (d Decisions) FormatID() string {
	if d.Format == "" {
		return format.Written[0].ID
	}
	return d.Format
}
