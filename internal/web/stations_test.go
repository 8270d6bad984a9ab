package web

import (
	"context"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Every station on the list has a room with a decoder, a page and a template, a page
// that comes out whole, and words for every field of its decisions. What a new station
// lacks is named here.
func TestEveryStationHasItsRoom(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	for _, in := range prep.Stations() {
		r, err := roomOf(in.ID)
		if !assert.NoError(t, err, "%s has no room: add one to the list in station.go", in.ID) {
			continue
		}
		assert.NotNil(t, r.decode, "%s decodes no form", in.ID)
		assert.NotNil(t, r.page, "%s has no page", in.ID)
		_, err = templateFiles.ReadFile("templates/" + stationPrefix + in.ID + ".html")
		assert.NoError(t, err, "%s has no template", in.ID)
		w := c.get("/assets/1/" + in.ID)
		assert.Equal(t, http.StatusOK, w.Code, in.ID)
		has(t, w, "<h1>"+in.Name+"</h1>")
		has(t, w, `id="tape-`+in.ID+`"`)
		d, err := prep.Prep{}.Of(in.ID)
		require.NoError(t, err)
		fieldsHaveWords(t, in, d)
	}
	assert.Len(t, rooms, len(prep.Stations()), "and no room is of no station")
}

// aside are fields that say nothing by themselves: they belong to another field, which
// says them.
var aside = map[string]bool{
	"size.Metres": true, "size.Length": true, "size.Along": true, "size.Factor": true, "size.From": true, "size.To": true,
	"size.Nodes": true,
	"pivot.Box":  true, "pivot.Point": true, "pivot.Picks": true, "pivot.Feature": true,
	"source.Groups.Nodes": true,
	"surface.Side":        true, "surface.Of": true, "surface.Angle": true, "surface.Keep": true,
	"surface.Round": true,
}

// fieldsHaveWords fills every field of a station's decisions in turn and expects a line.
func fieldsHaveWords(t *testing.T, in station.Info, d station.Decisions) {
	t.Helper()
	assert.Empty(t, d.Lines(), "%s: nothing decided says nothing", in.ID)
	typ := reflect.TypeOf(d)
	for i := range typ.NumField() {
		name := in.ID + "." + typ.Field(i).Name
		if aside[name] {
			continue
		}
		v := reflect.New(typ).Elem()
		fill(v.Field(i), 0)
		lines := v.Interface().(station.Decisions).Lines()
		assert.NotEmpty(t, lines, "%s has no words: Lines says nothing of it", name)
		for _, l := range lines {
			assert.NotEmpty(t, strings.TrimSpace(l), name)
		}
	}
}

// fill sets a value to something else than zero.
func fill(v reflect.Value, depth int) {
	if depth > 4 {
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString("all")
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int, reflect.Int8, reflect.Int64:
		v.SetInt(1)
	case reflect.Uint8, reflect.Uint32:
		v.SetUint(1)
	case reflect.Float64:
		v.SetFloat(1)
	case reflect.Struct:
		for i := range v.NumField() {
			fill(v.Field(i), depth+1)
		}
	case reflect.Array:
		for i := range v.Len() {
			fill(v.Index(i), depth+1)
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 2, 2))
		fill(v.Index(0), depth+1)
		fill(v.Index(1), depth+1)
	case reflect.Map:
		k, e := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		fill(k, depth+1)
		fill(e, depth+1)
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(k, e)
	}
}

