package web

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/picture/outfit"
	"yarvek/internal/work"
)

// sum is what the assets of a class cost together.
type sum struct {
	Class     string // "" for those of none
	Assets    int
	Triangles int
	DrawCalls int
	Bytes     int64 // of vertices and indices
	Memory    int64 // of pictures as they leave, in graphics memory
}

// sumsOf adds a kit's assets up by their classes, the one of most triangles first.
func sumsOf(rows []work.Row) []sum {
	by := map[string]*sum{}
	for _, r := range rows {
		s := r.Summary
		if s.Unread != "" || s.Unlooked {
			continue
		}
		x := by[s.ClassID]
		if x == nil {
			x = &sum{}
			by[s.ClassID] = x
		}
		if s.ClassID != "" {
			x.Class = s.Class
		}
		x.Assets, x.Triangles, x.DrawCalls = x.Assets+1, x.Triangles+s.Triangles, x.DrawCalls+s.DrawCalls
		x.Bytes, x.Memory = x.Bytes+s.Bytes, x.Memory+s.Memory
	}
	var list []sum
	for _, id := range slices.Sorted(maps.Keys(by)) {
		list = append(list, *by[id])
	}
	slices.SortStableFunc(list, func(a, b sum) int { return cmp.Compare(b.Triangles, a.Triangles) })
	return list
}

// sharing is a picture, material, mesh or whole asset that several assets of a kit have.
type sharing struct {
	Kind   work.PartKind
	Sum    string
	Names  []string // what it is called in them, each once
	Name   string   // what most call it, the first of those
	Assets []work.Asset
	Size   int64 // of one; see work.Part
}

// Saves is what the receiver need not hold where it is one: bytes of graphics memory, or triangles.
func (x sharing) Saves() int64 { return x.Size * int64(len(x.Assets)-1) }

// Triangles are a mesh's.
func (x sharing) Triangles() int { return int(x.Size) }

// Stem is its name without a suffix, as a picture's is decided.
func (x sharing) Stem() string {
	if x.Kind == work.PartPicture {
		return outfit.Stem(x.Name)
	}
	return x.Name
}

// CanBeOne tells whether it is called alike by a press: pictures and materials that go by several names.
func (x sharing) CanBeOne() bool {
	return len(x.Names) > 1 && (x.Kind == work.PartPicture || x.Kind == work.PartMaterial)
}

// Others are the assets but for the first.
func (x sharing) Others() []work.Asset { return x.Assets[1:] }

// sharedOf are the parts that several assets of a kit have: whole assets first, then by what it would save to have
// them once. A material that is called alike everywhere is nothing to tell of, and neither is a mesh of assets that are
// wholly the same.
func sharedOf(rows []work.Row) (list []sharing) {
	by := map[string]*sharing{}
	names := map[string]map[string]int{}
	for _, r := range rows {
		mine := map[string]bool{}
		for _, p := range r.Summary.Parts {
			key := string(p.Kind) + " " + p.Sum
			if mine[key] || r.Summary.Unread != "" {
				continue
			}
			mine[key] = true
			x := by[key]
			if x == nil {
				x = &sharing{Kind: p.Kind, Sum: p.Sum, Size: p.Size}
				by[key], names[key] = x, map[string]int{}
			}
			if names[key][p.Name]++; names[key][p.Name] == 1 {
				x.Names = append(x.Names, p.Name)
			}
			x.Assets = append(x.Assets, r.Asset)
		}
	}
	whole := map[string]bool{}
	for _, x := range by {
		if x.Kind == work.PartWhole && len(x.Assets) > 1 {
			whole[assetsKey(x.Assets)] = true
		}
	}
	for _, key := range slices.Sorted(maps.Keys(by)) {
		x := by[key]
		switch {
		case len(x.Assets) < 2, x.Kind == work.PartMaterial && len(x.Names) == 1,
			x.Kind == work.PartMesh && whole[assetsKey(x.Assets)]:
			continue
		}
		x.Name = slices.MaxFunc(x.Names, func(a, b string) int { return cmp.Compare(names[key][a], names[key][b]) })
		list = append(list, *x)
	}
	rank := map[work.PartKind]int{work.PartWhole: 0, work.PartPicture: 1, work.PartMaterial: 2, work.PartMesh: 3}
	slices.SortStableFunc(list, func(a, b sharing) int {
		return cmp.Or(cmp.Compare(rank[a.Kind], rank[b.Kind]), cmp.Compare(b.Saves(), a.Saves()))
	})
	return list
}

// assetsKey names a list of assets.
func assetsKey(list []work.Asset) string {
	var b strings.Builder
	for _, a := range list {
		fmt.Fprintf(&b, "%d ", a.ID)
	}
	return b.String()
}

