package guide

import (
	"html/template"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/station/source"
)

// codes are those of all findings that the program can say, read from its source: what stands behind a severity, and
// what is a code by itself. A letter that a code is made with stands for a figure there.
func codes(t *testing.T) map[string]string {
	t.Helper()
	list := map[string]string{}
	said := regexp.MustCompile(`(?:finding\.(?:Note|Look|MustFix),\s*|\b(?:say|note|at|Say)\(\w+,\s*)` +
		`(?:fmt\.Sprintf\()?"([a-z%/-]+)"`)
	whole := regexp.MustCompile(`"((?:source|size|axes|pivot|surface|budget|lods|collision|slots|export)/[a-z%-]+)"`)
	counted := regexp.MustCompile(`Sprintf\("%s/([a-z]+-%d)", Info\.ID`)
	own := regexp.MustCompile(`Code: Info\.ID \+ "/([a-z-]+)"`)
	sorts := regexp.MustCompile(`(?m)^\s+[A-Z][a-z]+\s+Sort = "([a-z]+)"`)
	require.NoError(t, filepath.WalkDir("../../core", func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		b, err := os.ReadFile(path)
		station := ""
		if dir := filepath.ToSlash(filepath.Dir(path)); strings.Contains(dir, "core/station/") {
			station = dir[strings.LastIndex(dir, "/")+1:] + "/"
		}
		for _, re := range []*regexp.Regexp{said, whole, own, sorts, counted} {
			for _, m := range re.FindAllStringSubmatch(string(b), -1) {
				code := strings.ReplaceAll(m[1], "%d", "1")
				if !strings.Contains(code, "/") {
					code = station + code
				}
				if strings.Contains(code, "/") && !strings.ContainsAny(code, "%") && !strings.HasSuffix(code, "/") {
					list[code] = path
				}
			}
		}
		return err
	}))
	return list
}

// Every finding that the program can say has its paragraph, and every paragraph some finding.
func TestEveryFindingIsExplained(t *testing.T) {
	said := codes(t)
	require.Greater(t, len(said), 180)
	for _, of := range []string{source.Double, source.Far, source.Helper, source.Hidden, source.Inside, source.Speck,
		source.Empty} {
		said["source/"+strings.ReplaceAll(of, " ", "-")] = "survey.go"
	}
	for _, in := range prep.Stations() {
		said[in.ID+"/lost-decision"] = "station.go"
	}
	for code, path := range said {
		w, ok := Means(code)
		if assert.True(t, ok, "%s of %s has no paragraph in docs/findings.md", code, path) {
			assert.Contains(t, w.HTML, "<img", code)
			if !strings.HasSuffix(code, "/lost-decision") { // they are all alike
				assert.Equal(t, "why-"+strings.Split(code, "/")[0], w.Page, code)
			}
		}
	}
	for _, w := range whole().whys {
		for _, c := range w.codes {
			assert.True(t, slices.ContainsFunc(slices.Collect(maps.Keys(said)), func(code string) bool {
				return code == c || strings.HasSuffix(c, "*") && strings.HasPrefix(code, strings.TrimSuffix(c, "*"))
			}), "%s of docs/findings.md is no finding", c)
		}
	}
	_, ok := Means("size/unheard")
	assert.False(t, ok)
}

// Every station has its page, every link of a page leads to one that is there, every picture is there.
func TestLinksOfTheGuide(t *testing.T) {
	for i, in := range prep.Stations() {
		p := Find(slug(strings.TrimPrefix(in.ID, " ")))
		require.NotNil(t, p, in.ID)
		assert.Equal(t, Stations, p.Group, i)
	}
	link := regexp.MustCompile(`(?:href|src)="([^"]+)"`)
	for _, p := range Pages() {
		assert.NotContains(t, p.HTML, "raw HTML omitted", p.ID)
		for _, m := range link.FindAllStringSubmatch(string(p.HTML), -1) {
			to, anchor, _ := strings.Cut(m[1], "#")
			if file, ok := strings.CutPrefix(to, "/guide/files/"); ok {
				assert.FileExists(t, filepath.Join("../../docs", file), p.ID)
				continue
			}
			if !strings.HasPrefix(to, "/guide/") && to != "" {
				continue
			}
			on := p
			if to != "" {
				on = Find(strings.TrimPrefix(to, "/guide/"))
			}
			if assert.NotNil(t, on, "%s links to %s", p.ID, m[1]) && anchor != "" {
				assert.Contains(t, on.HTML, `id="`+anchor+`"`, "%s links to %s", p.ID, m[1])
			}
		}
	}
}

