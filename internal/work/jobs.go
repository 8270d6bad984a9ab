package work

import (
	"context"
	"crypto/rand"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"time"

	"yarvek/core/fault"
	"yarvek/core/split"
)

// Lane is what sort of work a job is. Each has so many that run at once.
type Lane int

// The lanes.
const (
	// Long is what pages don't wait for: LODs, hulls, pictures, exports of what is not made yet, backups. As many run
	// at once as there are processors less one, so that one is left to pages.
	Long Lane = iota
	// Arriving is what comes in, which somebody waits for: as many run as there are processors.
	Arriving
	lanes
)

// JobMemory is what the jobs that run at once may take together, in bytes, by what each is weighed at. One that is
// heavier runs alone.
const JobMemory = 3 << 30

// Order is a job that is asked for.
type Order struct {
	ID     string // "" for a new one
	Lane   Lane
	About  string // what it works on, such as "kit 3"
	Of     string // what it makes, "" for nothing that others would make too
	Title  string
	Person string // who asked for it, "" for nobody in particular
	Bytes  int64  // of memory it is thought to take
	// Run does it. It is to look at its context: when that ends it gives what was done until then, as its outcome.
	Run func(ctx context.Context, job *Job) (any, error)
	// Left, which may be nil, is told when the job ended or was taken off the queue; ended is false where the program
	// ended meanwhile, so that it is to be begun again at the next start.
	Left func(ended bool)
	// Again, which may be nil, orders the same anew: of one that was stopped or broke off, what is left to do.
	Again func(ctx context.Context) (*Job, error)
}

// Jobs is the one queue of long work. It runs jobs in the background, as many as the machine has room for, and tells
// how far they are. Of those that wait, one that a page is waiting for goes first, then one of the person who has
// fewest running, then the oldest. It is safe for use by several goroutines.
type Jobs struct {
	log    *slog.Logger
	ctx    context.Context
	stop   context.CancelFunc
	wg     sync.WaitGroup
	slots  [lanes]int
	memory int64

	mu      sync.Mutex
	byID    map[string]*Job
	waiting []*Job // in the order they came
	running []*Job
	quiet   *time.Timer // gives jobs back the processor that pages were left; nil while they have all
}

// NewJobs makes an empty queue. What breaks off is told to log.
func NewJobs(log *slog.Logger) *Jobs {
	ctx, stop := context.WithCancel(context.Background())
	n := runtime.GOMAXPROCS(0)
	return &Jobs{log: log, byID: map[string]*Job{}, ctx: ctx, stop: stop, memory: JobMemory,
		slots: [lanes]int{Long: max(1, n-1), Arriving: n}}
}

// Job is one piece of long work.
type Job struct {
	ID     string
	order  Order
	ctx    context.Context
	cancel context.CancelFunc

	mu    sync.Mutex
	state State     // what is shown of it
	asked time.Time // when a page last asked how far it is
	ended time.Time // zero while it runs
	shown bool      // how it ended

	again sync.Mutex // held while it is begun again
	next  *Job       // the one that was begun in its place
}

// State is what a page shows of a job.
type State struct {
	ID      string
	About   string // what it works on, such as "kit 3"
	Of      string // what it makes, "" for nothing that others would make too
	Title   string
	Person  string    // who asked for it, "" for nobody in particular
	Begun   time.Time // zero while it waits
	Ended   time.Time // zero while it is under way
	Step    string
	Percent int
	Waiting bool // for its turn
	Ahead   int  // how many were before it when it was last looked at, those that run among them
	Done    bool
	Stopped bool  // somebody stopped it; Outcome says how far it had come
	Repeats bool  // it ended before it was done, and can be begun again; see [Jobs.Again]
	Err     error // why it broke off; a *fault.Error is for the person, nothing else is
	Outcome any   // what it gives, which may be part of it when it was stopped
}

// keep is how long an ended job can still be asked about.
const keep = 10 * time.Minute

// lookedAt is how long a page that asked for a job is thought to wait for it.
const lookedAt = 5 * time.Second

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