// Code, tests, templates, style sheet and scripts are written to be read: no line is wider than a page of a book.
func TestNothingIsWiderThanAPage(t *testing.T) {
	const widest = 120 // letters, a tab is one
	check := func(files fs.FS, root string) {
		require.NoError(t, fs.WalkDir(files, root, func(p string, d fs.DirEntry, err error) error {
			code := slices.Contains([]string{".go", ".html", ".js", ".css"}, path.Ext(p))
			if err != nil || d.IsDir() || !code || strings.Contains(p, "/vendor/") || strings.Contains(p, "/testdata/") {
				return err
			}
			b, err := fs.ReadFile(files, p)
			for i, l := range strings.Split(string(b), "\n") {
				assert.LessOrEqual(t, len([]rune(l)), widest, "%s, line %d", p, i+1)
			}
			return err
		}))
	}
	check(templateFiles, "templates")
	check(static, "static")
	for _, dir := range []string{"cmd", "core", "internal", "e2e", "soak", "tools"} {
		if _, err := os.Stat("../../" + dir); err == nil { // a copy may have only some
			check(os.DirFS("../.."), dir)
		}
	}
}

const quayText = "o deck\nv 0 0 0\nv 4 0 0\nv 4 0 2\nv 0 0 2\nf 1 4 3 2\no hook\nv 0 1 0\nv 1 1 0\nv 0 2 0\nf 5 6 7\n"

// has expects a text in an answer, wherever its lines end, without printing all of it.
func has(t *testing.T, w *httptest.ResponseRecorder, want string) {
	t.Helper()
	flat := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	assert.True(t, strings.Contains(flat(w.Body.String()), flat(want)), "the answer does not say %q", want)
}

// bring makes an asset of a text in a kit of its own.
func (c *client) bring(name, text string) int64 {
	c.t.Helper()
	ctx := context.Background()
	k, err := c.desk.NewKit(ctx, "kit", target.Shipped[0].ID)
	require.NoError(c.t, err)
	u := c.desk.NewUpload()
	require.NoError(c.t, u.Add(name, strings.NewReader(text)))
	a, err := c.desk.Bring(ctx, k.ID, strings.TrimSuffix(name, ".obj"), u)
	require.NoError(c.t, err)
	return a.ID
}

// decide sends a form of a station from the page that is in force, given as names and
// values in turn, and expects it to be taken.
func (c *client) decide(at string, fields ...string) {
	c.t.Helper()
	w := c.post("/assets/1/"+at, c.form(fields...))
	require.Equal(c.t, http.StatusSeeOther, w.Code, "%v: %s", fields, w.Body.String())
}

func (c *client) form(fields ...string) url.Values {
	c.t.Helper()
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(c.t, err)
	v := url.Values{"base": {strconv.Itoa(o.Base())}}
	for i := 0; i+1 < len(fields); i += 2 {
		v.Add(fields[i], fields[i+1])
	}
	return v
}

// prepNow is what is decided for the first asset.
func (c *client) prepNow() prep.Prep {
	c.t.Helper()
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(c.t, err)
	return o.Prep
}

