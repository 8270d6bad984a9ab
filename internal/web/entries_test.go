package web

import (
	"context"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/entry"
	"yarvek/core/picture/outfit"
	"yarvek/core/prep"
)

// control is a field of a page, and ofSection the one its form says.
var (
	control   = regexp.MustCompile(`name="([a-z0-9]+)"`)
	ofSection = regexp.MustCompile(`name="section" value="([a-z]+)"`)
)

// Whatever can be decided by a value is on its station's worksheet, in the form of its group. No worksheet has all
// at once: what counts with another form of shapes is there with that form.
func TestEveryEntryIsOnItsPage(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	c.bringRock(12)
	c.bring("points.ply", doors["points.ply"])
	c.bring("cushion.usda", cushion)
	const assets = 4
	ctx := context.Background()
	there := map[string]string{} // page by entry
	for _, with := range [][]string{nil, {"collision.form=hulls", "lods.levels=50 %", "export.format=fbx",
		"surface.sides=24"},
		{"collision.form=hull", "slots.size=64", "export.format=obj"}, {"collision.form=slab", "collision.share=50",
			"export.format=glb"}} {
		for k := range assets * len(prep.Stations()) {
			asset, in := int64(1+k%assets), prep.Stations()[k/assets]
			o, err := c.desk.Open(ctx, asset)
			require.NoError(t, err)
			_, err = c.desk.Decide(ctx, asset, o.Base(), func(p *prep.Prep) (err error) {
				*p, err = prep.Prep{}.Decide(with...)
				return err
			})
			require.NoError(t, err)
			page := c.get(fmt.Sprintf("/assets/%d/%s", asset, in.ID)).Body.String()
			for form := range strings.SplitSeq(page, "<form") {
				form, _, _ = strings.Cut(form, "</form>")
				m := ofSection.FindStringSubmatch(form)
				if m == nil {
					continue
				}
				for _, f := range control.FindAllStringSubmatch(form, -1) {
					there[in.ID+"."+f[1]] = m[1]
				}
			}
		}
	}
	for _, in := range prep.Stations() {
		for _, g := range prep.Groups(in.ID) {
			for _, e := range g.Entries {
				assert.Equal(t, g.ID, there[e.Name], "%s stands in no form of its section", e.Name)
			}
		}
	}
}

// What a section's form sends is what --set decides, for every kind of value; a press gives back one, or all.
func TestSectionsDecideWhatSetDoes(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	for _, x := range []struct {
		kind    entry.Kind
		station string
		fields  []string
		sets    []string
	}{
		{entry.KindLength, "surface", []string{"mending", "weld", "0,5", "edges", "2 cm"}, []string{"surface.weld=0.5mm",
			"surface.edges=20"}},
		{entry.KindAngle, "pivot", []string{"heading", "heading", "400"}, []string{"pivot.heading=40"}},
		{entry.KindCount, "slots", []string{"leave", "most", "1 024"}, []string{"slots.most=1024"}},
		{entry.KindShare, "collision", []string{"surface", "share", "12.5 %"}, []string{"collision.share=12.5"}},
		{entry.KindNumber, "lods", []string{"showing", "pixels", "2 px"}, []string{"lods.pixels=2"}},
		{entry.KindChoice, "slots", []string{"leave", "roles", "", "roles", "normal", "roles", "glow"},
			[]string{"slots.roles=normal,emissive"}},
		{entry.KindYesNo, "budget", []string{"sparing", "waste", "yes", "order", "no"}, []string{"budget.waste=yes"}},
		{entry.KindNode, "size", []string{"bake", "bake", "all", "nodes", "shed"}, []string{"size.bake=all",
			"size.nodes=shed"}},
		{entry.KindText, "export", []string{"leaves", "name", "pier, west"}, []string{"export.name=pier, west"}},
		{entry.KindPoint, "pivot", []string{"seat", "place", "point", "point", "1", "point", "", "point", "-3"},
			[]string{"pivot.place=point", "pivot.point=1,0,-3"}},
		{entry.KindText, "lods", []string{"ladder", "levels", "50 %, 3 mm from 12 m"},
			[]string{"lods.levels=50 %,3 mm from 12 m"}},
	} {
		want, err := prep.Prep{}.Decide(x.sets...)
		require.NoError(t, err, x.kind)
		was := string(c.prepNow().JSON())
		c.decide(x.station, append([]string{"act", "entries", "section"}, x.fields...)...)
		assert.Equal(t, string(want.JSON()), string(c.prepNow().JSON()), "%s", x.kind)
		assert.Contains(t, c.get("/assets/1/"+x.station).Body.String(), "entry-mark", "%s is marked as set", x.kind)
		c.decide(x.station, "act", "entries", "section", x.fields[0], "back", "all")
		if x.station != "collision" { // nothing is what is left of it
			assert.Equal(t, was, string(c.prepNow().JSON()), "%s is given back", x.kind)
		}
		assert.Equal(t, http.StatusUnprocessableEntity, c.post("/assets/1/"+x.station, c.form("act", "entries", "section",
			x.fields[0], "back", "nothing")).Code)
	}
}

