package web

import (
	"cmp"
	"errors"
	"io"
	"mime"
	"net/http"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// startWithFiles makes the first kit for files dropped where there is none yet.
func (s *Server) startWithFiles(w http.ResponseWriter, r *http.Request) error {
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	k, err := s.desk.NewKit(r.Context(), "First kit", cmp.Or(r.URL.Query().Get("target"), target.Shipped[0].ID))
	if err != nil {
		u.Close()
		return err
	}
	return s.takeIn(w, r, k.ID, u)
}

// addFiles receives files part by part onto disk and starts the job that takes them in.
func (s *Server) addFiles(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	if _, err := s.desk.Kit(r.Context(), kid); err != nil {
		return err
	}
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	return s.takeIn(w, r, kid, u)
}

// takeIn starts the job that takes an upload in, and shows it.
func (s *Server) takeIn(w http.ResponseWriter, r *http.Request, kit int64, u *work.Upload) error {
	j, err := s.desk.TakeIn(r.Context(), kit, u)
	if err != nil {
		return err
	}
	return s.showJob(w, j)
}

// headers is what the headers of an upload's parts may take, in bytes, on top of the
// files themselves.
const headers = 16 << 20

// receive streams the files of an upload to the store, part by part. Whoever gets it closes it.
func (s *Server) receive(w http.ResponseWriter, r *http.Request) (*work.Upload, error) {
	r.Body = http.MaxBytesReader(w, r.Body, s.desk.Limits.Upload+headers)
	mr, err := r.MultipartReader()
	if err != nil {
		return nil, fault.Input("no files were sent: %v", err)
	}
	u := s.desk.NewUpload()
	for {
		p, err := mr.NextRawPart()
		if errors.Is(err, io.EOF) {
			return u, nil
		}
		name := ""
		if err == nil {
			name = fileName(p.Header.Get("Content-Disposition"))
		}
		if err == nil && name != "" {
			err = u.Add(name, p)
		}
		if err != nil {
			u.Close()
			return nil, err
		}
	}
}

// fileName takes the name of an uploaded file from its part's header. The folders a
// browser sends along are kept, since references use them; package bundle cleans them.
func fileName(disposition string) string {
	_, params, err := mime.ParseMediaType(disposition)
	if err != nil {
		return ""
	}
	return params["filename"]
}

// jobPage is a piece of long work.
type jobPage struct {
	work.State
	Say    string       // why it broke off, "" when it did not
	Intake *work.Intake // what came in, nil before it ended
}

// showJob renders a job as it stands.
func (s *Server) showJob(w http.ResponseWriter, j *work.Job) error {
	p := jobPage{State: j.State()}
	if p.Done {
		j.Seen()
	}
	p.Intake, _ = p.Outcome.(*work.Intake)
	if p.Err != nil {
		_, say := explain(p.Err)
		p.Say = sentence(say)
	}
	return s.fragment(w, "job", "job", p)
}

// job shows a job; the page asks again until it is done.
func (s *Server) job(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "job")
	j, err := s.desk.Jobs.Find(name)
	if err == nil {
		return s.showJob(w, j)
	}
	in, err := s.desk.Interrupted(r.Context(), name)
	if errors.Is(err, work.ErrNotFound) && r.Header.Get("HX-Request") != "" {
		// The page that waits for it is still open: it is told, in the job's place.
		return s.fragment(w, "job", "job", jobPage{State: work.State{Done: true}, Say: jobForgotten})
	}
	if err != nil {
		return err
	}
	return s.fragment(w, "job", "job", jobPage{State: work.State{Done: true}, Intake: in})
}

// broke says why a job gave nothing: it broke off, or was stopped; "" for any other.
func broke(st work.State) string {
	switch {
	case st.Err != nil:
		_, say := explain(st.Err)
		return sentence(say)
	case st.Stopped:
		return "It was stopped."
	}
	return ""
}

// jobForgotten is said of a job that nobody knows any more.
const jobForgotten = "This upload is not known any more. What came in stands in the kit; send again what does not."

// cancelJob stops a job; what it brought in before stays.
func (s *Server) cancelJob(w http.ResponseWriter, r *http.Request) error {
	j, err := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if err != nil {
		return err
	}
	j.Cancel()
	return s.showJob(w, j)
}
