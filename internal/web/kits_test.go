package web

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// A kit from its first file to its last asset, by the forms its page has.
func TestAKitByItsForms(t *testing.T) {
	c := newClient(t)
	w := c.post("/kits", url.Values{"name": {"Tern Point"}, "target": {target.Shipped[1].ID}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.Equal(t, "/kits/1", w.Header().Get("Location"))

	w = c.upload("/kits/1/files", map[string]string{"quay.obj": quayText, "broken.obj": "v 1\n"})
	require.Equal(t, http.StatusOK, w.Code)
	job := regexp.MustCompile(`/jobs/[^"/]+`).FindString(w.Body.String())
	require.NotEmpty(t, job)
	c.desk.Jobs.Wait()
	w = c.get(job)
	has(t, w, "1 asset came in")
	has(t, w, "broken.obj")
	assert.Equal(t, http.StatusOK, c.post(job+"/cancel", nil).Code, "too late to stop, and no harm")
	has(t, c.get("/kits/1"), "quay")

	for _, x := range []struct {
		path   string
		form   url.Values
		status int
		want   func(t *testing.T)
	}{
		{"/kits/1/name", url.Values{"name": {"Tern Point <east>"}, "was": {"Tern Point"}}, http.StatusSeeOther,
			func(t *testing.T) { has(t, c.get("/kits/1"), "Tern Point &lt;east&gt;") }},
		{"/kits/1/name", url.Values{"name": {" "}}, http.StatusUnprocessableEntity, nil},
		{"/kits/1/target", url.Values{"target": {target.Shipped[0].ID}, "back": {"/assets/1/axes"}}, http.StatusSeeOther,
			func(t *testing.T) { has(t, c.get("/assets/1/axes"), target.Shipped[0].Name) }},
		{"/kits/1/target", url.Values{"target": {"upside-down"}}, http.StatusUnprocessableEntity, nil},
		{"/kits/1/grid", url.Values{"grid": {"50 cm"}}, http.StatusSeeOther,
			func(t *testing.T) { has(t, c.get("/kits/1"), `value="0.5 m"`) }},
		{"/kits/1/grid", url.Values{"grid": {"a span"}}, http.StatusUnprocessableEntity, nil},
		{"/kits/1/grid", url.Values{"grid": {""}}, http.StatusSeeOther,
			func(t *testing.T) { assert.NotContains(t, c.get("/kits/1").Body.String(), `value="0.5 m"`) }},
		{"/kits/9/name", url.Values{"name": {"x"}}, http.StatusNotFound, nil},
		{"/kits/x/name", url.Values{"name": {"x"}}, http.StatusNotFound, nil},
		{"/assets/1/name", url.Values{"name": {"jetty"}}, http.StatusSeeOther,
			func(t *testing.T) { has(t, c.get("/kits/1"), "jetty") }},
		{"/assets/1/remove", nil, http.StatusSeeOther,
			func(t *testing.T) {
				has(t, c.get("/kits/1"), "/assets/1/restore")
				list, err := c.desk.Assets(context.Background(), 1)
				require.NoError(t, err)
				assert.Empty(t, list)
			}},
		{"/assets/1/restore", nil, http.StatusSeeOther,
			func(t *testing.T) {
				list, err := c.desk.Assets(context.Background(), 1)
				require.NoError(t, err)
				assert.Len(t, list, 1)
			}},
	} {
		w := c.post(x.path, x.form)
		assert.Equal(t, x.status, w.Code, "%s %v: %s", x.path, x.form, c.log)
		if x.want != nil {
			x.want(t)
		}
	}
	assert.Equal(t, http.StatusNotFound, c.get("/jobs/none").Code)
	r := httptest.NewRequest(http.MethodGet, "/jobs/none", nil)
	r.Header.Set("HX-Request", "true")
	w = c.send(r)
	assert.Equal(t, http.StatusOK, w.Code, "a page that waits for it is told")
	has(t, w, "send again what does not")
	has(t, w, "data-job-done")
	assert.Equal(t, http.StatusNotFound, c.get("/kits/7").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/kits/7/exports").Code)
	assert.Equal(t, http.StatusNotFound, c.upload("/kits/7/files", nil).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/1/files", nil).Code, "no files are no upload")
	w = c.post("/kits/1/grid", url.Values{"grid": {""}, "back": {"//elsewhere.example/assets/"}})
	assert.Equal(t, "/kits/1", w.Header().Get("Location"), "nowhere but to our own pages")
	assert.Empty(t, c.log.String())
}
