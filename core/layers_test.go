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
	{"core/split", "core/fault", "core/queue", "core/naming", "core/union", "core/picture/picturetest",
		"core/measure", "core/process",
		"core/collide"},
	{"core/geom", "core/memo", "core/figure", "core/strict"},
	{"core/cloud"},
	{"core/scene", "core/finding"},
	{"core/shape", "core/topo", "core/picture", "core/picture/webp"},
	{"core/measure/cost", "core/measure/deviation", "core/measure/extents", "core/measure/flaw", "core/measure/stand",
		"core/measure/twin", "core/measure/uv", "core/picture/texture"},
	{"core/process/order", "core/process/waste", "core/process/tangent", "core/process/mend",
		"core/process/divide"},
	{"core/process/simplify", "core/process/round", "core/process/unfold", "core/collide/fit"},
	{"core/process/ladder", "core/collide/solid", "core/collide/decompose", "core/collide/passage"},
	{"core/collide/gap", "core/collide/floor"},
	{"core/target/class", "core/shape/shapetest"},
	{"core/shape/kept"},
	{"core/target"},
	{"core/picture/outfit", "core/format/bundle"},
	{"core/format/pack", "core/format/draco", "core/format/meshopt", "core/format/text", "core/format/pictures"},
	{"core/format/fbx", "core/format/gltf", "core/format/obj", "core/format/collada", "core/format/ply",
		"core/format/stl", "core/format/usd"},
	{"core/format/formattest"},
	{"core/format"},
	{"core/entry"},
	{"core/station"},
	{"core/station/"},
	{"core/prep"},
	{"core/compare", "core/deliver", "core/prep/preptest", "core/deliver/exemplar"},
	{"internal/disk", "internal/report", "internal/build"},
	{"docs"},
	{"internal/outbox", "internal/guide"},
	{"internal/batch"},
	{"internal/store", "internal/draft"},
	{"internal/work"},
	{"internal/show", "internal/demo"},
	{"internal/kittest"},
	{"internal/web"},
	{"cmd/yarvek", "examples/"},
}

// wings are the folders of core that packages stand in, each with those it may know
// besides the ground: what only looks at meshes knows nothing of what changes them.
var wings = map[string][]string{
	"measure": {}, "picture": {"target"}, "target": {}, "process": {"measure"}, "collide": {"measure", "process"},
	"format": {"picture", "target"}, "station": {"measure", "process", "collide", "picture", "target", "format"},
	"prep":    {"measure", "process", "collide", "picture", "target", "format", "station"},
	"deliver": {"measure", "process", "picture", "target", "format", "station"}, "compare": {"measure", "prep"},
}

// rooms is how many folders core has at most, so that one look takes them in.
const rooms = 25

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
		if pkg == "core" || pkg == "e2e" || pkg == "soak" || strings.HasPrefix(pkg, "tools/") {
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

// A wing knows the ground and the wings that are named for it, and core has few rooms.
func TestWingsStandApart(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{len .Doc}} {{join .Imports " "}}`,
		"yarvek/core/...").Output()
	require.NoError(t, err)
	seen := map[string]bool{}
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		pkg, inside := strings.CutPrefix(words[0], "yarvek/core/")
		if !inside {
			continue
		}
		wing, _, _ := strings.Cut(pkg, "/")
		seen[wing] = true
		assert.NotEqual(t, "0", words[1], "%s says nowhere what belongs there", pkg)
		knows, is := wings[wing]
		if !is || strings.HasSuffix(pkg, "test") {
			continue
		}
		for _, dep := range words[2:] {
			own, ours := strings.CutPrefix(dep, "yarvek/core/")
			other, _, _ := strings.Cut(own, "/")
			if _, isWing := wings[other]; ours && isWing && other != wing {
				assert.Contains(t, knows, other, "%s imports %s", pkg, own)
			}
		}
	}
	assert.LessOrEqual(t, len(seen), rooms)
	for wing, knows := range wings {
		assert.True(t, seen[wing], "%s is no folder", wing)
		for _, other := range knows {
			assert.NotContains(t, wings[other], wing, "%s and %s know each other", wing, other)
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
