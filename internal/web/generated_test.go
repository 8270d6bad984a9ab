package web

import (
	"context"
	"fmt"
	"html"
	"maps"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/target"
)

// formField is a field of a form as a page shows it.
type formField struct {
	name    string
	value   string
	options []string // what it may be, nil for anything
	many    bool     // it may be sent several times
}

// pageForm is a form of a page.
type pageForm struct {
	page     string
	action   string
	controls []formField
	buttons  []formField // each is sent by a press on it
}

var (
	formTag   = regexp.MustCompile(`(?s)<form\b([^>]*)>(.*?)</form>`)
	fieldTag  = regexp.MustCompile(`(?s)<(input|select|textarea|button)\b([^>]*)>`)
	optionTag = regexp.MustCompile(`(?s)<option\b([^>]*)>`)
	attribute = regexp.MustCompile(`([a-z-]+)(?:="([^"]*)")?`)
)

// attributes of a tag.
func attributes(s string) map[string]string {
	m := map[string]string{}
	for _, a := range attribute.FindAllStringSubmatch(s, -1) {
		m[a[1]] = html.UnescapeString(a[2])
	}
	return m
}

// formsOf are the forms of a page, files and signing in left out.
func formsOf(path, page string) (list []pageForm) {
	byID := map[string]int{}
	take := func(f *pageForm, tag, body string, a map[string]string) {
		c := formField{name: a["name"], value: a["value"]}
		switch {
		case c.name == "":
			return
		case tag == "button":
			f.buttons = append(f.buttons, c)
			return
		case tag == "select":
			c.options = []string{}
			for _, o := range optionTag.FindAllStringSubmatch(body, -1) {
				oa := attributes(o[1])
				if c.options = append(c.options, oa["value"]); strings.Contains(o[1], "selected") || len(c.options) == 1 {
					c.value = oa["value"]
				}
			}
		case a["type"] == "radio":
			i := slices.IndexFunc(f.controls, func(o formField) bool { return o.name == c.name })
			if i >= 0 {
				f.controls[i].options = append(f.controls[i].options, c.value)
				return
			}
			c.options = []string{c.value}
		case a["type"] == "checkbox":
			c.options, c.many = []string{c.value}, true
		}
		f.controls = append(f.controls, c)
	}
	for _, m := range formTag.FindAllStringSubmatch(page, -1) {
		a := attributes(m[1])
		f := pageForm{page: path, action: a["action"]}
		if f.action == "" {
			f.action = path
		}
		if strings.Contains(m[1], "multipart") || a["method"] != "post" {
			continue
		}
		for _, at := range fieldTag.FindAllStringSubmatchIndex(m[2], -1) {
			tag, body := m[2][at[2]:at[3]], m[2][at[1]:]
			if end := strings.Index(body, "</"+tag); end >= 0 {
				body = body[:end]
			}
			take(&f, tag, body, attributes(m[2][at[4]:at[5]]))
		}
		if id := a["id"]; id != "" {
			byID[id] = len(list)
		}
		list = append(list, f)
	}
	outside := formTag.ReplaceAllString(page, "")
	for _, at := range fieldTag.FindAllStringSubmatchIndex(outside, -1) {
		a := attributes(outside[at[4]:at[5]])
		if i, ok := byID[a["form"]]; ok {
			tag, body := outside[at[2]:at[3]], outside[at[1]:]
			if end := strings.Index(body, "</"+tag); end >= 0 {
				body = body[:end]
			}
			take(&list[i], tag, body, a)
		}
	}
	return list
}

// odd are values that nobody means, and some that somebody might.
var odd = []string{"", " ", "0", "-1", "1", "NaN", "Inf", "-Inf", "1e999", "1e-9", "1e-9 %", "0x10", "moon", "<b>x</b>",
	"x;y", "%", "%zz", "\x00", "a\nb", "１２", "99999999999999999999", "../../x", "\u202eabc", "\u200b", "1,2", "1,2,3",
	"1 km", "node nowhere", "slot nothing", "*", "[",
	strings.Repeat("x", 5000), "−5", "٣", "10 %", "500 tri", "0.0001 mm", "2 m"}

