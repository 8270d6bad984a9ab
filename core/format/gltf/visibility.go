package gltf

import "encoding/json"

// visibility is the extension that says whether a node is seen
// (KHR_node_visibility).
const visibility = "KHR_node_visibility"

// visible is the extension KHR_node_visibility.
type visible struct {
	Visible *bool `json:"visible,omitempty"`
}

// hidden tells whether a node says it is not to be seen.
func hidden(n node) bool {
	var v visible
	raw, ok := n.Extensions[visibility]
	return ok && json.Unmarshal(raw, &v) == nil && v.Visible != nil && !*v.Visible
}

// hide writes that a node is not to be seen.
func (w *writer) hide(n *node) {
	seen := false
	n.Extensions = w.extension(visibility, visible{&seen})
}

// wires tells whether a mesh of the document has lines or points.
func (r *reader) wires(mesh int) bool {
	for _, p := range r.doc.Meshes[mesh].Primitives {
		if p.Mode != nil && *p.Mode >= modePoints && *p.Mode < modeTriangles {
			return true
		}
	}
	return false
}
