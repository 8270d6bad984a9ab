package web

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
)

// One of two nodes that share a plane is moved by a hair, told on the page, and given up there.
func TestAHairIsTakenAndGivenUp(t *testing.T) {
	c := newClient(t)
	c.upload("/start", map[string]string{"yard.obj": `o wall
v 0 0 0
v 4 0 0
v 4 3 0
v 0 3 0
f 1 2 3 4
o sign
v 1 1 0
v 2 1 0
v 2 2 0
v 1 2 0
f 5 6 7 8
`})
	c.desk.Jobs.Wait()
	page := c.get("/assets/1/surface").Body.String()
	assert.Contains(t, page, "share a plane")
	assert.Contains(t, page, "Move sign out by")
	w := c.post("/assets/1/remedy", c.form("station", "surface", "code", "surface/flicker-1", "n", "1"))
	assert.Less(t, w.Code, http.StatusBadRequest)
	assert.Len(t, c.prepNow().Surface.Hairs, 1)
	page = c.get("/assets/1/surface").Body.String()
	assert.NotContains(t, page, "share a plane")
	assert.Contains(t, page, "1 node moved by a hair")
	assert.Contains(t, page, "Move sign by")
	assert.Equal(t, http.StatusUnprocessableEntity, c.post("/assets/1/surface", c.form("act", "unhair", "n", "1")).Code)
	c.post("/assets/1/surface", c.form("act", "unhair", "n", "0"))
	assert.Empty(t, c.prepNow().Surface.Hairs)
	assert.Contains(t, c.get("/assets/1/surface").Body.String(), "share a plane")
}
