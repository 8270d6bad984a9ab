package work

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/core/process/ladder"
	"yarvek/core/station/lods"
	"yarvek/internal/store"
)

// said is a log that can be read.
type said struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *said) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *said) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// A job that panics or fails ends with that, the server goes on, and the log has it.
// What is only the person's to mend is no matter for the log.
func TestWhatBreaksOffIsLogged(t *testing.T) {
	var out said
	j := NewJobs(slog.New(slog.NewTextHandler(&out, nil)))
	run := func(title string, f func(context.Context, *Job) (any, error)) State {
		job := j.Queue(Order{Title: title, Run: f})
		j.Wait()
		return job.State()
	}
	s := run("Falling", func(context.Context, *Job) (any, error) { panic("over the edge") })
	assert.True(t, s.Done)
	assert.False(t, s.Stopped)
	assert.ErrorContains(t, s.Err, "over the edge")
	assert.Contains(t, out.String(), "Falling")
	assert.Contains(t, out.String(), "jobs_test.go", "with the place")
	s = run("Failing", func(context.Context, *Job) (any, error) { return nil, errors.New("no such luck") })
	assert.ErrorContains(t, s.Err, "no such luck")
	assert.Contains(t, out.String(), "no such luck")
	run("Refusing", func(context.Context, *Job) (any, error) { return nil, fault.Input("give it a name") })
	assert.NotContains(t, out.String(), "Refusing")
	s = run("Working", func(context.Context, *Job) (any, error) { return 7, nil })
	assert.Equal(t, State{ID: s.ID, Title: "Working", Begun: s.Begun, Ended: s.Ended, Done: true, Percent: 100,
		Outcome: 7}, s)
	assert.False(t, s.Ended.Before(s.Begun) || s.Begun.IsZero())
	_, err := j.Find("nowhere")
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestAStoppedJobSaysSo(t *testing.T) {
	j := NewJobs(slog.New(slog.DiscardHandler))
	started := make(chan struct{})
	job := j.Queue(Order{Title: "Counting", Run: func(ctx context.Context, job *Job) (any, error) {
		job.Report("halfway", .5)
		close(started)
		<-ctx.Done()
		return "as far as it came", nil
	}})
	<-started
	found, err := j.Find(job.ID)
	require.NoError(t, err)
	now := found.State()
	assert.False(t, now.Begun.IsZero())
	now.Begun = time.Time{}
	assert.Equal(t, State{ID: job.ID, Title: "Counting", Step: "halfway", Percent: 50}, now)
	job.Cancel()
	j.Wait()
	s := job.State()
	assert.True(t, s.Done && s.Stopped)
	assert.Equal(t, "as far as it came", s.Outcome)
	// Closing stops what runs, and waits for it.
	var ended bool
	started = make(chan struct{})
	j.Queue(Order{Title: "Waiting", Run: func(ctx context.Context, _ *Job) (any, error) {
		close(started)
		<-ctx.Done()
		ended = true
		return nil, ctx.Err()
	}})
	<-started
	j.Close()
	assert.True(t, ended)
}

// A stopped intake keeps what had come in, and names what was not come to.
func TestAStoppedIntakeSaysHowFarItCame(t *testing.T) {
	d := desk(t, t.TempDir())
	k := kit(t, d)
	u := d.NewUpload()
	for i := range 6 {
		require.NoError(t, u.Add(fmt.Sprintf("plank %d.obj", i), strings.NewReader(tri)))
	}
	ctx, cancel := context.WithCancel(context.Background())
	job := &Job{cancel: cancel}
	// It is stopped while the third is being read.
	stopping := &stopAt{Job: job, step: "Reading plank 2.obj", cancel: cancel}
	out, err := d.takeIn(ctx, k.ID, u, stopping)
	require.NoError(t, err)
	assert.Len(t, out.Came, 2)
	assert.Equal(t, []string{"plank 2.obj", "plank 3.obj", "plank 4.obj", "plank 5.obj"}, out.Unread)
	assert.Equal(t, k.ID, out.Kit.ID)
	list, err := d.Assets(context.Background(), k.ID)
	require.NoError(t, err)
	assert.Len(t, list, 2, "what is said is what is there")
}

// stopAt stops a job at a step.
type stopAt struct {
	*Job
	step   string
	cancel func()
}

func (s *stopAt) Report(step string, fraction float64) {
	if step == s.step {
		s.cancel()
	}
}

// full is a disk that takes so many bytes and no more.
type full struct{ left int }

func (f *full) Read(p []byte) (int, error) {
	if f.left <= 0 {
		return 0, syscall.ENOSPC
	}
	n := min(len(p), f.left)
	f.left -= n
	return n, nil
}

// A zip that can't be unpacked is told from a disk that can't be written.
func TestAFullDiskIsNoFaultOfTheZip(t *testing.T) {
	w := &watched{r: &full{left: 10}}
	_, err := io.ReadAll(w)
	require.ErrorIs(t, err, syscall.ENOSPC)
	assert.ErrorIs(t, w.err, syscall.ENOSPC, "what could not be read")
	w = &watched{r: strings.NewReader("sound")}
	_, err = io.ReadAll(w)
	require.NoError(t, err)
	assert.NoError(t, w.err, "an end is no fault")

	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	u := d.NewUpload()
	packed := zipped(t, "a.obj", tri)
	sha, n, err := s.PutBlob(strings.NewReader(packed))
	require.NoError(t, err)
	require.NoError(t, s.Close())
	blockFolder(t, dir)
	err = u.unzip("a.zip", sha, n)
	require.Error(t, err, "the upload as a whole can't go on")
	assert.Zero(t, fault.KindOf(err))
	assert.Empty(t, u.Refused, "and the zip is not to blame")
}

// queued is an order that runs until it is let go, and notes when it began.
type queued struct {
	began chan string
	leave chan struct{}
}

func (q *queued) order(title, person string, bytes int64) Order {
	return Order{Title: title, Person: person, Bytes: bytes, Run: func(ctx context.Context, _ *Job) (any, error) {
		q.began <- title
		select {
		case <-q.leave:
		case <-ctx.Done():
		}
		return nil, ctx.Err()
	}}
}

// A job that was stopped or broke off is begun again, once, whatever many ask for it; one that is done is not, and
// neither is one that says no way to.
func TestJobsAreBegunAgain(t *testing.T) {
	q := &queued{make(chan string, 99), make(chan struct{})}
	j := NewJobs(slog.New(slog.DiscardHandler))
	defer j.Close()
	var order func() Order
	order = func() Order {
		o := q.order("hulls", "Ana", 1)
		o.Again = func(context.Context) (*Job, error) { return j.Queue(order()), nil }
		return o
	}
	first := j.Queue(order())
	<-q.began
	_, err := j.Again(context.Background(), first.ID)
	assert.Equal(t, fault.Invalid, fault.KindOf(err), "it runs")
	first.Cancel()
	j.Wait()
	require.True(t, first.State().Repeats)
	next, err := j.Again(context.Background(), first.ID)
	require.NoError(t, err)
	same, err := j.Again(context.Background(), first.ID)
	require.NoError(t, err)
	assert.Same(t, next, same)
	assert.False(t, first.State().Repeats, "it is offered no more")
	<-q.began
	assert.Empty(t, q.began)
	close(q.leave)
	j.Wait()
	assert.False(t, next.State().Repeats, "it is done")
	_, err = j.Again(context.Background(), next.ID)
	assert.Equal(t, fault.Invalid, fault.KindOf(err))

	torn := func(context.Context, *Job) (any, error) { return nil, errors.New("torn") }
	plain := j.Queue(Order{Title: "reading", Run: torn})
	j.Wait()
	_, err = j.Again(context.Background(), plain.ID)
	assert.Equal(t, fault.Invalid, fault.KindOf(err))
	_, err = j.Again(context.Background(), "nobody knows")
	assert.ErrorIs(t, err, ErrNotFound)
}

// No more jobs run at once than there is room for, by number and by memory; they come in turn, fairly between people,
// and one that a page waits for comes first.
func TestJobsWaitForTheirTurn(t *testing.T) {
	q := &queued{make(chan string, 99), make(chan struct{})}
	j := NewJobs(slog.New(slog.DiscardHandler))
	defer j.Close()
	j.slots = [lanes]int{Long: 1, Arriving: 2}
	step := func() string { q.leave <- struct{}{}; return <-q.began }

	first := j.Queue(q.order("a1", "Ana", 1))
	assert.Equal(t, "a1", <-q.began)
	var jobs []*Job
	for _, title := range []string{"a2", "a3", "a4"} {
		jobs = append(jobs, j.Queue(q.order(title, "Ana", 1)))
	}
	j.Queue(q.order("b1", "Bo", 1))
	assert.Empty(t, q.began, "one at a time")
	assert.True(t, jobs[0].State().Waiting)
	_, err := j.Find(jobs[1].ID)
	require.NoError(t, err)
	assert.Equal(t, 2, jobs[1].State().Ahead)
	assert.Equal(t, []string{"a1", "a2", "a3", "a4", "b1"}, titles(j))

	assert.Equal(t, "a3", step(), "a page waits for it")
	jobs[0].Cancel()
	assert.Eventually(t, func() bool { return jobs[0].State().Done }, time.Minute, time.Millisecond)
	assert.True(t, jobs[0].State().Stopped)
	assert.False(t, first.State().Stopped)
	j.mu.Lock()
	for _, w := range j.byID {
		w.asked = time.Time{}
	}
	j.mu.Unlock()
	assert.Equal(t, "a4", step(), "the oldest, where nobody has more running than another")
	assert.Equal(t, "b1", step())
	q.leave <- struct{}{}
	j.Wait()

	// Fairly, where there is room for two.
	j.slots[Long] = 2
	j.Queue(q.order("a1", "Ana", 1))
	j.Queue(q.order("a2", "Ana", 1))
	j.Queue(q.order("a3", "Ana", 1))
	j.Queue(q.order("b1", "Bo", 1))
	<-q.began
	<-q.began
	assert.Equal(t, "b1", step(), "Ana has one running")
	assert.Equal(t, "a3", step())
	close(q.leave)
	j.Wait()

	// By memory.
	q = &queued{make(chan string, 99), make(chan struct{})}
	j.slots[Long], j.memory = 8, 100
	j.Queue(q.order("huge", "", 500))
	assert.Equal(t, "huge", <-q.began, "one that is heavier than allowed runs alone")
	j.Queue(q.order("small", "", 1))
	j.Queue(q.order("half", "", 60))
	j.Queue(q.order("other half", "", 60))
	assert.Empty(t, q.began)
	q.leave <- struct{}{}
	assert.Equal(t, map[string]bool{"small": true, "half": true}, map[string]bool{<-q.began: true, <-q.began: true})
	assert.Empty(t, q.began)
	close(q.leave)
	j.Wait()
}

func titles(j *Jobs) (list []string) {
	for _, s := range j.All() {
		list = append(list, s.Title)
	}
	return list
}

// Many assets opened at once start one making at a time; what was being made when the program ended goes on at the
// next start, and what somebody stopped does not.
func TestMakingsGoOnAtTheNextStart(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	d := New(s, DefaultLimits, nil)
	d.Jobs.slots[Long] = 1
	hold := make(chan struct{})
	d.Jobs.Queue(Order{Title: "before all", Run: func(ctx context.Context, _ *Job) (any, error) {
		select {
		case <-hold:
		case <-ctx.Done():
		}
		return nil, nil
	}})
	k := kit(t, d)
	var opened []*Opened
	for i := range 4 {
		a, err := d.store.NewAsset(ctx, k.ID, fmt.Sprint("sphere ", i), "a.obj", keptBlobs(t, d, "a.obj", large(i)))
		require.NoError(t, err)
		_, err = d.Decide(ctx, a.ID, 0, func(p *prep.Prep) error {
			p.LODs.Levels = []lods.Level{{Wish: ladder.Wish{Share: .3}}}
			return nil
		})
		require.NoError(t, err)
		o, err := d.Open(ctx, a.ID)
		require.NoError(t, err)
		require.True(t, o.Result.Pending(), "it is large enough to wait for")
		require.NotNil(t, d.Climb(ctx, o))
		opened = append(opened, o)
	}
	assert.Len(t, d.Jobs.All(), 5)
	d.StopClimb(opened[1].Asset.ID)
	assert.Equal(t, "It was stopped.", d.ClimbEnded(opened[1].Asset.ID))
	_, err = d.Remove(ctx, opened[3].Asset.ID, true)
	require.NoError(t, err)
	d.Close() // with all but one waiting
	require.NoError(t, s.Close())

	s, err = store.Open(dir)
	require.NoError(t, err)
	d = New(s, DefaultLimits, nil)
	t.Cleanup(func() { d.Close(); _ = s.Close() })
	require.NoError(t, d.Resume(ctx))
	assert.NotNil(t, d.Climbing(opened[0].Asset.ID))
	assert.NotNil(t, d.Climbing(opened[2].Asset.ID))
	assert.Nil(t, d.Climbing(opened[1].Asset.ID), "it was stopped")
	assert.Nil(t, d.Climbing(opened[3].Asset.ID), "the asset was removed")
	assert.Equal(t, "It was stopped.", d.ClimbEnded(opened[1].Asset.ID))
	assert.Nil(t, d.Climb(ctx, opened[1]), "nobody asked for it again")
	d.Jobs.Wait()
	o, err := d.Open(ctx, opened[0].Asset.ID)
	require.NoError(t, err)
	assert.False(t, o.Result.Pending(), "it was made")
	left, err := s.Makings(ctx)
	require.NoError(t, err)
	require.Len(t, left, 1)
	assert.True(t, left[0].Stopped)
	o, err = d.Open(ctx, opened[1].Asset.ID)
	require.NoError(t, err)
	d.ClimbAgain(ctx, o)
	d.Jobs.Wait()
	left, err = s.Makings(ctx)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// large is a mesh whose LODs take long enough to wait for.
func large(seed int) string { return waves(80, seed) }

// waves is a mesh of n by n points.
func waves(n, seed int) string {
	var b strings.Builder
	for i := range n * n {
		x, y := i%n, i/n
		fmt.Fprintf(&b, "v %d %d %g\n", x, y, 3*math.Sin(float64(x+seed)/9)*math.Cos(float64(y)/7))
	}
	for y := range n - 1 {
		for x := range n - 1 {
			a := y*n + x + 1
			fmt.Fprintf(&b, "f %d %d %d %d\n", a, a+1, a+n+1, a+n)
		}
	}
	return b.String()
}

// keptBlobs keeps a file and gives it as a list.
func keptBlobs(t *testing.T, d *Desk, name, text string) []store.File {
	t.Helper()
	sha, n, err := d.store.PutBlob(strings.NewReader(text))
	require.NoError(t, err)
	return []store.File{{Name: name, SHA: sha, Size: n}}
}
