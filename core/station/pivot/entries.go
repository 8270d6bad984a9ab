package pivot

import (
	"fmt"
	"math"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Entries are the values that can be decided here. Picks, the origins of single parts and markers are lists.
var Entries = []entry.Group[Decisions]{
	{ID: "seat", Title: "Where it is seated", Do: "Seat it there", Entries: []entry.Entry[Decisions]{
		entry.Choice("place", "Seated", func(d *Decisions) *SeatBy { return &d.Place },
			entry.Option{ID: string(OnBox), Name: "on the bounding box"}, entry.Option{ID: string(At), Name: "at coordinates"},
			entry.Option{ID: string(OnContact), Name: "between its feet"},
			entry.Option{ID: string(OnMass), Name: "at the centre of mass"},
			entry.Option{ID: string(OnPicks), Name: "where it was picked"}).Else("as the file has it"),
		entry.Of("box", "Point of the box", func(d *Decisions) *[3]int { return &d.Box },
			func(b [3]int) string { return fmt.Sprintf("%d,%d,%d", b[0], b[1], b[2]) }, ParseBox).
			Helped("right, up and forward, each -1, 0 or 1").Usually("0,0,0").
			When("on the bounding box", func(d Decisions) bool { return d.Place == OnBox }),
		entry.Point("point", "At", "m", func(d *Decisions) *geom.Vec3 { return &d.Point }).
			Helped("of the target, before seating").
			When("at coordinates", func(d Decisions) bool { return d.Place == At }),
		entry.YesNo("parts", "Each part at the same point of its own box", func(d *Decisions) *bool { return &d.Parts }),
		entry.YesNo("snap", "Onto the kit’s grid", func(d *Decisions) *bool { return &d.Snap }),
		entry.YesNo("under", "Move the pivot, not the mesh", func(d *Decisions) *bool { return &d.Under }),
	}},
	{ID: "heading", Title: "Heading", Do: "Turn it", Entries: []entry.Entry[Decisions]{
		entry.Angle("heading", "Faces to the left by", func(d *Decisions) *float64 { return &d.Heading }).
			Between(-3600, 3600).Usually("0").Then(func(d *Decisions) {
			d.Heading, d.Along = math.Remainder(d.Heading, 360), nil
		}),
	}},
}

// ParseBox reads a point of a box: right, up and forward as whole numbers with commas between. That each is -1, 0 or 1
// is [Seat.Validate]'s to say.
func ParseBox(s string) (b [3]int, err error) {
	p, err := figure.TypedPoint(s)
	for k, v := range p {
		if b[k] = int(v); err != nil || float64(b[k]) != v || math.Abs(v) > 1<<30 {
			return [3]int{}, fmt.Errorf("%q is no point of a box: expected three of -1, 0 and 1 with commas between", s)
		}
	}
	return b, nil
}
