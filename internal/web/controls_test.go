package web

import (
	"flag"
	"fmt"
	"os"
	"reflect"
	"sync"
	"testing"

	"yarvek/core/prep"
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

// elsewhere are fields that are decided by no form of their station's page, and why.
var elsewhere = map[string]string{
	"surface.Thickness": "as older preps have it; pages decide Thick",
	"surface.Side":      "as older preps have it; pages decide Thick",
	"surface.Of":        "as older preps have it; pages decide Thick",
}

// offPage are controls that do not stand on the page of their station as it is at first, and where they do.
var offPage = map[string]string{
	"from": "set by two picks on the drawing", "to": "set by two picks on the drawing",
	"snap": "where the asset stands off the grid",
	"bake": "where nodes have transforms of their own", "node": "where nodes have transforms of their own",
	"how": "with each LOD that is made", "picture": "on the page of one picture", "width": "on the page of one picture",
	"height": "on the page of one picture",
	"format": "on the page of one picture", "use": "set by dropping a picture on a slot",
}

// TestMain looks, when all tests were run, whether each field of each station's decisions was decided by a form whose
// controls are on the station's page.
func TestMain(m *testing.M) {
	code := m.Run()
	if code == 0 && flag.Lookup("test.run").Value.String() == "" && !testing.Short() {
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
