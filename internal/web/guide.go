package web

import (
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/docs"
	"yarvek/internal/guide"
	"yarvek/internal/work"
)

// guidePage is a page of the guide, or what was found in it.
type guidePage struct {
	Groups []guideGroup
	Page   *guide.Page // nil where something was looked for
	Next   *guide.Page // nil after the last
	Asked  string
	Hits   []guide.Hit
}

// guideGroup are the pages of the guide under one heading.
type guideGroup struct {
	Title string
	Pages []*guide.Page
}

// guide shows a page of the guide; without one its first, or where what is looked for stands.
func (s *Server) guide(w http.ResponseWriter, r *http.Request) error {
	list := guide.Pages()
	p := guidePage{Asked: strings.TrimSpace(clip(r.URL.Query().Get("find"), 200))}
	for _, g := range list {
		if n := len(p.Groups); n == 0 || p.Groups[n-1].Title != g.Group {
			p.Groups = append(p.Groups, guideGroup{Title: g.Group})
		}
		at := &p.Groups[len(p.Groups)-1]
		at.Pages = append(at.Pages, g)
	}
	id := chi.URLParam(r, "page")
	title := "Guide"
	switch {
	case p.Asked != "":
		p.Hits = guide.Search(p.Asked)
	case id == "":
		p.Page = list[0]
	default:
		if p.Page = guide.Find(id); p.Page == nil {
			return work.ErrNotFound
		}
		title = p.Page.Title
	}
	for i, g := range list[:len(list)-1] {
		if g == p.Page {
			p.Next = list[i+1]
		}
	}
	s.render(w, http.StatusOK, "guide", title+" · Yarvek", p)
	return nil
}

// guideFiles serves the pictures of the guide, and the files it gives away.
func guideFiles() http.HandlerFunc {
	files := http.StripPrefix("/guide/files/", http.FileServerFS(docs.Files))
	return func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/guide/files/")
		if info, err := fs.Stat(docs.Files, name); err != nil || info.IsDir() {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Cache-Control", "max-age=3600")
		files.ServeHTTP(w, r)
	}
}

// why is where the guide tells what a finding means, nil where it does not.
func why(code string) *guide.Why {
	if w, ok := guide.Means(code); ok {
		return &w
	}
	return nil
}
