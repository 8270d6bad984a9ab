package work

import (
	"context"
	"fmt"
	"sync/atomic"

	"yarvek/core/split"
	"yarvek/internal/report"
	"yarvek/internal/store"
)

// Report is what is said of all assets of a kit, as its job gives it and commands compare it.
func (d *Desk) Report(ctx context.Context, kit int64, progress func(string, float64)) (report.Report, error) {
	k, states, last, err := d.store.Overview(ctx, kit)
	if err != nil {
		return report.Report{}, err
	}
	out := report.Report{Of: k.Name, Target: k.Target.Name, Assets: make([]report.Asset, len(states))}
	var done atomic.Int64
	err = split.Each(ctx, len(states), func(i int) {
		out.Assets[i] = d.reported(ctx, states[i], last)
		n := done.Add(1)
		if progress != nil {
			progress(states[i].Asset.Name, float64(n)/float64(len(states)))
		}
	})
	out.Sort()
	return out, err
}

// reported is what is said of one asset; it is kept with what else is derived of it.
func (d *Desk) reported(ctx context.Context, st store.State, last map[int64]store.Export) report.Asset {
	bare := report.Asset{File: st.Revision.Main, Name: st.Asset.Name, Status: report.Unread}
	if st.Harm != nil {
		bare.Error = st.Harm.Error()
		return bare
	}
	a, err := Derive(ctx, d.Derived, "reported", SummaryKey(st), func(ctx context.Context) (report.Asset, error) {
		o, err := d.open(ctx, st)
		if err != nil {
			return report.Asset{}, err
		}
		a := report.Asset{File: o.Revision.Main, Decided: o.Prep.Lines()}
		a.Judged(o.Result)
		a.Status = report.Sound
		if a.MustFix() > 0 {
			a.Status = report.Held
		}
		return a, ctx.Err()
	})
	if err != nil {
		s, _ := d.Summary(ctx, st) // words it
		bare.Error = s.Unread
		return bare
	}
	a.Name = st.Asset.Name
	if e, ok := last[st.Asset.ID]; ok && e.Harm == nil && a.Status == report.Sound {
		whole, err := d.Sent(ctx, e.ID)
		if err == nil && samePrep(st.Step.JSON, e.Prep) && st.Revision.Number == e.Revision && st.Kit.Target.Equal(e.Target) {
			a.Status, a.Less = report.Sent, whole.Certificate.Less()
			if !whole.Certificate.Arrived() {
				a.Status = report.Different
			}
			for _, f := range whole.Packing.Files {
				a.Files = append(a.Files, report.File{Name: f.Name, SHA: f.SHA, Size: f.Size})
			}
		}
	}
	return a
}

// ReportLater is Report as a job, whose outcome is a report.Report.
func (d *Desk) ReportLater(ctx context.Context, kit int64) (*Job, error) {
	k, err := d.store.Kit(ctx, kit)
	if err != nil {
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: fmt.Sprintf("report of kit %d", kit), Title: "Report of " + k.Name,
		Person: store.By(ctx), Bytes: bytesLooked,
		Run:   func(ctx context.Context, job *Job) (any, error) { return d.Report(ctx, kit, job.Report) },
		Again: func(ctx context.Context) (*Job, error) { return d.ReportLater(ctx, kit) }}), nil
}
