package export

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/format"
)

func TestEveryWrittenFormatCanBeChosen(t *testing.T) {
	for _, f := range format.Written {
		d := Decisions{Format: f.ID}
		require.NoError(t, d.Validate())
		got, err := d.Chosen()
		require.NoError(t, err)
		assert.Equal(t, f.ID, got.ID)
		assert.Equal(t, []string{"Export as " + f.Name}, d.Lines())
	}
	first, err := Decisions{}.Chosen()
	require.NoError(t, err)
	assert.Equal(t, format.Written[0].ID, first.ID)
	assert.ErrorContains(t, Decisions{Format: "zip"}.Validate(), "glb")
	assert.Error(t, Decisions{Name: strings.Repeat("x", 201)}.Validate())
}

// What must be fixed holds the asset back and says how many there are; nothing else does.
func TestWhatMustBeFixedHolds(t *testing.T) {
	for _, held := range []int{0, 1, 3} {
		r := Run(Decisions{}, held)
		worst, _ := r.Stands()
		assert.Equal(t, held, r.Held)
		assert.Equal(t, held > 0, worst == finding.MustFix)
		assert.NotEmpty(t, r.Figure())
	}
	assert.NotEqual(t, Run(Decisions{}, 0).Figure(), Run(Decisions{}, 1).Figure())
}
