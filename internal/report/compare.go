package report

import (
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/finding"
)

// Change is what became of an asset from one report to a later one.
type Change struct {
	Asset  string   `json:"asset"`
	Better []string `json:"better,omitempty"`
	Worse  []string `json:"worse,omitempty"`
	Other  []string `json:"other,omitempty"` // neither the one nor the other
}

// Compare says what changed, asset by asset in their order; those that stayed the same are none of it.
func Compare(before, after Report) []Change {
	was := map[[2]string]Asset{}
	for _, a := range before.Assets {
		was[[2]string{a.File, a.Name}] = a
	}
	var list []Change
	for _, a := range after.Assets {
		k := [2]string{a.File, a.Name}
		old, there := was[k]
		delete(was, k)
		c := Change{Asset: a.Called()}
		if !there {
			c.Other = []string{"new: " + string(a.Status)}
		} else {
			c.judge(old, a)
		}
		if len(c.Better)+len(c.Worse)+len(c.Other) > 0 {
			list = append(list, c)
		}
	}
	for _, a := range before.Assets { // those that are left, in their order
		if _, gone := was[[2]string{a.File, a.Name}]; gone {
			list = append(list, Change{Asset: a.Called(), Other: []string{"not there any more"}})
		}
	}
	return list
}

// rank orders how assets come out, the best first.
var rank = map[Status]int{Sent: 0, Sound: 0, Held: 1, Different: 2, Unread: 3}

func (c *Change) judge(old, now Asset) {
	say := func(better, worse bool, text string) {
		switch {
		case better:
			c.Better = append(c.Better, text)
		case worse:
			c.Worse = append(c.Worse, text)
		default:
			c.Other = append(c.Other, text)
		}
	}
	if old.Status != now.Status {
		say(rank[now.Status] < rank[old.Status], rank[now.Status] > rank[old.Status],
			fmt.Sprintf("%s → %s", old.Status, now.Status))
	}
	left := map[string]int{}
	for _, f := range old.Findings {
		if f.Severity > finding.Note {
			left[f.Code]++
		}
	}
	for _, f := range now.Findings {
		if f.Severity == finding.Note {
			continue
		}
		if left[f.Code]--; left[f.Code] < 0 {
			say(false, true, "new: "+f.Title)
		}
	}
	for _, f := range old.Findings {
		if f.Severity > finding.Note && left[f.Code] > 0 {
			left[f.Code]--
			say(true, false, "gone: "+f.Title)
		}
	}
	if x, y := old.Figures, now.Figures; x != nil && y != nil {
		for _, v := range []struct {
			what string
			a, b int
		}{{"triangles", x.Triangles, y.Triangles}, {"draw calls", x.DrawCalls, y.DrawCalls}, {"LODs", x.LODs, y.LODs},
			{"shapes", x.Shapes, y.Shapes}} {
			if v.a != v.b {
				more := v.what == "LODs" || v.what == "shapes"
				say(!more && v.b < v.a, !more && v.b > v.a, fmt.Sprintf("%s: %s → %s", v.what, figure.Count(v.a),
					figure.Count(v.b)))
			}
		}
		if x.Memory != y.Memory {
			say(y.Memory < x.Memory, y.Memory > x.Memory, fmt.Sprintf("graphics memory: %s → %s", figure.Bytes(x.Memory),
				figure.Bytes(y.Memory)))
		}
		if d := y.Size.Sub(x.Size).Len(); d > 1e-6*x.Size.Len() {
			say(false, false, fmt.Sprintf("height: %s → %s", figure.Length(x.Size[1]), figure.Length(y.Size[1])))
		}
	}
}
