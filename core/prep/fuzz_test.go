package prep_test

import (
	"context"
	"testing"

	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// Decisions come from a database, a file of the command line and from forms: whatever
// passes as a prep must go through all stations.
func FuzzParse(f *testing.F) {
	for _, s := range []string{
		`{"pivot":{"place":"box","box":[0,-1,0]}}`,
		`{"source":{"leave":["a"],"rules":[{"by":"kind","what":"speck"},{"by":"area","area":[0,0,1,1]},{"by":"beyond",
			"reach":1}],
			"merge":"slot","rename":[{"match":"*#","to":"{rest} {n2}"}],"move":[1,2,3]}}`,
		`{"size":{"fit":"between","from":[0,0,0],"to":[1,0,0],"length":2,"bake":"scale"},"axes":{"pose":[1,2,3],"drop":true,
			"hand":"left"}}`,
		`{"pivot":{"place":"picks","picks":[[0,0,0],[1,1,1]],"along":[[0,0,0],[1,0,0]],"under":true,"snap":true,
			"markers":[{"name":"m",
			"at":[1,2,3],"drop":"surface"}]}}`,
		`{"source":{"split":[{"node":"no. #5 n0","by":"parts"}],"merge":"group","groups":[{"name":"g","nodes":["a","b"]}]}}`,
		`{"slots":{"drop":true,"clean":true,"moves":[{"to":"new","at":[[0,0,0]],"reach":"flat"},{"to":"a","node":"a"}],
			"joins":[{"slot":"a","into":"b"}],
			"order":["b"],"names":[{"slot":"b","to":"c"}],"looks":[{"slot":"b","alpha":"MASK","sides":2}],
			"pictures":{"most":16,"power":"up","green":"down",
			"pack":"orm","strip":true,"formats":"png"},"sheets":[{"slots":["a","b"]}],"light":{"size":64,"padding":2}}}`,
	} {
		f.Add([]byte(s), uint8(3))
	}
	f.Fuzz(func(t *testing.T, b []byte, seed uint8) {
		p, err := prep.Parse(b)
		if err != nil {
			return
		}
		s := shapetest.Scene(uint64(seed % 8))
		keys := s.Keys()
		// Nodes named by number are nodes of this scene.
		for i := range p.Source.Split {
			p.Source.Split[i].Node = keys[i%len(keys)]
		}
		r, err := prep.Run(context.Background(), prep.Input{Key: "k", Scene: s, Target: target.Shipped[seed%4], Grid: .5}, p,
			nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, out := range []*scene.Scene{preptest.After(t, r, "source"), preptest.After(t, r, "size"),
			preptest.After(t, r, "axes"),
			preptest.After(t, r, "pivot"), preptest.After(t, r, "slots")} {
			for i, n := range out.Nodes {
				if n.Parent >= i {
					t.Fatalf("node %d comes before its parent", i)
				}
			}
			for _, m := range out.Meshes {
				if err := m.Validate(); err != nil {
					t.Fatal(err)
				}
			}
		}
		if q, err := prep.Parse(p.JSON()); err != nil || string(q.JSON()) != string(p.JSON()) {
			t.Fatalf("a prep kept is not the prep read: %v", err)
		}
	})
}

// What is typed behind --set comes from people: it never panics, and what is taken can be kept and is typed again the
// same.
func FuzzDecide(f *testing.F) {
	for _, e := range prep.Entries() {
		f.Add(e.Name + "=1,2 mm")
	}
	f.Add(`lods.levels=50 % from 12 m,"3 mm",number 2`)
	f.Add(`slots.roles="a""b",,`)
	f.Fuzz(func(t *testing.T, set string) {
		p, err := prep.Prep{}.Decide(set)
		if err != nil {
			return
		}
		kept, err := prep.Parse(p.JSON())
		if err != nil {
			t.Fatalf("%q is taken and can't be kept: %v", set, err)
		}
		list, whole := kept.Assigned()
		again, err := prep.Prep{}.Decide(list...)
		if whole && (err != nil || string(again.JSON()) != string(p.JSON())) {
			t.Fatalf("%q comes back as %v: %v", set, list, err)
		}
	})
}
