package web

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// whole is the editor's form as a browser sends it.
func whole(to target.Target, changes ...string) url.Values {
	v := url.Values{"whole": {"on"}, "base": {"1"}, "name": {to.Name}}
	list := sections(to)
	each(list, func(_ *section, x *entryField) {
		if x.Sort != asSwitch || x.Value == "on" {
			v.Set(x.Path, x.Value)
		}
	})
	for i := 0; i < len(changes); i += 2 {
		if changes[i+1] == "off" {
			v.Del(changes[i])
		} else {
			v.Set(changes[i], changes[i+1])
		}
	}
	return v
}

// Every field of the editor is one of a target's, and what it shows is read as it was.
func TestEveryFieldOfATargetGoesThereAndBack(t *testing.T) {
	for _, to := range target.Shipped {
		tree := valuesOf(to)
		n := 0
		each(sections(to), func(_ *section, x *entryField) {
			require.NotNil(t, lookUp(tree, x.Path), x.Path)
			n++
			if x.Sort == asChoice {
				found := false
				for _, c := range x.Choices {
					found = found || c[0] == x.Value
				}
				assert.True(t, found, "%s: %q", x.Path, x.Value)
			}
		})
		assert.Greater(t, n, 130)
		f := &form{r: &http.Request{PostForm: whole(to)}}
		got, _, err := decideTarget(f, to)
		require.NoError(t, err)
		assert.Empty(t, target.Changes(to, got))
	}
}

