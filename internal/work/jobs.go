package work

import (
	"context"
	"crypto/rand"
	"log/slog"
	"slices"
	"sync"
	"time"

	"yarvek/core/fault"
	"yarvek/core/split"
)

// Jobs runs long work in the background and tells how far it is. It is safe for use by
// several goroutines.
type Jobs struct {
	log  *slog.Logger
	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	mu   sync.Mutex
	byID map[string]*Job
}

// NewJobs makes an empty runner. What breaks off is told to log.
func NewJobs(log *slog.Logger) *Jobs {
	ctx, stop := context.WithCancel(context.Background())
	return &Jobs{log: log, byID: map[string]*Job{}, ctx: ctx, stop: stop}
}

// Job is one piece of long work.
type Job struct {
	ID     string
	cancel context.CancelFunc

	mu    sync.Mutex
	state State     // what is shown of it
	ended time.Time // zero while it runs
	shown bool      // how it ended
}

// State is what a page shows of a job.
type State struct {
	ID      string
	About   string // what it works on, such as "kit 3"
	Of      string // what it makes, "" for nothing that others would make too
	Title   string
	Step    string
	Percent int
	Done    bool
	Stopped bool  // somebody stopped it; Outcome says how far it had come
	Err     error // why it broke off; a *fault.Error is for the person, nothing else is
	Outcome any   // what it gives, which may be part of it when it was stopped
}

// keep is how long an ended job can still be asked about.
const keep = 10 * time.Minute

// About lists the jobs that work on something, and those that ended and whose outcome nobody
// saw yet, so that a page that was left finds them again.
func (j *Jobs) About(about string) (ids []string) {
	j.mu.Lock()
	defer j.mu.Unlock()
	for id, job := range j.byID {
		if s := job.State(); s.About == about && !job.seen() {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return ids
}

// Seen notes that somebody was shown how the job ended.
func (job *Job) Seen() {
	job.mu.Lock()
	defer job.mu.Unlock()
	job.shown = job.shown || job.state.Done
}

func (job *Job) seen() bool {
	job.mu.Lock()
	defer job.mu.Unlock()
	return job.shown
}

// Start runs f in the background. f is to look at its context: when that ends it gives
// what was done until then, as its outcome.
func (j *Jobs) Start(about, title string, f func(ctx context.Context, job *Job) (any, error)) *Job {
	return j.StartOf(about, "", title, f)
}

// StartOf is Start for a job that is known by what it makes, too.
func (j *Jobs) StartOf(about, of, title string, f func(ctx context.Context, job *Job) (any, error)) *Job {
	ctx, cancel := context.WithCancel(j.ctx)
	job := &Job{ID: rand.Text(), cancel: cancel}
	job.state = State{ID: job.ID, About: about, Of: of, Title: title}
	j.mu.Lock()
	for id, old := range j.byID {
		if old.over(keep) {
			delete(j.byID, id)
		}
	}
	j.byID[job.ID] = job
	j.mu.Unlock()
	j.wg.Go(func() {
		defer cancel()
		out, err := guarded(ctx, job, f)
		if err != nil && fault.KindOf(err) == 0 && ctx.Err() == nil {
			j.log.Error("a job broke off", "job", title, "error", err)
		}
		job.end(out, err, ctx.Err() != nil)
	})
	return job
}

// guarded turns a panic in a job into its error; the server goes on.
func guarded(ctx context.Context, job *Job, f func(context.Context, *Job) (any, error)) (out any, err error) {
	defer func() {
		if p := split.Recovered(recover()); p != nil {
			err = p
		}
	}()
	return f(ctx, job)
}

// Find gives a job by its ID.
func (j *Jobs) Find(id string) (*Job, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	job, ok := j.byID[id]
	if !ok {
		return nil, ErrNotFound
	}
	return job, nil
}

// Close stops what is running and waits for it.
func (j *Jobs) Close() {
	j.stop()
	j.wg.Wait()
}

// Wait blocks until all jobs are done.
func (j *Jobs) Wait() { j.wg.Wait() }

// Report tells how far the job is; fraction is 0 to 1.
func (j *Job) Report(step string, fraction float64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Step, j.state.Percent = step, int(fraction*100)
}

// Cancel stops the job.
func (j *Job) Cancel() { j.cancel() }

// end records how the job came out.
func (j *Job) end(out any, err error, stopped bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Outcome, j.state.Err, j.state.Done, j.state.Stopped, j.state.Percent = out, err, true, stopped, 100
	j.ended = time.Now()
}

// over tells whether the job ended longer than d ago.
func (j *Job) over(d time.Duration) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.state.Done && time.Since(j.ended) > d
}

// State is the job as it is now.
func (j *Job) State() State {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.state
}
