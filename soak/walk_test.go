package soak

import (
	"fmt"
	"net/http"
	"os"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The demo, an upload, a decision, an export with its certificate, the end by Ctrl+C, the
// check of the folder and a start on the same folder.
func TestWalk(t *testing.T) {
	data := t.TempDir()
	s := start(t, data, "demo")
	_, kit, err := s.get("/kits/1")
	require.NoError(t, err)
	assets := regexp.MustCompile(`class="row-link"[^>]*href="(/assets/\d+)`).FindAllSubmatch(kit, -1)
	require.NotEmpty(t, assets, "the demo kit has assets")
	pages := 0
	for _, m := range assets {
		_, page, err := s.get(string(m[1]))
		require.NoError(t, err)
		stations := regexp.MustCompile(`href="(`+string(m[1])+`/[a-z]+)"`).FindAllSubmatch(page, -1)
		require.NotEmpty(t, stations, "%s has stations", m[1])
		for _, at := range stations {
			status, _, err := s.get(string(at[1]))
			require.NoError(t, err)
			assert.Equal(t, http.StatusOK, status, "%s", at[1])
			pages++
		}
	}
	page, err := s.send("/kits/1/files", plank("plank"))
	require.NoError(t, err)
	at := regexp.MustCompile(`/assets/\d+`).FindString(string(page))
	require.NotEmpty(t, at, plain(page))
	base, err := s.base(at)
	require.NoError(t, err)
	_, err = s.location(at+"/source", "base="+base+"&act=name&key=plank&name=gangway")
	require.NoError(t, err)
	sent, err := s.location(at+"/export/send", "base=1&reason=a+trial")
	require.NoError(t, err)
	status, page, err := s.get(sent)
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, plain(page), "Arrived")
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt), "Ctrl+C")
	require.NoError(t, s.ended(15*time.Second), s.log.String())
	said, err := verify(t, data)
	require.NoError(t, err, said)
	s = start(t, data, "demo")
	_, page, err = s.get(at + "/source")
	require.NoError(t, err)
	assert.Contains(t, string(page), "gangway", "the decision is there after a new start")
	fmt.Printf("%d pages of %d demo assets, an upload, a decision, an export and a new start\n", pages, len(assets))
}