// Every control of every worksheet decides what it says, in the words of the decision,
// and undo takes it back.
func TestEveryControlDecidesWhatItSays(t *testing.T) {
	for _, x := range []struct {
		at     string
		before [][]string // forms sent first, each beginning with its station
		fields []string
		label  string
	}{
		{"source", nil, []string{"one", "leave hook"}, "Leave out hook"},
		{"source", [][]string{{"source", "one", "leave hook"}}, []string{"one", "keep hook"}, "Give up: Leave out hook"},
		{"source", nil, []string{"act", "leave", "key", "hook", "key", "deck"}, "Leave out deck and 1 more"},
		{"source", nil, []string{"act", "group", "key", "hook", "key", "deck", "group", "jetty"},
			"Group deck, hook as jetty and 1 more"},
		{"source", [][]string{{"source", "act", "group", "key", "hook", "group", "jetty"}},
			[]string{"act", "ungroup", "group", "jetty"},
			"Give up: Group hook as jetty and 1 more"},
		{"source", nil, []string{"act", "split", "key", "deck", "by", "parts"}, "Split deck by parts"},
		{"source", [][]string{{"source", "act", "split", "key", "deck", "by", "slot"}},
			[]string{"act", "unsplit", "key", "deck"},
			"Give up: Split deck by slot"},
		{"source", nil, []string{"act", "merge", "merge", "all"}, "Merge to one mesh"},
		{"source", nil, []string{"act", "rule", "by", "name", "what", "ho*"}, "Leave out nodes named “ho*”"},
		{"source", nil, []string{"act", "rule", "by", "name", "what", "ho*", "keep", "on"}, "Keep nodes named “ho*”"},
		{"source", nil, []string{"act", "rule", "by", "beyond", "reach", "5 m"},
			"Leave out what is farther than 5.00\u202fm from the main body"},
		{"source", nil, []string{"act", "rule", "by", "area", "across0", "0", "up0", "0", "across1", "1", "up1", "2"},
			"Leave out what stands in a box of 1.00\u202fm by 2.00\u202fm on the plan"},
		{"source", nil, []string{"act", "crop", "view", "front", "side", "inside", "how", "cut", "across0", "0", "up0",
			"-1 m", "across1", "2", "up1", "9"},
			"Keep what lies inside a box of 2.00\u202fm by 10.00\u202fm on the front, cut at its edge"},
		{"source", [][]string{{"source", "act", "crop", "view", "plan", "side", "outside", "how", "whole", "across0", "0",
			"up0", "0", "across1", "1", "up1", "1"}},
			[]string{"act", "uncrop", "crop", "0"},
			"Give up: Keep what lies outside a box of 1.00\u202fm by 1.00\u202fm on the plan, whole faces"},
		{"surface", nil, []string{"act", "entries", "section", "mending", "separate", "yes"},
			"Separate edges of more than two faces"},
		{"surface", nil, []string{"act", "entries", "section", "mending", "split", "yes"},
			"Split places where surfaces meet in a point alone"},
		{"surface", nil, []string{"act", "entries", "section", "mending", "needles", "yes"}, "Take needles out"},
		{"surface", nil, []string{"act", "entries", "section", "round", "sides", "24", "round", "hook"},
			"Give round parts of 1 node 24 sides"},
		{"source", nil, []string{"act", "entries", "section", "place", "grid", "500"}, "Split by a grid of 500.00\u202fm"},
		{"export", nil, []string{"act", "entries", "section", "leaves", "grid", "2 km"},
			"Split by a grid of 2\u202f000.00\u202fm"},
		{"source", nil, []string{"act", "crop", "shape", "ball", "view", "front", "side", "outside", "how", "cut", "across0",
			"0", "up0", "0", "across1", "2", "up1", "1", "deep", "-30 cm", "round", ""},
			"Keep what lies outside a ball of 1.00\u202fm radius, whole faces"},
		{"source", nil, []string{"act", "crop", "shape", "lasso", "view", "plan", "side", "inside", "how", "cut", "round",
			"0,0;2,0;2,3", "deep", "", "across0", "", "across1", "", "up0", "", "up1", ""},
			"Keep what lies inside what is drawn round on the plan, 2.00\u202fm by 3.00\u202fm, whole faces"},
		{"source", [][]string{{"source", "act", "rule", "by", "kind", "what", "speck"}},
			[]string{"act", "unrule", "rule", "0"},
			"Give up: Leave out every speck"},
		{"source", nil, []string{"act", "share", "key", "hook"}, "Make instances of hook"},
		{"source", [][]string{{"source", "act", "share", "key", "hook"}}, []string{"act", "unshare", "key", "hook"},
			"Give up: Make instances of hook"},
		{"source", nil, []string{"act", "entries", "section", "place", "error", "1"},
			"Accept coordinates off by 1.00\u202fmm"},
		{"source", nil, []string{"act", "name", "key", "hook", "name", "crane hook"}, "Call hook crane hook"},
		{"source", [][]string{{"source", "act", "name", "key", "hook", "name", "x"}},
			[]string{"act", "name", "key", "hook", "name", ""},
			"Give up: Call hook x"},
		{"source", nil, []string{"act", "rename", "match", "h*", "to", "a {n}"}, "Call all “h*” “a {n}”"},
		{"source", [][]string{{"source", "act", "rename", "match", "h*", "to", "b"}},
			[]string{"act", "unrename", "rename", "0"},
			"Give up: Call all “h*” “b”"},
		{"size", nil, []string{"act", "entries", "section", "class", "class", "building"}, "Class: Building"},
		{"size", nil, []string{"act", "entries", "section", "unit", "unit", "cm"}, "Read as centimetres"},
		{"size", nil, []string{"act", "entries", "section", "unit", "unit", "custom", "metres", "0.5"},
			"Read one unit as 0.500\u202fm"},
		{"size", nil, []string{"act", "fit", "fit", "height", "length", "7 ft"},
			"Make the height 2.13\u202fm, along the file’s Y"},
		{"size", nil, []string{"act", "between", "from", "0,0,0", "to", "4,0,0", "length", "90 cm"},
			"Make the measured distance 0.900\u202fm"},
		{"size", nil, []string{"act", "entries", "section", "fit", "factor", "1,5"}, "Scale by 1.5"},
		{"size", [][]string{{"size", "act", "entries", "section", "fit", "factor", "2"}}, []string{"act", "entries",
			"section", "fit", "back", "all"}, "Give up: Scale by 2"},
		{"size", nil, []string{"act", "bake", "bake", "all", "node", "hook"}, "Bake rotation and scale of hook"},
		{"size", nil, []string{"act", "bake", "bake", "rotation"}, "Bake rotation of all nodes"},
		{"axes", nil, []string{"act", "stand", "axis", "+Z"}, "Stand with +Z up"},
		{"axes", nil, []string{"act", "face", "up", "+Y", "axis", "+X"}, "Stand with +Y up and 1 more"},
		{"axes", nil, []string{"act", "entries", "section", "stance", "hand", "left"}, "Read as left-handed"},
		{"axes", nil, []string{"act", "turn", "about", "up", "degrees", "90"}, "Turn 90° about up"},
		{"axes", [][]string{{"axes", "act", "turn", "about", "up", "degrees", "90"}},
			[]string{"act", "turn", "about", "up", "degrees", "45"}, "Turn 135° about up"},
		{"axes", [][]string{{"axes", "act", "turn", "about", "up", "degrees", "270"}},
			[]string{"act", "turn", "about", "up", "degrees", "90"}, "Give up: Turn 270° about up"},
		{"axes", nil, []string{"act", "pose", "pose", "90,0,0"}, "Rest it another way, turned by 90°"},
		{"axes", nil, []string{"act", "drop", "drop", "on"}, "Drop it to the ground"},
		{"axes", [][]string{{"axes", "act", "drop", "drop", "on"}}, []string{"act", "asread"},
			"Give up: Drop it to the ground"},
		{"pivot", nil, []string{"act", "seat", "place", "box", "box", "0,-1,0"},
			"Seat the pivot at the centre of the base"},
		{"pivot", nil, []string{"act", "seat", "place", "box", "box", "1,0,-1"}, "Seat the pivot at mid-height, back left"},
		{"pivot", nil, []string{"act", "entries", "section", "seat", "place", "point", "point", "1", "point", "0.02",
			"point", "-3"},
			"Seat the pivot at 1, 0.02, −3 m"},
		{"pivot", nil, []string{"act", "seat", "place", "picks", "pick", "0,0,0", "pick", "4,0,0"},
			"Seat the pivot in the middle of an edge"},
		{"pivot", nil, []string{"act", "seat", "place", "contact"},
			"Seat the pivot in the middle of what touches the ground"},
		{"pivot", nil, []string{"act", "seat", "place", "mass"}, "Seat the pivot at the centre of mass"},
		{"pivot", [][]string{{"pivot", "act", "seat", "place", "mass"}}, []string{"act", "asread"},
			"Give up: Seat the pivot at the centre of mass"},
		{"pivot", nil, []string{"act", "parts", "parts", "on"}, "Seat each part at the same point of its own box"},
		{"pivot", nil, []string{"act", "each", "key", "hook", "place", "mass"}, "Seat hook at the centre of mass"},
		{"pivot", [][]string{{"pivot", "act", "each", "key", "hook", "place", "mass"}},
			[]string{"act", "each", "key", "hook", "place", ""}, "Give up: Seat hook at the centre of mass"},
		{"pivot", nil, []string{"act", "snap", "snap", "on"}, "Snap the pivot to the kit’s grid"},
		{"pivot", [][]string{{"pivot", "act", "turn", "degrees", "90"}}, []string{"act", "turn", "degrees", "45"},
			"Turn the pivot to 135°"},
		{"pivot", nil, []string{"act", "heading", "degrees", "400"}, "Turn the pivot to 40°"},
		{"pivot", nil, []string{"act", "along", "pick", "0,0,0", "pick", "4,0,0"}, "Turn the pivot along an edge"},
		{"pivot", nil, []string{"act", "under", "under", "on"}, "Move the pivot under the mesh"},
		{"pivot", nil, []string{"act", "marker", "at", "1,0,0", "heading", "90"}, "Add the marker marker 1, facing 90°"},
		{"pivot", [][]string{{"pivot", "act", "marker", "at", "1,0,0", "name", "lamp"}},
			[]string{"act", "marker-name", "marker", "lamp", "name", "hook"}, "Add the marker hook"},
		{"pivot", [][]string{{"pivot", "act", "marker", "at", "1,0,0", "name", "lamp"}},
			[]string{"act", "marker-turn", "marker", "lamp", "heading", "-30"}, "Add the marker lamp, facing −30°"},
		{"pivot", [][]string{{"pivot", "act", "marker", "at", "1,0,0", "name", "lamp"}},
			[]string{"act", "marker-drop", "marker", "lamp", "drop", "ground"}, "Add the marker lamp, dropped to the ground"},
		{"pivot", [][]string{{"pivot", "act", "marker", "at", "1,0,0", "name", "lamp"}},
			[]string{"act", "marker-remove", "marker", "lamp"}, "Give up: Add the marker lamp"},
		{"export", nil, []string{"act", "entries", "section", "leaves", "format", "obj", "name", "pier one"},
			"Export as OBJ + MTL and 1 more"},
		{"export", [][]string{{"export", "act", "entries", "section", "leaves", "format", "fbx"}}, []string{"act",
			"entries", "section", "leaves", "bake", "yes"},
			"Bake transforms into the file"},
	} {
		t.Run(x.at+" "+strings.Join(x.fields, " "), func(t *testing.T) {
			c := newClient(t)
			c.bring("quay.obj", quayText)
			for _, b := range x.before {
				c.decide(b[0], b[1:]...)
			}
			was := string(c.prepNow().JSON())
			c.decide(x.at, x.fields...)
			st, err := c.desk.Step(context.Background(), 1)
			require.NoError(t, err)
			assert.Equal(t, x.label, st.Label)
			assert.NotEqual(t, was, string(c.prepNow().JSON()))
			page := c.get("/assets/1/" + x.at)
			require.Equal(t, http.StatusOK, page.Code)
			require.Equal(t, http.StatusSeeOther, c.post("/assets/1/undo", c.form("station", x.at)).Code)
			assert.Equal(t, was, string(c.prepNow().JSON()), "undone, it is as it was")
		})
	}
}

