package work

import (
	"context"
	"fmt"
	"sync/atomic"

	"yarvek/core/split"
	"yarvek/internal/store"
)

// LookLater looks at all assets of a kit, as a job, so that their summaries are kept, and has each drawn, too: the one
// that is at it already, if there is one. draw is called by several goroutines.
func (d *Desk) LookLater(ctx context.Context, kit Kit, draw func(context.Context, Row)) *Job {
	d.looking.Lock()
	defer d.looking.Unlock()
	about := fmt.Sprintf("look of kit %d", kit.ID)
	for _, s := range d.Jobs.All() {
		if j, err := d.Jobs.Find(s.ID); err == nil && s.About == about && !s.Done {
			return j
		}
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: about, Title: "Looking at " + kit.Name, Person: store.By(ctx),
		Bytes: bytesLooked,
		Run: func(ctx context.Context, job *Job) (any, error) {
			states, err := d.store.States(ctx, kit.ID)
			if err != nil {
				return nil, err
			}
			var done atomic.Int64
			return nil, split.Each(ctx, len(states), func(i int) {
				r := Row{State: states[i]}
				var err error
				if r.Summary, err = d.Summary(ctx, r.State); err == nil {
					draw(ctx, r)
				}
				job.Report(r.Asset.Name, float64(done.Add(1))/float64(len(states)))
			})
		}})
}
