package build

import (
	"runtime/debug"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestABuildSaysWhichItIs(t *testing.T) {
	b := Build{Version: Unknown}
	assert.Equal(t, "Yarvek of no commit", b.String())
	b.take([]debug.BuildSetting{{Key: "vcs.revision", Value: "3619594abcdef0123456"},
		{Key: "vcs.time", Value: "2026-12-01T23:30:00-05:00"}, {Key: "vcs.modified", Value: "false"}})
	assert.Equal(t, "Yarvek 2026.12.02 (3619594abcde)", b.String(), "by the day everywhere")
	b.take([]debug.BuildSetting{{Key: "vcs.modified", Value: "true"}, {Key: "vcs.time", Value: "?"}})
	assert.Equal(t, "Yarvek 2026.12.02 (3619594abcde, changed since)", b.String())
	assert.NotEmpty(t, This().Go)
}