// Two windows: the one that is out of date is told, whatever it asks for, and shown what
// it wanted beside what is in force.
func TestAWindowOutOfDateIsTold(t *testing.T) {
	c := newClient(t)
	c.bring("far.obj", strings.NewReplacer("v 0", "v 60", "v 4", "v 64", "v 1", "v 61").Replace(quayText))
	c.decide("size", "act", "entries", "section", "fit", "factor", "2")
	stale := c.form()
	c.decide("axes", "act", "drop", "drop", "on")
	with := func(fields ...string) url.Values {
		v := url.Values{"base": stale["base"]}
		for i := 0; i+1 < len(fields); i += 2 {
			v.Add(fields[i], fields[i+1])
		}
		return v
	}
	was := string(c.prepNow().JSON())

	w := c.post("/assets/1/size", with("act", "entries", "section", "class", "class", "building"))
	assert.Equal(t, http.StatusConflict, w.Code)
	for _, want := range []string{"“Class: Building” was not applied", "<li>Size: Class: Building</li>",
		"<li>Size: Scale by 2</li>",
		"<li>Axes: Drop it to the ground</li>", "Apply mine on top"} {
		has(t, w, want)
	}
	// A remedy, with what it would decide.
	w = c.post("/assets/1/remedy", with("station", "pivot", "code", "pivot/far", "n", "0"))
	assert.Equal(t, http.StatusConflict, w.Code)
	has(t, w, "<li>Pivot: Seat the pivot at the centre of the base</li>")
	has(t, w, `name="code" value="pivot/far"`)
	// A remedy whose finding is gone can't be had any more, and nothing is offered.
	w = c.post("/assets/1/remedy", with("station", "pivot", "code", "pivot/floats", "n", "0"))
	assert.Equal(t, http.StatusConflict, w.Code)
	has(t, w, "can&#39;t be made any more")
	assert.NotContains(t, w.Body.String(), "Apply mine on top")
	// Undo and redo don't touch another window's decision.
	for _, to := range []string{"undo", "redo"} {
		w = c.post("/assets/1/"+to, with("station", "size"))
		assert.Equal(t, http.StatusConflict, w.Code, to)
		has(t, w, "nothing was undone")
	}
	// What is in force already needs no second time.
	w = c.post("/assets/1/axes", with("act", "drop", "drop", "on"))
	assert.Equal(t, http.StatusConflict, w.Code)
	has(t, w, "what is in force has it already")
	assert.Equal(t, http.StatusConflict, c.post("/assets/1/revisions/1", with()).Code)
	assert.Equal(t, was, string(c.prepNow().JSON()), "nothing was changed by any of it")
}

