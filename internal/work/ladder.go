package work

import (
	"context"
	"fmt"

	"yarvek/core/fault"
	"yarvek/internal/store"
)

// aboutLODs names an asset's LODs among the jobs.
func aboutLODs(asset int64) string { return fmt.Sprintf("lods of asset %d", asset) }

// bytesEach is the memory that making the LODs of an asset takes for each of its triangles, as was measured.
const bytesEach = 600

// climb is what is being made for an asset, or was.
type climb struct {
	job     *Job // nil for one that was stopped before this program started
	wanted  string
	stopped bool
}

// over tells whether nothing is made any more.
func (c *climb) over() bool { return c.job == nil || c.job.State().Done }

// Climb has the LODs of an asset made in the background, and gives the job that does it: the one that
// is at it already, if there is one. It is nil when nothing is to be made, and when making just that
// ended without it; see [Desk.ClimbAgain].
func (d *Desk) Climb(ctx context.Context, o *Opened) *Job {
	if !o.Result.Pending() {
		return nil
	}
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if c := d.climbs[o.Asset.ID]; c != nil && c.wanted == wanted(o) {
		if c.over() {
			return nil
		}
		d.Jobs.Look(c.job)
		return c.job
	}
	return d.climb(d.making(ctx, o))
}

// ClimbAgain is Climb for those who ask for it, whatever came of it before.
func (d *Desk) ClimbAgain(ctx context.Context, o *Opened) {
	if !o.Result.Pending() && !o.Result.InPart() {
		return
	}
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if c := d.climbs[o.Asset.ID]; c == nil || c.over() || c.wanted != wanted(o) {
		d.climb(d.making(ctx, o))
	}
}

// wanted names what is to be made.
func wanted(o *Opened) string { return fmt.Sprintf("%d %s", o.Revision.Number, o.Prep.JSON()) }

// making says what is to be made for an asset.
func (d *Desk) making(ctx context.Context, o *Opened) store.Making {
	return store.Making{Asset: o.Asset.ID, Name: o.Asset.Name, Wanted: wanted(o), Person: store.By(ctx),
		Bytes: bytesEach * int64(o.Result.Delivery.Scene.Count().Triangles)}
}

// climb begins; the lock is held. What is made is what the asset asks for when its turn comes.
func (d *Desk) climb(m store.Making) *Job {
	if old := d.climbs[m.Asset]; old != nil && old.job != nil {
		old.job.Cancel() // what it makes is wanted no more
	}
	d.keepMaking(m)
	c := &climb{wanted: m.Wanted}
	c.job = d.Jobs.Queue(Order{About: aboutLODs(m.Asset), Of: m.Wanted, Title: "LODs and shapes of " + m.Name,
		Person: m.Person, Bytes: m.Bytes,
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Beginning", 0)
			o, err := d.Open(ctx, m.Asset)
			if err != nil {
				return nil, err
			}
			_, err = d.make(ctx, o, job.Report)
			return nil, err
		},
		Again: func(ctx context.Context) (*Job, error) {
			o, err := d.Open(ctx, m.Asset)
			if err != nil {
				return nil, err
			}
			d.ClimbAgain(ctx, o)
			if next := d.Climbing(m.Asset); next != nil {
				return next, nil
			}
			return nil, fault.Input("nothing is left to be made of “%s”", o.Asset.Name)
		},
		Left: func(ended bool) {
			if ended && !d.stopped(m.Asset) {
				d.endMaking(m)
			} // else the next start goes on with it, or knows that it was stopped
		}})
	d.climbs[m.Asset] = c
	return c.job
}

// stopped tells whether somebody stopped what is made for an asset.
func (d *Desk) stopped(asset int64) bool {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	c := d.climbs[asset]
	return c != nil && c.stopped
}

// keepMaking and endMaking note what is to be made for the next start. Where that can't be noted the work goes on all
// the same: the page asks for it anew.
func (d *Desk) keepMaking(m store.Making) {
	if err := d.store.KeepMaking(context.Background(), m); err != nil {
		d.log.Warn("what is made is not noted", "asset", m.Asset, "error", err)
	}
}

func (d *Desk) endMaking(m store.Making) {
	if err := d.store.EndMaking(context.Background(), m.Asset, m.Wanted); err != nil {
		d.log.Warn("what was made is not noted", "asset", m.Asset, "error", err)
	}
}

// Resume goes on with what was being made when the program ended.
func (d *Desk) Resume(ctx context.Context) error {
	if err := d.settlePlacings(ctx); err != nil {
		return err
	}
	if err := d.resumeErrands(ctx); err != nil {
		return err
	}
	list, err := d.store.Makings(ctx)
	if err != nil {
		return err
	}
	d.climbing.Lock()
	defer d.climbing.Unlock()
	for _, m := range list {
		switch {
		case d.climbs[m.Asset] != nil: // a page was faster
		case m.Stopped:
			d.climbs[m.Asset] = &climb{wanted: m.Wanted, stopped: true}
		default:
			d.climb(m)
		}
	}
	return nil
}

// StopClimb stops making an asset's LODs.
func (d *Desk) StopClimb(asset int64) {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	c := d.climbs[asset]
	if c == nil || c.over() {
		return
	}
	c.stopped = true
	d.keepMaking(store.Making{Asset: asset, Wanted: c.wanted, Stopped: true})
	c.job.Cancel()
}

// Climbing is the job that makes an asset's LODs, nil when none does.
func (d *Desk) Climbing(asset int64) *Job {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if c := d.climbs[asset]; c != nil && !c.over() {
		d.Jobs.Look(c.job)
		return c.job
	}
	return nil
}

// ClimbEnded says why making an asset's LODs ended without them, "" when it did not.
func (d *Desk) ClimbEnded(asset int64) string {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	c := d.climbs[asset]
	if c == nil || c.job == nil && !c.stopped {
		return ""
	}
	if c.stopped {
		return "It was stopped."
	}
	switch s := c.job.State(); {
	case s.Stopped:
		return "It was stopped."
	case fault.KindOf(s.Err) != 0:
		return s.Err.Error()
	case s.Err != nil:
		return "It broke off; the log has the details."
	}
	return ""
}
