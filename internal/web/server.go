// Package web is Yarvek in the browser: one route table, one layout, thin handlers over
// packages work and show. Each station has one Go file and one template here. Nothing is
// fetched from another host, and a policy says so.
package web

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"syscall"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/station"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

//go:embed static
var static embed.FS

// Server answers the requests.
type Server struct {
	desk  *work.Desk
	board *show.Board
	log   *slog.Logger
	hosts map[string]bool
	door  *door // nil where only this machine reaches the server

	answers  *answers
	patience time.Duration // of a kit's page; see usualPatience
	recent   time.Duration // see usualRecent
}

// Guard lets in only those who sign in; it is called before Handler. kept keeps their
// sessions, and secure is whether browsers reach the server by TLS alone.
func (s *Server) Guard(people People, kept Sessions, secure bool) {
	s.door = newDoor(people, kept, secure)
}

// New makes a server. hosts are the names it may be addressed by besides
// loopback's own; the Host header of every request is checked against them.
func New(desk *work.Desk, log *slog.Logger, hosts ...string) *Server {
	s := &Server{desk: desk, board: show.New(desk), log: log, answers: newAnswers(), patience: usualPatience,
		recent: usualRecent, hosts: map[string]bool{"localhost": true, "127.0.0.1": true, "::1": true}}
	for _, h := range hosts {
		s.hosts[strings.ToLower(h)] = true
	}
	pages() // commands need none of them; who serves has them ready
	worksheets()
	return s
}

