package web

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/prep"
	"yarvek/core/station/surface"
	"yarvek/internal/kittest"
)

// fields are those of decisions, as "station.Field", that a form of the station's page decided in a test.
type fields struct {
	mu sync.Mutex
	at map[string]bool
}

var reached = fields{at: map[string]bool{}}

// by notes the fields of a station that differ between two preps, and tells whether one of them is new.
func (f *fields) by(station string, before, after prep.Prep) (fresh bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	a, _ := before.Of(station)
	b, _ := after.Of(station)
	x, y := reflect.ValueOf(a), reflect.ValueOf(b)
	for i := range x.NumField() {
		name := station + "." + x.Type().Field(i).Name
		if !reflect.DeepEqual(x.Field(i).Interface(), y.Field(i).Interface()) && !f.at[name] {
			f.at[name], fresh = true, true
		}
	}
	return fresh
}

// ofStation is the address that forms of a station's page go to.
var ofStation = regexp.MustCompile(`^/assets/(\d+)/([a-z]+)$`)

// watched sends a form, and notes which fields of a station's decisions it decided. Of those that no form decided
// before, the controls have to stand on the page.
func (c *client) watched(r *http.Request, path string, values url.Values) *httptest.ResponseRecorder {
	m := ofStation.FindStringSubmatch(path)
	if m == nil {
		return c.send(r)
	}
	asset, _ := strconv.ParseInt(m[1], 10, 64)
	was, err := c.desk.Step(context.Background(), asset)
	if _, unknown := prep.Station(m[2]); unknown != nil || err != nil {
		return c.send(r)
	}
	page := c.get(path).Body.String()
	w := c.send(r)
	is, err := c.desk.Step(context.Background(), asset)
	if err != nil {
		return w
	}
	before, _ := prep.Parse(was.JSON)
	after, _ := prep.Parse(is.JSON)
	if reached.by(m[2], before, after) {
		for name := range values {
			assert.True(c.t, offPage[name] != "" || strings.Contains(page, `name="`+name+`"`),
				"the page of %s has no control %q", m[2], name)
		}
	}
	return w
}

// elsewhere are fields that are decided by no form of their station's page, and why.
var elsewhere = map[string]string{
	"surface.Thickness": "as older preps have it; pages decide Thick",
	"surface.Side":      "as older preps have it; pages decide Thick",
	"surface.Of":        "as older preps have it; pages decide Thick",
	"surface.Empty":     "ticked among what is tidied, of a mesh that has it: TestSixFlawsAreMadeSound in the browser",
	"surface.Doubled":   "ticked among what is tidied, as above",
	"surface.Unused":    "ticked among what is tidied, as above",
	"surface.Wind":      "ticked among what is tidied, as above",
	"surface.Outward":   "ticked among what is tidied, as above",
	"surface.Flat":      "ticked among what is tidied, as above",
	"surface.Units":     "ticked among what is tidied, as above",
	"surface.Hairs":     "a remedy decides it",
	"source.Move":       "a remedy decides it", "source.DropUnused": "a remedy decides it",
	"source.JoinTwins":      "a remedy decides it",
	"collision.FileWithout": "a press on a shape that came along: TestShapesAreChangedByKeys in the browser",
}

// offPage are controls that do not stand on the page of their station as it is at first, and where they do.
var offPage = map[string]string{
	"from": "set by two picks on the drawing", "to": "set by two picks on the drawing",
	"keep": "where the mesh has normals of its own", "only": "where there are LODs", "on": "where waste is found",
	"lods": "where there are LODs", "shapes": "where there are shapes", "triangles": "in formats that keep polygons",
	"snap": "where the asset stands off the grid", "round": "where round parts get sides",
	"bake": "where nodes have transforms of their own", "node": "where nodes have transforms of their own",
	"how": "with each LOD that is made", "picture": "on the page of one picture", "width": "on the page of one picture",
	"height": "on the page of one picture",
	"format": "on the page of one picture", "use": "set by dropping a picture on a slot",
}

// TestMain looks, when all tests were run, whether each field of each station's decisions was decided by a form whose
// controls are on the station's page.
func TestMain(m *testing.M) {
	code := m.Run()
	kittest.Done()
	if code == 0 && flag.Lookup("test.run").Value.String() == "" {
		for _, name := range unreached() {
			fmt.Printf("%s is decided by no form in any test: add its control to the page, and a case with its form\n",
				name)
			code = 1
		}
	}
	os.Exit(code)
}

// unreached are the fields that no form has decided.
func unreached() (list []string) {
	for _, in := range prep.Stations() {
		d, err := prep.Prep{}.Of(in.ID)
		if err != nil {
			panic(err)
		}
		for i := range reflect.TypeOf(d).NumField() {
			name := in.ID + "." + reflect.TypeOf(d).Field(i).Name
			if !reached.at[name] && elsewhere[name] == "" {
				list = append(list, name)
			}
		}
	}
	return list
}

// What is done to surfaces, to cost and on export is decided by the forms of those stations.
func TestControlsOfSurfaceBudgetAndExport(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	for _, x := range [][]string{
		{"surface", "act", "entries", "section", "mending", "weld", "1", "edges", "2 mm", "holes", "6"},
		{"surface", "act", "entries", "section", "smoothing", "smooth", "angle"},
		{"surface", "act", "entries", "section", "smoothing", "angle", "40", "keep", "25", "tangents", "yes"},
		{"surface", "act", "thickness", "thickness", "2 cm", "side", "front", "of", "node hook"},
		{"surface", "act", "entries", "section", "thickness", "twosided", "yes"},
		{"surface", "act", "entries", "section", "limits", "gap", "2", "needle", "50"},
		{"budget", "act", "entries", "section", "sparing", "order", "yes", "waste", "yes"},
		{"export", "act", "entries", "section", "leaves", "format", "fbx", "triangles", "yes", "tangents", "yes", "lods",
			"group", "shapes", "apart"},
		{"export", "act", "entries", "section", "leaves", "only", "1"},
		{"export", "act", "entries", "section", "leaves", "markers", "none", "pictures", "none", "cameras", "yes",
			"lights", "yes"},
		{"slots", "act", "entries", "section", "names", "unmapped", "yes"},
		{"source", "one", "leave hook"}, {"source", "act", "rule", "by", "name", "what", "de*"},
		{"source", "one", "keep deck"}, {"size", "act", "between", "from", "1,0,0", "to", "3,0,0", "length", "90 cm"},
	} {
		w := c.post("/assets/1/"+x[0], c.form(x[1:]...))
		assert.Equal(t, http.StatusSeeOther, w.Code, x)
	}
	assert.Equal(t, surface.Thick{By: .02, Side: "front", Node: "hook"}, c.prepNow().Surface.Thick[0])
	assert.InDelta(t, .25, c.prepNow().Surface.Keep, 1e-12)
	assert.Equal(t, 1, c.prepNow().Export.Only)
}