func TestPreviewsOfWhatIsNotThere(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	for fields, want := range map[string]int{
		"station=size&act=entries&section=fit&factor=2":    http.StatusOK,
		"station=unheard&act=entries&section=fit&factor=2": http.StatusNotFound,
		"act=entries&section=fit&factor=2":                 http.StatusNotFound,
		"station=size&act=unheard":                         http.StatusNoContent,
		"station=size&act=class&class=whale":               http.StatusNoContent,
		"station=pivot&code=pivot/far&n=0":                 http.StatusNoContent,
		"station=size&act=entries&section=fit&factor=half": http.StatusNoContent,
		"station=unheard&code=pivot/far&n=0":               http.StatusNotFound,
		"station=source&act=leave&key=a+node+of+no+file":   http.StatusOK,
	} {
		v, err := url.ParseQuery(fields)
		require.NoError(t, err)
		w := c.post("/assets/1/preview", v)
		assert.Equal(t, want, w.Code, fields)
		if want == http.StatusOK {
			has(t, w, `<g class="ghost">`)
		}
	}
	for path, want := range map[string]int{
		"/assets/1/pick?station=size&x=1&y=1":    http.StatusOK, // beside the mesh
		"/assets/1/pick?station=size&x=NaN&y=1":  http.StatusUnprocessableEntity,
		"/assets/1/pick?station=unheard&x=1&y=1": http.StatusNotFound,
		"/assets/1/turntable?station=unheard":    http.StatusNotFound,
		"/assets/1/turntable?station=size":       http.StatusOK,
		"/assets/1/pictures/0?station=size":      http.StatusUnprocessableEntity, // it has none
		"/assets/1/pictures/x?station=size":      http.StatusNotFound,
		"/assets/1/pictures/-1?station=size":     http.StatusUnprocessableEntity,
		"/assets/1/pictures/0?station=unheard":   http.StatusNotFound,

		"/assets/1/turntable?station=size&look=material":    http.StatusOK,
		"/assets/1/turntable?station=unheard&look=material": http.StatusNotFound,
		"/assets/1/area?x0=1&y0=1&x1=2&y1=2":                http.StatusOK,
		"/assets/1/area?x0=1&y0=1&x1=2":                     http.StatusUnprocessableEntity,
		"/assets/1/size?from=0,0,0&to=4,0,0":                http.StatusOK,
		"/assets/1/size?from=0,0,0&to=nowhere":              http.StatusOK,
		"/assets/1/size?figure=1.65":                        http.StatusOK,
		"/assets/1/revisions/7":                             http.StatusNotFound,
		"/assets/1/revisions":                               http.StatusOK,
		"/assets/1/export?sent=99":                          http.StatusOK,
	} {
		assert.Equal(t, want, c.get(path).Code, path)
	}
	assert.Contains(t, c.get("/assets/1/size?from=0,0,0&to=4,0,0").Body.String(), "<strong>4.00\u202fm</strong>")
	assert.Empty(t, c.log.String(), "nothing of it is ours to mend")
}

