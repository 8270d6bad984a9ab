package web

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/internal/guide"
)

// Every page of the guide is there, with its pictures; what is not there is said to be.
func TestTheGuideIsServed(t *testing.T) {
	c := newClient(t)
	src := regexp.MustCompile(`src="(/guide/files/[^"]+)"`)
	pictures := 0
	for _, p := range guide.Pages() {
		w := c.get("/guide/" + p.ID)
		require.Equal(t, http.StatusOK, w.Code, p.ID)
		assert.Contains(t, w.Body.String(), "<h1>"+strings.ReplaceAll(p.Title, "'", "&#39;")+"</h1>")
		for _, m := range src.FindAllStringSubmatch(w.Body.String(), -1) {
			assert.Equal(t, http.StatusOK, c.get(m[1]).Code, m[1])
			pictures++
		}
	}
	assert.Greater(t, pictures, 40)
	assert.Equal(t, http.StatusNotFound, c.get("/guide/unheard").Code)
	for _, outside := range []string{"../go.mod", "%2e%2e/go.mod", "screenshots", "docs.go"} {
		assert.Equal(t, http.StatusNotFound, c.get("/guide/files/"+outside).Code, outside)
	}
	has(t, c.get("/guide?find=doorway"), "<mark>doorway</mark>")
	has(t, c.get("/guide?find="+"%3Cscript%3E"), "&lt;script&gt;")
}

// Each finding of the demo kit leads to what it means, and each station to its page.
func TestFindingsLeadToTheirReasons(t *testing.T) {
	c := newDemo(t)
	article := regexp.MustCompile(`(?s)<article class="finding.*?</article>`)
	found := 0
	for asset := 1; asset <= 13; asset++ {
		for _, in := range prep.Stations() {
			page := c.get(fmt.Sprintf("/assets/%d/%s", asset, in.ID)).Body.String()
			assert.Contains(t, page, `href="/guide/`+in.ID+`"`)
			require.NotNil(t, guide.Find(in.ID), in.ID)
			for _, a := range article.FindAllString(page, -1) {
				assert.Contains(t, a, "Why it", "asset %d, %s: %s", asset, in.ID, a[:min(len(a), 400)])
				found++
			}
		}
	}
	assert.Greater(t, found, 60)
}

// How far the worked example is, is told by what stands decided.
func TestStepsOfTheExample(t *testing.T) {
	steps := guide.Example()
	done := func(p prep.Prep, sent bool, at string) (n []int) {
		t.Helper()
		list, err := stepsDone(steps, p, sent, at)
		require.NoError(t, err)
		for i, d := range list {
			if d {
				n = append(n, i+1)
			}
		}
		return n
	}
	assert.Equal(t, []int{1}, done(prep.Prep{}, false, "source"))
	assert.Equal(t, []int{1, 2}, done(prep.Prep{}, false, "size"))
	var p prep.Prep
	p.Size.Class = "street-furniture"
	assert.Equal(t, []int{1, 2, 3}, done(p, false, "pivot")[:3])
	assert.Equal(t, []int{1, 2, 3, 11, 12}, done(p, true, "size"))

	c := newClient(t)
	w := c.post("/example", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, "/assets/1/source?example=1", w.Header().Get("Location"))
	has(t, c.get("/assets/1/example?at=source"), "2 of 12")
	has(t, c.get("/assets/1/example?at=size"), "3 of 12")
	has(t, c.get("/assets/1/example?at=size"), "Street furniture")
	assert.Equal(t, http.StatusNotFound, c.get("/assets/7/example?at=size").Code)
}
