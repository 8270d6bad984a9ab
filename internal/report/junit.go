package report

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"yarvek/core/finding"
)

// suites is a JUnit file: one suite, a case for each asset, with a failure for each thing that must be fixed and an
// error where it can't be read. Times are 0, as a report holds none.
type suites struct {
	XMLName xml.Name `xml:"testsuites"`
	Suites  []suite  `xml:"testsuite"`
}

type suite struct {
	Name     string `xml:"name,attr"`
	Tests    int    `xml:"tests,attr"`
	Failures int    `xml:"failures,attr"`
	Errors   int    `xml:"errors,attr"`
	Time     string `xml:"time,attr"`
	Cases    []kase `xml:"testcase"`
}

type kase struct {
	Class   string `xml:"classname,attr"`
	Name    string `xml:"name,attr"`
	Time    string `xml:"time,attr"`
	Error   *said  `xml:"error,omitempty"`
	Failure *said  `xml:"failure,omitempty"`
	Out     string `xml:"system-out,omitempty"`
}

type said struct {
	Message string `xml:"message,attr"`
	Type    string `xml:"type,attr"`
	Text    string `xml:",chardata"`
}

// JUnit writes the report as build machines read it.
func (r Report) JUnit(w io.Writer) error {
	s := suite{Name: printable("yarvek " + r.Target), Tests: len(r.Assets), Time: "0"}
	for _, a := range r.Assets {
		k := kase{Class: "yarvek", Name: printable(a.Called()), Time: "0"}
		var must, look []string
		for _, f := range a.Findings {
			line := printable(fmt.Sprintf("%s: %s. %s", f.Station, f.Title, f.Text))
			switch f.Severity {
			case finding.MustFix:
				must = append(must, line)
			case finding.Look:
				look = append(look, line)
			}
		}
		switch a.Status {
		case Unread:
			s.Errors++
			k.Error = &said{printable(a.Error), string(a.Status), printable(a.Error)}
		case Held, Different:
			s.Failures++
			lines := append(must, a.Arrival...)
			k.Failure = &said{printable(fmt.Sprintf("%s: %d to fix", a.Status, len(lines))), string(a.Status),
				printable(strings.Join(lines, "\n"))}
		}
		k.Out = strings.Join(look, "\n")
		s.Cases = append(s.Cases, k)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	enc := xml.NewEncoder(w)
	enc.Indent("", "  ")
	if err := enc.Encode(suites{Suites: []suite{s}}); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// printable is text without what XML 1.0 (section 2.2) has no place for.
func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if r == '\t' || r == '\n' || r == '\r' || r >= 0x20 && r <= 0xd7ff || r >= 0xe000 && r <= 0xfffd || r >= 0x10000 {
			return r
		}
		return -1
	}, strings.ToValidUTF8(s, "?"))
}
