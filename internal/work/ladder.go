package work

import (
	"context"
	"fmt"
	"slices"
)

// about names an asset's LODs among the jobs.
func aboutLODs(asset int64) string { return fmt.Sprintf("lods of asset %d", asset) }

// Climb has the LODs of an asset made in the background, and gives the job that does it: the one that
// is at it already, if there is one. It is nil when nothing is to be made.
func (d *Desk) Climb(o *Opened) *Job {
	if !o.Result.LODs.Pending {
		return nil
	}
	asset := o.Asset.ID
	d.climbing.Lock()
	defer d.climbing.Unlock()
	want := string(o.Prep.JSON())
	for _, id := range d.Jobs.About(aboutLODs(asset)) {
		if job, err := d.Jobs.Find(id); err == nil && !job.State().Done {
			if job.State().Of == want {
				return job
			}
			job.Cancel() // what it makes is wanted no more
		}
	}
	return d.Jobs.StartOf(aboutLODs(asset), want, "LODs of "+o.Asset.Name, func(ctx context.Context, job *Job) (any, error) {
		job.Report("Collapsing edges", 0)
		_, err := d.Made(ctx, o, func(f float64) {
			step := "Collapsing edges"
			if f > 0.8 {
				step = "Measuring what shows"
			}
			job.Report(step, f)
		})
		return nil, err
	})
}

// Climbing is the job that makes an asset's LODs, nil when none does or did lately.
func (d *Desk) Climbing(asset int64) *Job {
	ids := d.Jobs.About(aboutLODs(asset))
	slices.Sort(ids)
	for _, id := range ids {
		if job, err := d.Jobs.Find(id); err == nil && !job.State().Done {
			return job
		}
	}
	return nil
}
