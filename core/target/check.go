package target

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/target/class"
)

// FieldError says which field of a target can't be meant, and what was expected.
type FieldError struct {
	Path string // such as "classes[2].budget.triangles"
	Err  error
}

// Error is the field and what is wrong with it.
func (e *FieldError) Error() string { return e.Path + ": " + e.Err.Error() }

// Unwrap is what is wrong with the field.
func (e *FieldError) Unwrap() error { return e.Err }

// check gathers what is wrong.
type check struct{ errs []error }

// that notes a field as wrong unless ok.
func (c *check) that(ok bool, path, format string, args ...any) {
	if !ok {
		c.errs = append(c.errs, &FieldError{path, fmt.Errorf(format, args...)})
	}
}

// err notes a field's error, if there is one.
func (c *check) err(path string, err error) {
	if err != nil {
		c.errs = append(c.errs, &FieldError{path, err})
	}
}

var (
	idPattern = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)
	formats   = []string{"glb", "gltf", "gltf-one", "fbx", "fbx-one", "fbx-75", "fbx-text", "fbx-signed",
		"usdz", "usdc", "usda", "dae", "obj", "ply", "ply-text", "stl", "stl-text"}
	pictures = []string{"png", "jpeg", "webp", "tga"}
)

// Check tells all that is wrong with a target: an error that joins a *FieldError for each
// field, nil when there is nothing.
func (t Target) Check() error {
	c := &check{}
	c.that(idPattern.MatchString(t.ID) && len(t.ID) <= 60, "id", "%q is no ID: expected small letters, digits and dashes",
		t.ID)
	c.that(t.Revision >= 1, "revision", "%d is no revision: expected 1 or more", t.Revision)
	name := strings.TrimSpace(t.Name)
	c.that(name != "" && utf8.RuneCountInString(name) <= 80, "name", "expected a name of 1 to 80 letters")
	c.err("name", naming.Plain(t.Name))
	c.basis("basis", t.Basis)
	c.unit("unit", t.Unit)
	for _, f := range Families {
		r := f.Of(&t.Reads)
		c.basis("reads."+f.Key+".basis", r.Basis)
		c.unit("reads."+f.Key+".unit", r.Unit)
	}
	c.that(slices.Contains(formats, t.Prefers), "prefers", "%q is no format: expected %s", t.Prefers,
		strings.Join(formats, ", "))
	c.that(t.Arrival.Scale >= 1e-6 && t.Arrival.Scale <= 1e6, "arrival.scale",
		"%g can't be meant: expected a number above zero", t.Arrival.Scale)
	c.that(math.Abs(t.Arrival.Turn) <= 360, "arrival.turn", "%g degrees are out of bounds: expected -360 to 360",
		t.Arrival.Turn)
	c.that(t.Arrival.Move.IsFinite() && t.Arrival.Move.Len() <= 1e6, "arrival.move",
		"expected three lengths of at most 1000 km")
	c.that(t.Needs.IndexBits == 16 || t.Needs.IndexBits == 32, "needs.indexBits", "%d is no width: expected 16 or 32",
		t.Needs.IndexBits)
	c.classes(t.Classes)
	c.that(t.View.Lines >= 100 && t.View.Lines <= 20000, "view.lines", "%d is no screen: expected 100 to 20000 lines",
		t.View.Lines)
	c.that(t.View.Angle >= 5 && t.View.Angle <= 150, "view.angle", "%g is no angle of view: expected 5 to 150 degrees",
		t.View.Angle)
	c.that(t.View.Tolerance >= 0.05 && t.View.Tolerance <= 50, "view.tolerance",
		"%g is no tolerance: expected 0.05 to 50 pixels", t.View.Tolerance)
	c.textures(t.Textures)
	c.solids(t.Solids)
	c.that(slices.Contains(Places, t.Pivot.Place), "pivot.place", "%q is no place: expected %s", t.Pivot.Place,
		strings.Join(Places, ", "))
	c.that(t.Pivot.Grid >= 0 && t.Pivot.Grid <= 1000, "pivot.grid",
		"%g m is no grid: expected up to 1000 m, or 0 for none", t.Pivot.Grid)
	c.names(t)
	return errors.Join(c.errs...)
}

func (c *check) basis(path string, b geom.Basis) {
	c.that(b.Up != geom.NoAxis, path+".up", "expected one of +X, -X, +Y, -Y, +Z, -Z")
	c.that(b.Forward != geom.NoAxis, path+".forward", "expected one of +X, -X, +Y, -Y, +Z, -Z")
	if b.Up != geom.NoAxis && b.Forward != geom.NoAxis {
		c.that(b.Up.Index() != b.Forward.Index(), path+".forward", "up and forward can't both lie along %s", b.Up.Letter())
	}
}

func (c *check) unit(path string, u figure.Unit) {
	c.that(u.Metres >= 1e-9 && u.Metres <= 1e9, path+".metres", "one unit can't be %g m: expected a number above zero",
		u.Metres)
	c.that(strings.TrimSpace(u.Symbol) != "" && len(u.Symbol) <= 12, path+".symbol",
		"expected a symbol of 1 to 12 letters")
	c.that(strings.TrimSpace(u.Name) != "" && len(u.Name) <= 40, path+".name", "expected a name of 1 to 40 letters")
	c.err(path+".name", naming.Plain(u.Name+u.Symbol))
}

