package source

import (
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/scene"
)

// Rule leaves, or keeps, all nodes of some sort, in this revision and the next. Of
// several rules that speak of a node the last one counts; what was decided for the
// node itself counts more.
type Rule struct {
	By   RuleBy     `json:"by"`
	Keep bool       `json:"keep,omitempty"`
	What string     `json:"what,omitempty"` // the kind, or the name's pattern
	Area [4]float64 `json:"area,omitzero"`  // right, forward, right, forward; metres
	// Seen takes directions of the scene as read to the frame of the paper the area was drawn
	// on, where right is -x and forward z; zero means as the file's own basis stands.
	Seen  geom.Mat3 `json:"seen,omitzero"`
	Reach float64   `json:"reach,omitempty"` // metres from the main body
}

// RuleBy says what a rule looks at.
type RuleBy string

// The sorts of rule.
const (
	ByKind   RuleBy = "kind"
	ByName   RuleBy = "name"
	ByArea   RuleBy = "area"   // nodes wholly within a box drawn on the plan
	ByBeyond RuleBy = "beyond" // nodes farther from the main body than Reach
)

// Validate checks a rule.
func (r Rule) Validate() error {
	switch r.By {
	case ByKind:
		if !slices.Contains(Kinds, r.What) {
			return fmt.Errorf("%q is no kind of node", r.What)
		}
	case ByName:
		if _, err := naming.Parse(r.What); err != nil {
			return err
		}
	case ByArea:
		for _, c := range r.Area {
			if !(math.Abs(c) <= 1e12) {
				return fmt.Errorf("the box on the plan is out of bounds")
			}
		}
		return validSeen(r.Seen)
	case ByBeyond:
		if !(r.Reach >= 0 && r.Reach <= 1e12) {
			return fmt.Errorf("%g m is no distance from the main body", r.Reach)
		}
	default:
		return fmt.Errorf("%q is no sort of rule: expected kind, name, area or beyond", r.By)
	}
	return nil
}

// String says the rule in words.
func (r Rule) String() string {
	verb := "Leave out"
	if r.Keep {
		verb = "Keep"
	}
	switch r.By {
	case ByKind:
		return fmt.Sprintf("%s every %s", verb, r.What)
	case ByName:
		return fmt.Sprintf("%s nodes named “%s”", verb, r.What)
	case ByArea:
		return fmt.Sprintf("%s what stands in a box of %s by %s on the plan", verb,
			figure.Length(math.Abs(r.Area[2]-r.Area[0])),
			figure.Length(math.Abs(r.Area[3]-r.Area[1])))
	}
	return fmt.Sprintf("%s what is farther than %s from the main body", verb, figure.Length(r.Reach))
}

// solidWhy is why a node that the target's pattern reads as a shape to collide with is no mesh.
const solidWhy = "it goes on as collision"

// markerWhy is why a node that is decided to be a marker is no mesh.
const markerWhy = "it goes on as a marker"

// judges returns what tells whether a node is kept, and the rule by which it is not.
func (r *run) judges() func(i int) (kept bool, why string, lod int) {
	s, v := r.s, r.survey
	leave, keep := set(r.d.Leave), set(r.d.Keep)
	var match []func(i int) bool
	for _, rule := range r.d.Rules {
		match = append(match, r.matcher(rule))
	}
	return func(i int) (bool, string, int) {
		n := s.Nodes[i]
		if !(n.Mesh >= 0 && (n.Kind == scene.KindMesh || n.Kind == scene.KindPoints) || n.Kind == scene.KindEmpty ||
			n.Kind == scene.KindLOD) {
			return false, "", 0
		}
		if k := v.Keys[i]; leave[k] {
			return false, "", 0
		} else if keep[k] {
			return true, "", 0
		}
		for h := s.hubOf[i]; h >= 0; h = s.hubOf[h] {
			if leave[v.Keys[h]] { // it was left before it was taken apart
				return false, "", 0
			}
		}
		for at := len(match) - 1; at >= 0; at-- {
			if rule := r.d.Rules[at]; match[at](i) {
				if rule.Keep {
					return true, "", 0
				}
				return false, rule.String(), 0
			}
		}
		if n := r.stands.levelOf(i); n > 0 {
			return false, fmt.Sprintf("it goes on as LOD %d", n), n
		}
		switch r.stands.by[i].What {
		case Solid:
			return false, solidWhy, 0
		case Marker:
			return false, markerWhy, 0
		}
		return true, "", 0
	}
}

// matcher returns what tells whether a rule means a node.
func (r *run) matcher(rule Rule) func(i int) bool {
	s, v := r.s, r.survey
	switch rule.By {
	case ByKind:
		return func(i int) bool {
			return string(s.Nodes[i].Kind) == rule.What || slices.Contains(v.LoneOf(i), rule.What)
		}
	case ByName:
		p, _ := naming.Parse(rule.What) // checked by Validate
		return func(i int) bool { return p.Matches(s.Nodes[i].Name) }
	case ByArea:
		a, view := rule.Area, s.Basis.ToView()
		if rule.Seen != (geom.Mat3{}) {
			view = rule.Seen
			view[0] = geom.Vec3(view[0]).Mul(-1) // the asset's right is the viewer's left
		}
		return func(i int) bool {
			b := v.Boxes[i]
			if b.IsEmpty() {
				p := v.Worlds[i].T
				b = geom.Box{Min: p, Max: p}
			}
			b = b.Carried(view)
			return b.Min[0] >= min(a[0], a[2]) && b.Max[0] <= max(a[0], a[2]) && b.Min[2] >= min(a[1], a[3]) &&
				b.Max[2] <= max(a[1], a[3])
		}
	}
	return func(i int) bool {
		if v.InMain(i) {
			return false
		}
		if v.Boxes[i].IsEmpty() {
			return v.Main.Distance(v.Worlds[i].T) > rule.Reach
		}
		return v.Main.Gap(v.Boxes[i]) > rule.Reach
	}
}

// set is a list to look names up in.
func set(list []string) map[string]bool {
	m := make(map[string]bool, len(list))
	for _, k := range list {
		m[k] = true
	}
	return m
}
