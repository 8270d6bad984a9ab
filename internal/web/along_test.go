package web

import (
	"context"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A kit goes out by a link and in by a form; marked assets of it are duplicated, moved and taken out, and none of
// another kit by the address of this one.
func TestAKitIsTakenAlongByPresses(t *testing.T) {
	ctx := context.Background()
	c := newDemo(t)
	w := c.get("/kits/1/along")
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Header().Get("Content-Disposition"), ".kit.zip")
	file := w.Body.String()

	w = c.upload("/along", map[string]string{"half.kit.zip": file[:len(file)/2]})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	c.desk.Jobs.Wait()
	has(t, c.get(w.Header().Get("Location")), "It was not put in")

	w = c.upload("/along", map[string]string{"tern.kit.zip": file})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	c.desk.Jobs.Wait()
	w = c.get(w.Header().Get("Location"))
	require.Equal(t, "/kits/2", w.Header().Get("Location"), w.Body.String())
	assert.Equal(t, file, c.get("/kits/2/along").Body.String(), "it is the same to the byte")

	counts := func() (n [2]int) {
		for i := range n {
			k, err := c.desk.Kit(ctx, int64(i+1))
			require.NoError(t, err)
			n[i] = k.Assets
		}
		return n
	}
	require.Equal(t, [2]int{13, 13}, counts())
	for path, want := range map[string]int{"duplicate": http.StatusNotFound, "move": http.StatusUnprocessableEntity,
		"remove": http.StatusNotFound} {
		assert.Equal(t, want, c.post("/kits/2/many/"+path, url.Values{"asset": {"1"}, "to": {""}}).Code, path)
		assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/2/many/"+path, url.Values{"to": {"1"}}).Code, path)
	}
	assert.NotEqual(t, http.StatusSeeOther, c.post("/kits/2/many/move", url.Values{"asset": {"1"}, "to": {"2"}}).Code)
	for _, path := range []string{"duplicate", "remove"} {
		w := c.post("/kits/2/many/"+path, url.Values{"asset": {"14", "1"}})
		assert.Equal(t, http.StatusNotFound, w.Code, path)
	}
	require.Equal(t, [2]int{13, 13}, counts(), "nothing was done")

	marked := url.Values{"asset": {"14", "15"}, "to": {"1"}}
	assert.Equal(t, "/kits/2", c.post("/kits/2/many/duplicate", marked).Header().Get("Location"))
	assert.Equal(t, [2]int{13, 15}, counts())
	assert.Equal(t, "/kits/1", c.post("/kits/2/many/move", marked).Header().Get("Location"))
	assert.Equal(t, [2]int{15, 13}, counts())
	assert.Equal(t, "/kits/1", c.post("/kits/1/many/remove", marked).Header().Get("Location"))
	assert.Equal(t, [2]int{13, 13}, counts())
	assert.Equal(t, "/kits/3", c.post("/kits/2/duplicate", nil).Header().Get("Location"))
	has(t, c.get("/kits/2/others"), `<option value="1">`)
	has(t, c.get("/"), "A kit that was taken along")
}

// Whichever button is pressed for the marked assets, all fields of their form come along, and are known.
func TestTheFieldsOfMarkedAssets(t *testing.T) {
	c := newDemo(t)
	page := c.get("/kits/1").Body.String()
	form := page[strings.Index(page, `id="marked"`):]
	form = form[:strings.Index(form, "</form>")]
	var names []string
	for _, m := range regexp.MustCompile(`\bname="([a-z]+)"`).FindAllStringSubmatch(form, -1) {
		names = append(names, m[1])
	}
	assert.Subset(t, markedFields, names)
	all := url.Values{"asset": {"1"}, "to": {"1"}}
	for _, n := range names {
		if n != "do" {
			all.Set(n, "")
		}
	}
	presses := regexp.MustCompile(`(?:hx-post|formaction)="(/kits/1/many/[a-z]+)"`)
	for _, m := range presses.FindAllStringSubmatch(form, -1) {
		w := c.post(m[1], all)
		assert.NotContains(t, w.Body.String(), "not known here", m[1])
	}
}
