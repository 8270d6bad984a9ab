package formattest

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The files are small, which is the point of them: none is above ten megabytes at its full
// weight, and a share of it makes a smaller one.
func TestHeavyFilesAreSmall(t *testing.T) {
	for _, m := range All() {
		h := m.Make(.02)
		assert.Equal(t, m.Name, h.Name)
		assert.NotEmpty(t, h.Files, m.Name)
		assert.Less(t, h.Size(), 1_000_000, m.Name)
		if !testing.Short() {
			full := m.Make(1).Size()
			t.Logf("%s: %d bytes", m.Name, full)
			assert.LessOrEqual(t, full, 10_000_000, m.Name)
		}
	}
}
