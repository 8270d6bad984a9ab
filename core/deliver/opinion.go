package deliver

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/scene"
)

// Verdict sets one thing that two readers say of a file side by side.
type Verdict struct {
	Code   string `json:"code"` // stable, such as "triangles"
	What   string `json:"what"`
	Ours   string `json:"ours"`
	Theirs string `json:"theirs"`
	Equal  bool   `json:"equal"`
	Why    string `json:"why,omitempty"` // which of them is right by the standard, "" where they agree
}

// How far integrals of two readers may be apart, as a part of the largest they could be: numbers of 32 bits, and
// polygons that are cut another way where they are not flat or their values not linear.
const (
	integralNear    = 2e-4
	integralNearCut = 5e-3
)

// Against sets what this reader made of a file beside what another one did. ours are of this house.
func (ours Figures) Against(theirs Figures, f format.Format) []Verdict {
	near := integralNear
	if ours.Cut {
		near = integralNearCut
	}
	var list []Verdict
	add := func(code, what, a, b string, equal bool) {
		v := Verdict{Code: code, What: what, Ours: a, Theirs: b, Equal: equal}
		if !equal && ours.Cut && surfaces[code] {
			v.Why = "each reader cuts polygons of more than three corners its own way, and some cut hollow ones wrong: cut " +
				"polygons into triangles here, and all draw the same"
		} else if !equal {
			v.Why = byStandard(code, f)
		}
		list = append(list, v)
	}
	add("triangles", "Triangles", figure.Count(ours.Triangles), figure.Count(theirs.Triangles),
		ours.Triangles == theirs.Triangles)
	if ours.Dots+theirs.Dots > 0 {
		add("dots", "Points without faces", figure.Count(ours.Dots), figure.Count(theirs.Dots), ours.Dots == theirs.Dots)
	}
	size := 1e-9
	for i := range 3 {
		size = max(size, math.Abs(ours.Min[i]), math.Abs(ours.Max[i]))
	}
	apart := max(ours.Min.Dist(theirs.Min), ours.Max.Dist(theirs.Max))
	add("extents", "Extents, as loaders stand it", box(ours), box(theirs), apart <= 2e-6*size)
	add("facing", "Volume, with its sign", figure.Significant(ours.Volume, 5), figure.Significant(theirs.Volume, 5),
		math.Abs(ours.Volume-theirs.Volume) <= near*(math.Abs(ours.Volume)+ours.Area*size/3))
	if len(ours.Nodes) > 0 {
		lost := lostNames(ours.Nodes, theirs.Nodes)
		add("nodes", "Nodes with a mesh", fmt.Sprint(len(ours.Nodes)), fmt.Sprint(len(ours.Nodes)-len(lost))+few3(lost),
			len(lost) == 0)
	}
	if len(theirs.Slots) > 0 || theirs.Triangles == 0 { // else that reader does not tell what materials are called
		a, b, same := slotsBeside(ours, theirs, near)
		add("slots", "Slots, by their area", a, b, same)
	}
	layer := func(code, what string, a, b, scale []float64) {
		if len(a) == 0 {
			return // nothing was sent that could be lost
		}
		ok, off := len(b) == len(a), 0.0
		for i := range a {
			if ok {
				off = max(off, math.Abs(a[i]-b[i])/max(scale[i], 1e-300))
			}
		}
		said := "the same"
		switch {
		case !ok:
			said = "none"
		case off > near:
			said = "others, by " + figure.Significant(100*off, 2) + " %"
		}
		add(code, what, digestOf(a), said, ok && off <= near)
	}
	s := ours.Area + float64(ours.Dots)
	w := s * size
	layer("points", "Points", ours.Points, theirs.Points, []float64{w, w, w, w * size, w * size, w * size})
	layer("normals", "Normals", ours.Normals, theirs.Normals, []float64{s, s, s, w, w, w})
	uv := 1.0
	if s > 0 && len(ours.UVs) == 6 {
		uv = max(1e-9, math.Sqrt(max(ours.UVs[2], ours.UVs[3])/s))
	}
	layer("uvs", "First UV set", ours.UVs, theirs.UVs, []float64{s * uv, s * uv, s * uv * uv, s * uv * uv, w * uv, w * uv})
	layer("colors", "Colours of corners", ours.Colors, theirs.Colors, []float64{s, s, s, w, w, w})
	add("pictures", "Pictures decoded", sizes(ours.Pictures), sizes(theirs.Pictures), theirs.Broken == 0 &&
		len(only(sizeNames(theirs.Pictures), sizeNames(ours.Pictures))) == 0)
	return list
}

// surfaces are what depends on how polygons are cut.
var surfaces = map[string]bool{"facing": true, "slots": true, "points": true, "normals": true, "uvs": true,
	"colors": true}

// Agree tells whether two readers say the same.
func Agree(list []Verdict) bool {
	return !slices.ContainsFunc(list, func(v Verdict) bool { return !v.Equal })
}

