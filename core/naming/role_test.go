package naming

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestRolesAreReadFromTheWordsOfAName(t *testing.T) {
	for name, want := range map[string]Reading{
		"hut lod 2":            {Level, true, "hut", "hut", "", 2, -1},
		"Hut_LOD2":             {Level, true, "hut", "hut", "", 2, -1},
		"LOD2_Hut":             {Level, true, "hut", "hut", "", 2, -1},
		"hut_lod2_roof":        {Level, true, "hut roof", "hut roof", "", 2, -1},
		"hutLod":               {Level, true, "hut", "hut", "", -1, -1},
		"LOD1":                 {Level, true, "", "", "", 1, -1},
		"hut":                  {Itself, false, "hut", "hut", "", -1, -1},
		"hut 2":                {Itself, false, "hut", "hut", "", 2, -1},
		"hut.001":              {Itself, false, "hut", "hut", "", 1, -1},
		"boat hull":            {Solid, false, "boat", "boat", "hull", -1, -1},
		"boat collision 03":    {Solid, true, "boat", "boat", "", 3, -1},
		"collision":            {Solid, true, "", "", "", -1, -1},
		"Crate box_Collider12": {Solid, true, "crate box", "crate", "box", 12, -1},
		"kollision kugel boje": {Solid, true, "kugel boje", "boje", "ball", -1, -1},
		"boat hull lod 1":      {Level, true, "boat hull", "boat hull", "", 1, -1},
		"quay level 3":         {Level, false, "quay", "quay", "", 3, -1},
		"level crossing":       {Itself, false, "level crossing", "level crossing", "", -1, -1},
		"lod":                  {Itself, false, "lod", "lod", "", -1, -1},
		"2":                    {Itself, false, "2", "2", "", -1, -1},
		"tide gauge low":       {Level, false, "tide gauge", "tide gauge", "", -1, 2},
		"tide gauge high":      {Level, false, "tide gauge", "tide gauge", "", -1, 0},
		"":                     {Itself, false, "", "", "", -1, -1},
		"Küste_Kollision 海":    {Solid, true, "küste 海", "küste 海", "", -1, -1},
		"小屋碰撞体2":               {Solid, true, "小屋", "小屋", "", 2, -1},
	} {
		assert.Equal(t, want, RoleOf(name), name)
	}
	assert.True(t, Upright("RadioMast_02"))
	assert.False(t, Upright("posture"))
}
