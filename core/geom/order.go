package geom

import (
	"cmp"
	"slices"
)

// sortBy sorts numbers by what f gives, equals by the numbers themselves.
func sortBy(list []int32, f func(i int32) float64) {
	slices.SortFunc(list, func(a, b int32) int {
		return cmp.Or(cmp.Compare(f(a), f(b)), cmp.Compare(a, b))
	})
}
