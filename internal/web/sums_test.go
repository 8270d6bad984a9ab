package web

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/shape/shapetest"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// What a kit costs by class is the sum of its assets, the unreadable left out.
func TestSumsByClass(t *testing.T) {
	row := func(class string, triangles int) work.Row {
		return work.Row{Summary: work.Summary{ClassID: class, Class: class, Triangles: triangles, DrawCalls: 2, Bytes: 10,
			Memory: 100}}
	}
	rows := []work.Row{row("prop", 10), row("", 500), row("prop", 20), row("prop", 4000)}
	rows[3].Summary.Unread = "it is not there"
	assert.Equal(t, []sum{{"", 1, 500, 2, 10, 100}, {"prop", 2, 30, 4, 20, 200}}, sumsOf(rows))
}

// Parts are shared by those that have them, however they are called, once for an asset that has one twice; whole assets
// come first, and what is nothing to tell of is not told.
func TestWhatSeveralAssetsShare(t *testing.T) {
	row := func(id int64, parts ...work.Part) work.Row {
		r := work.Row{Summary: work.Summary{Parts: parts}}
		r.Asset.ID, r.Asset.Name = id, fmt.Sprint("asset ", id)
		return r
	}
	picture := func(name string) work.Part { return work.Part{Kind: work.PartPicture, Name: name, Sum: "a1", Size: 50} }
	part := func(kind work.PartKind, name, sum string) work.Part {
		return work.Part{Kind: kind, Name: name, Sum: sum, Size: 7}
	}
	rows := []work.Row{
		row(1, picture("rust.png"), picture("rust 2.png"), part(work.PartMaterial, "iron", "m"),
			part(work.PartMesh, "rack", "b1"), part(work.PartWhole, "rack", "w1")),
		row(2, picture("old rust.png"), part(work.PartMesh, "twin", "b1"), part(work.PartWhole, "twin", "w1")),
		row(3, picture("rust.png"), part(work.PartMaterial, "iron", "m"), part(work.PartMesh, "hut", "a1")),
		row(4, picture("rust.png"), part(work.PartMaterial, "iron", "m")),
	}
	rows[3].Summary.Unread = "it is not there"
	list := sharedOf(rows)
	require.Len(t, list, 2, "a material called alike is no news, and neither are meshes of twins")
	assert.Equal(t, work.PartWhole, list[0].Kind)
	assert.Equal(t, []int64{1, 2}, []int64{list[0].Assets[0].ID, list[0].Assets[1].ID})
	assert.Equal(t, "rust.png", list[1].Name)
	assert.Len(t, list[1].Assets, 3)
	assert.Equal(t, int64(100), list[1].Saves())
	assert.True(t, list[1].CanBeOne())
	assert.False(t, list[0].CanBeOne())
}

// Densities are compared with the middle one, the oddest first, and what has none is left out.
func TestTexelsAcrossAKit(t *testing.T) {
	var rows []work.Row
	for i, d := range []float64{100, 110, 120, 500, 30, 0, 61} {
		r := work.Row{Summary: work.Summary{Texels: d}}
		r.Asset.ID = int64(i)
		rows = append(rows, r)
	}
	x := texelsAcrossOf(rows)
	assert.Equal(t, []float64{30, 110, 500}, []float64{x.Least, x.Middle, x.Most})
	require.Len(t, x.Odd, 2)
	assert.Equal(t, []int64{3, 4}, []int64{x.Odd[0].Asset.ID, x.Odd[1].Asset.ID})
	assert.Nil(t, texelsAcrossOf(rows[5:6]))
}

// A kit's budget is kept, told where it is passed, and goes when its fields are emptied.
func TestAKitsOwnBudget(t *testing.T) {
	c := newClient(t)
	c.bringScene("beam", shapetest.Beam())
	set := func(triangles, calls, memory, corners, disk string) int {
		return c.post("/kits/1/budget", map[string][]string{"triangles": {triangles}, "calls": {calls}, "memory": {memory},
			"corners": {corners}, "disk": {disk}}).Code
	}
	require.Equal(t, http.StatusSeeOther, set("1", "", "0.5", "", ""))
	has(t, c.get("/kits/1"), "the kit’s own budget is passed: triangles")
	has(t, c.get("/kits/1"), `value="0.5"`)
	require.Equal(t, http.StatusSeeOther, set("100000", "", "", "", ""))
	assert.NotContains(t, c.get("/kits/1").Body.String(), "own budget is passed")
	for _, bad := range []string{"-1", "many", "1e30"} {
		assert.Equal(t, http.StatusUnprocessableEntity, set(bad, "", "", "", ""), bad)
		assert.Equal(t, http.StatusUnprocessableEntity, set("", "", bad, "", ""), bad)
	}
	has(t, c.get("/kits/1"), `value="100000"`)
	require.Equal(t, http.StatusSeeOther, set("", "", "", "", ""))
	assert.NotContains(t, c.get("/kits/1").Body.String(), `value="100000"`)
	sent := work.Row{Last: &store.Export{Size: 3 << 20}}
	m := metersOf([]work.Row{sent, {}}, work.KitBudget{Disk: 2 << 20})
	assert.True(t, m[4].Over)
	assert.Equal(t, "1 asset was never sent", m[4].Missing)
}