func box(f Figures) string {
	z := f.Max.Sub(f.Min)
	return fmt.Sprintf("%s × %s × %s", figure.Significant(z[0], 6), figure.Significant(z[1], 6),
		figure.Significant(z[2], 6))
}

// digestOf shows integrals in a few letters.
func digestOf(list []float64) string {
	var h uint64 = 14695981039346656037 // FNV-1a, of the numbers as they are rounded
	for _, v := range list {
		for _, c := range []byte(fmt.Sprintf("%.4g ", v)) {
			h = (h ^ uint64(c)) * 1099511628211
		}
	}
	return fmt.Sprintf("%06x", h&0xffffff)
}

// plainName is a name without what readers change in it.
func plainName(s string) string {
	s = strings.ReplaceAll(s, "&quot;", `"`)
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// lostNames are those of a that b has no name for; readers that split a node add to its name.
func lostNames(a, b []string) (lost []string) {
	there := map[string]bool{}
	for _, n := range b {
		there[plainName(n)] = true
	}
	for _, n := range a {
		if !there[plainName(n)] {
			lost = append(lost, n)
		}
	}
	return lost
}

// noMaterial are the words of readers for faces without a material.
var noMaterial = map[string]bool{"": true, "default": true, "nomaterial": true, plainName(scene.NoSlot): true}

// slotsBeside sets the areas of slots beside one another, by their plain names.
func slotsBeside(ours, theirs Figures, near float64) (a, b string, same bool) {
	areas := func(f Figures) map[string]float64 {
		m := map[string]float64{}
		for _, s := range f.Slots {
			k := plainName(s.Name)
			if noMaterial[k] {
				k = ""
			}
			m[k] += s.Area
		}
		return m
	}
	x, y := areas(ours), areas(theirs)
	var other []string
	for _, s := range ours.Slots {
		k := plainName(s.Name)
		if noMaterial[k] {
			k = ""
		}
		if got, ok := y[k]; !ok || math.Abs(got-x[k]) > near*ours.Area {
			other = append(other, s.Name)
		}
	}
	for k := range y {
		if _, ok := x[k]; !ok && y[k] > near*ours.Area {
			other = append(other, k)
		}
	}
	return fmt.Sprint(len(x)), fmt.Sprint(len(y)) + few3(other), len(other) == 0
}

// sizeNames are the sizes of pictures in words.
func sizeNames(list []int) (names []string) {
	for _, s := range list {
		names = append(names, fmt.Sprintf("%d × %d", s>>16, s&0xffff))
	}
	return names
}

func sizes(list []int) string {
	if len(list) == 0 {
		return "none"
	}
	return fmt.Sprintf("%d%s", len(list), few3(sizeNames(list)))
}

// rules say what a standard holds of things that readers differ in, by the kind of format and by what differs.
var rules = map[string]map[string]string{
	"gltf": {
		"triangles": "glTF 2.0, section 3.7.2.1, lists the corners of each triangle",
		"extents": "glTF 2.0, section 3.4, fixes metres, +Y up and right-handed, and section 3.5.3 how nodes move " +
			"their meshes",
		"facing":   "glTF 2.0, section 3.7.4, has corners run anticlockwise, turned round below nodes that mirror",
		"nodes":    "glTF 2.0, section 3.5, lets names be any text; they need not differ",
		"slots":    "glTF 2.0, section 3.7.2.1, gives each primitive its material",
		"points":   "glTF 2.0, section 3.6.2, says how numbers are packed",
		"normals":  "glTF 2.0, section 3.7.2.1, has normals of unit length, turned with their node",
		"uvs":      "glTF 2.0, section 3.9.2, counts rows of pictures from the top",
		"colors":   "glTF 2.0, section 3.7.2.1, has colours of corners in linear light",
		"pictures": "glTF 2.0, section 3.9, knows PNG and JPEG; others are an extension",
	},
	"fbx":  {"": "FBX has no open standard; what the file's own settings and connections say is what was read"},
	"usdz": {"": "the schemas of Universal Scene Description say what each attribute means"},
	"usdc": {"": "the schemas of Universal Scene Description say what each attribute means"},
	"usda": {"": "the schemas of Universal Scene Description say what each attribute means"},
	"dae":  {"": "COLLADA 1.4.1, chapter 5, says how primitives list their corners, and the asset its unit and axis"},
	"ply":  {"": "a header says what each row has; which way it stands, none does"},
	"stl":  {"": "facets are what they are; which way they stand, nothing says"},
	"obj":  {"": "the format says neither axes nor unit, and numbers are as they stand"},
}

// byStandard says which reader is right of something that they differ in.
func byStandard(code string, f format.Format) string {
	kind, _, _ := strings.Cut(f.ID, "-")
	if f.Fixed != nil {
		kind = "gltf"
	}
	said := rules[kind][code]
	if said == "" {
		said = rules[kind][""]
	}
	return said + ". What was sent is what the first column says, as the certificate shows; a receiver that reads as " +
		"the other reader does will have it otherwise"
}