// Queue takes an order. It runs as soon as there is room and it is its turn.
func (j *Jobs) Queue(o Order) *Job {
	ctx, cancel := context.WithCancel(j.ctx)
	job := jobOf(o)
	job.ctx, job.cancel = ctx, cancel
	job.state.Waiting = true
	j.mu.Lock()
	defer j.mu.Unlock()
	for id, old := range j.byID {
		if old.over(keep) {
			delete(j.byID, id)
		}
	}
	j.byID[job.ID] = job
	j.waiting = append(j.waiting, job)
	j.wg.Add(1)
	context.AfterFunc(ctx, func() { j.leave(job) }) // one that is stopped while it waits is waited for by nobody
	j.next()
	return job
}

// jobOf is the job of an order, before it is queued.
func jobOf(o Order) *Job {
	if o.ID == "" {
		o.ID = rand.Text()
	}
	return &Job{ID: o.ID, order: o,
		state: State{ID: o.ID, About: o.About, Of: o.Of, Title: o.Title, Person: o.Person}}
}

// Broken lists an order as a job that broke off by err and can be begun again.
func (j *Jobs) Broken(o Order, err error) {
	job := jobOf(o)
	job.ctx, job.cancel = context.WithCancel(j.ctx)
	job.cancel()
	job.end(nil, err, false)
	j.mu.Lock()
	defer j.mu.Unlock()
	j.byID[job.ID] = job
}

// leave takes a job off the queue that was stopped before its turn came.
func (j *Jobs) leave(job *Job) {
	j.mu.Lock()
	defer j.mu.Unlock()
	i := slices.Index(j.waiting, job)
	if i < 0 {
		return
	}
	j.waiting = slices.Delete(j.waiting, i, i+1)
	job.end(nil, nil, true)
	j.left(job)
	j.next()
}

// left tells that a job is off the queue; the lock is held.
func (j *Jobs) left(job *Job) {
	ended := j.ctx.Err() == nil
	if job.order.Left != nil {
		go func() { defer j.wg.Done(); job.order.Left(ended) }()
		return
	}
	j.wg.Done()
}

// next begins what there is room for; the lock is held.
func (j *Jobs) next() {
	for {
		job := j.choose()
		if job == nil {
			return
		}
		j.waiting = slices.DeleteFunc(j.waiting, func(w *Job) bool { return w == job })
		j.running = append(j.running, job)
		job.begin()
		go j.run(job)
	}
}

// choose is the job that is to run next, nil for none; the lock is held.
func (j *Jobs) choose() *Job {
	var used int64
	var busy [lanes]int
	of := map[string]int{}
	for _, r := range j.running {
		used += r.order.Bytes
		busy[r.order.Lane]++
		of[r.order.Person]++
	}
	var best *Job
	now := time.Now()
	for _, w := range j.waiting {
		o := w.order
		if busy[o.Lane] >= j.slots[o.Lane] || len(j.running) > 0 && used+o.Bytes > j.memory {
			continue
		}
		switch { // those before it in the list are older
		case best == nil, w.awaited(now) && !best.awaited(now):
			best = w
		case w.awaited(now) == best.awaited(now) && of[o.Person] < of[best.order.Person]:
			best = w
		}
	}
	return best
}

