package work

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/report"
)

// bench is a kit of several assets: sound ones, one far from its origin, and one that is damaged on the disk.
func bench(t *testing.T) (*Desk, Kit, []Asset) {
	t.Helper()
	d := desk(t, t.TempDir())
	k, err := d.NewKit(context.Background(), "Tern Point", target.Shipped[0].ID)
	require.NoError(t, err)
	far := "v 9000 0 0\nv 9001 0 0\nv 9000 1 0\nf 1 2 3\n"
	var list []Asset
	for i, text := range []string{tri, tri, far, far} {
		list = append(list, take(t, d, k, fmt.Sprintf("part %d.obj", i), text).Came[0].Asset)
	}
	return d, k, list
}

func ids(list []Asset) (out []int64) {
	for _, a := range list {
		out = append(out, a.ID)
	}
	return out
}

// What is done for many is what was previewed, asset by asset; one that somebody changed meanwhile stops no other; and
// it is undone as one, but where more was decided since.
func TestManyAreDoneAndUndoneAsOne(t *testing.T) {
	ctx := context.Background()
	d, k, list := bench(t)
	m := Many{Do: AsProposed, Assets: ids(list), Codes: nil}
	looked, err := d.Preview(ctx, k.ID, m, nil)
	require.NoError(t, err)
	require.Len(t, looked, 4)
	before := map[int64]string{}
	for i, x := range looked {
		p, err := d.Prep(ctx, x.Asset.ID)
		require.NoError(t, err)
		before[x.Asset.ID] = string(p.JSON())
		assert.Equal(t, list[i].ID, x.Asset.ID, "in the order they were given")
		assert.Empty(t, x.Why)
	}
	assert.True(t, looked[2].Changes(), "its pivot is seated")
	assert.NotEmpty(t, looked[2].Cells)
	assert.True(t, looked[2].Cells[0].Better)
	groups := Group(looked)
	require.NotEmpty(t, groups)

	done, err := d.DoMany(ctx, k.ID, m, nil)
	require.NoError(t, err)
	assert.Empty(t, done.Failed)
	for _, x := range looked {
		p, err := d.Prep(ctx, x.Asset.ID)
		require.NoError(t, err)
		assert.Equal(t, string(x.prep.JSON()), string(p.JSON()), "as was previewed")
	}
	require.NotZero(t, done.Round)
	last, err := d.LastRound(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, done.Round, last.ID)

	more := done.Changed[0].Asset.ID
	st, err := d.store.State(ctx, more)
	require.NoError(t, err)
	_, err = d.Decide(ctx, more, st.Asset.Changes, func(p *prep.Prep) error { p.Export.Format = "obj"; return nil })
	require.NoError(t, err)
	n, stay, err := d.UndoMany(ctx, k.ID, done.Round)
	require.NoError(t, err)
	assert.Equal(t, len(done.Changed)-1, n)
	assert.Equal(t, []int64{more}, stay)
	for _, x := range done.Changed[1:] {
		p, err := d.Prep(ctx, x.Asset.ID)
		require.NoError(t, err)
		assert.Equal(t, before[x.Asset.ID], string(p.JSON()))
	}
	_, _, err = d.UndoMany(ctx, k.ID, done.Round)
	assert.Error(t, err, "once")
	_, _, err = d.UndoMany(ctx, k.ID+1, done.Round)
	assert.Error(t, err, "of its own kit")
}