// Every form of every page, with values that are made up: no answer breaks off, and nothing that can't be meant is
// taken in silence. A field that is none of the form's, one that is sent twice, and a choice that there is not, are
// refused.
func TestFormsWithMadeUpValues(t *testing.T) {
	cases := 9000
	if testing.Short() {
		cases = 900
	}
	c := newDemo(t)
	c.desk.Jobs.Wait()
	_, err := c.desk.CopyTarget(context.Background(), target.Shipped[0].ID, "Mine")
	require.NoError(t, err)
	paths := []string{"/", "/kits/1", "/targets", "/targets/mine", "/targets/" + target.Shipped[1].ID, "/unnamed",
		"/assets/2/revisions"}
	for _, asset := range []int{1, 3, 5, 9} {
		for _, in := range prep.Stations() {
			paths = append(paths, fmt.Sprintf("/assets/%d/%s", asset, in.ID))
		}
	}
	var forms []pageForm
	collect := func() {
		forms = forms[:0]
		for _, p := range paths {
			w := c.get(p)
			require.Less(t, w.Code, 500, "%s: %s", p, c.log)
			forms = append(forms, formsOf(p, w.Body.String())...)
		}
	}
	collect()
	require.Greater(t, len(forms), 200)
	r := rand.New(rand.NewPCG(26, 19))
	answers, trouble := map[int]int{}, map[string]int{}
	for n := range cases {
		if n%1500 == 1499 {
			collect() // pages are others by now
		}
		f := forms[r.IntN(len(forms))]
		values, what, refused := f.madeUp(r)
		if values.Has("base") && !strings.Contains(what, "base") {
			if m := regexp.MustCompile(`^/assets/(\d+)/`).FindStringSubmatch(f.action); m != nil {
				asset, _ := strconv.ParseInt(m[1], 10, 64)
				if o, err := c.desk.Open(context.Background(), asset); err == nil {
					values.Set("base", strconv.Itoa(o.Base()))
				}
			}
		}
		c.log.Reset()
		w := c.postRaw(f.action, values.Encode())
		answers[w.Code]++
		if w.Code >= 500 && w.Code != http.StatusInsufficientStorage || strings.Contains(c.log.String(), "panic") {
			trouble["breaks off: "+f.action+" "+what]++
			t.Logf("%s (%s) %v: %d %s", f.action, what, values, w.Code, c.log)
		}
		if refused && w.Code < 400 {
			trouble["taken in silence: "+f.action+" "+what]++
			t.Logf("%s (%s) %v: %d", f.action, what, clip(fmt.Sprint(values), 300), w.Code)
		}
	}
	t.Logf("%d cases of %d forms: %v", cases, len(forms), answers)
	for _, k := range slices.Sorted(maps.Keys(trouble)) {
		t.Errorf("%d times %s", trouble[k], clip(k, 200))
	}
	assert.Positive(t, answers[http.StatusSeeOther])
	assert.Positive(t, answers[http.StatusUnprocessableEntity])
	for body, want := range map[string]string{"name=x;y": "can’t be read", "act=a;b=c": "can’t be read"} {
		w := c.postRaw("/assets/1/size", body)
		assert.Equal(t, http.StatusUnprocessableEntity, w.Code, body)
		has(t, w, want)
	}
}

// postRaw posts a body as it is.
func (c *client) postRaw(path, body string) *httptest.ResponseRecorder {
	r, _ := http.NewRequest(http.MethodPost, path, strings.NewReader(body))
	r.Host, r.RemoteAddr = "127.0.0.1:7340", "127.0.0.1:1"
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return c.send(r)
}

// madeUp fills a form in, with something that is wrong or odd, says what, and whether it has to be refused.
func (f pageForm) madeUp(r *rand.Rand) (v url.Values, what string, refused bool) {
	v = url.Values{}
	for _, c := range f.controls {
		if !c.many || r.IntN(2) == 0 {
			v.Add(c.name, c.value)
		}
	}
	if len(f.buttons) > 0 {
		if b := f.buttons[r.IntN(len(f.buttons))]; true {
			v.Add(b.name, b.value)
		}
	}
	if len(f.controls) == 0 || r.IntN(12) == 0 {
		v.Set("made-up", "x")
		return v, "an unknown field", true
	}
	c := f.controls[r.IntN(len(f.controls))]
	single := 0
	for _, o := range f.controls {
		if o.name == c.name {
			single++
		}
	}
	switch k := r.IntN(10); {
	case k == 0 && single == 1 && !c.many && v.Has(c.name) && len(v[c.name]) == 1:
		v.Add(c.name, c.value)
		return v, c.name + " twice", c.name != "class" && c.name != "do" // lists of their own
	case k == 1:
		v.Del(c.name)
		return v, c.name + " left out", false
	case c.options != nil && !c.many && single == 1:
		v.Set(c.name, "moon")
		return v, c.name + "=moon", !v.Has("back") // what is given back has no value
	}
	value := odd[r.IntN(len(odd))]
	v.Set(c.name, value)
	return v, fmt.Sprintf("%s=%q", c.name, clip(value, 20)), false
}

