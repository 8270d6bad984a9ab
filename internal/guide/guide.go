// Package guide is the guide as the application shows it: the texts of package docs in pages, what each finding means,
// and the trade words. All of it is made once, when it is first asked for; what is wrong with the texts is found by
// tests and ends the program.
package guide

import (
	"fmt"
	"html/template"
	"regexp"
	"slices"
	"strings"
	"sync"

	"yarvek/docs"
)

// Page is a page of the guide.
type Page struct {
	ID       string // in its address, such as "size"
	Title    string
	Group    string // heading that it is listed under
	HTML     template.HTML
	Sections []Section
}

// Section is what stands under one heading of a page; the first stands under the page's own.
type Section struct {
	Anchor string // "" for the first
	Title  string
	Text   string // without marks, in one line
}

// Why is what a finding means.
type Why struct {
	Page, Anchor string
	Title        string
	HTML         template.HTML // its drawing and its paragraph
}

// The groups, in their order.
const (
	Begin    = "To begin with"
	Stations = "The ten stations"
	Matters  = "Why it matters"
	More     = "To look up"
)

type guide struct {
	pages []*Page
	byID  map[string]*Page
	whys  []why
	words []Word
	steps []Step
}

type why struct {
	codes []string // a code, or the beginning of codes with a star behind it
	Why
}

var whole = sync.OnceValue(func() *guide {
	g, err := read(docs.Files.ReadFile)
	if err != nil {
		panic(fmt.Sprintf("the guide: %v", err))
	}
	return g
})

// read makes the guide of its texts.
func read(file func(string) ([]byte, error)) (*guide, error) {
	g := &guide{byID: map[string]*Page{}}
	for _, b := range []struct {
		name, group string
		read        func(text, group string) error
	}{{"guide.md", Begin, g.walk}, {"example.md", Begin, g.example}, {"findings.md", Matters, g.matters},
		{"words.md", More, g.glossary}, {"formats.md", More, g.one}, {"pipelines.md", More, g.one},
		{"reliability.md", More, g.one}} {
		text, err := file(b.name)
		if err == nil {
			err = b.read(string(text), b.group)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", b.name, err)
		}
	}
	order := []string{Begin, Stations, Matters, More}
	slices.SortStableFunc(g.pages, func(a, b *Page) int {
		return slices.Index(order, a.Group) - slices.Index(order, b.Group)
	})
	return g, nil
}

// add makes a page of a text under a heading of some level.
func (g *guide) add(id, title, group, text string, level int) error {
	if g.byID[id] != nil {
		return fmt.Errorf("two pages are called %q", id)
	}
	html, sections, err := page(text, level)
	if err != nil {
		return fmt.Errorf("%s: %w", id, err)
	}
	sections[0].Title = title
	p := &Page{id, title, group, html, sections}
	g.byID[id], g.pages = p, append(g.pages, p)
	return nil
}

var (
	chapter = regexp.MustCompile(`(?m)^(## |### \d+ )(.+)\n`)
	matter  = regexp.MustCompile(`(?m)^### (.+) \{#([a-z-]+)\}\n<!-- of (.+) -->\n`)
	title   = regexp.MustCompile(`(?m)\A# (.+)\n`)
)

// walk reads the user guide: a page for each chapter, and for each station.
func (g *guide) walk(text, group string) error {
	at := chapter.FindAllStringSubmatchIndex(text, -1)
	for i, m := range at {
		end := len(text)
		if i+1 < len(at) {
			end = at[i+1][0]
		}
		name, level, in := text[m[4]:m[5]], 2, group
		if strings.HasPrefix(text[m[2]:m[3]], "###") {
			level, in, group = 3, Stations, More // what follows the stations is to look up
		}
		if err := g.add(slug(name), name, in, text[m[1]:end], level); err != nil {
			return err
		}
	}
	return nil
}

// matters reads what findings mean: a page for each station, a paragraph for each sort.
func (g *guide) matters(text, group string) error {
	for part := range strings.SplitSeq("\n"+text, "\n## ") {
		name, body, _ := strings.Cut(part, "\n")
		station, _, ok := strings.Cut(name, ": ")
		if !ok {
			continue // what stands before the first
		}
		id := "why-" + slug(station)
		if err := g.add(id, name, group, matter.ReplaceAllString(body, "### $1 {#$2}\n"), 2); err != nil {
			return err
		}
		at := matter.FindAllStringSubmatchIndex(body, -1)
		for i, m := range at {
			end := len(body)
			if i+1 < len(at) {
				end = at[i+1][0]
			}
			html, _, err := page(body[m[1]:end], 3)
			if err != nil {
				return err
			}
			g.whys = append(g.whys, why{strings.Fields(body[m[6]:m[7]]), Why{id, body[m[4]:m[5]], body[m[2]:m[3]], html}})
		}
	}
	return nil
}

// one reads a text as one page.
func (g *guide) one(text, group string) error {
	m := title.FindStringSubmatchIndex(text)
	if m == nil {
		return fmt.Errorf("it has no title")
	}
	name := text[m[2]:m[3]]
	return g.add(slug(name), name, group, text[m[1]:], 1)
}

// slug makes the part of an address of a heading.
func slug(s string) string {
	return strings.Trim(regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(s), "-"), "-")
}

// Pages lists all pages, in the order they are read in.
func Pages() []*Page { return whole().pages }

// Find is the page of an ID, nil for none.
func Find(id string) *Page { return whole().byID[id] }

// Means is what a finding means, by its code; false where the guide does not tell.
func Means(code string) (Why, bool) {
	for _, w := range whole().whys {
		for _, c := range w.codes {
			if c == code || strings.HasSuffix(c, "*") && strings.HasPrefix(code, strings.TrimSuffix(c, "*")) {
				return w.Why, true
			}
		}
	}
	return Why{}, false
}
