package web

import (
	"context"
	"encoding/json"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/collision"
	"yarvek/internal/show"
)

// bringScene brings meshes as a GLB.
func (c *client) bringScene(name string, meshes ...*scene.Mesh) {
	out, err := gltf.Write(context.Background(), shape.Scene(name, nil, meshes...), pack.Options{Name: name})
	require.NoError(c.t, err)
	c.bring(name+".glb", string(out.Files[0].Data))
}

func (c *client) collision() *collision.Report {
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(c.t, err)
	return o.Result.Collision
}

// Every control of Collision decides what it says.
func TestControlsOfCollision(t *testing.T) {
	c := newClient(t)
	c.bringScene("hut", shapetest.Hut())
	has(t, c.get("/assets/1/collision"), "Nothing to touch.")
	for _, f := range collision.Forms {
		c.decide("collision", "act", "entries", "section", "form", "form", string(f.ID))
		require.NotEmpty(t, c.collision().Shapes, f.ID)
		assert.Equal(t, f.Kind, c.collision().Shapes[0].Form.Kind)
		assert.Equal(t, http.StatusOK, c.get("/assets/1/collision").Code)
	}
	c.decide("collision", "act", "entries", "section", "form", "form", "hulls")
	c.decide("collision", "act", "entries", "section", "fitting", "most", "8", "points", "32", "concavity", "5")
	assert.LessOrEqual(t, len(c.collision().Shapes), 8)
	has(t, c.get("/assets/1/collision"), "is <strong>open</strong>")
	c.decide("collision", "act", "entries", "section", "through", "tall", "0")
	assert.Equal(t, collision.Keep{Radius: 0.3}, c.collision().Keep)
	c.decide("collision", "act", "entries", "section", "through", "nobody", "yes")
	assert.True(t, c.collision().Keep.None)
	c.decide("collision", "act", "entries", "section", "through", "nobody", "no")
	assert.Equal(t, collision.Walker, c.collision().Keep)
	c.decide("collision", "act", "entries", "section", "limits", "gap", "3", "air", "9 cm", "density", "700")
	assert.InDelta(t, 0.003, c.collision().Limit, 1e-12)
	assert.InDelta(t, 0.09, c.collision().AirMost, 1e-12)

	c.decide("collision", "act", "entries", "section", "form", "form", "box")
	was := c.collision().Shapes[0].Form.Bounds()
	edit := func(do string, more ...string) {
		t.Helper()
		list := c.collision().Shapes
		c.decide("collision", append([]string{"act", "edit", "do", do, "shape", list[len(list)-1].ID}, more...)...)
	}
	edit("move", "right", "1 m", "up", "50 cm")
	is := c.collision().Shapes[0].Form.Bounds()
	assert.InDelta(t, 1.118, is.Center().Dist(was.Center()), 1e-3)
	edit("ground")
	edit("turn", "about", "1", "angle", "90")
	is = c.collision().Shapes[0].Form.Bounds()
	assert.InDelta(t, was.Size()[0]*was.Size()[1]*was.Size()[2], is.Size()[0]*is.Size()[1]*is.Size()[2], 1e-6)
	edit("size", "wide", "200")
	edit("snap", "grid", "0.5 m")
	edit("copy", "front", "-4 m")
	require.Len(t, c.collision().Shapes, 2)
	edit("mirror", "about", "0")
	require.Len(t, c.collision().Shapes, 3)
	edit("split", "about", "2")
	require.Len(t, c.collision().Shapes, 4)
	edit("delete")
	require.Len(t, c.collision().Shapes, 3)
	for _, k := range []string{"box", "ball", "capsule"} {
		c.decide("collision", "act", "add", "kind", k)
	}
	require.Len(t, c.collision().Shapes, 6)
	c.decide("collision", "act", "entries", "section", "surface", "share", "50", "twosided", "yes")
	require.NotNil(t, c.collision().Surface)
	has(t, c.get("/assets/1/collision"), "off by ")
	c.decide("collision", "act", "entries", "section", "form", "none", "yes")
	assert.Empty(t, c.collision().Shapes)
	c.decide("collision", "act", "asfile")
	assert.Empty(t, c.collision().Shapes)

	for _, bad := range [][]string{{"act", "fit", "sort", "blob"}, {"act", "edit", "do", "move", "shape", "f9.9", "right",
		"1 m"},
		{"act", "edit", "do", "move"},
		{"act", "entries", "section", "through", "tall", "very"}, {"act", "add", "kind", "hull"},
		{"act", "entries", "section", "limits", "gap", "wide"}, {"act", "entries", "section", "nothing", "gap", "1"},
		{"act", "nothing"}} {
		w := c.post("/assets/1/collision", c.form(bad...))
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, bad)
	}
}

// The test floor answers every trial, says what can't be tried, and plays.
func TestTheTestFloor(t *testing.T) {
	c := newClient(t)
	c.bringScene("hut", shapetest.Hut())
	has(t, c.get("/assets/1/floor"), "Nothing to try")
	c.decide("collision", "act", "fit", "sort", "hulls")
	for _, q := range []string{"", "?kind=drop&tilt=170&height=0.2", "?kind=ball&size=0.5+m&speed=4", "?kind=box&from=90",
		"?kind=walk", "?kind=walk&from=180"} {
		has(t, c.get("/assets/1/floor"+q), "floor-body")
		w := c.get("/assets/1/floor/moves" + q)
		require.Equal(t, http.StatusOK, w.Code, q)
		var m show.Moves
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &m))
		assert.Greater(t, len(m.Frames), 5, q)
	}
	has(t, c.get("/assets/1/floor?kind=walk"), "was stopped ")
	for _, q := range []string{"?kind=fly", "?kind=drop&height=9999+km", "?tilt=steep"} {
		assert.Equal(t, http.StatusUnprocessableEntity, c.get("/assets/1/floor"+q).Code, q)
	}
}

// Where a shape comes to that is dragged, and what is asked wrongly.
func TestADragIsAnswered(t *testing.T) {
	c := newClient(t)
	c.bringScene("hut", shapetest.Hut())
	c.decide("collision", "act", "entries", "section", "form", "form", "box")
	id := c.collision().Shapes[0].ID
	at := func(shape, right, reach string) (int, show.Caught) {
		w := c.get("/assets/1/snap?shape=" + shape + "&right=" + right + "&up=0&front=0&reach=" + reach +
			"&gripright=1&gripup=0&gripfront=0&free=right")
		var got show.Caught
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &got))
		return w.Code, got
	}
	// The box's right side stands on the hut's wall, and comes back to it from 2 cm beside.
	code, got := at(id, "-0.02", "0.05")
	assert.Equal(t, http.StatusOK, code)
	assert.InDelta(t, 0, got.By.Len(), 1e-9)
	assert.Equal(t, "onto a face", got.Say)
	assert.Len(t, got.Lines, 1)
	_, got = at(id, "-0.021", "0")
	assert.InDelta(t, -0.021, got.By[0], 1e-12)
	assert.Empty(t, got.Say)
	code, _ = at("none", "0", "0.05")
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	code, _ = at(id, "x", "0.05")
	assert.Equal(t, http.StatusUnprocessableEntity, code)
	// What is drawn round fits a box of its own; a line does not.
	c.decide("collision", "act", "drawn", "sort", "box", "round", "300,200;420,200;420,420;300,420")
	assert.Len(t, c.collision().Shapes, 2)
	w := c.post("/assets/1/collision", c.form("act", "drawn", "sort", "box", "round", "300,200;420,200"))
	has(t, w, "expected 3 to")
}
