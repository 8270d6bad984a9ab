package work

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
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
		job := j.Start("", title, f)
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
	assert.Equal(t, State{ID: s.ID, Title: "Working", Done: true, Percent: 100, Outcome: 7}, s)
	_, err := j.Find("nowhere")
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestAStoppedJobSaysSo(t *testing.T) {
	j := NewJobs(slog.New(slog.DiscardHandler))
	started := make(chan struct{})
	job := j.Start("", "Counting", func(ctx context.Context, job *Job) (any, error) {
		job.Report("halfway", .5)
		close(started)
		<-ctx.Done()
		return "as far as it came", nil
	})
	<-started
	found, err := j.Find(job.ID)
	require.NoError(t, err)
	assert.Equal(t, State{ID: job.ID, Title: "Counting", Step: "halfway", Percent: 50}, found.State())
	job.Cancel()
	j.Wait()
	s := job.State()
	assert.True(t, s.Done && s.Stopped)
	assert.Equal(t, "as far as it came", s.Outcome)
	// Closing stops what runs, and waits for it.
	var ended bool
	started = make(chan struct{})
	j.Start("", "Waiting", func(ctx context.Context, _ *Job) (any, error) {
		close(started)
		<-ctx.Done()
		ended = true
		return nil, ctx.Err()
	})
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
