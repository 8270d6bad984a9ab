package source

import (
	"fmt"
	"maps"
	"slices"

	"yarvek/core/finding"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// maxVariants bounds how many sets are chosen of, maxVariant how long their names are.
const (
	maxVariants = 1000
	maxVariant  = 1000
)

func (d Decisions) validVariants() error {
	if len(d.Variants) > maxVariants {
		return fmt.Errorf("at most %d sets of variants are chosen of", maxVariants)
	}
	for k, v := range d.Variants {
		if k == "" || v == "" || len(k) > maxVariant || len(v) > maxVariant {
			return fmt.Errorf("%d and %d letters can't be the names of variants", len(k), len(v))
		}
	}
	return nil
}

// Choosing is the decisions with another variant of a set; "" gives back the file's.
func (d Decisions) Choosing(key, name string) Decisions {
	list := maps.Clone(d.Variants)
	if list == nil {
		list = map[string]string{}
	}
	if list[key] = name; name == "" {
		delete(list, key)
	}
	if d.Variants = list; len(list) == 0 {
		d.Variants = nil
	}
	return d
}

// variants says which of those chosen the file does not have.
func (r *run) variants() {
	r.rep.Variants = r.s.Variants
	for _, key := range slices.Sorted(maps.Keys(r.d.Variants)) {
		name := r.d.Variants[key]
		i := slices.IndexFunc(r.s.Variants, func(v scene.Variants) bool { return v.Key == key })
		if i >= 0 && slices.Contains(r.s.Variants[i].Names, name) {
			continue
		}
		text := "It has no such set, where it is now."
		if i >= 0 {
			text = fmt.Sprintf("Of “%s” there are %s.", r.s.Variants[i].Set, station.Some(r.s.Variants[i].Names))
		}
		r.say(finding.Look, "source/variant-gone", fmt.Sprintf("There is no variant “%s”", name), text,
			finding.Remedy{Label: "Use the file's", Effect: "What the file chooses comes in.", Decision: r.d.Choosing(key, "")})
	}
}
