package surface

import (
	"fmt"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// Hair moves a node, and what stands below it, by very little.
type Hair struct {
	Node string    `json:"node"` // its key
	By   geom.Vec3 `json:"by"`   // metres of the asset as it leaves Pivot
}

func (h Hair) line() string {
	return fmt.Sprintf("Move %s by %s", station.Nodes([]string{h.Node}), figure.Length(h.By.Len()))
}

// Bounds of hairs.
const (
	mostHair  = 0.1 // metres
	mostHairs = 1000
)

// validHairs checks them.
func validHairs(list []Hair) error {
	if len(list) > mostHairs {
		return fmt.Errorf("%d nodes moved by a hair are more than can be kept: up to %d", len(list), mostHairs)
	}
	for i, h := range list {
		if l := h.By.Len(); !(l > 0 && l <= mostHair) {
			return fmt.Errorf("a hair of %g m is out of bounds: expected more than 0 and up to %g m", l, mostHair)
		}
		if h.Node == "" || slices.ContainsFunc(list[:i], func(x Hair) bool { return x.Node == h.Node }) {
			return fmt.Errorf("“%s” can't be moved by a hair: expected each node once", h.Node)
		}
	}
	return nil
}

// Moved returns the decisions with a node moved by a hair more, or without its hair where it is none.
func (d Decisions) Moved(node string, by geom.Vec3) Decisions {
	d.Hairs = slices.Clone(d.Hairs)
	i := slices.IndexFunc(d.Hairs, func(h Hair) bool { return h.Node == node })
	switch {
	case by == (geom.Vec3{}) && i >= 0:
		if d.Hairs = slices.Delete(d.Hairs, i, i+1); len(d.Hairs) == 0 {
			d.Hairs = nil
		}
	case by == (geom.Vec3{}):
	case i >= 0:
		d.Hairs[i].By = d.Hairs[i].By.Add(by)
	default:
		d.Hairs = append(d.Hairs, Hair{node, by})
	}
	return d
}

// haired moves nodes of a scene, which is its own, and tells how many it moved.
func haired(s *scene.Scene, keys []string, hairs []Hair) (n int) {
	worlds := s.Worlds()
	for _, h := range hairs {
		i := slices.Index(keys, h.Node)
		if i < 0 {
			continue
		}
		by := h.By
		if up := s.Nodes[i].Parent; up >= 0 {
			back, ok := worlds[up].M.Inverse()
			if !ok {
				continue
			}
			by = back.Apply(by)
		}
		s.Nodes[i].Local.T = s.Nodes[i].Local.T.Add(by)
		n++
	}
	return n
}

// apart moves one of a pair out by twice what counts as one plane.
func (r *Report) apart(d Decisions, p Pair) (finding.Remedy, bool) {
	hair := 2 * max(r.Limits.Apart, p.Near)
	if p.Normal == (geom.Vec3{}) || p.Key == "" || hair > mostHair {
		return finding.Remedy{}, false
	}
	return finding.Remedy{Label: fmt.Sprintf("Move %s out by %s", p.B, figure.Length(hair)),
		Effect:   "It stands before the other from then on; what stands below it moves along.",
		Decision: d.Moved(p.Key, p.Normal.Mul(hair))}, true
}
