package naming

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestRolesAreReadFromTheEndOfAName(t *testing.T) {
	for name, want := range map[string]struct {
		role   Role
		sure   bool
		stem   string
		number int
	}{
		"hut lod 2":         {Level, true, "hut", 2},
		"Hut_LOD2":          {Level, true, "hut", 2},
		"hutLod":            {Level, true, "hut", -1},
		"hut":               {Itself, false, "hut", -1},
		"hut 2":             {Itself, false, "hut", 2},
		"hut.001":           {Itself, false, "hut", 1},
		"boat hull":         {Solid, false, "boat", -1},
		"boat collision 03": {Solid, true, "boat", 3},
		"boat hull lod 1":   {Level, true, "boat hull", 1},
		"lod":               {Itself, false, "lod", -1},
		"2":                 {Itself, false, "2", -1},
		"tide gauge low":    {Level, false, "tide gauge", -1},
		"":                  {Itself, false, "", -1},
		"Küste_Kollision 海": {Itself, false, "küste kollision 海", -1},
	} {
		role, sure, stem, number := RoleOf(name)
		assert.Equal(t, want.role, role, name)
		assert.Equal(t, want.sure, sure, name)
		assert.Equal(t, want.stem, stem, name)
		assert.Equal(t, want.number, number, name)
	}
	assert.True(t, Upright("RadioMast_02"))
	assert.False(t, Upright("posture"))
}