func TestSearch(t *testing.T) {
	for asked, want := range map[string]string{"wrong unit": "why-size", "DOORWAY": "why-collision",
		"texel": "words", "preset": "export"} {
		hits := Search(asked)
		assert.True(t, slices.ContainsFunc(hits, func(h Hit) bool { return h.Page.ID == want }), asked)
	}
	assert.Equal(t, "unit", Search("wrong unit")[0].Section.Anchor, "a heading goes first")
	assert.Empty(t, Search("zzyzx"))
	assert.Empty(t, Search(" - "))
	assert.Empty(t, Search("ixel"), "a word is found by how it begins")
	h := Search("bracket")
	for _, hit := range h {
		assert.Equal(t, "bracket", strings.ToLower(hit.Found))
		assert.LessOrEqual(t, len([]rune(hit.Before)), around+4)
	}
}

func TestWordsAreMarked(t *testing.T) {
	got := string(Mark(`<p>Its pivot &amp; &lt;UVs&gt;: 3 draw calls of LODs, not &#34;unpivoted&#34;, and a LOD</p>`))
	assert.Contains(t, got, `>pivot</dfn> &amp; &lt;<dfn`)
	assert.Contains(t, got, `>draw calls</dfn>`)
	assert.Contains(t, got, `data-word="LOD" `)
	assert.Contains(t, got, `not &#34;unpivoted&#34;, and a LOD</p>`, "each is marked once")
	for _, as := range []string{`<button title="the pivot">Pivot</button>`, `<a href="/x">LODs</a>`, `<h1>Pivot</h1>`,
		`<svg><text>UVs</text></svg>`, `<details><summary><h2>Pivot</h2></summary></details>`, `<code>lods.few</code>`,
		`<input value="a pivot">`, `<th><span class="visually-hidden">Pivot</span></th>`, "<p>impivot, unwelded</p>",
		`<h1 class="visually-hidden">Pivot</h1><a href="/x">LODs</a>`, "text < and no end"} {
		assert.Equal(t, as, string(Mark(template.HTML(as))), as)
	}
	assert.Contains(t, string(Mark(`<button>a<br>b</button> weld`)), ">weld</dfn>", "after what is quiet all is as before")
	names := map[string]bool{}
	for _, w := range Words() {
		for _, n := range w.Names {
			assert.False(t, names[strings.ToLower(n)], "%s is there twice", n)
			names[strings.ToLower(n)] = true
			assert.LessOrEqual(t, run(n, 0), 24, n)
			assert.Contains(t, string(Mark(template.HTML("<p>"+n+"</p>"))), ">"+n+"</dfn>")
		}
		assert.NotContains(t, w.Says, "*")
	}
}

// BenchmarkMark marks a worksheet's worth of text, about 60 kB of HTML.
func BenchmarkMark(b *testing.B) {
	page := template.HTML(strings.Repeat(`<tr class="row"><td><label for="a">Where the hinge sits, along its own edge`+
		`</label></td><td class="fig">3 pieces of 4, in 2 sheets</td><td><p>No part of it is seen from there; the rest, `+
		`which others touch, is as it came.</p></td></tr>`, 260))
	b.SetBytes(int64(len(page)))
	for b.Loop() {
		Mark(page)
	}
}

// FuzzMark: what is not a mark stays as it is, whatever the page holds.
func FuzzMark(f *testing.F) {
	f.Add("<p>a pivot &amp; two LODs</p><a>UV</a>")
	f.Add("<svg/><svg><text>weld")
	f.Add("< >pivot</")
	mark := regexp.MustCompile(`<dfn class="trade-word"[^>]*>([^<]*)</dfn>`)
	f.Fuzz(func(t *testing.T, page string) {
		if strings.Contains(page, "trade-word") {
			t.Skip()
		}
		assert.Equal(t, page, mark.ReplaceAllString(string(Mark(template.HTML(page))), "$1"))
	})
}