// A station's decisions are taken over from another asset; what finds nothing there is named. Class and preset too;
// what is none is refused.
func TestManyAsOnAnother(t *testing.T) {
	ctx := context.Background()
	d, k, list := bench(t)
	st, err := d.store.State(ctx, list[0].ID)
	require.NoError(t, err)
	o, err := d.Open(ctx, list[0].ID)
	require.NoError(t, err)
	key := o.Result.Source.Nodes[0].Key
	_, err = d.Decide(ctx, list[0].ID, st.Asset.Changes, func(p *prep.Prep) error {
		p.Source.Names = map[string]string{key: "stone"}
		p.Export.Format = "obj"
		return nil
	})
	require.NoError(t, err)
	looked, err := d.Preview(ctx, k.ID, Many{Do: AsOn, From: list[0].ID, Station: "export", Assets: ids(list[1:])}, nil)
	require.NoError(t, err)
	for _, x := range looked {
		assert.Equal(t, "obj", x.prep.Export.Format)
		assert.Empty(t, x.Misfit)
	}
	require.NoError(t, d.KeepPreset(ctx, k.ID, "Quay", export.Decisions{Format: "fbx"}))
	presets, err := d.Presets(ctx, k.ID)
	require.NoError(t, err)
	done, err := d.DoMany(ctx, k.ID, Many{Do: WithPreset, Preset: presets[0].ID, Assets: ids(list)}, nil)
	require.NoError(t, err)
	assert.Len(t, done.Changed, 4)
	class := target.Shipped[0].Classes[1].ID
	done, err = d.DoMany(ctx, k.ID, Many{Do: OfClass, Class: class, Assets: append(ids(list), 999)}, nil)
	require.NoError(t, err)
	assert.Len(t, done.Changed, 4, "one that is not the kit's is passed over")
	done, err = d.DoMany(ctx, k.ID, Many{Do: OfClass, Class: class, Assets: ids(list)}, nil)
	require.NoError(t, err)
	assert.Equal(t, 4, done.Same)
	assert.Zero(t, done.Round)
	for _, bad := range []Many{{Do: OfClass, Class: "unheard"}, {Do: "stone"}, {Do: WithPreset, Preset: 99},
		{Do: AsOn, From: list[0].ID, Station: "stone"}} {
		bad.Assets = ids(list)
		_, err := d.Preview(ctx, k.ID, bad, nil)
		assert.Error(t, err, "%+v", bad)
	}
}

// Many are sent one after the other: held ones are told and stop no other, and a convoy that is stopped says how far it
// came. The report of the kit says how each stands, and what got better since.
func TestManyAreSentAndReported(t *testing.T) {
	ctx := context.Background()
	d, k, list := bench(t)
	first, err := d.Report(ctx, k.ID, nil)
	require.NoError(t, err)
	require.Len(t, first.Assets, 4)
	assert.Equal(t, 2, first.Count(report.Held))
	assert.Equal(t, 2, first.Count(report.Sound))
	c, err := d.SendMany(ctx, k.ID, ids(list), nil, "", nil)
	require.NoError(t, err)
	require.Len(t, c.List, 4)
	for i, x := range c.List {
		assert.Equal(t, i >= 2, x.Held, x.Asset.Name)
		assert.Equal(t, i < 2, x.Sent != nil, x.Why)
	}
	second, err := d.Report(ctx, k.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, second.Count(report.Sent))
	_, err = d.DoMany(ctx, k.ID, Many{Do: AsProposed, Assets: ids(list)}, nil)
	require.NoError(t, err)
	third, err := d.Report(ctx, k.ID, nil)
	require.NoError(t, err)
	assert.Zero(t, third.Count(report.Held))
	better := 0
	for _, x := range report.Compare(second, third) {
		for _, l := range x.Better {
			if l == "held → sound" {
				better++
			}
		}
	}
	assert.Equal(t, 2, better)
	again, err := report.Parse(third.JSON())
	require.NoError(t, err)
	assert.Empty(t, report.Compare(third, again))
	stopped, stop := context.WithCancel(ctx)
	c, err = d.SendMany(stopped, k.ID, ids(list), nil, "", func(c Convoy) {
		if len(c.List) > 1 {
			stop()
		}
	})
	require.NoError(t, err)
	assert.Less(t, len(c.List), 4)
	assert.Equal(t, 4, c.All)
}

