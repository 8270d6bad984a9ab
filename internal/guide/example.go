package guide

import (
	"fmt"
	"html/template"
	"regexp"
	"strings"
)

// Step is a press of the worked example.
type Step struct {
	Number  int
	Title   string
	Station string // where it is pressed, "" for the first
	Press   string // what the page calls it
	// Done says when it is done: "came" when the asset is there, "at" when one is at its station, "sent" when the asset
	// was exported, else the path of what is decided by then in the asset's prep, such as "size.unit".
	Done string
	Says template.HTML
}

var step = regexp.MustCompile(`(?m)^## (\d+) (.+)\n<!-- (?:at ([a-z]+) )?(?:press|choose) (.+), done ([a-z.]+) -->\n`)

// example reads the worked example: its page, and its steps.
func (g *guide) example(text, group string) error {
	at := step.FindAllStringSubmatchIndex(text, -1)
	for i, m := range at {
		end := len(text)
		if i+1 < len(at) {
			end = at[i+1][0]
		}
		s := Step{Number: i + 1, Title: text[m[4]:m[5]], Press: text[m[8]:m[9]], Done: text[m[10]:m[11]]}
		if m[6] >= 0 {
			s.Station = text[m[6]:m[7]]
		}
		if text[m[2]:m[3]] != fmt.Sprint(s.Number) {
			return fmt.Errorf("step %d is numbered %s", s.Number, text[m[2]:m[3]])
		}
		var err error
		body := regexp.MustCompile(`!\[.*\n`).ReplaceAllString(text[m[1]:end], "") // one looks at the sheet itself
		if s.Says, _, err = page(strings.TrimSpace(body), 2); err != nil {
			return err
		}
		g.steps = append(g.steps, s)
	}
	return g.one(step.ReplaceAllString(text, "## $1 $2\n\n"), group)
}

// Example lists the steps of the worked example.
func Example() []Step { return whole().steps }

// walked is the list of steps of the first walk.
var walked = regexp.MustCompile(`(?s)<!-- walk -->(.*?)<!-- end -->`)

// Walk lists what is pressed on the first walk of the guide, as the pages call it, in order.
func Walk(text string) (presses []string) {
	for _, m := range regexp.MustCompile(`\*\*(.+?)\*\*`).FindAllStringSubmatch(walked.FindString(text), -1) {
		presses = append(presses, m[1])
	}
	return presses
}
