package core

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers are the floors of the house from the ground up. A package imports only
// what stands on floors below its own, so nothing on one floor knows its neighbours:
// a station no station, a format no format, and no format a station. A name that
// ends in a slash stands for all packages under it.
var layers = [][]string{
	{"core/split", "core/fault", "core/naming", "core/unit", "core/union", "core/picture/picturetest"},
	{"core/geom", "core/memo"},
	{"core/scene", "core/finding"},
	{"core/figure", "core/picture/filter", "core/shape", "core/measure/extents", "core/measure/stand", "core/measure/twin", "core/topo", "core/measure/inertia"},
	{"core/measure/flaw", "core/measure/uv", "core/process/order", "core/process/waste", "core/process/tangent", "core/measure/flicker"},
	{"core/process/unfold", "core/measure/cost", "core/measure/coarse", "core/process/mend", "core/measure/deviation"},
	{"core/process/simplify", "core/collide/fit"},
	{"core/collide/solid", "core/collide/decompose", "core/collide/passage"},
	{"core/collide/gap", "core/collide/floor"},
	{"core/process/ladder"},
	{"core/target/class", "core/shape/shapetest"},
	{"core/target"},
	{"core/format/bundle", "core/picture", "core/picture/webp"},
	{"core/picture/texture", "core/format/pack", "core/format/draco", "core/format/meshopt"},
	{"core/format/fbx", "core/format/gltf", "core/format/obj"},
	{"core/format/formattest"},
	{"core/format"},
	{"core/station"},
	{"core/station/"},
	{"core/prep"},
	{"core/compare", "core/deliver", "core/inspect", "core/prep/preptest"},
	{"internal/disk"},
	{"internal/store", "internal/draft"},
	{"internal/work"},
	{"internal/show", "internal/demo"},
	{"internal/web"},
	{"cmd/yarvek"},
}

// apart are imports that the floors would allow and the plan does not: a build
// machine needs work without drawing, and pages reach the store through the desk.
var apart = map[string][]string{
	"internal/work": {"internal/draft", "net/http", "html/template"},
	"internal/show": {"internal/store", "net/http", "html/template"},
	"internal/web":  {"internal/store", "database/sql"},
}

// outside is what nothing in the core may know: no page, no table, no clock.
var outside = []string{"net/http", "database/sql", "html/template", "html", "time", "log", "log/slog"}

// floor finds the layer of a package, or -1.
func floor(pkg string) int {
	return slices.IndexFunc(layers, func(l []string) bool {
		return slices.ContainsFunc(l, func(name string) bool {
			return name == pkg || strings.HasSuffix(name, "/") && strings.HasPrefix(pkg, name)
		})
	})
}

func TestImportsRunDownwards(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "yarvek/...").Output()
	require.NoError(t, err)
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		pkg := strings.TrimPrefix(words[0], "yarvek/")
		if pkg == "core" || pkg == "e2e" || pkg == "soak" {
			continue
		}
		at := floor(pkg)
		assert.GreaterOrEqual(t, at, 0, "%s stands on no floor: give it one in layers", pkg)
		for _, dep := range words[1:] {
			own, ours := strings.CutPrefix(dep, "yarvek/")
			if ours {
				assert.Less(t, floor(own), at, "%s imports %s, which is not below it", pkg, own)
			}
			assert.NotContains(t, apart[pkg], own, "%s imports %s", pkg, own)
			if strings.HasPrefix(pkg, "core/") {
				assert.NotContains(t, outside, dep, "%s imports %s", pkg, dep)
			}
		}
	}
}

// The test above would be blind if the floors did not tell neighbours apart.
func TestFloorsTellNeighboursApart(t *testing.T) {
	assert.Equal(t, floor("core/station/size"), floor("core/station/axes"), "stations are neighbours")
	assert.Equal(t, floor("core/format/fbx"), floor("core/format/obj"))
	assert.Less(t, floor("core/format"), floor("core/station/size"), "formats stand below stations")
	assert.Less(t, floor("core/station"), floor("core/station/size"))
	assert.Equal(t, -1, floor("core/misc"))
}
