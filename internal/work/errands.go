package work

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"

	"yarvek/core/fault"
	"yarvek/internal/store"
)

// errand is long work that changes a kit, as it is kept until it ended: one of the four.
type errand struct {
	Files   []store.File `json:",omitempty"` // to be taken in
	Refused []Refusal    `json:",omitempty"` // of that upload
	Passed  []string     `json:",omitempty"`
	Do      *Many        `json:",omitempty"` // to be decided
	Send    *sending     `json:",omitempty"`
	Fill    string       `json:",omitempty"` // the filler that it is filled by
}

// mostTries is how many starts go on with an errand by themselves: one that ends the program each time is left to a
// person.
const mostTries = 2

// undertake queues what changes a kit, and notes it until it ended, so that a new start goes on with it.
func (d *Desk) undertake(ctx context.Context, kit int64, e errand, o Order) (*Job, error) {
	o.ID = cmp.Or(o.ID, rand.Text())
	body, err := json.Marshal(e)
	if err == nil {
		err = d.store.KeepErrand(ctx, store.Errand{Job: o.ID, Kit: kit, Body: body, Person: store.By(ctx),
			Address: store.Address(ctx)})
	}
	if err != nil {
		if o.Left != nil {
			o.Left(true)
		}
		return nil, err
	}
	return d.Jobs.Queue(d.noted(o)), nil
}

// noted is an order whose end is noted.
func (d *Desk) noted(o Order) Order {
	left := o.Left
	o.Left = func(ended bool) {
		if left != nil {
			left(ended)
		}
		if !ended {
			return
		}
		if err := d.store.EndErrand(context.Background(), o.ID); err != nil {
			d.log.Warn("that a job ended is not noted", "job", o.Title, "error", err)
		}
	}
	return o
}

// resumeErrands goes on with what was under way when the program ended.
func (d *Desk) resumeErrands(ctx context.Context) error {
	list, err := d.store.Errands(ctx)
	if err != nil {
		return err
	}
	for _, kept := range list {
		if err := d.resume(ctx, kept); err != nil {
			d.log.Error("what was under way can't be gone on with", "kit", kept.Kit, "job", kept.Job, "error", err)
		}
	}
	return nil
}

// resume goes on with an errand, unless so many starts tried that it is left to a person.
func (d *Desk) resume(ctx context.Context, kept store.Errand) error {
	var e errand
	if err := cmp.Or(kept.Harm, json.Unmarshal(kept.Body, &e)); err != nil {
		return err
	}
	ctx = store.As(store.From(ctx, kept.Address), kept.Person)
	o, err := d.orderOf(ctx, kept, e)
	if err != nil {
		return err
	}
	o = d.noted(o)
	if kept.Tries >= mostTries {
		o.Again = func(ctx context.Context) (*Job, error) {
			o, err := d.orderOf(ctx, kept, e)
			if err != nil {
				return nil, err
			}
			return d.undertake(ctx, kept.Kit, e, o)
		}
		d.Jobs.Broken(o, fault.Input("Yarvek ended %d times while this was under way", mostTries+1).
			Advise("What came of it by then stands; begin it again, or do it for fewer at a time"))
		return nil
	}
	kept.Tries++
	if err := d.store.KeepErrand(ctx, kept); err != nil {
		return err
	}
	d.Jobs.Queue(o)
	return nil
}

// orderOf is the order of what is left of a kept errand.
func (d *Desk) orderOf(ctx context.Context, kept store.Errand, e errand) (o Order, err error) {
	switch {
	case e.Do != nil:
		o = d.doing(ctx, kept.Kit, *e.Do)
	case e.Send != nil:
		sent, err := d.store.SentSince(ctx, kept.Kit, kept.Created)
		if err != nil {
			return o, err
		}
		s := *e.Send
		s.Assets = nil
		for _, id := range e.Send.Assets {
			if !sent[id] {
				s.Assets = append(s.Assets, id)
			}
		}
		if o, err = d.convoy(ctx, kept.Kit, s); err != nil {
			return o, err
		}
	case e.Fill != "":
		kit, err := d.store.Kit(ctx, kept.Kit)
		if err != nil {
			return o, err
		}
		if o, err = d.filling(ctx, kit, e.Fill); err != nil {
			return o, err
		}
	default:
		u, err := d.left(ctx, kept.Job, e)
		if err != nil {
			return o, err
		}
		o = d.taking(ctx, kept.Kit, u)
	}
	o.ID = kept.Job
	return o, nil
}
