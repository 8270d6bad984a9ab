package export

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/target"
)

func TestEveryWrittenFormatCanBeChosen(t *testing.T) {
	for _, f := range format.Written {
		d := Decisions{Format: f.ID}
		require.NoError(t, d.Validate())
		got, err := d.Chosen("glb")
		require.NoError(t, err)
		assert.Equal(t, f.ID, got.ID)
		assert.Equal(t, []string{"Export as " + f.Name}, d.Lines())
	}
	first, err := Decisions{}.Chosen("fbx-text")
	require.NoError(t, err)
	assert.Equal(t, "fbx-text", first.ID, "what the target prefers")
	assert.ErrorContains(t, Decisions{Format: "zip"}.Validate(), "glb")
	assert.Error(t, Decisions{Name: strings.Repeat("x", 201)}.Validate())
}

// What must be fixed holds the asset back and says how many there are; nothing else does.
func TestWhatMustBeFixedHolds(t *testing.T) {
	for _, held := range []int{0, 1, 3} {
		r := Run(Decisions{}, Ask{MustFix: held, Scene: new(scene.Scene), Target: target.Shipped[0]})
		worst, _ := r.Stands()
		assert.Equal(t, held, r.Held)
		assert.Equal(t, held > 0, worst == finding.MustFix)
		assert.NotEmpty(t, r.Figure())
	}
	assert.NotEqual(t, Run(Decisions{}, Ask{Scene: new(scene.Scene)}).Figure(),
		Run(Decisions{}, Ask{MustFix: 1, Scene: new(scene.Scene)}).Figure())
}