// meter is what a kit costs of something, beside what it may.
type meter struct {
	Name    string
	Is      string // in words
	Most    string // likewise, "" for any number
	Width   int    // of a thousand, how much of what it may
	Over    bool
	Field   string // of the form its bound is set by
	Typed   string // its bound as it is typed
	In      string // the unit it is typed in, "" for a number
	Missing string // what is not counted, "" for nothing
}

// OverAll names what of the kit's own budget is passed, "" for nothing.
func (c kitCost) OverAll() string {
	var list []string
	for _, m := range c.Meters {
		if m.Over {
			list = append(list, strings.ToLower(m.Name))
		}
	}
	return strings.Join(list, ", ")
}

// mebibyte is what memory is typed in.
const mebibyte = 1 << 20

// metersOf sets a kit's assets against its budget.
func metersOf(rows []work.Row, b work.KitBudget) []meter {
	var triangles, calls, corners int
	var memory, disk int64
	unsent := 0
	for _, r := range rows {
		s := r.Summary
		triangles, calls, corners, memory = triangles+s.Triangles, calls+s.DrawCalls, corners+s.Corners, memory+s.Memory
		if r.Last == nil {
			unsent++
		} else {
			disk += r.Last.Size
		}
	}
	number := func(name, field string, is, most int) meter {
		m := meter{Name: name, Is: figure.Count(is), Field: field, Over: most > 0 && is > most}
		if most > 0 {
			m.Most, m.Typed, m.Width = figure.Count(most), strconv.Itoa(most), min(1000, int(1000*float64(is)/float64(most)))
		}
		return m
	}
	bytes := func(name, field string, is, most int64) meter {
		m := meter{Name: name, Is: figure.Bytes(is), Field: field, Over: most > 0 && is > most, In: "MiB"}
		if most > 0 {
			m.Most, m.Typed = figure.Bytes(most), plainNumber(float64(most)/mebibyte)
			m.Width = min(1000, int(1000*float64(is)/float64(most)))
		}
		return m
	}
	list := []meter{
		number("Triangles", "triangles", triangles, b.Triangles),
		number("Draw calls", "calls", calls, b.DrawCalls),
		bytes("Pictures in graphics memory", "memory", memory, b.Memory),
		number("Corners of collision", "corners", corners, b.Corners),
		bytes("Files, as sent last", "disk", disk, b.Disk),
	}
	if unsent > 0 {
		list[len(list)-1].Missing = figure.Plural(unsent, "asset was", "assets were") + " never sent"
	}
	return list
}

// setBudget says what a kit's assets may cost together; an empty field is no bound.
func (s *Server) setBudget(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	size := func(name, label string) int64 {
		if f.str(name) == "" {
			return 0
		}
		return int64(f.number(name, label) * mebibyte)
	}
	b := work.KitBudget{Triangles: f.optional("triangles"), DrawCalls: f.optional("calls"), Corners: f.optional("corners"),
		Memory: size("memory", "Graphics memory"), Disk: size("disk", "The size of files")}
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.SetBudget(r.Context(), kid, b); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d?cost=open", kid)
}

// texelsAcross is how texel densities differ over a kit.
type texelsAcross struct {
	Least, Middle, Most float64 // texels a metre
	Odd                 []texelsOf
	N                   int // assets that have pictures
}

// texelsOf is an asset whose density is far from the kit's middle.
type texelsOf struct {
	Asset  work.Asset
	Texels float64
	Times  float64 // of the middle one
}

// oddTexels is from how many times the middle density on, more or less, one is seen to be odd beside the others.
const oddTexels = 2

// texelsAcrossOf compares the texel densities of a kit's assets, the oddest first; nil where fewer than two have any.
func texelsAcrossOf(rows []work.Row) *texelsAcross {
	var list []float64
	for _, r := range rows {
		if r.Summary.Unread == "" && r.Summary.Texels > 0 {
			list = append(list, r.Summary.Texels)
		}
	}
	if len(list) < 2 {
		return nil
	}
	slices.Sort(list)
	x := &texelsAcross{Least: list[0], Middle: list[len(list)/2], Most: list[len(list)-1], N: len(list)}
	for _, r := range rows {
		k := r.Summary.Texels / x.Middle
		if r.Summary.Unread == "" && k > 0 && (k >= oddTexels || k <= 1.0/oddTexels) {
			x.Odd = append(x.Odd, texelsOf{r.Asset, r.Summary.Texels, k})
		}
	}
	far := func(o texelsOf) float64 { return math.Abs(math.Log(o.Times)) }
	slices.SortStableFunc(x.Odd, func(a, b texelsOf) int { return cmp.Compare(far(b), far(a)) })
	return x
}