// Names by a pattern are decided where a node is called like that, and nothing where none is; proposals at one station
// leave the others alone.
func TestManyNamesAndOneStation(t *testing.T) {
	ctx := context.Background()
	d, k, list := bench(t)
	looked, err := d.Preview(ctx, k.ID, Many{Do: Renamed, Assets: ids(list), Match: "*", To: "rack_{rest}"}, nil)
	require.NoError(t, err)
	for _, x := range looked {
		assert.True(t, x.Changes(), x.Asset.Name)
	}
	looked, err = d.Preview(ctx, k.ID, Many{Do: Renamed, Assets: ids(list), Match: "nobody_#", To: "x"}, nil)
	require.NoError(t, err)
	for _, x := range looked {
		assert.False(t, x.Changes(), x.Asset.Name)
	}
	_, err = d.Preview(ctx, k.ID, Many{Do: Renamed, Assets: ids(list), Match: "", To: "x"}, nil)
	require.Error(t, err, "a pattern that is empty")

	far := []int64{list[2].ID}
	all, err := d.Preview(ctx, k.ID, Many{Do: AsProposed, Assets: far}, nil)
	require.NoError(t, err)
	stations := func(x Outlook) (list []string) {
		for _, in := range prep.Stations() {
			was, err := d.Prep(ctx, x.Asset.ID)
			require.NoError(t, err)
			a, err := was.Of(in.ID)
			require.NoError(t, err)
			b, err := x.prep.Of(in.ID)
			require.NoError(t, err)
			if fmt.Sprint(a) != fmt.Sprint(b) {
				list = append(list, in.ID)
			}
		}
		return list
	}
	require.NotEmpty(t, stations(all[0]))
	for _, in := range prep.Stations() {
		one, err := d.Preview(ctx, k.ID, Many{Do: AsProposed, Assets: far, At: in.ID}, nil)
		require.NoError(t, err)
		assert.Subset(t, []string{in.ID}, stations(one[0]), "at %s", in.ID)
	}
}

// Sending that was stopped goes on with those that were not sent.
func TestSendingGoesOn(t *testing.T) {
	ctx := context.Background()
	d, k, list := bench(t)
	var job *Job
	var s State
	for range 20 { // a busy machine may be through before it is stopped; what was sent then is sent again
		var err error
		job, err = d.SendManyLater(ctx, k.ID, ids(list), 0, "a trial")
		require.NoError(t, err)
		for job.State().Outcome == nil && !job.State().Done {
			time.Sleep(time.Millisecond)
		}
		job.Cancel()
		d.Jobs.Wait()
		if s = job.State(); s.Stopped && len(s.Outcome.(Convoy).List) < len(list) {
			break
		}
	}
	require.True(t, s.Stopped)
	first := s.Outcome.(Convoy).List
	require.Less(t, len(first), len(list))
	next, err := d.Jobs.Again(ctx, job.ID)
	require.NoError(t, err)
	d.Jobs.Wait()
	rest := next.State().Outcome.(Convoy).List
	var all []int64
	for _, x := range append(first, rest...) {
		assert.NotNil(t, x.Sent, x.Why)
		all = append(all, x.Asset.ID)
	}
	assert.Equal(t, ids(list), all, "each once")
}

// An asset that can't be read is said to be so, also to somebody who can't wait: it does not stay to be looked at.
func TestWhatCantBeReadIsNotLookedAtForGood(t *testing.T) {
	ctx := context.Background()
	d, k, _ := bench(t)
	u := d.NewUpload()
	require.NoError(t, u.Add("torn.obj", strings.NewReader("no mesh")))
	_, err := d.Bring(ctx, k.ID, "torn", u)
	require.NoError(t, err)
	over := time.Now().Add(-time.Second)
	_, rows, err := d.OverviewUntil(ctx, k.ID, over)
	require.NoError(t, err)
	assert.True(t, rows[4].Summary.Unlooked)
	d.LookLater(ctx, k, func(context.Context, Row) {})
	d.Jobs.Wait()
	_, rows, err = d.OverviewUntil(ctx, k.ID, over)
	require.NoError(t, err)
	for _, r := range rows {
		assert.False(t, r.Summary.Unlooked, r.Asset.Name)
	}
	assert.NotEmpty(t, rows[4].Summary.Unread)
}
