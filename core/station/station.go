// Package station says what a station is: one stop of the work, with a question, the
// decisions that answer it, and the report of what was measured.
//
// Each station is a package of its own below this one, with three things in it: an
// [Info], a type of decisions that has the methods of [Decisions], and a function Run
// that takes a scene and decisions and gives the outcome and a [Report]. Package prep
// lists them in order and hands each what it needs from those before it.
//
// A station never imports another: what several of them measure stands in packages of
// the core beside them.
package station

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
)

// Info says which station it is. IDs are stable: they stand in addresses, in kept
// decisions, and before the slash of every finding's code.
type Info struct {
	ID       string
	Name     string
	Number   int // of ten, in the order the work is done
	Question string
}

// Decisions is what was decided at one station. The zero value of an implementing type
// decides nothing. Implementations are plain data: their JSON is what is kept, and
// every method leaves the receiver as it is.
type Decisions interface {
	// Validate tells whether the decisions can be meant; the error is for the person
	// who made them.
	Validate() error
	// Lines says the decisions, one a line, as they would be asked for: "Read as
	// centimetres". They are the one place that words decisions: undo labels, pages of
	// conflicts and history are made of them. Nothing decided gives no line.
	Lines() []string
	// Refs lists the nodes the decisions name, sorted, each once.
	Refs() []string
	// Repoint returns the decisions with node to named in the place of from; an empty
	// to drops what was decided for it. The result has the receiver's type.
	Repoint(from, to string) Decisions
}

// Report is what a station found. An embedded [Account] has all of it but the figure.
type Report interface {
	// Findings are in the order in which the worksheet shows them.
	Findings() []finding.Finding
	// Lost lists the nodes that decisions name and that are not there.
	Lost() []string
	// Stands is how the station stands on the tape: the worst severity of its
	// findings, and how many there are of it. A Note settles it.
	Stands() (finding.Severity, int)
	// Figure is the one figure the tape shows.
	Figure() string
}

// Account collects what a station says and what its decisions lost. It is embedded in
// reports, filled while the station runs, and only read afterwards.
type Account struct {
	findings []finding.Finding
	lost     []string
}

// Say adds a finding.
func (a *Account) Say(f ...finding.Finding) { a.findings = append(a.findings, f...) }

// Last is the finding said last, for its place to be added; there must be one.
func (a *Account) Last() *finding.Finding { return &a.findings[len(a.findings)-1] }

// WorstFirst puts the findings in order of how much they matter, equals as they were said.
func (a *Account) WorstFirst() {
	slices.SortStableFunc(a.findings, func(x, y finding.Finding) int { return cmp.Compare(y.Severity, x.Severity) })
}

// Findings are in the order they were said. The list must not be written to.
func (a *Account) Findings() []finding.Finding { return a.findings }

// Lost lists the nodes that decisions name and that are not there.
func (a *Account) Lost() []string { return a.lost }

// Stands is the worst severity of the findings and how many there are of it.
func (a *Account) Stands() (finding.Severity, int) { return finding.Tally(a.findings) }

// Refer compares the nodes the decisions name with those that are there, and says
// which are lost, with the remedy of dropping what was decided for them.
func (a *Account) Refer(in Info, d Decisions, keys []string) {
	refs := d.Refs()
	if len(refs) == 0 {
		return
	}
	there := make(map[string]bool, len(keys))
	for _, k := range keys {
		there[k] = true
	}
	dropped := d
	for _, k := range refs {
		if !there[k] {
			a.lost = append(a.lost, k)
			dropped = dropped.Repoint(k, "")
		}
	}
	if len(a.lost) == 0 {
		return
	}
	a.Say(finding.Finding{Code: in.ID + "/lost-decision", Severity: finding.Look,
		Title: figure.Plural(len(a.lost), "node decided for is", "nodes decided for are") + " not in this revision",
		Text:  Some(a.lost) + ". Point the decisions at other nodes on the page of revisions, or drop them.",
		Remedies: []finding.Remedy{{Label: "Drop these decisions",
			Effect: "Nothing changes but that they are no longer kept.", Decision: dropped}}})
}

// someNames is how many names a sentence lists.
const someNames = 8

// Letter names things in a list, counting from 0: A to Z, then AA and on.
func Letter(i int) string {
	s := ""
	for i++; i > 0; i = (i - 1) / 26 {
		s = string(rune('A'+(i-1)%26)) + s
	}
	return s
}

// Some lists the first few names, and counts the rest.
func Some(names []string) string {
	if len(names) > someNames {
		return strings.Join(names[:someNames], ", ") + fmt.Sprintf(" and %s more", figure.Count(len(names)-someNames))
	}
	return strings.Join(names, ", ")
}

// LastName is a node's own name in its key, which is the path to it.
func LastName(key string) string { return key[strings.LastIndexByte(key, '/')+1:] }

// Nodes names up to three nodes by their own names, and counts more.
func Nodes(keys []string) string {
	if len(keys) > 3 {
		return figure.Plural(len(keys), "node", "nodes")
	}
	names := make([]string, len(keys))
	for i, k := range keys {
		names[i] = LastName(k)
	}
	return strings.Join(names, ", ")
}

// Change words the step from one set of decisions to another in a few words, for undo:
// what the second says and the first does not, or what is no longer decided. Equal
// lines give "".
func Change(before, after []string) string {
	came, went := without(after, before), without(before, after)
	switch {
	case len(came) > 1:
		return came[0] + " and " + figure.Count(len(came)-1) + " more"
	case len(came) == 1:
		return came[0]
	case len(went) > 1:
		return "Give up: " + went[0] + " and " + figure.Count(len(went)-1) + " more"
	case len(went) == 1:
		return "Give up: " + went[0]
	}
	return ""
}

// without lists what is in a and not in b, counting repeats.
func without(a, b []string) []string {
	left := map[string]int{}
	for _, s := range b {
		left[s]++
	}
	var out []string
	for _, s := range a {
		if left[s] > 0 {
			left[s]--
			continue
		}
		out = append(out, s)
	}
	return out
}

// UnknownError is given for a station that is not on the list.
type UnknownError struct{ ID string }

// Error names the ID that was asked for.
func (e *UnknownError) Error() string { return fmt.Sprintf("there is no station called %q", e.ID) }

// Valid is the first error of a list of parts of a decision, each of which checks itself.
func Valid[T interface{ Validate() error }](list []T) error {
	for _, x := range list {
		if err := x.Validate(); err != nil {
			return err
		}
	}
	return nil
}

// Repointed is a list of keys with one in another one's place, each once; an empty one drops it.
func Repointed(list []string, from, to string) []string {
	var out []string
	for _, k := range list {
		if k == from {
			k = to
		}
		if k != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}
