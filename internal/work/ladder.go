package work

import (
	"context"
	"fmt"

	"yarvek/core/fault"
)

// aboutLODs names an asset's LODs among the jobs.
func aboutLODs(asset int64) string { return fmt.Sprintf("lods of asset %d", asset) }

// Climb has the LODs of an asset made in the background, and gives the job that does it: the one that
// is at it already, if there is one. It is nil when nothing is to be made, and when making just that
// ended without it; see [Desk.ClimbAgain].
func (d *Desk) Climb(o *Opened) *Job {
	if !o.Result.Pending() {
		return nil
	}
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if job := d.climbs[o.Asset.ID]; job != nil && job.State().Of == wanted(o) {
		if job.State().Done {
			return nil
		}
		return job
	}
	return d.climb(o)
}

// ClimbAgain is Climb for those who ask for it, whatever came of it before.
func (d *Desk) ClimbAgain(o *Opened) {
	if !o.Result.Pending() {
		return
	}
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if job := d.climbs[o.Asset.ID]; job == nil || job.State().Done || job.State().Of != wanted(o) {
		d.climb(o)
	}
}

// wanted names what is to be made.
func wanted(o *Opened) string { return fmt.Sprintf("%d %s", o.Revision.Number, o.Prep.JSON()) }

// climb begins; the lock is held.
func (d *Desk) climb(o *Opened) *Job {
	if old := d.climbs[o.Asset.ID]; old != nil {
		old.Cancel() // what it makes is wanted no more
	}
	job := d.Jobs.StartOf(aboutLODs(o.Asset.ID), wanted(o), "LODs and shapes of "+o.Asset.Name, func(ctx context.Context,
		job *Job) (any, error) {
		job.Report("Beginning", 0)
		_, err := d.Made(ctx, o, job.Report)
		return nil, err
	})
	d.climbs[o.Asset.ID] = job
	return job
}

// StopClimb stops making an asset's LODs.
func (d *Desk) StopClimb(asset int64) {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if job := d.climbs[asset]; job != nil {
		job.Cancel()
	}
}

// Climbing is the job that makes an asset's LODs, nil when none does.
func (d *Desk) Climbing(asset int64) *Job {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	if job := d.climbs[asset]; job != nil && !job.State().Done {
		return job
	}
	return nil
}

// ClimbEnded says why making an asset's LODs ended without them, "" when it did not.
func (d *Desk) ClimbEnded(asset int64) string {
	d.climbing.Lock()
	defer d.climbing.Unlock()
	job := d.climbs[asset]
	if job == nil {
		return ""
	}
	switch s := job.State(); {
	case s.Stopped:
		return "It was stopped."
	case fault.KindOf(s.Err) != 0:
		return s.Err.Error()
	case s.Err != nil:
		return "It broke off; the log has the details."
	}
	return ""
}
