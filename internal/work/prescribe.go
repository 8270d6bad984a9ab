package work

import (
	"context"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/prep"
	"yarvek/core/process/ladder"
	"yarvek/core/station"
	"yarvek/core/station/collision"
	"yarvek/core/station/lods"
	"yarvek/core/station/slots"
)

// Prescription is something a station can be told for many assets alike: each gets it as the target and its class
// reckon with it.
type Prescription struct {
	ID      string
	Name    string
	Station station.Info
	decide  func(o *Opened) (station.Decisions, error)
}

// Prescriptions lists them, those of a station beside one another.
var Prescriptions = prescriptions()

func prescriptions() []Prescription {
	list := []Prescription{
		{"lods-few", "LODs, as few as bring the saving", lods.Info, ladderOf(func(d *lods.Decisions) { d.Few = true })},
		{"lods-1", "one LOD of half the triangles", lods.Info, halves(1)},
		{"lods-2", "two LODs, each of half", lods.Info, halves(2)},
		{"lods-3", "three LODs, each of half", lods.Info, halves(3)},
		{"lods-4", "four LODs, each of half", lods.Info, halves(4)},
		{"lods-none", "no LODs", lods.Info, ladderOf(func(d *lods.Decisions) { d.None = true })},
	}
	for _, f := range collision.Forms {
		list = append(list, Prescription{"collision-" + string(f.ID), "collision: " + strings.ToLower(f.Name), collision.Info,
			shapesOf(collision.Fit{Form: f.ID})})
	}
	return append(list,
		Prescription{"collision-none", "no collision", collision.Info, shapesOf()},
		Prescription{"pictures", "pictures as the target wants them", slots.Info, func(o *Opened) (station.Decisions, error) {
			return o.Prep.Slots.AsWanted(o.Kit.Target.Textures), nil
		}})
}

// prescription finds one by its ID.
func prescription(id string) (Prescription, error) {
	i := slices.IndexFunc(Prescriptions, func(p Prescription) bool { return p.ID == id })
	if i < 0 {
		return Prescription{}, fault.Input("%q can't be made for many", fault.Shown(id))
	}
	return Prescriptions[i], nil
}

// ladderOf asks for other LODs; from where they are seen and how they are made stays. LODs that came along stay, too:
// which of them are used is decided for each asset.
func ladderOf(set func(*lods.Decisions)) func(*Opened) (station.Decisions, error) {
	return func(o *Opened) (station.Decisions, error) {
		if n := len(o.Result.LODs.Hand); n > 0 {
			return nil, fault.Input("it came with %s of its own", figure.Plural(n, "LOD", "LODs")).
				Advise("Decide at its LODs")
		}
		d := o.Prep.LODs
		d.Levels, d.Few, d.None = nil, false, false
		set(&d)
		return d, nil
	}
}

// halves are so many LODs, each of half the triangles of the one before.
func halves(n int) func(*Opened) (station.Decisions, error) {
	return ladderOf(func(d *lods.Decisions) {
		share := 1.0
		for range n {
			share /= 2
			d.Levels = append(d.Levels, lods.Level{Wish: ladder.Wish{Share: share}})
		}
	})
}

// shapesOf asks for shapes of one form round all of the mesh, none without any. Where shapes came along or were changed
// by hand they stay.
func shapesOf(fits ...collision.Fit) func(*Opened) (station.Decisions, error) {
	return func(o *Opened) (station.Decisions, error) {
		d := o.Prep.Collision
		if len(d.Edited) > 0 {
			return nil, fault.Input("its shapes were changed by hand").Advise("Decide at its Collision")
		}
		if len(d.Fits) == 0 && !d.None && len(o.Result.Collision.Shapes) > 0 {
			return nil, fault.Input("it came with shapes of its own").Advise("Decide at its Collision")
		}
		return d.With(fits...), nil
	}
}

// change is a prep with what is prescribed.
func (p Prescription) change(_ context.Context, o *Opened) (prep.Prep, []string, error) {
	to, err := p.decide(o)
	if err != nil {
		return o.Prep, nil, err
	}
	now, err := o.Prep.With(to)
	return now, nil, err
}
