package work

import (
	"context"

	"yarvek/core/fault"
	"yarvek/internal/store"
)

// Filler puts the first assets into a kit that begins with some, and tells how far it is. It is called again for a kit
// that an earlier run of the program did not fill to its end, and leaves what is there already.
type Filler func(ctx context.Context, d *Desk, kit Kit, report func(step string, done float64)) (*Intake, error)

// FillLater has a kit filled by one of d.Fillers, as a job whose outcome is an *Intake. A new start of the program goes
// on with it.
func (d *Desk) FillLater(ctx context.Context, kit Kit, by string) (*Job, error) {
	o, err := d.filling(ctx, kit, by)
	if err != nil {
		return nil, err
	}
	return d.undertake(ctx, kit.ID, errand{Fill: by}, o)
}

// filling is the order of FillLater.
func (d *Desk) filling(ctx context.Context, kit Kit, by string) (Order, error) {
	fill, ok := d.Fillers[by]
	if !ok {
		return Order{}, fault.Input("%q fills no kit", by)
	}
	person := store.By(ctx)
	return Order{Lane: Arriving, About: aboutKit(kit.ID), Title: "Filling " + kit.Name, Person: person,
		Bytes: bytesLooked,
		Run: func(ctx context.Context, job *Job) (any, error) {
			in, err := fill(store.As(ctx, person), d, kit, job.Report)
			if in == nil { // else there is no telling an Intake that is none
				return nil, err
			}
			return in, err
		}}, nil
}