// Handler is the route table. It is long because it is the one table of routes.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, patience, head, s.hostCheck, policy, http.NewCrossOriginProtection().Handler)
	if s.door != nil {
		r.Use(s.door.guard)
	}
	r.Use(compressed, s.giveWay)

	if s.door != nil {
		r.Get(signInPath, s.page(s.askIn))
		r.Post(signInPath, s.page(s.signIn))
		r.Post("/sign-out", s.page(s.signOut))
		r.Get("/sessions", s.page(s.mySessions))
		r.Post("/sessions/end", s.page(s.endSession))
	}
	r.Get("/", s.page(s.keep(s.ofAll, s.kits)))
	r.Post("/kits", s.page(s.newKit))
	r.Post("/kits/demo", s.page(s.demoKit))
	r.Post("/start", s.page(s.startWithFiles))
	r.Post("/along", s.page(s.bringAlong))
	r.Get("/along/{job}", s.page(s.along))
	r.Route("/kits/{kit}", func(r chi.Router) {
		r.Get("/", s.page(s.keep(s.ofKit, s.kit)))
		r.Post("/target", s.page(s.setTarget))
		r.Post("/name", s.page(s.renameKit))
		r.Post("/grid", s.page(s.setGrid))
		r.Post("/budget", s.page(s.setBudget))
		r.Post("/slots", s.page(s.setSlotMap))
		r.Post("/classes", s.page(s.sortAssets))
		r.Post("/remove", s.page(s.removeKit(true)))
		r.Post("/restore", s.page(s.removeKit(false)))
		r.Post("/files", s.page(s.addFiles))
		r.Get("/exports", s.page(s.keep(s.ofKit, s.exports)))
		r.Get("/looking/{job}", s.page(s.looking))
		r.Post("/report", s.page(s.beginReport))
		r.Get("/report/{job}", s.page(s.report))
		r.Get("/report/{job}.json", s.page(s.reportFile))
		r.Post("/report/{job}", s.page(s.compareReport))
		r.Get("/along", s.page(s.takeAlong))
		r.Get("/others", s.page(s.others))
		r.Post("/duplicate", s.page(s.duplicateKit))
		r.Post("/many/duplicate", s.page(s.duplicateMany))
		r.Post("/many/move", s.page(s.moveMany))
		r.Post("/many/remove", s.page(s.removeMany))
		r.Post("/many/preview", s.page(s.previewMany))
		r.Post("/many/send", s.page(s.sendMany))
		r.Post("/many", s.page(s.doMany))
		r.Get("/many/{job}", s.page(s.manySoFar))
		r.Post("/rounds/{round}/undo", s.page(s.undoMany))
		r.Post("/presets", s.page(s.keepPreset))
		r.Post("/presets/file", s.page(s.takePreset))
		r.Get("/presets/{preset}.json", s.page(s.presetFile))
		r.Post("/presets/{preset}/remove", s.page(s.removePreset))
		r.Post("/presets/{preset}/standard", s.page(s.standardPreset))
	})
	r.Get("/jobs", s.page(s.strip))
	r.Get("/jobs/{job}", s.page(s.job))
	r.Post("/jobs/{job}/cancel", s.page(s.cancelJob))
	r.Post("/jobs/{job}/again", s.page(s.jobAgain))
	r.Route("/assets/{asset}", func(r chi.Router) {
		r.Get("/", s.page(s.asset))
		r.Get("/turntable", s.page(s.keep(s.ofAsset, s.turntable)))
		r.Get("/small.svg", s.page(s.small))
		r.Get("/came", s.page(s.keep(s.ofAsset, s.came)))
		r.Get("/example", s.page(s.example))
		r.Get("/uvs.png", s.page(s.keep(s.ofAsset, s.uvs)))
		r.Get("/pictures/{picture}", s.page(s.keep(s.ofAsset, s.picture)))
		r.Get("/pick", s.page(s.keep(s.ofAsset, s.pick)))
		r.Get("/area", s.page(s.keep(s.ofAsset, s.area)))
		r.Get("/snap", s.page(s.keep(s.ofAsset, s.snap)))
		r.Post("/preview", s.page(s.preview))
		r.Get("/revisions", s.page(s.keep(s.ofAsset, s.revisions)))
		r.Get("/revisions/{revision}", s.page(s.keep(s.ofAsset, s.review)))
		r.Get("/revisions/{revision}/files", s.page(s.original))
		r.Get("/prep.json", s.page(s.prepFile))
		r.Post("/join", s.page(s.join))
		r.Post("/learn", s.page(s.learn))
		r.Post("/revisions/{revision}", s.page(s.takeRevision))
		r.Post("/remedy", s.page(s.remedy))
		r.Post("/undo", s.page(s.move(-1)))
		r.Post("/redo", s.page(s.move(+1)))
		r.Post("/name", s.page(s.renameAsset))
		r.Post("/remove", s.page(s.removeAsset(true)))
		r.Post("/restore", s.page(s.removeAsset(false)))
		r.Post("/companions", s.page(s.addCompanions))
		r.Post("/export/send", s.page(s.send))
		r.Get("/export/sending/{job}", s.page(s.sentSoFar))
		r.Post("/making/begin", s.page(s.beginMaking))
		r.Post("/making/stop", s.page(s.stopMaking))
		r.Get("/making", s.page(s.madeSoFar))
		r.Get("/pair.svg", s.page(s.keep(s.ofAsset, s.pair)))
		r.Get("/slots/names", s.page(s.previewNames))
		r.Post("/slots/pictures", s.page(s.dropPictures))
		r.Get("/slots/pictures/{picture}", s.page(s.onePicture))
		r.Get("/slots/pictures/{picture}/{as}", s.page(s.pictureFile))
		r.Get("/floor", s.page(s.keep(s.ofAsset, s.floor)))
		r.Get("/floor/moves", s.page(s.keep(s.ofAsset, s.moves)))
		r.Get("/{station}/lists/{list}", s.page(s.keep(s.ofAsset, s.list)))
		r.Get("/{station}", s.page(s.keep(s.ofAsset, s.sheet)))
		r.Post("/{station}", s.page(s.decide))
	})
	r.Get("/targets", s.page(s.targets))
	r.Post("/targets", s.page(s.importTarget))
	r.Route("/targets/{target}", func(r chi.Router) {
		r.Get("/", s.page(s.target))
		r.Post("/", s.page(s.saveTarget))
		r.Post("/effect", s.page(s.weighTarget))
		r.Post("/copy", s.page(s.copyTarget))
		r.Get("/file", s.page(s.targetFile))
		r.Post("/remove", s.page(s.removeTarget(true)))
		r.Post("/restore", s.page(s.removeTarget(false)))
	})
	r.Get("/arrive", s.page(s.arrive))
	r.Post("/arrive", s.page(s.arriveFile))
	r.Get("/arrive/{job}", s.page(s.arrived))
	r.Get("/unnamed", s.page(s.unnamed))
	r.Post("/unnamed", s.page(s.sweep))
	r.Get("/exports/{export}/file", s.page(s.download))
	r.Get("/exports/{export}/packing", s.page(s.packing))
	r.Get("/exports/{export}/packing.json", s.page(s.packingFile))
	r.Get("/exports/{export}/everywhere", s.page(s.keep(s.ofExport, s.everywhere)))
	r.Get("/exports/{export}/files/*", s.page(s.exportFile))
	r.Post("/exports/{export}/opinion", s.page(s.takeOpinion))
	r.Post("/exports/{export}/place", s.page(s.place))
	r.Post("/exports/{export}/unplace", s.page(s.unplace))
	r.Post("/exports/{export}/cures", s.page(s.findCures))
	r.Get("/exports/{export}/cures/{job}", s.page(s.curesSoFar))
	r.Post("/exports/{export}/again", s.page(s.again))
	r.Get("/exports/{export}/again/{job}", s.page(s.againSoFar))
	r.Get("/parts", s.page(s.parts))
	r.Get("/learn", s.page(s.askExemplar))
	r.Post("/learn", s.page(s.learnFrom))
	r.Get("/learn/{job}", s.page(s.learned))
	r.Post("/learn/{job}", s.page(s.confirm))
	r.Post("/learn/{job}/engine", s.page(s.drawEngine))
	r.Post("/example", s.page(s.beginExample))
	r.Get("/guide", s.page(s.guide))
	r.Get("/guide/{page}", s.page(s.guide))
	r.Get("/guide/files/*", guideFiles())
	r.Get("/static/*", s.assets())
	r.NotFound(s.page(func(http.ResponseWriter, *http.Request) error { return work.ErrNotFound }))
	return r
}

