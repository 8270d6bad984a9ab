package core

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Imports run downwards only: web, work, then store, draft and core; a station
// never imports another; core knows nothing of HTTP, SQL, HTML or internal.
func TestImportsRunDownwards(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "yarvek/...").Output()
	require.NoError(t, err)
	below := map[string][]string{
		"yarvek/internal/store": {"yarvek/internal/"},
		"yarvek/internal/draft": {"yarvek/internal/"},
		"yarvek/internal/work":  {"yarvek/internal/web", "yarvek/internal/demo", "net/http"},
		"yarvek/internal/demo":  {"yarvek/internal/web"},
		"yarvek/core/geom":      {"yarvek/"},
		"yarvek/core/scene":     {"yarvek/core/format", "yarvek/core/station", "yarvek/core/target"},
		"yarvek/core/format":    {"yarvek/core/station", "yarvek/core/prep"},
	}
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		pkg := words[0]
		for _, dep := range words[1:] {
			if strings.HasPrefix(pkg, "yarvek/core") {
				for _, bad := range []string{"yarvek/internal", "net/http", "database/sql", "html", "html/template", "time", "log/slog"} {
					assert.False(t, dep == bad || strings.HasPrefix(dep, bad+"/"), "%s imports %s", pkg, dep)
				}
			}
			if strings.HasPrefix(pkg, "yarvek/core/station/") {
				assert.False(t, strings.HasPrefix(dep, "yarvek/core/station/"), "%s imports the station %s", pkg, dep)
			}
			for _, bad := range below[pkg] {
				assert.False(t, strings.HasPrefix(dep, bad), "%s imports %s", pkg, dep)
			}
		}
	}
}
