package web

import (
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/station/source"
	"yarvek/core/target"
	"yarvek/core/target/class"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// choices are the targets a kit can have, the one it has among them.
func (s *Server) choices(r *http.Request, now target.Target) ([]target.Target, error) {
	list, err := s.desk.Targets(r.Context())
	if err == nil && !slices.ContainsFunc(list, func(t target.Target) bool { return t.ID == now.ID }) {
		list = append(list, now)
	}
	return list, err
}

// newer is the newest revision of a kit's target when the kit has an older one, else 0.
func (s *Server) newer(r *http.Request, now target.Target) (int, error) {
	if !work.Own(now) {
		return 0, nil
	}
	t, err := s.desk.Target(r.Context(), now.ID, 0)
	if fault.KindOf(err) != 0 {
		return 0, nil // a target that came with a kit from elsewhere
	}
	if err != nil || t.Revision <= now.Revision {
		return 0, err
	}
	return t.Revision, nil
}

// targetsPage lists the targets.
type targetsPage struct {
	Shipped []target.Target
	Own     []work.TargetRevision
	Out     []work.TargetRevision // taken out of the list
	Trouble string
}

// targets lists all of them.
func (s *Server) targets(w http.ResponseWriter, r *http.Request) error {
	return s.targetList(w, r, "", http.StatusOK)
}

func (s *Server) targetList(w http.ResponseWriter, r *http.Request, trouble string, status int) error {
	own, damaged, err := s.desk.OwnTargets(r.Context())
	if err != nil {
		return err
	}
	p := targetsPage{Shipped: target.Shipped, Trouble: trouble}
	if damaged > 0 && trouble == "" {
		p.Trouble = figure.Plural(damaged, "target is", "targets are") + " not as kept in the database, and not shown; " +
			"yarvek verify tells which and what to do."
	}
	for _, t := range own {
		if t.Removed {
			p.Out = append(p.Out, t)
		} else {
			p.Own = append(p.Own, t)
		}
	}
	s.render(w, status, "targets", "Targets · Yarvek", p)
	return nil
}

// targetPage is the editor of a target, or a shipped one to look at.
type targetPage struct {
	Target    target.Target
	Own       bool
	Removed   bool
	Sections  []section
	Revisions []work.TargetRevision // the newest first
	Kits      []targetKit
	Kit       int64 // whose assets the effect is told of, 0 for none
	Effect    effectView
	With      *target.Target // it is compared with
	Changes   []target.Change
	Others    []target.Target
	Figures   template.HTML
	Trouble   string
	Saved     bool
}

// targetKit is a kit that has the target, in a revision.
type targetKit struct {
	work.Kit
	Behind bool
	Says   []string // what the newest revision would change for it
}

// effectView is what the typed target would change.
type effectView struct {
	Kit     string
	Trouble string
	Wrong   []string // the fields that can't be meant
	Says    []string
	Fields  []fieldEffect
}

// fieldEffect is one changed field and what it does by itself.
type fieldEffect struct {
	target.Change
	Says    []string
	Example string // of a pattern, on the kit's own names
}

// target shows one.
func (s *Server) target(w http.ResponseWriter, r *http.Request) error {
	t, err := s.desk.Target(r.Context(), chi.URLParam(r, "target"), askedRevision(r))
	if err != nil {
		return errors.Join(work.ErrNotFound, err)
	}
	p, err := s.targetPage(r, t)
	if err != nil {
		return err
	}
	p.Sections = sections(t)
	s.render(w, http.StatusOK, "target", t.Name+" · Yarvek", p)
	return nil
}

// askedRevision is the revision the address names, 0 for the newest.
func askedRevision(r *http.Request) int {
	n, _ := strconv.Atoi(r.URL.Query().Get("revision")) // what is no number names none
	return max(n, 0)
}

// targetPage gathers what stands on the page besides the fields.
func (s *Server) targetPage(r *http.Request, t target.Target) (targetPage, error) {
	p := targetPage{Target: t, Own: work.Own(t), Figures: frames(t), Saved: r.URL.Query().Has("saved")}
	var err error
	if p.Own {
		if p.Revisions, err = s.desk.TargetRevisions(r.Context(), t.ID); err != nil {
			return p, err
		}
		p.Removed = p.Revisions[0].Removed
	}
	if p.Others, err = s.desk.Targets(r.Context()); err != nil {
		return p, err
	}
	kits, err := s.desk.Kits(r.Context())
	if err != nil {
		return p, err
	}
	p.Kit, _ = strconv.ParseInt(r.URL.Query().Get("kit"), 10, 64) // what is no number is none
	for _, k := range kits {
		if k.Harm != nil || k.Target.ID != t.ID {
			continue
		}
		of := targetKit{Kit: k, Behind: len(p.Revisions) > 0 && k.Target.Revision < p.Revisions[0].Target.Revision}
		if of.Behind {
			_, rows, err := s.desk.Overview(r.Context(), k.ID)
			if err != nil {
				return p, err
			}
			of.Says = work.EffectOf(rows, k.Target, p.Revisions[0].Target).Says()
		}
		p.Kits = append(p.Kits, of)
		if p.Kit == 0 {
			p.Kit = k.ID
		}
	}
	if with := r.URL.Query().Get("with"); with != "" {
		other, err := s.desk.Target(r.Context(), with, 0)
		if err != nil {
			return p, err
		}
		p.With, p.Changes = &other, target.Changes(t, other)
	}
	return p, nil
}

// frames draws how up, front and right lie in the receiver, and in a file of each format that receivers take as a rule.
func frames(t target.Target) template.HTML {
	list := []draft.Frame{{Label: "In the engine", Basis: t.Basis}}
	for _, r := range format.Rules() {
		if !r.Usual {
			continue // so many would be too small to read
		}
		list = append(list, draft.Frame{Label: "In " + r.One, Basis: r.As.Frame(t).Basis})
	}
	return trusted(draft.Frames(list))
}

// weighTarget tells what a typed target would change, before it is kept.
func (s *Server) weighTarget(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	base, err := s.desk.Target(r.Context(), chi.URLParam(r, "target"), 0)
	if err := first(f.err, err); err != nil {
		return err
	}
	t, list, err := decideTarget(f, base)
	p := targetPage{Target: base, Own: true, Sections: list, Figures: frames(base)}
	if p.Effect, err = s.effect(r, f, base, t, err); err != nil {
		return err
	}
	each(list, func(_ *section, x *entryField) {
		if x.Error != "" {
			p.Effect.Wrong = append(p.Effect.Wrong, x.Label+": "+x.Error)
		}
	})
	if p.Effect.Trouble == "" {
		p.Figures = frames(t)
	}
	return s.fragment(w, "target", "weighed", p)
}

// effect weighs a target against the one it was made of, for the kit that the form names; wrong
// is what can't be meant of it.
func (s *Server) effect(r *http.Request, f *form, base, t target.Target, wrong error) (effectView, error) {
	if wrong != nil {
		return effectView{Trouble: sentence(wrong.Error())}, nil
	}
	changes := target.Changes(base, t)
	if len(changes) == 0 {
		return effectView{}, nil
	}
	v := effectView{Says: []string{}}
	var rows []work.Row
	kit := int64(f.optional("kit"))
	if f.err != nil {
		return v, f.err
	}
	if kit != 0 {
		k, list, err := s.desk.Overview(r.Context(), kit)
		if err != nil && !errors.Is(err, work.ErrNotFound) {
			return v, err
		}
		v.Kit, rows = k.Name, list
	}
	v.Says = work.EffectOf(rows, base, t).Says()
	for _, c := range changes[:min(len(changes), 40)] {
		e := fieldEffect{Change: c}
		if one, err := target.WithChange(base, t, c); err == nil {
			e.Says = work.EffectOf(rows, base, one).Says()
		}
		if of, ok := strings.CutPrefix(c.Path, "names."); ok {
			e.Example = tried(t, target.Subject(of), v.Kit, rows)
		}
		v.Fields = append(v.Fields, e)
	}
	return v, nil
}

// tried shows what a pattern makes of a kit's own names, and how many of them it reads; "" for
// what is no pattern, or without a name.
func tried(t target.Target, of target.Subject, kit string, rows []work.Row) string {
	p, err := t.Pattern(of)
	if err != nil || p == nil || len(rows) == 0 {
		return ""
	}
	s := rows[0].Summary
	values := map[string]string{"asset": rows[0].Asset.Name, "kit": kit, "mesh": rows[0].Asset.Name, "slot": "slot",
		"kind": "box",
		"role": "normal", "n": "1"}
	if len(s.NodeNames) > 0 {
		values["mesh"] = s.NodeNames[0]
	}
	if len(s.SlotNames) > 0 {
		values["slot"] = s.SlotNames[0]
	}
	name, err := p.Make(values)
	if err != nil {
		return ""
	}
	say := "Such as “" + name + "”."
	read := 0
	if of == target.LODName || of == target.SolidName {
		for _, r := range rows {
			for _, n := range r.Summary.NodeNames {
				if _, ok := p.Read(n); ok {
					read++
				}
			}
		}
		say += " It reads " + figure.Plural(read, "name of the kit", "names of the kit") + "."
	}
	return say
}

// saveTarget keeps what was typed as the next revision.
func (s *Server) saveTarget(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	id := chi.URLParam(r, "target")
	base, err := s.desk.Target(r.Context(), id, 0)
	if err := first(f.err, err); err != nil {
		return err
	}
	f.known = targetControls()
	for name := range r.PostForm {
		if strings.Contains(name, ".") {
			f.pass(name) // of a class or a shape that the target has no more: whether the page is out of date is said below
		}
	}
	t, list, wrong := decideTarget(f, base)
	if name := f.str("name"); wrong == nil && name != "" {
		t.Name = f.name("name")
		wrong = f.err
	}
	if wrong == nil {
		t, wrong = change(f, t)
	}
	at, kit := f.int("base"), f.optional("kit")
	if err := first(wrong, f.end()); err == nil {
		_, err = s.desk.ReviseTarget(r.Context(), t, at)
		if errors.Is(err, work.ErrStale) {
			err = fault.Input("this target was changed in another window meanwhile: it has revision %d now. What was typed "+
				"here stands "+
				"below and was not kept", base.Revision).Advise("Look at what is new, and press Keep again to put yours on top")
		}
		if err == nil {
			return seeOther(w, r, "/targets/%s?saved&kit=%d", id, kit)
		}
		wrong = err
	}
	if fault.KindOf(wrong) == 0 {
		return first(wrong, f.err)
	}
	p, err := s.targetPage(r, base)
	if err != nil {
		return err
	}
	p.Sections, p.Trouble = list, sentence(wrong.Error())
	s.render(w, http.StatusUnprocessableEntity, "target", base.Name+" · Yarvek", p)
	return nil
}

// change takes a class or a kind of collision in or out, as a form's button asks.
func change(f *form, t target.Target) (target.Target, error) {
	t = t.Copy()
	act, which, _ := strings.Cut(f.str("act"), ":")
	switch act {
	case "", "keep":
	case "add-class":
		name := f.name("classname")
		id := work.Slug(name)
		if _, ok := t.Class(id); ok {
			return t, fault.Input("there is a class “%s” already", name)
		}
		t.Classes = append(t.Classes, class.Class{ID: id, Name: name, Least: 0.1, Most: 10, Seen: 5})
	case "drop-classes":
		t.Classes = slices.DeleteFunc(t.Classes, func(c class.Class) bool { return c.ID == which })
	case "add-solid":
		t.Solids = append(t.Solids, target.Solid{Kind: f.str("kind")})
	case "drop-solids":
		t.Solids = slices.DeleteFunc(t.Solids, func(k target.Solid) bool { return k.Kind == which })
	default:
		f.unknown()
	}
	if f.err != nil {
		return t, f.err
	}
	if err := t.Check(); err != nil {
		return t, fault.Input("%v", err)
	}
	return t, nil
}

// copyTarget makes a target of the house's own of one.
func (s *Server) copyTarget(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	name := f.str("name")
	if err := f.end(); err != nil {
		return err
	}
	t, err := s.desk.CopyTarget(r.Context(), chi.URLParam(r, "target"), name)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/targets/%s", t.ID)
}

// learn makes a target that names LODs and shapes as an asset's are called.
func (s *Server) learn(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	if err := first(err, f.end()); err != nil {
		return err
	}
	l, err := s.desk.LearnTarget(r.Context(), aid)
	if err != nil {
		return s.after(w, r, aid, source.Info.ID, f, nil, err)
	}
	return seeOther(w, r, "/targets/%s", l.Target.ID)
}

// targetFile gives a target as a file.
func (s *Server) targetFile(w http.ResponseWriter, r *http.Request) error {
	t, err := s.desk.Target(r.Context(), chi.URLParam(r, "target"), askedRevision(r))
	if err != nil {
		return errors.Join(work.ErrNotFound, err)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.target.json"`, t.ID))
	_, err = w.Write(t.File())
	return err
}

// importTarget keeps the target of an uploaded file.
func (s *Server) importTarget(w http.ResponseWriter, r *http.Request) error {
	r.Body = http.MaxBytesReader(w, r.Body, 4<<20)
	file, head, err := r.FormFile("file")
	if err != nil {
		return s.targetList(w, r, "Choose a target file first: JSON as a target's page gives it.",
			http.StatusUnprocessableEntity)
	}
	defer file.Close()
	b, err := io.ReadAll(io.LimitReader(file, 2<<20))
	if err != nil {
		return err
	}
	t, err := s.desk.ImportTarget(r.Context(), b)
	if fault.KindOf(err) != 0 {
		return s.targetList(w, r, head.Filename+": "+sentence(err.Error()), http.StatusUnprocessableEntity)
	}
	if err != nil {
		return err
	}
	return seeOther(w, r, "/targets/%s", t.ID)
}

// removeTarget takes a target out of the list, or puts it back.
func (s *Server) removeTarget(removed bool) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		if err := nothing(w, r); err != nil {
			return err
		}
		if err := s.desk.RemoveTarget(r.Context(), chi.URLParam(r, "target"), removed); err != nil {
			return err
		}
		return seeOther(w, r, "/targets")
	}
}
