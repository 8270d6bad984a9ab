package soak

import (
	"fmt"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"yarvek/core/format/formattest"
)

// Small files must not take minutes or gigabytes: any of up to ten megabytes shows its
// first page within ten seconds of two cores, or is refused or reduced with a reason; no
// page is larger than a megabyte; and with all pages and an export the program never holds
// a gigabyte. 64 times its size and 256 MB are asked of the memory, which is printed too.
func TestHeavyFiles(t *testing.T) {
	const mb = 1e6
	fmt.Printf("%-60s %7s %8s %9s %8s %9s %8s  %s\n", "file", "MB", "first s", "peak MB", "asked MB", "page kB", "rest s",
		"said")
	for _, m := range formattest.All() {
		if only := os.Getenv("YARVEK_ONLY"); only != "" && !strings.Contains(m.Name, only) {
			continue
		}
		t.Run(m.Name, func(t *testing.T) {
			h := m.Make(1)
			s := start(t, t.TempDir())
			begun := time.Now()
			page, err := s.send("/start", h.Files...)
			if !assert.NoError(t, err) {
				return
			}
			said, largest := "", 0
			fetch := func(path string) {
				if t.Failed() {
					return
				}
				status, b, err := s.whole(path)
				if assert.NoError(t, err, path) {
					assert.Less(t, status, http.StatusInternalServerError, path)
					if len(b) > largest {
						largest = len(b)
					}
				}
			}
			came := regexp.MustCompile(`href="(/assets/\d+)`).FindSubmatch(page)
			if came != nil {
				fetch(string(came[1]) + "/source")
			} else {
				said = plain(page)
			}
			first := time.Since(begun)
			begun = time.Now()
			fetch("/kits/1")
			if came != nil {
				for _, station := range []string{"size", "axes", "pivot", "export", "turntable"} {
					fetch(string(came[1]) + "/" + station)
				}
				status, _, err := s.form(string(came[1])+"/export/send", "base=0&reason=a+trial")
				if assert.NoError(t, err) {
					assert.Less(t, status, http.StatusInternalServerError, "the export")
				}
			}
			peak := s.peak(t)
			fmt.Printf("%-60s %7.1f %8.2f %9.0f %8.0f %9.0f %8.2f  %s\n", m.Name, float64(h.Size())/mb, first.Seconds(),
				float64(peak)/mb,
				float64(64*h.Size())/mb+256,
				float64(largest)/1e3, time.Since(begun).Seconds(), said)
			assert.LessOrEqual(t, h.Size(), 10_000_000, "a small file")
			assert.Less(t, first.Seconds(), 10.0)
			assert.Less(t, peak, int64(1e9))
			assert.LessOrEqual(t, largest, 1_000_000)
		})
	}
}
