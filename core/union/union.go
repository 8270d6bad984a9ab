// Package union keeps which of a number of things belong together (Galler and Fischer 1964, "An
// improved equivalence algorithm").
package union

// Sets are things numbered from 0 in groups that share none. Each group is known by its lowest
// number. Two goroutines must not use one at a time, since looking shortens the way for the next.
type Sets []int32

// New makes n groups of one.
func New(n int) Sets {
	s := make(Sets, n)
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

// Find is the lowest number of the group that i is in.
func (s Sets) Find(i int32) int32 {
	for s[i] != i {
		s[i] = s[s[i]]
		i = s[i]
	}
	return i
}

// Join makes one group of those of a and b, and tells whether they were two.
func (s Sets) Join(a, b int32) bool {
	a, b = s.Find(a), s.Find(b)
	if a == b {
		return false
	}
	s[max(a, b)] = min(a, b)
	return true
}

// Flatten makes every entry the lowest number of its group, and returns s.
func (s Sets) Flatten() Sets {
	for i := range s {
		s[i] = s.Find(int32(i))
	}
	return s
}
