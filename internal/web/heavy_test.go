package web

import (
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"yarvek/core/format/formattest"
	"yarvek/core/prep"
)

// Files that are small and would cost much have pages, all of a bounded size, or are
// refused in words. Here at a thirtieth of their weight, or at the share in
// YARVEK_SHARE; the whole of it, with its time and memory, is tried by `make soak`.
func TestHeavyFilesHaveBoundedPages(t *testing.T) {
	share, err := strconv.ParseFloat(os.Getenv("YARVEK_SHARE"), 64)
	if err != nil {
		if share = 1. / 30; testing.Short() {
			share = 1. / 300
		}
	}
	for _, m := range formattest.All() {
		t.Run(m.Name, func(t *testing.T) {
			c := newClient(t)
			files := map[string]string{}
			for _, f := range m.Make(share).Files {
				files[f.Name] = string(f.Data)
			}
			began := time.Now()
			took := func(what string) {
				t.Logf("%s: %v", what, time.Since(began))
				began = time.Now()
			}
			page := c.upload("/start", files).Body.String()
			for waits := regexp.MustCompile(`hx-get="(/jobs/[^"]+)"`); waits.MatchString(page); time.Sleep(
				5 * time.Millisecond) {
				page = c.get(waits.FindStringSubmatch(page)[1]).Body.String()
			}
			took("taken in")
			came := regexp.MustCompile(`href="(/assets/\d+)`).FindStringSubmatch(page)
			if came == nil {
				assert.Regexp(t, `expected at most|at most`, page, "a refusal with its reason")
				return
			}
			paths := []string{"/kits/1/", came[1] + "/turntable"}
			for _, in := range prep.Stations() {
				paths = append(paths, came[1]+"/"+in.ID)
			}
			for _, path := range paths {
				w := c.get(path)
				took(path)
				assert.Less(t, w.Code, http.StatusInternalServerError, path)
				if path != came[1]+"/turntable" {
					assert.LessOrEqual(t, w.Body.Len(), 1_000_000, path)
				}
			}
			w := c.post(came[1]+"/export/send", url.Values{"base": {"0"}})
			took("written and read back")
			assert.Less(t, w.Code, http.StatusInternalServerError, "the export")
		})
	}
}