func (c *check) classes(list []class.Class) {
	c.that(len(list) > 0 && len(list) <= 64, "classes", "%d classes: expected 1 to 64", len(list))
	seen := map[string]bool{}
	for i, k := range list {
		at := fmt.Sprintf("classes[%d].", i)
		c.that(idPattern.MatchString(k.ID) && len(k.ID) <= 60, at+"id",
			"%q is no ID: expected small letters, digits and dashes", k.ID)
		c.that(!seen[k.ID], at+"id", "%q is there twice", k.ID)
		seen[k.ID] = true
		c.that(strings.TrimSpace(k.Name) != "" && utf8.RuneCountInString(k.Name) <= 60, at+"name",
			"expected a name of 1 to 60 letters")
		c.err(at+"name", naming.Plain(k.Name))
		c.that(k.Least > 0 && k.Least <= 1e6, at+"least", "%g m is no size: expected a number above zero", k.Least)
		c.that(k.Most > k.Least && k.Most <= 1e6, at+"most", "%g m is not above the least, %g m", k.Most, k.Least)
		c.that(k.Seen >= 0 && k.Seen <= 1e6, at+"seen", "%g m is no distance: expected 0 or more", k.Seen)
		c.that(utf8.RuneCountInString(k.Reason) <= 400, at+"reason", "expected at most 400 letters")
		for _, b := range []struct {
			name string
			n    int64
		}{{"triangles", int64(k.Budget.Triangles)}, {"vertices", int64(k.Budget.Vertices)},
			{"drawCalls", int64(k.Budget.DrawCalls)},
			{"slots", int64(k.Budget.Slots)}, {"textureBytes", k.Budget.TextureBytes}, {"lods", int64(k.Budget.LODs)},
			{"shapes", int64(k.Budget.Shapes)}, {"shapePoints", int64(k.Budget.ShapePoints)}} {
			c.that(b.n >= 0 && b.n <= 1e12, at+"budget."+b.name, "%d is no budget: expected 0 for none, or more", b.n)
		}
	}
}

func (c *check) textures(t Textures) {
	c.that(t.Largest >= 16 && t.Largest <= 65536, "textures.largest", "%d is no side: expected 16 to 65536 pixels",
		t.Largest)
	c.that(t.Packing == "none" || t.Packing == "orm", "textures.packing", "%q is no packing: expected none or orm",
		t.Packing)
	for role, f := range t.Formats {
		c.that(slices.Contains(Roles, role), "textures.formats."+role, "%q is no role: expected %s", role,
			strings.Join(Roles, ", "))
		c.that(slices.Contains(pictures, f), "textures.formats."+role, "%q is no picture format: expected %s", f,
			strings.Join(pictures, ", "))
	}
	for _, role := range Roles {
		c.that(t.Formats[role] != "", "textures.formats."+role, "missing: expected %s", strings.Join(pictures, ", "))
	}
}

func (c *check) solids(list []Solid) {
	seen, words := map[string]bool{}, map[string]bool{}
	for i, s := range list {
		at := fmt.Sprintf("solids[%d].", i)
		c.that(slices.Contains(SolidKinds, s.Kind), at+"kind", "%q is no kind: expected %s", s.Kind,
			strings.Join(SolidKinds, ", "))
		c.that(!seen[s.Kind], at+"kind", "%q is there twice", s.Kind)
		seen[s.Kind] = true
		c.that(utf8.RuneCountInString(s.For) <= 200, at+"for", "expected at most 200 letters")
		word := strings.ToLower(s.Word)
		c.that(utf8.RuneCountInString(s.Word) <= 20, at+"word", "expected at most 20 letters")
		c.err(at+"word", naming.Plain(s.Word))
		c.that(word == "" || !words[word], at+"word", "%q stands for another kind already", s.Word)
		words[cmp.Or(word, s.Kind)] = true
	}
}

func (c *check) names(t Target) {
	if err := t.Names.Rules.Check(); err != nil {
		c.err("names", err)
		return // no pattern can be judged
	}
	for _, s := range subjects {
		text := s.of(&t.Names)
		tpl, err := t.Pattern(s.id)
		if tpl == nil && err == nil {
			continue
		}
		if err != nil {
			c.err("names."+string(s.id), err)
			continue
		}
		if s.id == SolidName {
			c.err("names.solid", t.unsaid(tpl))
		}
		for _, must := range s.must {
			c.that(slices.ContainsFunc(must, tpl.Has), "names."+string(s.id), "“%s” does not hold %s", *text, either(must))
		}
	}
	lod, err1 := t.Pattern(LODName)
	solid, err2 := t.Pattern(SolidName)
	if err1 == nil && err2 == nil {
		if both := naming.Common(lod, solid); both != "" {
			c.err("names.solid", fmt.Errorf("a name such as “%s” could be read as a LOD too", both))
		}
	}
}

// either lists placeholders of which one is needed.
func either(names []string) string { return "{" + strings.Join(names, "} or {") + "}" }