// giveWay has jobs leave a processor to whoever asks for a page; asking how far a job is does not count.
func (s *Server) giveWay(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if p := r.URL.Path; !strings.HasPrefix(p, "/static/") && !strings.HasPrefix(p, "/jobs") &&
			!strings.HasSuffix(p, "/making") {
			s.desk.Jobs.GiveWay()
		}
		next.ServeHTTP(w, r)
	})
}

// page turns an error of a handler into a page that says what happened. Only a
// *fault.Error speaks for itself; of anything else the page says no more than that it
// happened, and the log has the rest.
func (s *Server) page(h handler) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		err := h(w, r)
		if err == nil || r.Context().Err() != nil {
			return
		}
		status, say := explain(err)
		if status >= http.StatusInternalServerError {
			s.log.Error("request failed", "path", r.URL.Path, "error", err)
		}
		p := messagePage{Say: sentence(say)}
		if asset, bad := strconv.ParseInt(chi.URLParam(r, "asset"), 10, 64); bad == nil {
			if base, ok := s.desk.StepBack(r.Context(), asset, err); ok {
				p.Undo, p.Base = assetPath(asset)+"/undo", base
			}
		}
		s.render(w, status, "message", "Yarvek", p)
	}
}

// messagePage says one thing.
type messagePage struct {
	Say  string
	Undo string // where a decision that is damaged is undone, "" where none is
	Base int
}

// explain words an error for a person, with the status of the answer.
func explain(err error) (status int, say string) {
	var tooLarge *http.MaxBytesError
	var unknown *station.UnknownError
	var escape url.EscapeError
	switch {
	case errors.Is(err, work.ErrNotFound), errors.As(err, &unknown):
		return http.StatusNotFound, "There is nothing at this address. It may have been removed, or the link is old."
	case errors.Is(err, work.ErrRemoved):
		return http.StatusConflict, err.Error()
	case errors.Is(err, work.ErrStale):
		return http.StatusConflict,
			"This was changed in another window meanwhile. Nothing was changed; go back, look again, and " +
				"repeat what still is right."
	case errors.As(err, &tooLarge) && tooLarge.Limit == maxForm:
		return http.StatusRequestEntityTooLarge,
			fmt.Sprintf("The form that was sent is larger than the %s a decision may take. "+
				"Nothing was changed. Tick fewer at once, or decide by a rule.", figure.Bytes(tooLarge.Limit))
	case errors.As(err, &tooLarge):
		return http.StatusRequestEntityTooLarge, fmt.Sprintf("What was sent is larger than the %s allowed here. "+
			"Send fewer files at once, or start with a higher --max-upload.", figure.Bytes(tooLarge.Limit))
	case errors.Is(err, errTooSlow):
		return http.StatusRequestTimeout, "What was sent came too slowly, so it was not received. Nothing was changed. " +
			"Try again on a better line, with fewer files at once."
	case errors.As(err, &escape):
		return http.StatusBadRequest,
			"The address or the form holds a % that is followed by no two hexadecimal digits, so it can’t " +
				"be read. Go back and try again; nothing was changed."
	case errors.Is(err, syscall.ENAMETOOLONG):
		return http.StatusUnprocessableEntity,
			"A file’s name is longer than the disk takes. Give it a shorter name and send it again."
	case work.CauseOf(err) != work.Unknown:
		return folderTrouble(work.CauseOf(err))
	case fault.KindOf(err) != 0:
		return http.StatusUnprocessableEntity, err.Error()
	}
	return http.StatusInternalServerError, brokeOff
}

// brokeOff is said of what has no sentence of its own.
const brokeOff = "Something broke off here; the log has the details."