// What stands in the fields when Send is pressed is what leaves; and it leaves for the target
// that the page shows, or not at all.
func TestSendTakesTheFields(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	form := c.form("act", "entries", "section", "leaves", "format", "obj", "name", "landing stage", "target",
		target.Shipped[0].ID)
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/export/send", form).Code)
	body := c.get("/assets/1/export").Body.String()
	assert.Contains(t, body, "landing_stage.obj")
	assert.Equal(t, "landing stage", c.prepNow().Export.Name)
	assert.Equal(t, "obj", c.prepNow().Export.Format)

	require.Equal(t, http.StatusSeeOther, c.post("/kits/1/target", url.Values{"target": {target.Shipped[1].ID}}).Code)
	w := c.post("/assets/1/export/send", c.form("act", "entries", "section", "leaves", "format", "glb", "target",
		target.Shipped[0].ID))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(),
		"was changed to “"+target.Shipped[1].Name+"” in another window meanwhile, so nothing was sent")
	stale := c.form("act", "entries", "section", "leaves", "format", "fbx", "target", target.Shipped[1].ID)
	c.decide("size", "act", "entries", "section", "fit", "factor", "2")
	assert.Equal(t, http.StatusConflict, c.post("/assets/1/export/send", stale).Code)
}

// After sending, what came of it stands before everything else.
func TestTheCertificateStandsFirst(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	before := c.get("/assets/1/export").Body.String()
	assert.NotContains(t, before, `id="delivery"`)
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/export/send", url.Values{}).Code)
	body := c.get("/assets/1/export").Body.String()
	at := strings.Index(body, `id="delivery"`)
	require.Positive(t, at)
	assert.Less(t, at, strings.Index(body, `id="send"`))
	assert.Less(t, at, strings.Index(body, `name="format"`))
	assert.Contains(t, body, "Write and read back again")
	assert.NotContains(t, body, "differs from it")

	c.decide("size", "act", "entries", "section", "fit", "factor", "2")
	assert.Contains(t, c.get("/assets/1/export").Body.String(), "What is in force now differs from it")
	require.Equal(t, http.StatusSeeOther, c.post("/assets/1/undo", c.form("station", "size")).Code)
	assert.NotContains(t, c.get("/assets/1/export").Body.String(), "differs from it")
}

func TestSentencesKeepTheirLetters(t *testing.T) {
	for in, want := range map[string]string{"": "", "über": "Über.", "ß": "ß.", "海 is no unit": "海 is no unit.",
		"done.": "Done.", "x": "X.", "broken.obj, line 1: x": "broken.obj, line 1: x.",
		"props/crate: x": "props/crate: x.", "broken. And so": "Broken. And so."} {
		got := sentence(in)
		if in == "ß" { // it has no capital of one letter
			assert.Contains(t, []string{"ß.", "ẞ."}, got)
			continue
		}
		assert.Equal(t, want, got)
	}
}
