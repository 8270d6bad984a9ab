// Package report is what is said of many assets at once: how each stands, what was found, what it costs, and what was
// sent of it. Pages and commands give the same one, as JSON, as text and as JUnit. It holds no time and no path of the
// machine, so that the same assets give the same bytes wherever and in however many pieces they were judged.
package report

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/strict"
)

// Version is that of report files. One of a later version is refused.
const Version = 1

// Status is how an asset came out.
type Status string

// The ways an asset comes out.
const (
	Sent      Status = "sent"      // written, and arrived as it was sent, less what is named
	Sound     Status = "sound"     // nothing must be fixed; it was not to be written
	Held      Status = "held"      // something must be fixed, so it was not written
	Different Status = "different" // written, and arrived otherwise
	Unread    Status = "unread"    // can't be read, or not be made
)

// Report is what is said of a set of assets.
type Report struct {
	Yarvek int     `json:"yarvekReport"` // its version
	Of     string  `json:"of,omitempty"` // a kit's name, "" of a folder
	Target string  `json:"target"`       // name of the target
	Assets []Asset `json:"assets"`       // by file, then name
}

// Asset is what is said of one.
type Asset struct {
	File     string    `json:"file"`           // as it was named, with slashes
	Name     string    `json:"name,omitempty"` // of the asset in a kit
	Status   Status    `json:"status"`
	Error    string    `json:"error,omitempty"` // why it can't be read
	Class    string    `json:"class,omitempty"`
	Preset   string    `json:"preset,omitempty"`
	Decided  []string  `json:"decided,omitempty"`
	Figures  *Figures  `json:"figures,omitempty"`
	Findings []Finding `json:"findings,omitempty"`
	Files    []File    `json:"files,omitempty"` // that were written
	Less     []string  `json:"less,omitempty"`  // what did not arrive and is named
	Arrival  []string  `json:"arrival,omitempty"`
}

// Figures are what an asset comes to.
type Figures struct {
	Size      geom.Vec3 `json:"size"` // width, height, depth at the target; metres
	Triangles int       `json:"triangles"`
	LODs      int       `json:"lods"`
	Shapes    int       `json:"shapes"`
	Slots     int       `json:"slots"`
	DrawCalls int       `json:"drawCalls"`
	Pictures  int       `json:"pictures"`
	Memory    int64     `json:"memory"` // of pictures in graphics memory, bytes
	Bytes     int64     `json:"bytes"`  // of vertices and indices
}

// Finding is one thing found.
type Finding struct {
	Station  string           `json:"station"`
	Code     string           `json:"code"`
	Severity finding.Severity `json:"severity"`
	Title    string           `json:"title"`
	Text     string           `json:"text"`
}

// File is one that was written.
type File struct {
	Name string `json:"name"` // below the folder that was written to, with slashes
	SHA  string `json:"sha256"`
	Size int64  `json:"size"`
}

// Judged says what the stations made of an asset: its figures and its findings.
func (a *Asset) Judged(r *prep.Result) {
	c := r.Delivery.Scene.Count()
	a.Figures = &Figures{Size: r.Axes.Size, Triangles: c.Triangles, LODs: len(r.Delivery.LODs),
		Shapes: len(r.Delivery.Collision), Slots: c.Slots, DrawCalls: r.Delivery.Scene.DrawCalls(),
		Pictures: len(r.Slots.Pictures), Memory: r.Slots.Memory.Blocks,
		Bytes: r.Budget.Cost.Bytes.Vertices + r.Budget.Cost.Bytes.Indices}
	a.Class = r.Size.Class.Name
	a.Findings = nil
	for _, s := range r.Stops() {
		for _, f := range s.Report.Findings() {
			a.Findings = append(a.Findings, Finding{s.ID, f.Code, f.Severity, f.Title, f.Text})
		}
	}
}

// MustFix counts what must be fixed.
func (a Asset) MustFix() int { return a.count(finding.MustFix) }

