package e2e

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/kittest"
)

// tallyTest looks at the station of the guide as its artist would.
const tallyTest = `package web

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheStationOfTheGuide(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	page := c.get("/assets/1/tally").Body.String()
	assert.Contains(t, page, "There are <strong>2 meshes</strong>", "its worksheet")
	_, cell, found := strings.Cut(page, "id=\"tape-tally\"")
	require.True(t, found, "its cell on the tape")
	assert.Contains(t, cell[:strings.Index(cell, "</a>")], "2 meshes", "its figure on the tape")
	assert.NotContains(t, page, "More meshes than allowed")
	was := string(c.prepNow().JSON())

	c.decide("tally", "act", "entries", "section", "bounds", "most", "1")
	page = c.get("/assets/1/tally").Body.String()
	assert.Contains(t, page, "Undo: Allow 1 mesh", "its undo label")
	assert.Contains(t, page, "More meshes than allowed", "its finding")
	assert.Equal(t, http.StatusOK, c.post("/assets/1/preview", c.form("station", "tally", "act", "entries", "section",
		"bounds", "most", "2")).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/assets/1/tally", c.form("act", "entries", "section",
		"bounds", "most", "-3")).Code)

	w := c.post("/assets/1/remedy", c.form("station", "tally", "code", "tally/too-many", "n", "0"))
	require.Equal(t, http.StatusSeeOther, w.Code)
	assert.Equal(t, 2, c.prepNow().Tally.Most, "its remedy")
	for range 2 {
		require.Equal(t, http.StatusSeeOther, c.post("/assets/1/undo", c.form("station", "tally")).Code)
	}
	assert.Equal(t, was, string(c.prepNow().JSON()))
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/export/send", url.Values{}).Code)
}
`

var (
	newFile  = regexp.MustCompile("(?s)New file `([^`]+)`:\n\n```\\w+\n(.*?)```\n")
	addition = regexp.MustCompile("(?s)In `([^`]+)`, before `([^`]+)`:\n\n```\\w+\n(.*?)```\n")
)

// The guide to a new station holds: whoever does what docs/contributing.md says, and
// nothing else, has a station with a worksheet, a cell on the tape, undo labels,
// findings and remedies, and no test of the house complains.
func TestTheGuideToAStationHolds(t *testing.T) {
	kittest.SideBySide(t)
	guide, err := os.ReadFile("../docs/contributing.md")
	require.NoError(t, err)
	house := t.TempDir()
	copyHouse(t, "..", house)

	files := newFile.FindAllSubmatch(guide, -1)
	require.Len(t, files, 5, "the guide names five new files")
	for _, f := range files {
		at := filepath.Join(house, filepath.FromSlash(string(f[1])))
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoFileExists(t, at)
		require.NoError(t, os.WriteFile(at, f[2], 0o644))
	}
	additions := addition.FindAllSubmatch(guide, -1)
	require.Len(t, additions, 7, "and seven additions")
	for _, a := range additions {
		at, anchor, text := filepath.Join(house, filepath.FromSlash(string(a[1]))), string(a[2]), string(a[3])
		b, err := os.ReadFile(at)
		require.NoError(t, err)
		require.Equal(t, 1, strings.Count(string(b), anchor), "%s has %q once", a[1], anchor)
		if strings.HasPrefix(anchor, " ") { // within a line
			text = strings.TrimSuffix(text, "\n")
		}
		require.NoError(t, os.WriteFile(at, []byte(strings.Replace(string(b), anchor, text+anchor, 1)), 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(house, "internal/web/guide_test.go"), []byte(tallyTest), 0o644))

	gofmt := exec.Command("gofmt", "-w", "core/prep", "core/station", "internal/show", "internal/web")
	gofmt.Dir = house
	out, err := gofmt.CombinedOutput()
	require.NoError(t, err, "%s", out)
	run := exec.Command("go", "test", "-short", "-vet=off", "-ldflags=-s -w", "-count=1", "-run",
		"TheGuide|EveryStation|EveryField|Imports|Floors|Wider",
		"./core", "./core/prep", "./core/station", "./internal/show", "./internal/web")
	run.Dir = house
	out, err = run.CombinedOutput()
	assert.NoError(t, err, "%s", out)
}

// copyHouse copies what is built, without pictures and what lies in hidden folders.
func copyHouse(t *testing.T, from, to string) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(from, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(from, path)
		if err != nil {
			return err
		}
		if d.IsDir() {
			if rel != "." && (strings.HasPrefix(d.Name(), ".") || rel == "bin" || rel == "build" || rel == "e2e") {
				return filepath.SkipDir
			}
			return os.MkdirAll(filepath.Join(to, rel), 0o755)
		}
		b, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(filepath.Join(to, rel), b, 0o644)
	}))
}