// Every address that takes values, with made-up ones: no answer breaks off.
func TestAddressesWithMadeUpValues(t *testing.T) {
	c := newDemo(t)
	c.desk.Jobs.Wait()
	cases := 3000
	if testing.Short() {
		cases = 400
	}
	addresses := map[string][]string{
		"/assets/3/floor": {"kind", "height", "tilt", "roll", "density", "size", "speed", "from", "tall", "wide", "step",
			"slope", "slant"},
		"/assets/3/floor/moves":            {"kind", "height", "tilt", "speed", "from", "tall", "wide", "step", "slope"},
		"/assets/3/pick":                   {"station", "x", "y", "ox", "oy", "oz", "dx", "dy", "dz", "spread", "figure"},
		"/assets/3/area":                   {"x0", "y0", "x1", "y1", "round"},
		"/assets/3/turntable":              {"station", "lod", "look", "figure"},
		"/assets/3/small.svg":              {"turn", "of"},
		"/assets/3/uvs.png":                {"set", "station"},
		"/assets/3/pictures/0":             {"channel", "station"},
		"/assets/3/pair.svg":               {"view", "lod", "from", "to", "a", "b"},
		"/assets/3/size":                   {"from", "to", "figure", "undone", "again"},
		"/assets/3/export":                 {"sent", "sending"},
		"/assets/3/source/lists/nodes":     {"from", "find"},
		"/assets/3/slots/names":            {"match", "to"},
		"/assets/3/making":                 {"station"},
		"/kits/1":                          {"find", "from", "lineup", "out"},
		"/kits/1/exports":                  {"from"},
		"/":                                {"out"},
		"/targets/" + target.Shipped[0].ID: {"revision", "with", "kit"},
	}
	kinds := map[string][]string{"kind": {"drop", "ball", "box", "walk"}, "station": {"size", "lods", "slots"}}
	r := rand.New(rand.NewPCG(26, 20))
	paths := slices.Sorted(maps.Keys(addresses))
	answers := map[int]int{}
	for range cases {
		path := paths[r.IntN(len(paths))]
		q := url.Values{}
		for _, name := range addresses[path] {
			switch list := kinds[name]; {
			case list != nil && r.IntN(3) > 0:
				q.Set(name, list[r.IntN(len(list))])
			case r.IntN(3) == 0:
				q.Set(name, odd[r.IntN(len(odd))])
			case r.IntN(3) == 0:
				q.Set(name, strconv.FormatFloat(math.Exp(20*r.Float64()-12), 'g', 4, 64))
			}
		}
		c.log.Reset()
		w := c.get(path + "?" + q.Encode())
		answers[w.Code]++
		assert.Less(t, w.Code, 500, "%s?%s: %s", path, q.Encode(), c.log)
		assert.NotContains(t, w.Body.String(), "strconv.", "%s?%s", path, q.Encode())
		assert.NotContains(t, w.Body.String(), "json: ", "%s?%s", path, q.Encode())
	}
	t.Log(answers)
}

// No form is refused for a field that its own page sends along, whichever of its buttons is pressed.
func TestNoFormIsRefusedForItsOwnFields(t *testing.T) {
	c := newDemo(t)
	c.desk.Jobs.Wait()
	_, err := c.desk.CopyTarget(context.Background(), target.Shipped[0].ID, "Mine")
	require.NoError(t, err)
	paths := []string{"/", "/kits/1", "/targets/mine"}
	for _, asset := range []int{1, 5} {
		for _, in := range prep.Stations() {
			paths = append(paths, fmt.Sprintf("/assets/%d/%s", asset, in.ID))
		}
	}
	for _, path := range paths {
		for _, f := range formsOf(path, c.get(path).Body.String()) {
			if strings.HasSuffix(f.action, "/remove") || strings.HasSuffix(f.action, "/demo") {
				continue
			}
			for _, b := range append(f.buttons, formField{}) {
				v := url.Values{}
				for _, x := range f.controls {
					if !x.many {
						v.Add(x.name, x.value)
					}
				}
				if b.name != "" {
					v.Add(b.name, b.value)
				}
				w := c.postRaw(f.action, v.Encode())
				for _, say := range []string{"is not known here", "times, and once is meant"} {
					if i := strings.Index(w.Body.String(), say); i >= 0 {
						t.Errorf("%s of %s with %v: …%s", f.action, path, v, w.Body.String()[max(0, i-60):i+40])
					}
				}
			}
		}
	}
}
