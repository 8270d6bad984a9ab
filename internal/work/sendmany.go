package work

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/fault"
	"yarvek/internal/store"
)

// Looked is what something would change for many, as its job gives it.
type Looked struct {
	Many Many
	List []Outlook
}

// PreviewLater is Preview as a job, whose outcome is a Looked.
func (d *Desk) PreviewLater(ctx context.Context, kit int64, m Many) (*Job, error) {
	if len(m.Assets) == 0 {
		return nil, fault.Input("nothing is marked").Advise("Mark assets in the list first")
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: fmt.Sprintf("many of kit %d", kit), Of: "preview",
		Title: "Looking at “" + m.Title() + "”", Person: store.By(ctx), Bytes: bytesLooked,
		Run: func(ctx context.Context, job *Job) (any, error) {
			list, err := d.Preview(ctx, kit, m, job.Report)
			return Looked{m, list}, err
		},
		Again: func(ctx context.Context) (*Job, error) { return d.PreviewLater(ctx, kit, m) }}), nil
}

// bytesLooked is what looking at many is weighed at: they are opened a few at a time.
const bytesLooked = 512 << 20

// DoLater is DoMany as a job, whose outcome is a Done.
func (d *Desk) DoLater(ctx context.Context, kit int64, m Many) (*Job, error) {
	return d.undertake(ctx, kit, errand{Do: &m}, d.doing(ctx, kit, m))
}

// doing is the order of DoLater.
func (d *Desk) doing(ctx context.Context, kit int64, m Many) Order {
	as := asker(ctx)
	return Order{Lane: Arriving, About: fmt.Sprintf("many of kit %d", kit), Of: "done", Title: m.Title(),
		Person: store.By(ctx), Bytes: bytesLooked,
		Run: func(ctx context.Context, job *Job) (any, error) {
			return d.doMany(as(ctx), kit, m, job.ID, job.Report)
		},
		Again: func(ctx context.Context) (*Job, error) { return d.DoLater(ctx, kit, m) }}
}

// asker gives a context the person who asks for something, and from where.
func asker(ctx context.Context) func(context.Context) context.Context {
	by, from := store.By(ctx), store.Address(ctx)
	return func(ctx context.Context) context.Context { return store.As(store.From(ctx, from), by) }
}

// SentOne is what became of one of many that were sent.
type SentOne struct {
	Asset Asset
	Sent  *Sent  // nil where it was not
	Held  bool   // something must be fixed first
	Why   string // it was not sent, "" otherwise
}

// Convoy is how far the sending of many is, and what came of it. It is the outcome of its job, also of one that was
// stopped: those that were not come to are not in it.
type Convoy struct {
	All  int
	List []SentOne
	Now  string // the asset that is being sent, "" for none
}

// Newest are those that were come to, the last first.
func (c Convoy) Newest() []SentOne {
	list := slices.Clone(c.List)
	slices.Reverse(list)
	return list
}

// left are those of a list that were not sent.
func (c Convoy) left(assets []int64) []int64 {
	sent := map[int64]bool{}
	for _, x := range c.List {
		sent[x.Asset.ID] = x.Sent != nil
	}
	return slices.DeleteFunc(slices.Clone(assets), func(id int64) bool { return sent[id] })
}

// SendMany sends assets of a kit one after the other, each as it is decided, or first decided as by a preset; reason is
// why those may leave of which something must be fixed, "" to have them held. One that can't be sent stops no other.
// progress, which may be nil, is told how far it is; the list it is given is not to be kept.
func (d *Desk) SendMany(ctx context.Context, kit int64, assets []int64, by *Many, reason string,
	progress func(Convoy)) (Convoy, error) {
	if by != nil {
		if _, err := d.DoMany(ctx, kit, *by, nil); err != nil {
			return Convoy{}, err
		}
	}
	states, err := d.store.States(ctx, kit)
	if err != nil {
		return Convoy{}, err
	}
	of := map[int64]store.State{}
	for _, s := range states {
		of[s.Asset.ID] = s
	}
	out := Convoy{All: len(assets)}
	for _, id := range assets {
		if out.Now = ""; ctx.Err() != nil {
			return out, nil // stopped: what was sent is sent
		}
		st, ok := of[id]
		if !ok {
			continue
		}
		if progress != nil {
			out.Now = st.Asset.Name
			progress(out)
		}
		one := SentOne{Asset: st.Asset}
		sent, err := d.send(ctx, id, Leave{Reason: reason}, nil)
		switch {
		case ctx.Err() != nil:
			return out, nil
		case err == nil:
			one.Sent = &sent
		default:
			one.Why = "it broke off; the log has the details"
			if fault.KindOf(err) != 0 {
				one.Why = err.Error()
			} else {
				d.log.Error("one of many was not sent", "asset", id, "error", err)
			}
			if o, err := d.Open(ctx, id); err == nil {
				one.Held = o.Result.Export.Held > 0
			}
		}
		out.List = append(out.List, one)
	}
	out.Now = ""
	return out, nil
}

// SendManyLater is SendMany as a job, whose outcome is a Convoy.
func (d *Desk) SendManyLater(ctx context.Context, kit int64, assets []int64, preset int64, reason string) (*Job,
	error) {
	if len(assets) == 0 {
		return nil, fault.Input("nothing is marked").Advise("Mark assets in the list first")
	}
	s := sending{assets, preset, reason}
	o, err := d.convoy(ctx, kit, s)
	if err != nil {
		return nil, err
	}
	return d.undertake(ctx, kit, errand{Send: &s}, o)
}

// sending is many assets that are to be sent; preset is 0 where each goes as it is decided.
type sending struct {
	Assets []int64
	Preset int64
	Reason string
}

// convoy is the order of SendManyLater.
func (d *Desk) convoy(ctx context.Context, kit int64, s sending) (Order, error) {
	var by *Many
	title := "Sending as decided"
	if s.Preset != 0 {
		x, err := d.Preset(ctx, kit, s.Preset)
		if err != nil {
			return Order{}, err
		}
		by = &Many{Do: WithPreset, Assets: s.Assets, Preset: s.Preset}
		title = "Sending with “" + x.Name + "”"
	}
	as := asker(ctx)
	var went Convoy
	return Order{Lane: Long, About: fmt.Sprintf("many of kit %d", kit), Of: "sent", Title: title,
		Person: store.By(ctx), Bytes: bytesLooked,
		Run: func(ctx context.Context, job *Job) (_ any, err error) {
			went, err = d.SendMany(as(ctx), kit, s.Assets, by, s.Reason, func(c Convoy) {
				c.List = slices.Clone(c.List)
				job.Show(c)
				job.Report(c.Now, float64(len(c.List))/float64(max(1, c.All)))
			})
			return went, err
		},
		Again: func(ctx context.Context) (*Job, error) {
			return d.SendManyLater(ctx, kit, went.left(s.Assets), s.Preset, s.Reason)
		}}, nil
}