// Look counts what is worth a look.
func (a Asset) Look() int { return a.count(finding.Look) }

func (a Asset) count(s finding.Severity) (n int) {
	for _, f := range a.Findings {
		if f.Severity == s {
			n++
		}
	}
	return n
}

// Called is what an asset goes by.
func (a Asset) Called() string { return cmp.Or(a.Name, a.File) }

// Sort puts the assets into their order.
func (r *Report) Sort() {
	slices.SortStableFunc(r.Assets, func(a, b Asset) int {
		return cmp.Or(strings.Compare(a.File, b.File), strings.Compare(a.Name, b.Name))
	})
}

// Worst is the exit code of a command about them: 2 where one can't be read, 3 where one arrived otherwise, 1 where
// something must be fixed, and 0.
func (r Report) Worst() int {
	worst := 0
	rank := map[int]int{0: 0, 1: 1, 3: 2, 2: 3}
	for _, a := range r.Assets {
		code := map[Status]int{Held: 1, Different: 3, Unread: 2}[a.Status]
		if rank[code] > rank[worst] {
			worst = code
		}
	}
	return worst
}

// Count says how many came out so.
func (r Report) Count(s Status) (n int) {
	for _, a := range r.Assets {
		if a.Status == s {
			n++
		}
	}
	return n
}

// JSON is the report as a file, with a line a field; equal reports give equal bytes.
func (r Report) JSON() []byte {
	r.Yarvek = Version
	b, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		panic(err) // no value of it is one that can't be written
	}
	return append(b, '\n')
}

// Parse reads one. The error is a *fault.Error.
func Parse(data []byte) (Report, error) {
	var r Report
	err := strict.Unmarshal(data, &r)
	var head struct {
		Yarvek *int `json:"yarvekReport"`
	}
	_ = json.Unmarshal(strict.Bare(data), &head)
	switch {
	case head.Yarvek == nil && err == nil:
		err = fmt.Errorf("it has no yarvekReport: this is no report")
	case head.Yarvek != nil && *head.Yarvek > Version:
		err = fmt.Errorf("version %d is newer than this program reads: expected at most %d", *head.Yarvek, Version)
	}
	if err != nil {
		return Report{}, fault.From(fault.Invalid, err)
	}
	return r, nil
}

// Merge puts reports of parts together. An asset that is in several, or reports for several targets, are the asker's
// *fault.Error.
func Merge(parts ...Report) (Report, error) {
	var out Report
	seen := map[[2]string]bool{}
	for i, p := range parts {
		if i == 0 {
			out.Of, out.Target = p.Of, p.Target
		}
		if p.Target != out.Target || p.Of != out.Of {
			return out, fault.Input("the reports are not of one set: one is for %s, another for %s", out.Target, p.Target)
		}
		for _, a := range p.Assets {
			k := [2]string{a.File, a.Name}
			if seen[k] {
				return out, fault.Input("%s is in two of the reports", a.Called())
			}
			seen[k] = true
			out.Assets = append(out.Assets, a)
		}
	}
	out.Sort()
	return out, nil
}

// Text writes a line an asset, and one a finding that matters below it.
func (r Report) Text(w io.Writer) {
	for _, a := range r.Assets {
		fmt.Fprintf(w, "%s: %s", a.File, a.Status)
		switch {
		case a.Error != "":
			fmt.Fprintf(w, ": %s", a.Error)
		case a.Figures != nil:
			fmt.Fprintf(w, ", %s, %s tall", figure.Plural(a.Figures.Triangles, "triangle", "triangles"),
				figure.Length(a.Figures.Size[1]))
		}
		fmt.Fprintln(w)
		for _, f := range a.Findings {
			if f.Severity > finding.Note {
				fmt.Fprintf(w, "  %s: %s: %s. %s\n", f.Severity, f.Station, f.Title, f.Text)
			}
		}
		for _, l := range a.Arrival {
			fmt.Fprintf(w, "  arrived different: %s\n", l)
		}
	}
}
