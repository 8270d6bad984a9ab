package class

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/naming"
)

// Thing is what a word in a name says: its class, and how large such a thing usually is at
// its longest, in metres.
type Thing struct {
	Word  string
	Class string
	Size  float64
}

// things are everyday words of assets, one class to a line.
var things = func() map[string]Thing {
	m := map[string]Thing{}
	for id, words := range map[string]map[string]float64{
		"hand-prop": {"cup": .1, "teacup": .09, "mug": .1, "bottle": .3, "book": .25, "plate": .26, "bowl": .2, "knife": .25,
			"hammer": .33,
			"wrench": .25, "torch": .25, "key": .07, "coin": .025, "jar": .2, "vase": .35, "candle": .2, "bucket": .35,
			"broom": 1.3, "shovel": 1.1,
			"axe": .8, "bag": .45, "helmet": .32, "radio": .3, "phone": .15, "binoculars": .18, "anemometer": .4,
			"lantern": .35, "kettle": .25},
		"furniture": {"chair": .95, "stool": .5, "table": 1.4, "desk": 1.4, "bench": 1.6, "sofa": 2, "bed": 2, "wardrobe": 2,
			"shelf":   1.8,
			"cabinet": 1.2, "cupboard": 1.2, "drawer": .6, "armchair": 1, "bookcase": 2, "mirror": 1.5, "locker": 1.8,
			"stove": .9, "sink": .8},
		"street-furniture": {"bollard": .9, "barrel": .9, "crate": .8, "box": .6, "bin": 1, "hydrant": .8, "sign": 2.4,
			"signpost": 2.8,
			"lamppost": 5, "streetlight": 6, "mailbox": 1.2, "pallet": 1.2, "buoy": 1.8, "anchor": 1.5, "chest": .9,
			"fountain": 2.5, "vane": 1.6},
		"vehicle": {"car": 4.5, "truck": 7, "van": 5.2, "bus": 12, "boat": 5, "dinghy": 3.2, "ship": 19, "bicycle": 1.8,
			"bike":       1.8,
			"motorcycle": 2.2, "tractor": 4, "cart": 2, "wagon": 3, "trailer": 5, "forklift": 2.6},
		"building-part": {"door": 2.05, "window": 1.3, "shutter": 1.3, "gate": 2, "stair": 3, "stairs": 3, "railing": 2,
			"ladder": 3, "beam": 3,
			"column": 3, "pillar": 3, "balcony": 2.5, "gutter": 2, "chimney": 2, "arch": 3, "hatch": .8, "plank": 2.5,
			"roof": 8},
		"building": {"house": 10, "hut": 4, "shed": 3.5, "barn": 15, "cabin": 6, "warehouse": 30, "church": 35, "garage": 6,
			"kiosk":   3,
			"cottage": 9, "hangar": 40, "boathouse": 10},
		"landmark": {"lighthouse": 30, "bridge": 60, "tower": 30, "crane": 40, "mast": 24, "dam": 120, "stadium": 150,
			"windmill": 25},
	} {
		for w, size := range words {
			m[w] = Thing{w, id, size}
		}
	}
	return m
}()

// Known finds a thing in a name: the last word of it that is one, in singular or plural,
// since that is what a compound is a sort of.
func Known(name string) (Thing, bool) {
	words := naming.Words(name)
	for _, w := range slices.Backward(words) {
		if t, ok := things[w]; ok {
			return t, true
		}
		if n := len(w); n > 3 && w[n-1] == 's' {
			if t, ok := things[w[:n-1]]; ok {
				return t, true
			}
		}
	}
	return Thing{}, false
}

// Proposal is a class an asset may be of, and why.
type Proposal struct {
	Class  Class
	Why    string
	ByName bool
}

// Propose gives the classes of a list an asset may be of, the likeliest first: what its names say,
// then up to two that its largest extent suits best.
func Propose(classes []Class, names []string, longest float64) []Proposal {
	var list []Proposal
	for _, n := range names {
		t, ok := Known(n)
		if !ok {
			continue
		}
		if c, ok := Find(classes, t.Class); ok {
			list = append(list, Proposal{c, fmt.Sprintf("“%s” in its name", t.Word), true})
			break
		}
	}
	var fit []Class
	for _, c := range classes {
		if c.Fits(longest) && (len(list) == 0 || list[0].Class.ID != c.ID) {
			fit = append(fit, c)
		}
	}
	off := func(c Class) float64 { return math.Abs(math.Log(longest / math.Sqrt(c.Least*c.Most))) }
	slices.SortStableFunc(fit, func(a, b Class) int { return cmp.Compare(off(a), off(b)) })
	for _, c := range fit[:min(len(fit), 2)] {
		list = append(list, Proposal{c, figure.Length(longest) + " suits it", false})
	}
	return list
}
