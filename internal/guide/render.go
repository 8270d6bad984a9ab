package guide

import (
	"bytes"
	"fmt"
	"html/template"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
)

// markdown reads the texts (CommonMark 0.31, with tables and attributes of headings).
var markdown = goldmark.New(goldmark.WithExtensions(extension.Table),
	goldmark.WithParserOptions(parser.WithAutoHeadingID(), parser.WithHeadingAttribute()))

// tables are those that the program writes, of what --set takes; a page folds them.
var tables = regexp.MustCompile(`(?s)<!-- decided at [a-z]+ -->(.*?)<!-- end -->`)

// page makes the HTML of a text under a heading of some level, and what is looked for in it.
func page(source string, level int) (template.HTML, []Section, error) {
	var out strings.Builder
	sections := []Section{{}}
	put := func(s string) error {
		html, list, err := convert([]byte(s), level)
		out.WriteString(html)
		sections[len(sections)-1].Text += list[0].Text
		sections = append(sections, list[1:]...)
		return err
	}
	source = walked.ReplaceAllString(source, "$1")
	from := 0
	for _, m := range tables.FindAllStringSubmatchIndex(source, -1) {
		if err := put(source[from:m[0]]); err != nil {
			return "", nil, err
		}
		out.WriteString(`<details class="fold"><summary>The same by <code>--set</code></summary>`)
		if err := put(source[m[2]:m[3]]); err != nil {
			return "", nil, err
		}
		out.WriteString("</details>\n")
		from = m[1]
	}
	err := put(source[from:])
	return template.HTML(out.String()), sections, err // our own texts, in which HTML is left out
}

// convert makes the HTML of a piece of text.
func convert(source []byte, level int) (string, []Section, error) {
	doc := markdown.Parser().Parse(text.NewReader(source))
	sections := []Section{{}}
	var bad error
	var outside []*ast.Link
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // it gives no error of its own
		if !entering {
			return ast.WalkContinue, nil
		}
		switch n := n.(type) {
		case *ast.Heading:
			n.Level = max(2, n.Level-level+1)
			id, _ := n.AttributeString("id")
			anchor, _ := id.([]byte)
			sections = append(sections, Section{Anchor: string(anchor), Title: said(n, source)})
		case *ast.Link:
			if n.Destination = address(n.Destination, &bad); n.Destination == nil {
				outside = append(outside, n)
			}
		case *ast.Image:
			n.Destination = address(n.Destination, &bad)
			n.SetAttributeString("loading", []byte("lazy"))
		case *ast.Text:
			if _, heading := n.Parent().(*ast.Heading); !heading {
				sections[len(sections)-1].Text += string(n.Segment.Value(source)) + " "
			}
		}
		return ast.WalkContinue, nil
	})
	for _, n := range outside { // its words stay
		for c := n.FirstChild(); c != nil; c = n.FirstChild() {
			n.Parent().InsertBefore(n.Parent(), n, c)
		}
		n.Parent().RemoveChild(n.Parent(), n)
	}
	var out bytes.Buffer
	if err := markdown.Renderer().Render(&out, source, doc); err != nil {
		return "", nil, err
	}
	return out.String(), sections, bad
}

// said is what stands within a node.
func said(n ast.Node, source []byte) string {
	var b strings.Builder
	_ = ast.Walk(n, func(c ast.Node, entering bool) (ast.WalkStatus, error) {
		if t, ok := c.(*ast.Text); ok && entering {
			b.Write(t.Segment.Value(source))
		}
		return ast.WalkContinue, nil
	})
	return b.String()
}

// whereIs are the pages of texts that others link to.
var whereIs = map[string]string{"guide.md": "/guide", "formats.md": "/guide/what-each-format-keeps",
	"pipelines.md": "/guide/without-a-browser", "reliability.md": "/guide/nothing-lost", "words.md": "/guide/words",
	"example.md":  "/guide/a-worked-example",
	"findings.md": "/guide/why-source"}

// address is where a link of a text leads in the application; nil for what lies beside the texts and does not ship.
func address(to []byte, bad *error) []byte {
	u, err := url.Parse(string(to))
	if err != nil || u.Scheme != "" || u.Host != "" {
		*bad = fmt.Errorf("the link %s leads out of the guide", to)
		return to
	}
	switch dir, name := path.Split(u.Path); {
	case u.Path == "":
		return to
	case whereIs[u.Path] != "":
		u.Path = whereIs[u.Path]
	case slices.Contains([]string{"why/", "screenshots/", "pipelines/", "example/"}, dir),
		strings.HasSuffix(name, ".schema.json"):
		u.Path = "/guide/files/" + u.Path
	case path.IsAbs(u.Path):
	default:
		return nil
	}
	return []byte(u.String())
}
