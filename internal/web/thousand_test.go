package web

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// bringMany makes a kit of so many posts of different heights: each seventh far from its origin, each eleventh one that
// can't be read.
func (c *client) bringMany(n int) {
	c.t.Helper()
	ctx := context.Background()
	k, err := c.desk.NewKit(ctx, "Pier", target.Shipped[0].ID)
	require.NoError(c.t, err)
	for i := range n {
		text := "this is no mesh"
		if i%11 != 0 {
			x, h := float64(i%7/6*900), 1+float64(i)/100
			text = fmt.Sprintf("v %g 0 0\nv %g 0 0\nv %g %g 0\nv %g 0 0.3\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n",
				x, x+.3, x+.15, h, x+.15)
		}
		u := c.desk.NewUpload()
		require.NoError(c.t, u.Add(fmt.Sprintf("post %03d.obj", i), strings.NewReader(text)))
		_, err := c.desk.Bring(ctx, k.ID, fmt.Sprintf("post %03d", i), u)
		require.NoError(c.t, err)
	}
}

// A thousand assets are found, sorted and grouped as a few are, a page at a time and under a megabyte.
func TestAKitOfAThousand(t *testing.T) {
	c := newClient(t)
	c.bringMany(1000)
	c.h = New(c.desk, slog.New(slog.DiscardHandler)).Handler() // as impatient as it is
	page := func(q string) string {
		began := time.Now()
		w := c.get("/kits/1?" + q)
		require.Equal(t, http.StatusOK, w.Code)
		assert.Less(t, w.Body.Len(), 1<<20, q)
		t.Logf("%q: %d kB in %s", q, w.Body.Len()/1000, time.Since(began).Round(time.Millisecond))
		return w.Body.String()
	}
	shown := func(q string) int { return strings.Count(page(q), "<tr data-asset=") }
	// Nobody waits until all were looked at: the page comes at once, and again when they were.
	if at := regexp.MustCompile(`/kits/1/looking/[A-Z0-9]+`).FindString(page("")); assert.NotEmpty(t, at) {
		has(t, c.get(at), "Looking")
		c.desk.Jobs.Wait()
		r := httptest.NewRequest(http.MethodGet, at, nil)
		r.Header.Set("HX-Current-URL", "http://127.0.0.1:7340/kits/1?sort=height")
		has(t, c.send(r), `hx-get="/kits/1?sort=height"`)
		r.Header.Set("HX-Current-URL", "http://elsewhere.example/kits/2")
		has(t, c.send(r), `hx-get="/kits/1"`)
	}
	assert.NotContains(t, page("x=again"), "looked at")
	assert.Equal(t, shelf, shown(""))
	assert.Equal(t, shelf, shown("from=940"))
	assert.Equal(t, 10, shown("find=post+42"))
	assert.Equal(t, 1, shown("find=post+999"))
	first := func(q string) string {
		s := page(q)
		s = s[strings.Index(s, "<tr data-asset="):]
		return s[strings.Index(s, "row-link"):][:80]
	}
	assert.Contains(t, first("sort=height&down=1"), "post 999")
	assert.Contains(t, first("sort=name"), "post 000")
	assert.Contains(t, page("find=post"), "1\u202f000")
}