func (c *client) takeIn(data string) *httptest.ResponseRecorder {
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	w, err := m.CreateFormFile("file", "x.target.json")
	require.NoError(c.t, err)
	_, err = w.Write([]byte(data))
	require.NoError(c.t, err)
	require.NoError(c.t, m.Close())
	r := httptest.NewRequest(http.MethodPost, "/targets", &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	return c.send(r)
}

func TestTheEditorOfTargets(t *testing.T) {
	c := newClient(t)
	c.bring("post.obj", quayText)
	hasAll(t, c.get("/targets"), "comes with Yarvek")
	hasAll(t, c.get("/targets/y-up-metres-right"), "Copy it to have one of your own")
	assert.Equal(t, http.StatusNotFound, c.get("/targets/sideways").Code)
	w := c.post("/targets/y-up-metres-right/copy", url.Values{"name": {"Our engine"}})
	require.Equal(t, "/targets/our-engine", w.Header().Get("Location"))
	own := target.Shipped[0].Copy()
	own.ID, own.Name = "our-engine", "Our engine"
	require.Equal(t, http.StatusSeeOther,
		c.post("/kits/1/target", url.Values{"target": {"our-engine"}, "back": {""}}).Code)

	// What is typed is weighed for the kit before it is kept.
	w = c.post("/targets/our-engine/effect", whole(own, "kit", "1", "basis.up", "+Z", "basis.forward", "-Y", "names.node",
		"part {mesh}", "names.lod", "{mesh} level {n}"))
	hasAll(t, w, "4 fields changed", "Such as “part ", " level 1”. It reads 0 names of the kit",
		"1 asset is carried into another frame", "names change", "basis.forward", "hx-swap-oob")
	hasAll(t, c.post("/targets/our-engine/effect", whole(own, "basis.up", "+Z")), "both lie along Z")
	hasAll(t, c.post("/targets/our-engine/effect", whole(own, "view.lines", "many")), "1 field can")
	hasAll(t, c.post("/targets/our-engine/effect", whole(own, "classes.0.budget.triangles", "-4")), "1 field can")
	assert.NotContains(t, c.get("/targets/our-engine").Body.String(), "Kept as revision")

	// What can't be meant is told at its field, and what was typed stays.
	w = c.post("/targets/our-engine", whole(own, "names.lod", "{mesh}{n}", "unit.metres", "2 in", "act", "keep"))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	hasAll(t, w, "two ways", `value="{mesh}{n}"`, `value="2 in"`)

	w = c.post("/targets/our-engine", whole(own, "act", "keep", "reads.fbx.honoursUnit", "off", "classes.1.most",
		"11 ft"))
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body)
	hasAll(t, c.get(w.Header().Get("Location")), "Kept as revision 2", "uses revision 1", "Move it to revision 2")
	hasAll(t, c.get("/kits/1"), "revision 2 is there")
	w = c.post("/targets/our-engine", whole(own, "act", "keep", "view.lines", "1440"))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	hasAll(t, w, "changed in another window", "1440")
	require.Equal(t, http.StatusSeeOther,
		c.post("/kits/1/target", url.Values{"target": {"our-engine"}, "revision": {"2"}, "back": {""}}).Code)
	assert.NotContains(t, c.get("/kits/1").Body.String(), "is there")
	require.Equal(t, http.StatusSeeOther,
		c.post("/kits/1/target", url.Values{"target": {"our-engine"}, "revision": {"1"}, "back": {""}}).Code)
	hasAll(t, c.get("/targets/our-engine?with=z-up-centimetres-left"), "basis.up", "+Z")

	// Classes and kinds come and go.
	v := whole(own, "act", "add-class", "classname", "Garden prop", "base", "2")
	require.Equal(t, http.StatusSeeOther, c.post("/targets/our-engine", v).Code)
	hasAll(t, c.get("/targets/our-engine"), "Garden prop")
	require.Equal(t, http.StatusSeeOther,
		c.post("/targets/our-engine", whole(own, "act", "drop-classes:vehicle", "base", "3")).Code)
	assert.NotContains(t, c.get("/targets/our-engine").Body.String(), "Vehicle: triangles")
	require.Equal(t, http.StatusSeeOther,
		c.post("/targets/our-engine", whole(own, "act", "drop-solids:ball", "base", "4")).Code)
	assert.Equal(t, http.StatusUnprocessableEntity,
		c.post("/targets/our-engine", whole(own, "act", "frob", "base", "5")).Code)

	// Out as a file, and in again.
	file := c.get("/targets/our-engine/file?revision=2")
	assert.Contains(t, file.Header().Get("Content-Disposition"), "our-engine.target.json")
	got, err := target.Parse(file.Body.Bytes())
	require.NoError(t, err)
	assert.False(t, got.Reads.FBX.HonoursUnit)
	assert.InDelta(t, 11*.3048, got.Classes[1].Most, 1e-9)
	w = c.takeIn(file.Body.String())
	assert.Equal(t, "/targets/our-engine-2", w.Header().Get("Location"), "an older revision is another target")
	for _, bad := range []string{"", "{}", `{"yarvekTarget":9}`, strings.Replace(file.Body.String(), `"place": "base"`,
		`"place": "moon"`, 1)} {
		w := c.takeIn(bad)
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
		hasAll(t, w, "x.target.json")
	}
	hasAll(t, c.takeIn(strings.Replace(file.Body.String(), `"place": "base"`, `"place": "moon"`, 1)), "pivot.place",
		"no place")
	require.Equal(t, http.StatusSeeOther, c.post("/targets/our-engine/remove", nil).Code)
	hasAll(t, c.get("/targets"), "Targets taken out")
	hasAll(t, c.get("/kits/1"), "Our engine")
	require.Equal(t, http.StatusSeeOther, c.post("/targets/our-engine/restore", nil).Code)
	assert.Equal(t, http.StatusUnprocessableEntity,
		c.post("/targets/y-up-metres-right", whole(target.Shipped[0], "view.lines", "1440")).Code)
	assert.Empty(t, c.log.String())
}

// hasAll is has for several texts.
func hasAll(t *testing.T, w *httptest.ResponseRecorder, texts ...string) {
	t.Helper()
	for _, s := range texts {
		has(t, w, s)
	}
}
