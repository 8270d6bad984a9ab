package web

import (
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"yarvek/internal/work"
)

// stripJob is a job as every page shows it.
type stripJob struct {
	ID      string `json:"id"`
	Title   string `json:"title"`
	Step    string `json:"step"`
	Person  string `json:"person,omitempty"` // who asked for it, "" for nobody in particular
	Percent int    `json:"percent"`
	Waiting bool   `json:"waiting,omitempty"`
	Done    bool   `json:"done,omitempty"`
	Failed  bool   `json:"failed,omitempty"`
	Stopped bool   `json:"stopped,omitempty"`
	Repeats bool   `json:"repeats,omitempty"` // it can be begun again
	Left    string `json:"left,omitempty"`    // how long it still takes, in words; "" where that is not known
}

// strip is what the strip shows.
type strip struct {
	Jobs    []stripJob `json:"jobs"`
	More    int        `json:"more,omitempty"` // that wait and are not listed
	Running int        `json:"running"`        // those that wait among them
	Percent int        `json:"percent"`        // how far they are, the mean
}

// stripMost is how many jobs the strip lists.
const stripMost = 6

// strip tells what runs, and what ended a moment ago.
func (s *Server) strip(w http.ResponseWriter, r *http.Request) error {
	out := strip{Jobs: []stripJob{}}
	sum := 0
	for _, j := range s.desk.Jobs.Lately(s.recent) {
		if !j.Done {
			out.Running, sum = out.Running+1, sum+j.Percent
		}
		if j.Waiting && len(out.Jobs) >= stripMost {
			out.More++
			continue
		}
		out.Jobs = append(out.Jobs, stripJob{j.ID, j.Title, j.Step, j.Person, j.Percent, j.Waiting, j.Done,
			j.Err != nil && !j.Stopped, j.Stopped, j.Repeats, leftOf(j)})
	}
	if out.Running > 0 {
		out.Percent = sum / out.Running
	}
	return s.reply(w, out, nil)
}

// jobAgain begins a job again that was stopped or broke off.
func (s *Server) jobAgain(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	if err := f.end(); err != nil {
		return err
	}
	next, err := s.desk.Jobs.Again(r.Context(), chi.URLParam(r, "job"))
	if err != nil {
		return err
	}
	return s.reply(w, struct {
		ID string `json:"id"`
	}{next.ID}, nil)
}

// usualRecent is how long a job that ended is told of.
const usualRecent = 20 * time.Second

// leftOf words how long a job still takes, by how long it took so far.
func leftOf(j work.State) string {
	if j.Done || j.Waiting || j.Percent < 3 || j.Begun.IsZero() {
		return ""
	}
	so := time.Since(j.Begun)
	left := time.Duration(float64(so) * float64(100-j.Percent) / float64(j.Percent))
	switch {
	case so < 2*time.Second:
		return ""
	case left < 10*time.Second:
		return "a few seconds"
	case left < 90*time.Second:
		return fmt.Sprintf("%d s", int(left.Seconds()/5+1)*5)
	}
	return fmt.Sprintf("%d min", int(left.Minutes()+1))
}
