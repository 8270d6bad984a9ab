package finding

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheWorstCounts(t *testing.T) {
	of := func(list ...Severity) (out []Finding) {
		for _, s := range list {
			out = append(out, Finding{Severity: s})
		}
		return out
	}
	for _, c := range []struct {
		list  []Finding
		worst Severity
		n     int
	}{
		{nil, Note, 0},
		{of(Note, Note), Note, 2},
		{of(Note, Look, Note), Look, 1},
		{of(Look, MustFix, Look, MustFix), MustFix, 2},
	} {
		worst, n := Tally(c.list)
		assert.Equal(t, c.worst, worst)
		assert.Equal(t, c.n, n)
	}
}

func TestSeveritiesAreKeptAsWords(t *testing.T) {
	for _, s := range []Severity{Note, Look, MustFix} {
		b, err := json.Marshal(s)
		require.NoError(t, err)
		var back Severity
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, s, back)
	}
	var s Severity
	assert.Error(t, json.Unmarshal([]byte(`"dire"`), &s))
}

func TestPlacesAreSaidFromTheOutsideIn(t *testing.T) {
	for want, p := range map[string]Place{
		"":                         {},
		"a.obj":                    {File: "a.obj"},
		"a.obj, line 3":            {File: "a.obj", Line: 3, Offset: 90},
		"a.fbx, byte 27, node lid": {File: "a.fbx", Offset: 27, Node: "lid"},
		"node lid":                 {Node: "lid"},
	} {
		assert.Equal(t, want, p.String())
	}
}

func TestManyOfOneSortAreGathered(t *testing.T) {
	var list []Finding
	for i := range 100 {
		list = append(list, Finding{Code: "a", Title: fmt.Sprint("a", i)}, Finding{Code: "b", Severity: Severity(i % 2)})
	}
	out := Gathered(list)
	count := map[string]int{}
	for _, f := range out {
		count[f.Code]++
	}
	assert.Equal(t, map[string]int{"a": 13, "b": 26}, count, "twelve and one of each code and severity")
	last := slices.IndexFunc(out, func(f Finding) bool { return strings.HasPrefix(f.Title, "And 88 more") })
	require.GreaterOrEqual(t, last, 0)
	assert.Equal(t, "And 88 more of this sort, such as: a99", out[last].Title)
	assert.Len(t, Gathered(list[:4]), 4)
}
