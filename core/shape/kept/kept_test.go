package kept

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDifferencesAreSaidInWords(t *testing.T) {
	assert.Equal(t, "hut size:\n  was 3.50 m\n  is  3.60 m\n  was Factor 11aa\n  is  Factor 12aa",
		Differs("hut size | 3.50 m | size/a | Box 0000 | Factor 11aa", "hut size | 3.60 m | size/a | Box 0000 | Factor 12aa"))
	assert.Equal(t, "a:\n  was nothing\n  is  b", Differs("a", "a | b"))
	type report struct {
		N    float64
		List []string
		sub  *report
	}
	a := report{N: 0.1 + 0.2, List: []string{"a"}, sub: &report{N: 1}}
	b := report{N: 0.3, List: []string{"a"}, sub: &report{N: 1}}
	assert.Equal(t, Sum(a), Sum(b), "the last digits are the machine's")
	b.sub.N = 1.001
	assert.NotEqual(t, Sum(a), Sum(b), "what is inside counts")
	b.sub.N, b.List = 1, []string{"a", ""}
	assert.NotEqual(t, Sum(a), Sum(b))
	assert.Contains(t, Line("x", a), "x | N 0.3 | List 1 of ")
}

func TestMeshesAreSound(t *testing.T) {
	names := map[string]bool{}
	for _, m := range Meshes() {
		require.NoError(t, m.Validate(), m.Name)
		assert.False(t, names[m.Name], m.Name)
		names[m.Name] = true
	}
	assert.Greater(t, len(names), 20)
}
