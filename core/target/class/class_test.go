package class

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestClassesFitWhatTheyAreOf(t *testing.T) {
	for _, c := range []struct {
		id   string
		m    float64
		fits bool
	}{
		{"hand-prop", .1, true}, {"hand-prop", 10, false}, {"furniture", .45, true}, {"furniture", 45, false},
		{"street-furniture", 2.184, true}, {"street-furniture", 218.4, false}, {"vehicle", 4.5, true},
		{"vehicle", .045, false},
		{"building", 8, true}, {"building", .08, false}, {"landmark", 120, true}, {"modular-piece", 4, true}, {"", 3, true},
		{"",
			5000, false},
	} {
		k, ok := Find(Usual, c.id)
		assert.True(t, ok, c.id)
		assert.Equal(t, c.fits, k.Fits(c.m), "%s of %g m", c.id, c.m)
	}
	_, ok := Find(Usual, "whale")
	assert.False(t, ok)
}

// A slip of a hundred leaves a class’s range, or nobody would notice it.
func TestASlipOfAHundredLeavesEveryRange(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range Usual {
		assert.Less(t, c.Most/c.Least, 100.0, c.Name)
		assert.False(t, seen[c.ID])
		seen[c.ID] = true
		assert.NotEmpty(t, c.Range())
	}
}