// The command on the page decides what the pages did.
func TestTheCommandIsThatOfThePages(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	c.decide("collision", "act", "entries", "section", "form", "form", "hulls")
	c.decide("collision", "act", "entries", "section", "fitting", "most", "8", "concavity", "20")
	c.decide("slots", "act", "entries", "section", "light", "size", "256")
	page := c.get("/assets/1/collision").Body.String()
	_, text, found := strings.Cut(page, `class="command"><code>`)
	require.True(t, found)
	text, _, _ = strings.Cut(text, "</code>")
	var sets []string
	for _, m := range regexp.MustCompile(`--set (\S+)`).FindAllStringSubmatch(text, -1) {
		sets = append(sets, m[1])
	}
	p, err := prep.Prep{}.Decide(sets...)
	require.NoError(t, err)
	assert.Equal(t, string(c.prepNow().JSON()), string(p.JSON()))
	assert.Contains(t, text, "yarvek prepare ")
	for _, names := range [][]outfit.MapLine{{{From: "wall", To: "plank"}}, nil} { // only a map that has lines goes along
		require.NoError(t, c.desk.SetSlotMap(context.Background(), 1, names))
		page = c.get("/assets/1/collision").Body.String()
		assert.Equal(t, len(names) > 0, strings.Contains(page, "--slot-map "))
	}
	// What no value says is in a file.
	c.decide("pivot", "act", "marker", "at", "1,0,0", "name", "lamp")
	page = c.get("/assets/1/pivot").Body.String()
	assert.Contains(t, page, "--prep ")
	assert.NotContains(t, page, "--set collision.most")
	for word, want := range map[string]string{"a b": "'a b'", "it's": `'it'\''s'`, "x=1": "x=1", "": "''"} {
		assert.Equal(t, want, shellWord(word))
	}
}

// What is decided stays decided when a form is sent that has more nodes than it lists, or none of that name.
func TestAFormGivesUpNothingItDoesNotShow(t *testing.T) {
	c := newClient(t)
	f := fleet(t, 250)
	c.bring(f.Name, string(f.Data))
	o, err := c.desk.Open(context.Background(), 1)
	require.NoError(t, err)
	_, err = c.desk.Decide(context.Background(), 1, o.Base(), func(p *prep.Prep) (err error) {
		*p, err = prep.Prep{}.Decide("collision.form=box", "collision.nodes=boat 249,gone", "collision.slot=lacquer")
		return err
	})
	require.NoError(t, err)
	page := c.get("/assets/1/collision").Body.String()
	for _, want := range []string{"boat 249", "gone", "lacquer"} {
		assert.Regexp(t, `value="`+want+`"[^>]* (selected|checked)`, page)
	}
}

// An undo goes to the station that it changes, and lights what came back.
func TestUndoGoesWhereItChanges(t *testing.T) {
	c := newClient(t)
	c.bringSlots("wall", "door")
	c.decide("surface", "act", "entries", "section", "limits", "gap", "2")
	c.decide("slots", "act", "entries", "section", "leave", "most", "16")
	w := c.post("/assets/1/undo", c.form("station", "axes"))
	assert.Equal(t, "/assets/1/slots?undone=-,most", w.Header().Get("Location"))
	page := c.get("/assets/1/slots?undone=-,most").Body.String()
	assert.Contains(t, page, "Undone: Pictures of at most 16 pixels a side")
	assert.Regexp(t, `class="entry lit[^"]*"`, page)
	w = c.post("/assets/1/undo", c.form("station", "surface"))
	assert.Equal(t, "/assets/1/surface?undone=-,gap", w.Header().Get("Location"))
	w = c.post("/assets/1/redo", c.form("station", "pivot"))
	assert.Equal(t, "/assets/1/surface?redone=-,gap", w.Header().Get("Location"))
	w = c.post("/assets/1/undo", c.form("station", "surface"))
	require.Equal(t, http.StatusSeeOther, w.Code)
	w = c.post("/assets/1/undo", c.form("station", "axes"))
	assert.Equal(t, "/assets/1/axes", w.Header().Get("Location"), "nothing is left to undo")
}
