package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/report"
)

// listed are the assets that a kit's page lists, in their order.
func (c *client) listed(query string) (names []string) {
	c.t.Helper()
	w := c.get("/kits/1" + query)
	require.Equal(c.t, http.StatusOK, w.Code)
	for _, m := range regexp.MustCompile(`class="row-link" href="/assets/\d+">([^<]+)<`).FindAllStringSubmatch(
		w.Body.String(), -1) {
		names = append(names, m[1])
	}
	return names
}

// The list of the demo kit is filtered by what its chips and choices say, each leaving as many as it counts; sorted by
// every column both ways; and grouped.
func TestTheListOfAKit(t *testing.T) {
	c := newDemo(t)
	all := c.listed("")
	require.Len(t, all, 13)
	page := c.get("/kits/1").Body.String()
	chips := regexp.MustCompile(`class="filter" href="([^"]+)">([a-z ]+)\s+(\d+)<`).FindAllStringSubmatch(page, -1)
	require.Greater(t, len(chips), 3)
	for _, m := range chips {
		assert.Len(t, c.listed(strings.ReplaceAll(m[1], "&amp;", "&")), atoi(t, m[3]), m[2])
	}
	found := regexp.MustCompile(`(?s)<option\s+value="([a-z]+/[^"]+)">[^<]+\((\d+)\)<`).FindAllStringSubmatch(page, -1)
	require.NotEmpty(t, found)
	for _, m := range found {
		assert.Len(t, c.listed("?finding="+url.QueryEscape(m[1])), atoi(t, m[2]), m[1])
	}
	assert.Equal(t, []string{"weather-vane"}, c.listed("?find=VANE"))
	assert.Empty(t, c.listed("?find=VANE&state=must&never=1&over=1"))
	for _, col := range columns {
		up, down := c.listed("?sort="+col.ID), c.listed("?sort="+col.ID+"&down=1")
		assert.ElementsMatch(t, all, up, col.ID)
		assert.ElementsMatch(t, all, down, col.ID)
		assert.NotEqual(t, up, down, col.ID)
	}
	assert.Equal(t, "shore-rock", c.listed("?sort=triangles&down=1")[0])
	assert.Equal(t, all, c.listed("?sort=unheard"), "an old link shows all")
	assert.Contains(t, c.get("/kits/1?group=class").Body.String(), `<tr class="group"><th colspan="11">Street furniture`)
	assert.ElementsMatch(t, all, c.listed("?group=finding"))
	assert.Contains(t, page, "data-found=\"")
}

func atoi(t *testing.T, s string) (n int) {
	t.Helper()
	_, err := fmt.Sscan(s, &n)
	require.NoError(t, err)
	return n
}

// Marked assets are looked at, done and taken back by presses; the strip of jobs and the report tell of them.
func TestManyByPresses(t *testing.T) {
	c := newDemo(t)
	marked := url.Values{"do": {"proposed"}, "asset": {"2", "7"}, "code": {""}, "class": {"hand-prop"},
		"station": {"source"}, "as": {"1"}, "preset": {""}, "reason": {""}}
	w := c.post("/kits/1/many/preview", marked)
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	body := w.Body.String()
	if at := regexp.MustCompile(`/kits/1/many/[A-Z0-9]+`).FindString(body); at != "" {
		body = c.later(at, "would change</h2>")
	}
	assert.Contains(t, body, "2.18")
	job := regexp.MustCompile(`(?s)name="job"\s+value="([^"]+)"`).FindStringSubmatch(body)
	require.NotNil(t, job, body)
	w = c.post("/kits/1/many", url.Values{"job": {job[1]}})
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	body = w.Body.String()
	if at := regexp.MustCompile(`/kits/1/many/[A-Z0-9]+`).FindString(body); at != "" {
		body = c.later(at, "Decided for")
	}
	undo := regexp.MustCompile(`/kits/1/rounds/\d+/undo`).FindString(body)
	require.NotEmpty(t, undo, body)
	has(t, c.get("/kits/1"), undo)
	w = c.post(undo, nil)
	assert.Equal(t, "/kits/1?undone=2&stay=0", w.Header().Get("Location"), w.Body.String())
	assert.NotContains(t, c.get("/kits/1").Body.String(), undo)

	w = c.get("/jobs")
	var list strip
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &list))
	require.NotEmpty(t, list.Jobs)
	assert.Zero(t, list.Running)
	for _, j := range list.Jobs {
		assert.True(t, j.Done && !j.Failed, "%+v", j)
	}
	for _, bad := range []url.Values{{"do": {"proposed"}}, {"do": {"stone"}, "asset": {"1"}}, {"asset": {"x"}},
		{"do": {"class"}, "class": {"unheard"}, "asset": {"1"}}} {
		w := c.post("/kits/1/many/preview", bad)
		if w.Code < 400 { // a job says it
			at := regexp.MustCompile(`/kits/1/many/[A-Z0-9]+`).FindString(w.Body.String())
			if at != "" {
				c.later(at, "job many-job")
			}
		}
	}
	w = c.post("/kits/1/report", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	here := w.Header().Get("Location")
	c.later(here, "shore-rock</strong>")
	r, err := report.Parse(c.get(here + ".json").Body.Bytes())
	require.NoError(t, err)
	assert.Len(t, r.Assets, 13)
	before := r
	before.Assets = append([]report.Asset(nil), r.Assets...)
	before.Assets[0].Status = report.Unread
	w = c.file(here, string(before.JSON()), "")
	has(t, w, "unread → ")
	assert.GreaterOrEqual(t, c.file(here, "no report", "").Code, 400)
	assert.Equal(t, http.StatusNotFound, c.get("/kits/1/report/unheard").Code)
}
