package web

import (
	"fmt"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// fleet is a GLB of n boats side by side, each held larger by its node.
func fleet(t *testing.T, n int) bundle.File {
	t.Helper()
	s := shape.Scene("fleet", []scene.Material{scene.NewMaterial("tar")}, new(shape.Builder).Slot(0).
		Box(geom.Vec3{}, geom.Vec3{1, 1, 3}).Mesh("boat"))
	s.Nodes = nil
	for i := range n {
		s.Nodes = append(s.Nodes, scene.Node{Name: fmt.Sprintf("boat %d", i), Kind: scene.KindMesh, Parent: -1,
			Local: geom.Translation(geom.Vec3{float64(2 * i), 0, 0}).Mul(geom.Linear(geom.Identity3.Scaled(1.5)))})
	}
	p, err := gltf.Write(t.Context(), s, pack.Options{Name: "fleet", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	return p.Files[0]
}

// follow gathers what a pattern finds on a page and on all the pieces that follow.
func (c *client) follow(path string, pattern *regexp.Regexp) (found []string, pieces int) {
	c.t.Helper()
	next := regexp.MustCompile(`id="more-[a-z]+">.*?hx-get="([^"]+)"`)
	for pieces = 0; path != ""; pieces++ {
		w := c.get(path)
		require.Equal(c.t, http.StatusOK, w.Code, path)
		for _, m := range pattern.FindAllStringSubmatch(w.Body.String(), -1) {
			found = append(found, m[1])
		}
		path = ""
		if m := next.FindStringSubmatch(w.Body.String()); m != nil {
			path = html.UnescapeString(m[1])
		}
	}
	return found, pieces
}

// The pieces of a list are all of it, each line once and in order.
func TestListsComeInPieces(t *testing.T) {
	c := newClient(t)
	f := fleet(t, 250)
	c.bring(f.Name, string(f.Data))
	for path, pattern := range map[string]string{
		"/assets/1/source":             `data-rename="(boat \d+)"`,
		"/assets/1/source/lists/nodes": `data-rename="(boat \d+)"`,
		"/assets/1/size/lists/placed":  `name="node" value="(boat \d+)"`,
		"/assets/1/size/lists/parts":   `<th>(boat \d+)</th>`,
		"/assets/1/pivot/lists/parts":  `<th>(boat \d+)</th>`,
	} {
		found, pieces := c.follow(path, regexp.MustCompile(pattern))
		require.Len(t, found, 250, path)
		assert.Equal(t, 3, pieces, path)
		for i, name := range found {
			require.Equal(t, fmt.Sprintf("boat %d", i), name, path)
		}
	}
	found, _ := c.follow("/assets/1/source/lists/nodes?find=+BOAT+24", regexp.MustCompile(`data-rename="(boat \d+)"`))
	assert.Len(t, found, 11, "24 and 240 to 249")
	has(t, c.get("/assets/1/source/lists/nodes?find=boat+24"), "11 of 250")
	found, _ = c.follow("/assets/1/source/lists/nodes?find=tar&kind=mesh", regexp.MustCompile(`data-rename="(boat \d+)"`))
	assert.Len(t, found, 250, "by the name of a slot")
	found, _ = c.follow("/assets/1/source/lists/nodes?kind=light", regexp.MustCompile(`data-rename="(boat \d+)"`))
	assert.Empty(t, found)
	for path, want := range map[string]int{"/assets/1/source/lists/none": 404, "/assets/1/none/lists/nodes": 404,
		"/assets/1/source/lists/nodes?from=-1": 422, "/assets/1/source/lists/nodes?from=x": 422,
		"/assets/1/source/lists/rows?from=9999": 200, "/assets/1/size/lists/parts?from=9999": 200} {
		assert.Equal(t, want, c.get(path).Code, path)
	}
}

// A form whose list had not come whole takes nothing back that it did not show.
func TestWhatWasNotShownStaysTicked(t *testing.T) {
	c := newClient(t)
	f := fleet(t, 250)
	c.bring(f.Name, string(f.Data))
	c.decide("size", "act", "bake", "bake", "all", "node", "boat 3", "node", "boat 7", "node", "boat 200")
	// The page shows a hundred; boat 7 is unticked on it.
	v := c.form("act", "bake", "bake", "all", "node", "boat 3")
	v["upto"] = []string{"100"}
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/size", v).Code)
	assert.ElementsMatch(t, []string{"boat 3", "boat 200"}, c.prepNow().Size.Nodes)
	v = c.form("act", "bake", "bake", "all", "node", "boat 3")
	v["upto"] = []string{"100", "200", "250"}
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/size", v).Code)
	assert.Equal(t, []string{"boat 3"}, c.prepNow().Size.Nodes)
}

// A kit of many shows a shelf of them at a time, and finds by name.
func TestAKitOfManyHasShelves(t *testing.T) {
	c := newClient(t)
	files := map[string]string{}
	for i := range 75 {
		files[fmt.Sprintf("mole %02d.obj", i)] = quayText + strings.Repeat("#", i)
	}
	page := c.upload("/start", files).Body.String()
	job := regexp.MustCompile(`/jobs/[^"/]+`).FindString(page)
	c.desk.Jobs.Wait()
	require.Equal(t, http.StatusOK, c.get(job).Code)
	seen := map[string]bool{}
	row := regexp.MustCompile(`class="row-link" href="[^"]+">([^<]+)<`)
	for path, n := "/kits/1", 0; path != ""; n++ {
		w := c.get(path)
		assert.Less(t, w.Body.Len(), 1_000_000)
		has(t, w, "75 assets")
		for _, m := range row.FindAllStringSubmatch(w.Body.String(), -1) {
			seen[m[1]] = true
		}
		path = ""
		if m := regexp.MustCompile(`href="(\?[^"]+)">The assets after`).FindStringSubmatch(w.Body.String()); m != nil {
			path = "/kits/1" + html.UnescapeString(m[1])
		}
	}
	assert.Len(t, seen, 75)
	w := c.get("/kits/1?find=" + url.QueryEscape("MOLE 4"))
	assert.Len(t, row.FindAllString(w.Body.String(), -1), 10)
	has(t, c.get("/kits/1?find=nothing"), "No asset is like that")
}

// Where a page names nodes in a field, a name will do when only one has it; a node that is
// not there is no decision.
func TestANodeIsNamedByItsKeyOrItsName(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	for _, at := range [][]string{{"pivot", "act", "each", "place", "mass"}, {"source", "act", "name", "name", "crane"}} {
		w := c.post("/assets/1/"+at[0], c.form(append(at[1:], "key", "hok")...))
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, at)
		has(t, w, "no node called “hok”")
		c.decide(at[0], append(at[1:], "key", "hook")...)
	}
	p := c.prepNow()
	assert.Equal(t, map[string]string{"hook": "crane"}, p.Source.Names)
	f := &form{r: &http.Request{PostForm: url.Values{"key": {"oar"}}}}
	assert.Equal(t, "boat/oar", f.node("key", []string{"boat", "boat/oar"}, false))
	require.NoError(t, f.err)
	assert.Equal(t, "oar", f.node("key", nil, true), "what is decided already can be given up")
	require.NoError(t, f.err)
	f.node("key", []string{"boat/oar", "skiff/oar"}, false)
	assert.ErrorContains(t, f.err, "2 nodes are called “oar”")
}

// What was taken out of a kit can be put back, however much it is.
func TestManyThatWereTakenOutAreFoundByName(t *testing.T) {
	c := newClient(t)
	for i := range 45 {
		c.bring(fmt.Sprintf("mole %02d.obj", i), quayText)
	}
	files := map[string]string{}
	for i := range 45 {
		files[fmt.Sprintf("pier %02d.obj", i)] = quayText
	}
	c.upload("/kits/1/files", files)
	c.desk.Jobs.Wait()
	all, err := c.desk.Assets(t.Context(), 1)
	require.NoError(t, err)
	for _, a := range all[:len(all)-1] {
		require.Equal(t, http.StatusSeeOther, c.post(fmt.Sprintf("/assets/%d/remove", a.ID), nil).Code)
	}
	w := c.get("/kits/1")
	has(t, w, "more; find them by name")
	has(t, w, `id="find"`)
	last := all[len(all)-2].Name
	has(t, c.get("/kits/1?find="+url.QueryEscape(last)), "<li>"+last)
}
