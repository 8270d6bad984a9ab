package scene

import (
	"fmt"
	"strings"
)

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
