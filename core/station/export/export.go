// Package export is station 10: what leaves, and in what form.
package export

import (
	"fmt"
	"strings"

	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
)

// Decisions choose the file to write.
type Decisions struct {
	Format string `json:"format,omitempty"` // of format.Written; "" is glb
	Name   string `json:"name,omitempty"`   // of the file without suffix; "" is the asset's
	// Bake writes every point of an FBX where it stands, so that all its nodes are
	// identity in the file's axes; a receiver that drops node transforms then sees
	// the same.
	Bake bool `json:"bake,omitempty"`
	// Triangles cuts polygons, so that no receiver cuts them another way.
	Triangles bool `json:"triangles,omitempty"`
	// Tangents makes them of normals and the first UV set where there are none.
	Tangents bool `json:"tangents,omitempty"`
}

// Shape makes the decided changes to the prepared scene and says them.
func (d Decisions) Shape(s *scene.Scene) (*scene.Scene, []pack.Change) {
	var said []pack.Change
	if d.Cuts() {
		s = s.Triangulated()
		said = append(said, pack.Change{What: "polygons became triangles", Why: "as decided"})
	}
	if d.Tangents && d.FormatID() != "obj" {
		s = s.WithTangents()
		said = append(said, pack.Change{What: "tangents were made of normals and the first UV set", Why: "as decided, where there were none"})
	}
	if d.Bakes() {
		s = s.Flattened()
		said = append(said, pack.Change{What: "node transforms, the tree of nodes and instances", Why: "every point was written where it stands, as decided"})
	}
	return s, said
}

// Cuts tells whether Triangles counts: glTF has nothing else.
func (d Decisions) Cuts() bool {
	return d.Triangles && (strings.HasPrefix(d.FormatID(), "fbx") || d.FormatID() == "obj")
}

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if d.Format != "" {
		if _, ok := format.ByID(d.Format); !ok {
			return fmt.Errorf("%q is no format that can be written: expected glb, gltf, fbx, fbx-one, fbx-75, fbx-text or obj", d.Format)
		}
	}
	if len(d.Name) > 200 {
		return fmt.Errorf("a file name of %d bytes is too long", len(d.Name))
	}
	return nil
}

// Bakes tells whether Bake counts: only FBX leaves the choice.
func (d Decisions) Bakes() bool { return d.Bake && strings.HasPrefix(d.FormatID(), "fbx") }

// FormatID is the format chosen.
func (d Decisions) FormatID() string {
	if d.Format == "" {
		return format.Written[0].ID
	}
	return d.Format
}
