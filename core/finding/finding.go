// Package finding is what a station or a reader has to say about an asset: what
// was measured, how much it matters, where it is, and what would put it right.
package finding

import (
	"fmt"
	"strings"

	"yarvek/core/geom"
)

// Severity orders findings by how much they matter.
type Severity int

// From a mere note to what must be fixed before the asset is any good.
const (
	Note Severity = iota
	Look
	MustFix
)

// String is "note", "look" or "must fix"; it panics for what is no severity.
func (s Severity) String() string { return [...]string{"note", "look", "must fix"}[s] }

// MarshalText writes the severity as its word.
func (s Severity) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads the word back.
func (s *Severity) UnmarshalText(b []byte) error {
	for _, v := range []Severity{Note, Look, MustFix} {
		if v.String() == string(b) {
			*s = v
			return nil
		}
	}
	return fmt.Errorf("%q is no severity", b)
}

// Place is where a finding is. All parts are optional.
type Place struct {
	File   string     `json:"file,omitempty"`
	Line   int        `json:"line,omitempty"`   // from 1
	Offset int64      `json:"offset,omitempty"` // byte, from 0
	Node   string     `json:"node,omitempty"`
	Point  *geom.Vec3 `json:"point,omitempty"` // metres, in the basis of the station's outcome
}

// String names the place for a sentence.
func (p Place) String() string {
	var parts []string
	if p.File != "" {
		parts = append(parts, p.File)
	}
	if p.Line > 0 {
		parts = append(parts, fmt.Sprintf("line %d", p.Line))
	} else if p.Offset > 0 {
		parts = append(parts, fmt.Sprintf("byte %d", p.Offset))
	}
	if p.Node != "" {
		parts = append(parts, "node "+p.Node)
	}
	return strings.Join(parts, ", ")
}

// Remedy puts a finding right by one decision.
type Remedy struct {
	Label  string `json:"label"`
	Effect string `json:"effect"` // what it will do, in one sentence
	// Decision is the whole of the station's decisions with the remedy in them.
	Decision any `json:"decision"`
	// Harsh marks a remedy that removes much, or is meant for later revisions too: it is
	// never offered as the main one.
	Harsh bool `json:"harsh,omitempty"`
	// Sure marks a remedy that nobody would decide otherwise: it is proposed though its finding is a note.
	Sure bool `json:"sure,omitempty"`
	// Equal marks one of several between which nothing tells: none of them is the main one.
	Equal bool `json:"equal,omitempty"`
}

// Finding is one thing measured that somebody should know.
type Finding struct {
	Code     string   `json:"code"` // stable, such as "size/unit-slip"
	Severity Severity `json:"severity"`
	Title    string   `json:"title"`
	Text     string   `json:"text,omitempty"`
	// Brief is the matter in three words, to stand below the asset on the line-up; only
	// what spoils its place there has one.
	Brief    string   `json:"brief,omitempty"`
	Place    Place    `json:"place,omitzero"`
	Remedies []Remedy `json:"remedies,omitempty"`
}

// missing begins the codes of findings about a companion file that is not there.
const missing = "source/missing-"

// Missing tells whether the finding is about a companion file that is not there.
func (f Finding) Missing() bool { return strings.HasPrefix(f.Code, missing) }

// each is how many findings of one code are told one by one.
const each = 12

// Gathered tells the first findings of every code one by one and counts those of the same
// code and severity that follow in one more, so that a file with a hundred thousand
// faults of one sort has a list that can be read.
func Gathered(list []Finding) []Finding {
	type sort struct {
		code string
		sev  Severity
	}
	if len(list) <= each {
		return list
	}
	seen, more := map[sort]int{}, map[sort]int{}
	var out []Finding
	for _, f := range list {
		k := sort{f.Code, f.Severity}
		if seen[k]++; seen[k] <= each {
			out = append(out, f)
			continue
		}
		at, ok := more[k]
		if !ok {
			at = len(out)
			more[k] = at
			out = append(out, Finding{Code: f.Code, Severity: f.Severity, Place: Place{File: f.Place.File}})
		}
		out[at].Title = fmt.Sprintf("And %d more of this sort, such as: %s", seen[k]-each, f.Title)
	}
	return out
}

// Tally is the worst severity of the findings and how many have it; none at all is a
// Note of none.
func Tally(list []Finding) (worst Severity, n int) {
	for _, f := range list {
		switch {
		case f.Severity > worst:
			worst, n = f.Severity, 1
		case f.Severity == worst:
			n++
		}
	}
	return worst, n
}

// Kind is the code without the number that tells one of several of a kind from another: surface/texels of
// surface/texels-3.
func (f Finding) Kind() string {
	kind := strings.TrimRight(f.Code, "0123456789")
	if kind != f.Code && strings.HasSuffix(kind, "-") {
		return strings.TrimSuffix(kind, "-")
	}
	return f.Code
}
