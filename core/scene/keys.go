package scene

import (
	"fmt"
	"strings"
)

// KeyBytes is how many bytes the keys of all nodes take together, but for the numbers of
// those alike: it grows with the square of the depth of a tree, and is counted before
// the keys are made.
func (s *Scene) KeyBytes() int64 {
	sum, own := int64(0), make([]int64, len(s.Nodes))
	for i, n := range s.Nodes {
		own[i] = int64(len(n.Name))
		if n.Parent >= 0 {
			own[i] += own[n.Parent] + 1
		}
		sum += own[i]
	}
	return sum
}

// Keys names every node by its path; the second of two alike gets #2.
func (s *Scene) Keys() []string {
	keys := make([]string, len(s.Nodes))
	seen := map[string]int{}
	for i, n := range s.Nodes {
		k := strings.ReplaceAll(n.Name, "/", "∕")
		if n.Parent >= 0 {
			k = keys[n.Parent] + "/" + k
		}
		seen[k]++
		if c := seen[k]; c > 1 {
			k = fmt.Sprintf("%s#%d", k, c)
		}
		keys[i] = k
	}
	return keys
}
