package web

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/target"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// Meshes without extent, without polygons, out in space and with names like markup
// have whole pages at every station, and no figure that is none.
func TestOddMeshesHaveWholePages(t *testing.T) {
	c := newClient(t)
	ctx := context.Background()
	k, err := c.desk.NewKit(ctx, "odd", target.Shipped[1].ID)
	require.NoError(t, err)
	for name, text := range map[string]string{
		"guides": "o keel\nv 0 0 0\nv 1 0 0\nl 1 2\n",
		"line":   "v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n",
		"point":  "v 0 0 0\nv 0 0 0\nv 0 0 0\nf 1 2 3\n",
		"flat":   "v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nf 1 2 3 4\n",
		"far":    "v 1e12 0 0\nv 1e12 1 0\nv 1000000000001 0 1\nf 1 2 3\n",
		"tiny":   "v 0 0 0\nv 1e-7 0 0\nv 0 1e-7 0\nv 0 0 1e-7\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n",
		"least": "v 0 0 0\nv 1e-307 0 0\nv 0 1e-308 0\nv 0 0 3e-308\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\nv 1e-307 1e-307 " +
			"0\nv 0 " +
			"1e-307 1e-307\nf 1 5 6\nf 2 5 6\n",
		"vast":  "v 0 0 0\nv 1e29 0 0\nv 0 1e29 0\nv 0 0 1e29\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n",
		"names": "o <b>a/b</b>\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no <b>a/b</b>\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 4 5 6\n",
	} {
		u := c.desk.NewUpload()
		require.NoError(t, u.Add(name+".obj", strings.NewReader(text)))
		_, err = c.desk.TakeIn(context.Background(), k.ID, u)
		require.NoError(t, err)
		c.desk.Jobs.Wait()
	}
	list, err := c.desk.Assets(ctx, k.ID)
	require.NoError(t, err)
	require.Len(t, list, 9)
	step := 60
	if testing.Short() {
		step = 170
	}
	for _, a := range list {
		for _, st := range prep.Stations() {
			w := c.get(fmt.Sprintf("/assets/%d/%s", a.ID, st.ID))
			assert.Equal(t, http.StatusOK, w.Code, "%s at %s: %s", a.Name, st.ID, c.log)
			body := w.Body.String()
			for _, bad := range []string{"NaN", "Inf", "<b>a"} {
				assert.False(t, strings.Contains(body, bad), "%s at %s shows %q", a.Name, st.ID, bad)
			}
			for x := 30; x < 880; x += step { // a pick anywhere finds something or nothing, and ends nothing
				for y := 30; y < 620; y += step {
					w := c.get(fmt.Sprintf("/assets/%d/pick?station=%s&x=%d&y=%d", a.ID, st.ID, x, y))
					assert.Less(t, w.Code, 500, "%s at %s", a.Name, st.ID)
					assert.NotContains(t, w.Body.String(), "NaN")
				}
			}
		}
	}
	assert.NotContains(t, c.get(fmt.Sprintf("/kits/%d", k.ID)).Body.String(), "NaN")
	assert.Empty(t, c.log.String(), "nothing broke off")
}

// A page that waits for an upload is told after a new start what came in and what did
// not, by name.
func TestAnUploadBrokenOffByAStartIsTold(t *testing.T) {
	dir := t.TempDir()
	st, err := store.Open(dir)
	require.NoError(t, err)
	desk := work.New(st, work.DefaultLimits, nil)
	ctx := context.Background()
	k, err := desk.NewKit(ctx, "kit", target.Shipped[0].ID)
	require.NoError(t, err)
	u := desk.NewUpload()
	require.NoError(t, u.Add("quay.obj", strings.NewReader(quayText)))
	require.NoError(t, u.Add("mole.obj", strings.NewReader("v 1 2\n")))
	require.NoError(t, u.Add("note.txt", strings.NewReader("no mesh")))
	job, err := desk.TakeIn(ctx, k.ID, u)
	require.NoError(t, err)
	desk.Jobs.Wait()
	desk.Close()
	require.NoError(t, st.Close())

	st, err = store.Open(dir)
	require.NoError(t, err)
	desk = work.New(st, work.DefaultLimits, nil)
	t.Cleanup(func() { desk.Close(); _ = st.Close() })
	c := &client{t: t, h: New(desk, slog.New(slog.DiscardHandler)).Handler(), desk: desk}
	w := c.get("/jobs/" + job.ID)
	assert.Equal(t, http.StatusOK, w.Code)
	has(t, w, "Broken off: 1 asset came in")
	has(t, w, `<a href="/assets/1">quay</a>`)
	has(t, w, "Not read when it was broken off: mole.obj. Send them again")
	assert.NotContains(t, w.Body.String(), "note.txt")
	assert.Equal(t, http.StatusNotFound, c.get("/jobs/nobody-knows").Code)
}

// A decision whose row was damaged on the disk hides nothing but itself: the kit's page has the asset, its own page
// offers the decision before, and that is one press away.
func TestADamagedDecisionIsSteppedBackFrom(t *testing.T) {
	dir := t.TempDir()
	c := clientOf(t, dir)
	c.bring("quay.obj", quayText)
	for _, factor := range []string{"2", "3"} {
		w := c.post("/assets/1/size", c.form("act", "entries", "section", "fit", "factor", factor))
		require.Equal(t, http.StatusSeeOther, w.Code)
	}
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, "yarvek.db"))
	require.NoError(t, err)
	defer db.Close()
	var trigger string
	require.NoError(t, db.QueryRow(`SELECT sql FROM sqlite_master WHERE name = 'seal_preps_changed'`).Scan(&trigger))
	for _, stmt := range []string{`DROP TRIGGER seal_preps_changed`,
		`UPDATE preps SET prep = replace(prep, '3', '9') WHERE seq = 2`, trigger} {
		_, err = db.Exec(stmt)
		require.NoError(t, err)
	}
	w := c.get("/assets/1/axes")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	has(t, w, "is not as it was kept")
	has(t, w, "Go back to the decision before it")
	kit := c.get("/kits/1")
	assert.Equal(t, http.StatusOK, kit.Code)
	has(t, kit, "quay")
	assert.Equal(t, http.StatusOK, c.get("/").Code)
	base := regexp.MustCompile(`name="base" value="(\d+)"`).FindStringSubmatch(w.Body.String())
	require.NotNil(t, base)
	w = c.post("/assets/1/undo", url.Values{"station": {"source"}, "base": {base[1]}})
	assert.Equal(t, http.StatusSeeOther, w.Code, c.log)
	assert.Equal(t, http.StatusOK, c.get("/assets/1/size").Code)
	assert.InDelta(t, 2, c.prepNow().Size.Factor, 1e-9)
}
