package work

import (
	"context"
	"crypto/rand"
	"fmt"
	"sync"
	"time"
)

// Jobs runs long work in the background and tells how far it is.
type Jobs struct {
	mu   sync.Mutex
	byID map[string]*Job
	wg   sync.WaitGroup
	ctx  context.Context
	stop context.CancelFunc
}

// NewJobs makes an empty runner.
func NewJobs() *Jobs {
	ctx, stop := context.WithCancel(context.Background())
	return &Jobs{byID: map[string]*Job{}, ctx: ctx, stop: stop}
}

// Job is one piece of long work.
type Job struct {
	ID string

	mu       sync.Mutex
	title    string
	step     string
	fraction float64
	done     bool
	outcome  any
	err      error
	ended    time.Time
	cancel   context.CancelFunc
}

// State is what a page shows of a job.
type State struct {
	ID       string
	Title    string
	Step     string
	Percent  int
	Done     bool
	Canceled bool
	Err      error
	Outcome  any
}

// keep is how long an ended job can still be asked about.
const keep = 10 * time.Minute

// Start runs f in the background.
func (j *Jobs) Start(title string, f func(ctx context.Context, job *Job) (any, error)) *Job {
	ctx, cancel := context.WithCancel(j.ctx)
	job := &Job{ID: rand.Text(), title: title, cancel: cancel}
	j.mu.Lock()
	for id, old := range j.byID {
		if s := old.State(); s.Done && time.Since(old.endedAt()) > keep {
			delete(j.byID, id)
		}
	}
	j.byID[job.ID] = job
	j.mu.Unlock()
	j.wg.Go(func() {
		defer cancel()
		out, err := guarded(ctx, job, f)
		job.mu.Lock()
		defer job.mu.Unlock()
		job.outcome, job.err, job.done, job.fraction, job.ended = out, err, true, 1, time.Now()
	})
	return job
}

// guarded turns a panic in a job into its error; the server goes on.
func guarded(ctx context.Context, job *Job, f func(context.Context, *Job) (any, error)) (out any, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("the work broke off: %v", p)
		}
	}()
	return f(ctx, job)
}

// Find gives a job by its ID.
func (j *Jobs) Find(id string) (*Job, bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	job, ok := j.byID[id]
	return job, ok
}

// Close cancels what is running and waits for it.
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
	j.step, j.fraction = step, fraction
}

// Cancel ends the job early.
func (j *Job) Cancel() { j.cancel() }

func (j *Job) endedAt() time.Time {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.ended
}

// State is the job as it is now.
func (j *Job) State() State {
	j.mu.Lock()
	defer j.mu.Unlock()
	return State{ID: j.ID, Title: j.title, Step: j.step, Percent: int(j.fraction * 100), Done: j.done,
		Err: j.err, Outcome: j.outcome}
}
