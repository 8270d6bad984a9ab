package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/target"
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
		"least": "v 0 0 0\nv 1e-307 0 0\nv 0 1e-308 0\nv 0 0 3e-308\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\nv 1e-307 1e-307 0\nv 0 " +
			"1e-307 1e-307\nf 1 5 6\nf 2 5 6\n",
		"vast":  "v 0 0 0\nv 1e29 0 0\nv 0 1e29 0\nv 0 0 1e29\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n",
		"names": "o <b>a/b</b>\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no <b>a/b</b>\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 4 5 6\n",
	} {
		u := c.desk.NewUpload()
		require.NoError(t, u.Add(name+".obj", strings.NewReader(text)))
		c.desk.TakeIn(context.Background(), k.ID, u)
		c.desk.Jobs.Wait()
	}
	list, err := c.desk.Assets(ctx, k.ID)
	require.NoError(t, err)
	require.Len(t, list, 9)
	for _, a := range list {
		for _, st := range prep.Stations() {
			w := c.get(fmt.Sprintf("/assets/%d/%s", a.ID, st.ID))
			assert.Equal(t, http.StatusOK, w.Code, "%s at %s: %s", a.Name, st.ID, c.log)
			body := w.Body.String()
			for _, bad := range []string{"NaN", "Inf", "<b>a"} {
				assert.False(t, strings.Contains(body, bad), "%s at %s shows %q", a.Name, st.ID, bad)
			}
			for x := 30; x < 880; x += 60 { // a pick anywhere finds something or nothing, and ends nothing
				for y := 30; y < 620; y += 60 {
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