// folderTrouble words what keeps the data folder from its work.
func folderTrouble(c work.Cause) (status int, say string) {
	switch c {
	case work.Full:
		return http.StatusInsufficientStorage,
			"The disk that holds the data folder is full, so this was not kept. Make room on it " +
				"and try again; what was kept before is still there."
	case work.ReadOnly:
		return http.StatusInternalServerError,
			"The data folder can’t be written to, so this was not kept. Whoever runs Yarvek should " +
				"see to the right to write there, or to a disk that was made read-only."
	case work.Busy:
		return http.StatusServiceUnavailable,
			"The database is held by another program, so this was not kept. Try again in a moment; " +
				"if it stays so, end the program that has the data folder open."
	case work.Harmed:
		return http.StatusInternalServerError,
			"The database seems to be damaged, so this was not kept. Whoever runs " +
				"Yarvek should stop it and run yarvek verify, which says what is harmed and what to do."
	case work.Broken:
		return http.StatusInternalServerError,
			"The disk did not give or take what it was asked for, so this was not kept. Whoever runs Yarvek should look at " +
				"the disk first, and then run yarvek verify."
	}
	return http.StatusInternalServerError, brokeOff
}

// sentence begins with a capital, but for a file's name, which stays as it is written, and ends with a stop.
func sentence(s string) string {
	if s == "" {
		return s
	}
	first, _, _ := strings.Cut(s, " ")
	if !strings.ContainsAny(strings.TrimRight(first, ".,:;"), "./\\_0123456789") {
		r, n := utf8.DecodeRuneInString(s)
		s = string(unicode.ToUpper(r)) + s[n:]
	}
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	return s
}

// hostCheck refuses requests addressed to a name that is not ours, which is how a
// foreign page would reach a server on loopback by rebinding its own name.
func (s *Server) hostCheck(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.ToLower(strings.Trim(host, "[]"))
		// Where others reach the server, its loopback names are for this machine.
		if foreign := s.door != nil && loopback(host) && !loopback(remote(r)); foreign || !s.hosts[host] {
			http.Error(w, "This address is not served here. Start Yarvek with --host to allow a name.",
				http.StatusMisdirectedRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// compressed packs answers for those who get them through a network. To a browser on this
// machine, packing and unpacking takes far longer than handing them over.
func compressed(next http.Handler) http.Handler {
	packed := middleware.Compress(5, "text/html", "text/css", "text/javascript", "image/svg+xml",
		"application/octet-stream")(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if loopback(remote(r)) {
			next.ServeHTTP(w, r)
			return
		}
		packed.ServeHTTP(w, r)
	})
}

// loopback tells the names and addresses of this machine to itself.
func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// head answers HEAD as GET is answered, without the body.
func head(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			r = r.Clone(r.Context())
			r.Method, w = http.MethodGet, bodiless{w}
		}
		next.ServeHTTP(w, r)
	})
}

// bodiless drops what is written.
type bodiless struct{ http.ResponseWriter }

// Write takes everything and sends nothing.
func (bodiless) Write(p []byte) (int, error) { return len(p), nil }

// Unwrap is for http.ResponseController.
func (w bodiless) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// contentPolicy lets a page use what we ship and what it holds itself, and nothing else.
const contentPolicy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; " +
	"font-src 'self'; connect-src 'self' data: blob:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// policy forbids the browser to ask anybody else for anything.
func policy(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", contentPolicy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

// assets serves the files that ship with the application.
func (s *Server) assets() http.HandlerFunc {
	sub, err := fs.Sub(static, "static")
	if err != nil {
		panic(err) // the folder is embedded
	}
	files := http.StripPrefix("/static/", http.FileServerFS(sub))
	return func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/") {
			http.NotFound(w, r)
			return
		}
		if r.URL.Query().Get("v") != "" {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			w.Header().Set("Cache-Control", "no-cache")
		}
		files.ServeHTTP(w, r)
	}
}

// id reads a number of the path.
func id(r *http.Request, name string) (int64, error) {
	n, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil {
		return 0, work.ErrNotFound
	}
	return n, nil
}

// first is the first error there is.
func first(errs ...error) error {
	for _, e := range errs {
		if e != nil {
			return e
		}
	}
	return nil
}

// assetPath is where an asset's own addresses begin.
func assetPath(asset int64) string { return fmt.Sprintf("/assets/%d", asset) }

// seeOther sends the browser on after a change.
func seeOther(w http.ResponseWriter, r *http.Request, format string, args ...any) error {
	http.Redirect(w, r, fmt.Sprintf(format, args...), http.StatusSeeOther)
	return nil
}
