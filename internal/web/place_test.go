package web

import (
	"archive/zip"
	"bytes"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
)

// Assets whose names say what they are get their classes with one press on the kit's page;
// each can be undone, and those that have a class keep it.
func TestManyAssetsAreSortedAtOnce(t *testing.T) {
	c := newClient(t)
	c.bring("old door.obj", quayText)
	for _, n := range []string{"crate_2.obj", "thing.obj"} {
		require.Equal(t, http.StatusOK, c.upload("/kits/1/files", map[string]string{n: quayText}).Code)
		c.desk.Jobs.Wait()
	}
	w := c.get("/kits/1")
	has(t, w, "2 assets are not sorted yet")
	has(t, w, `value="1 building-part"`)
	has(t, w, `value="2 street-furniture"`)
	require.Equal(t, http.StatusSeeOther,
		c.post("/kits/1/classes", url.Values{"class": {"1 building-part", "2 street-furniture", "77 vehicle"}}).Code)
	assert.Equal(t, "building-part", c.prepNow().Size.Class)
	assert.NotContains(t, c.get("/kits/1").Body.String(), "not sorted yet")
	require.Equal(t, http.StatusSeeOther, c.post("/kits/1/classes", url.Values{"class": {"1 vehicle"}}).Code)
	assert.Equal(t, "building-part", c.prepNow().Size.Class, "it had one")
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/1/classes", url.Values{"class": {"3 whale"}}).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/kits/1/classes", url.Values{"class": {"x y"}}).Code)
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/undo", c.form("station", "size")).Code)
	assert.Empty(t, c.prepNow().Size.Class)
}

// What was taken away is told where it was, with the way back under the focus; kits too.
func TestTakenAwayAndPutBack(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	w := c.post("/assets/1/remove", nil)
	require.Equal(t, "/kits/1?out=1", w.Header().Get("Location"))
	w = c.get("/kits/1?out=1")
	has(t, w, "“quay” was taken out of the kit")
	has(t, w, `id="putback" autofocus`)
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/restore", nil).Code)
	assert.NotContains(t, c.get("/kits/1?out=1").Body.String(), "was taken out")

	w = c.post("/kits/1/remove", nil)
	require.Equal(t, "/?out=1", w.Header().Get("Location"))
	w = c.get("/?out=1")
	has(t, w, "was archived")
	assert.NotContains(t, w.Body.String(), `class="row-link" href="/kits/1"`)
	assert.Equal(t, http.StatusOK, c.get("/assets/1/source").Code, "nothing of it is deleted")
	require.Equal(t, http.StatusSeeOther, c.post("/kits/1/restore", nil).Code)
	has(t, c.get("/"), `class="row-link" href="/kits/1"`)
	assert.Equal(t, http.StatusNotFound, c.post("/kits/9/remove", nil).Code)
}

// What came can be taken back out, byte for byte, and the decisions as the command line
// takes them.
func TestWhatCameCanBeTakenOut(t *testing.T) {
	c := newClient(t)
	require.Equal(t, http.StatusOK,
		c.upload("/start", map[string]string{"quay.obj": "mtllib q/a.mtl\n" + quayText, "q/a.mtl": "newmtl tar\n"}).Code)
	c.desk.Jobs.Wait()
	c.decide("size", "act", "entries", "section", "fit", "factor", "2")
	w := c.get("/assets/1/revisions/1/files")
	require.Equal(t, http.StatusOK, w.Code)
	assert.Contains(t, w.Header().Get("Content-Disposition"), "quay revision 1.zip")
	z, err := zip.NewReader(bytes.NewReader(w.Body.Bytes()), int64(w.Body.Len()))
	require.NoError(t, err)
	got := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		got[f.Name] = string(b)
	}
	assert.Equal(t, map[string]string{"quay.obj": "mtllib q/a.mtl\n" + quayText, "q/a.mtl": "newmtl tar\n"}, got)
	assert.Equal(t, http.StatusNotFound, c.get("/assets/1/revisions/2/files").Code)
	assert.Equal(t, http.StatusNotFound, c.get("/assets/1/revisions/x/files").Code)
	w = c.get("/assets/1/prep.json")
	assert.Contains(t, w.Header().Get("Content-Disposition"), "quay.prep.json")
	p, err := prep.Parse(w.Body.Bytes())
	require.NoError(t, err)
	assert.Equal(t, 2.0, p.Size.Factor)
}

// A second file of a name comes in as another asset and asks whether it is meant as the next
// revision; said so, it is shown beside the one in force.
func TestANamesakeAsks(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	changed := strings.Replace(quayText, "v ", "v 1", 1)
	w := c.upload("/kits/1/files", map[string]string{"Quay.obj": changed})
	require.Equal(t, http.StatusOK, w.Code)
	c.desk.Jobs.Wait()
	ids := c.desk.Uploads(1)
	require.Len(t, ids, 1, "nobody has seen how it ended")
	has(t, c.get("/kits/1"), `hx-get="/jobs/`+ids[0]+`"`)
	w = c.get("/jobs/" + ids[0])
	has(t, w, "The kit has a “quay” already")
	assert.Empty(t, c.desk.Uploads(1))
	w = c.post("/assets/2/join", url.Values{"into": {"1"}})
	require.Equal(t, "/assets/1/revisions/2", w.Header().Get("Location"))
	has(t, c.get("/assets/1/revisions/2"), "Take revision 2")
	assert.NotContains(t, c.get("/kits/1").Body.String(), `href="/assets/2"`)
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/assets/1/join", url.Values{"into": {"1"}}).Code)
}

// A picture that the mesh does not ask for, or a foreign file, is never a revision.
func TestForeignFilesAreNoRevision(t *testing.T) {
	c := newClient(t)
	require.Equal(t, http.StatusOK,
		c.upload("/start", map[string]string{"quay.obj": "mtllib a.mtl\nusemtl tar\n" + quayText,
			"a.mtl": "newmtl tar\nmap_Kd planks.png\n"}).Code)
	c.desk.Jobs.Wait()
	for _, name := range []string{"plank.png", "notes.txt", "song.mp3"} {
		w := c.upload("/assets/1/companions", map[string]string{name: "x"})
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, name)
		has(t, w, "does not refer to "+name+", so nothing was changed")
		has(t, w, "planks.png")
	}
	o, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, 1, o.Revision.Number)
	require.Equal(t, http.StatusSeeOther,
		c.upload("/assets/1/companions", map[string]string{"planks.png": "x", "notes.txt": "y"}).Code)
	o, err = c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, 2, o.Revision.Number)
	assert.Len(t, o.Revision.Files, 3, "the notes are none of it")
}
