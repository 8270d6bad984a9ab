package station

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
)

func TestAStepIsWordedByWhatItAddsOrGivesUp(t *testing.T) {
	for _, c := range []struct {
		before, after []string
		want          string
	}{
		{nil, nil, ""},
		{[]string{"a"}, []string{"a"}, ""},
		{[]string{"a", "b"}, []string{"b", "a"}, ""},
		{nil, []string{"a"}, "a"},
		{nil, []string{"a", "b", "c"}, "a and 2 more"},
		{[]string{"a"}, []string{"b"}, "b"},
		{[]string{"a", "b"}, []string{"b", "c"}, "c"},
		{[]string{"a"}, nil, "Give up: a"},
		{[]string{"a", "b", "c"}, []string{"c"}, "Give up: a and 1 more"},
		{[]string{"a"}, []string{"a", "a"}, "a"},
	} {
		assert.Equal(t, c.want, Change(c.before, c.after), "%v to %v", c.before, c.after)
	}
	list := []string{"a"}
	Change(list, nil)
	assert.Equal(t, []string{"a"}, list, "what is compared is left alone")
}

// pins decide something for nodes by name.
type pins []string

func (p pins) Validate() error { return nil }
func (p pins) Lines() []string { return p }
func (p pins) Refs() []string  { return p }
func (p pins) Repoint(from, to string) Decisions {
	var out pins
	for _, k := range p {
		if k == from {
			k = to
		}
		if k != "" {
			out = append(out, k)
		}
	}
	return out
}

func TestDecisionsForNodesThatAreGoneAreSaidWithTheirRemedy(t *testing.T) {
	in := Info{ID: "pin", Name: "Pin"}
	var a Account
	a.Refer(in, pins{"crate", "lid"}, []string{"lid", "crate", "rope"})
	a.Refer(in, pins(nil), nil)
	assert.Empty(t, a.Findings())
	assert.Empty(t, a.Lost())

	a.Say(finding.Finding{Code: "pin/first"})
	a.Last().Text = "said"
	a.Refer(in, pins{"crate", "hook", "lid", "rope/end"}, []string{"crate", "lid"})
	assert.Equal(t, []string{"hook", "rope/end"}, a.Lost())
	require.Len(t, a.Findings(), 2)
	assert.Equal(t, "said", a.Findings()[0].Text)
	f := a.Findings()[1]
	assert.Equal(t, "pin/lost-decision", f.Code)
	assert.Equal(t, "2 nodes decided for are not in this revision", f.Title)
	assert.Contains(t, f.Text, "hook, rope/end")
	assert.Equal(t, pins{"crate", "lid"}, f.Remedies[0].Decision, "the remedy keeps the others")
	worst, n := a.Stands()
	assert.Equal(t, finding.Look, worst)
	assert.Equal(t, 1, n)
}

func TestFindingsAreToldTheWorstFirst(t *testing.T) {
	var a Account
	for i, s := range []finding.Severity{finding.Note, finding.Look, finding.MustFix, finding.Look, finding.Note} {
		a.Say(finding.Finding{Code: string(rune('a' + i)), Severity: s})
	}
	a.WorstFirst()
	order := ""
	for _, f := range a.Findings() {
		order += f.Code
	}
	assert.Equal(t, "cbdae", order)
}

func TestNamesInSentencesStayFew(t *testing.T) {
	many := []string{"a", "b", "c", "d", "e", "f", "g", "h", "i", "k"}
	assert.Equal(t, "a, b, c, d, e, f, g, h and 2 more", Some(many))
	assert.Equal(t, "a, b", Some(many[:2]))
	assert.Equal(t, "10 nodes", Nodes(many))
	assert.Equal(t, "end, lid", Nodes([]string{"crate/rope/end", "lid"}))
	assert.Equal(t, `there is no station called "x"`, (&UnknownError{ID: "x"}).Error())
}