// run does a job.
func (j *Jobs) run(job *Job) {
	defer job.cancel()
	out, err := guarded(job.ctx, job, job.order.Run)
	if err != nil && fault.KindOf(err) == 0 && job.ctx.Err() == nil {
		j.log.Error("a job broke off", "job", job.order.Title, "error", err)
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	job.end(out, err, job.ctx.Err() != nil)
	j.running = slices.DeleteFunc(j.running, func(r *Job) bool { return r == job })
	j.left(job)
	j.next()
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

// leftTo is how long after a request jobs leave a processor to pages.
const leftTo = 2 * time.Second

// GiveWay is called when somebody asks for a page: for a while, jobs that run leave a processor to it.
func (j *Jobs) GiveWay() {
	j.mu.Lock()
	defer j.mu.Unlock()
	if len(j.running) == 0 {
		return
	}
	if j.quiet != nil {
		j.quiet.Reset(leftTo)
		return
	}
	split.Leave(1)
	j.quiet = time.AfterFunc(leftTo, func() {
		j.mu.Lock()
		defer j.mu.Unlock()
		j.quiet = nil
		split.Leave(0)
	})
}

// Lately lists what runs and waits, and what ended in the last while, the newest last; what can be begun again is told
// nine times as long.
func (j *Jobs) Lately(while time.Duration) []State {
	list := j.All()
	j.mu.Lock()
	defer j.mu.Unlock()
	var over []State
	for _, job := range j.byID {
		if s := job.State(); s.Done && (time.Since(s.Ended) < while || s.Repeats && time.Since(s.Ended) < 9*while) {
			over = append(over, s)
		}
	}
	slices.SortFunc(over, func(a, b State) int { return a.Ended.Compare(b.Ended) })
	return append(list, over...)
}

// All lists what waits and what runs, those that run first, in the order they came.
func (j *Jobs) All() (list []State) {
	j.mu.Lock()
	defer j.mu.Unlock()
	for _, job := range slices.Concat(j.running, j.waiting) {
		list = append(list, job.State())
	}
	return list
}

// Find gives a job by its ID, and notes that it was asked for.
func (j *Jobs) Find(id string) (*Job, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	job, ok := j.byID[id]
	if !ok {
		return nil, ErrNotFound
	}
	j.look(job)
	return job, nil
}

// Again begins one again that was stopped or broke off, for the person who asks for it. It is begun again once: later
// ones are given the same job.
func (j *Jobs) Again(ctx context.Context, id string) (*Job, error) {
	job, err := j.Find(id)
	if err != nil {
		return nil, err
	}
	job.again.Lock()
	defer job.again.Unlock()
	if job.next != nil {
		return job.next, nil
	}
	if !job.State().Repeats {
		return nil, fault.Input("“%s” can’t be begun again from here", job.order.Title)
	}
	if job.next, err = job.order.Again(ctx); err != nil {
		return nil, err
	}
	job.Seen()
	job.mu.Lock()
	defer job.mu.Unlock()
	job.state.Repeats = false
	return job.next, nil
}

// Look notes that a page waits for a job.
func (j *Jobs) Look(job *Job) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.look(job)
}

// look notes that a page waits for a job, and how many are before it; the lock is held.
func (j *Jobs) look(job *Job) {
	at := slices.Index(j.waiting, job)
	job.mu.Lock()
	defer job.mu.Unlock()
	job.asked = time.Now()
	if at >= 0 {
		job.state.Ahead = at + len(j.running)
	}
}

// awaited tells whether a page waits for the job.
func (job *Job) awaited(now time.Time) bool {
	job.mu.Lock()
	defer job.mu.Unlock()
	return now.Sub(job.asked) < lookedAt
}

// Close stops what is running and waits for it.
func (j *Jobs) Close() {
	j.stop()
	j.wg.Wait()
}

// Wait blocks until all jobs are done.
func (j *Jobs) Wait() { j.wg.Wait() }

// begin notes that the job's turn came.
func (job *Job) begin() {
	job.mu.Lock()
	defer job.mu.Unlock()
	job.state.Waiting, job.state.Ahead, job.state.Begun = false, 0, time.Now()
}

// Report tells how far the job is; fraction is 0 to 1.
func (job *Job) Report(step string, fraction float64) {
	job.mu.Lock()
	defer job.mu.Unlock()
	job.state.Step, job.state.Percent = step, int(fraction*100)
}

// Show gives what the job has come to so far, as the outcome of its state while it runs; nobody may write to it any
// more.
func (job *Job) Show(soFar any) {
	job.mu.Lock()
	defer job.mu.Unlock()
	job.state.Outcome = soFar
}

// Cancel stops the job.
func (job *Job) Cancel() { job.cancel() }

// end records how the job came out.
func (job *Job) end(out any, err error, stopped bool) {
	job.mu.Lock()
	defer job.mu.Unlock()
	s := &job.state
	s.Outcome, s.Err, s.Done, s.Stopped, s.Waiting, s.Percent = out, err, true, stopped, false, 100
	s.Repeats = job.order.Again != nil && (stopped || err != nil)
	job.ended = time.Now()
	s.Ended = job.ended
}

// over tells whether the job ended longer than d ago.
func (job *Job) over(d time.Duration) bool {
	job.mu.Lock()
	defer job.mu.Unlock()
	return job.state.Done && time.Since(job.ended) > d
}

// Done is closed when the job ended.
func (job *Job) Done() <-chan struct{} { return job.ctx.Done() }

// State is the job as it is now.
func (job *Job) State() State {
	job.mu.Lock()
	defer job.mu.Unlock()
	return job.state
}
