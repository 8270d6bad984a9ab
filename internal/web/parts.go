package web

import (
	"net/http"
	"runtime/debug"
	"strings"
)

// part is something shipped with Yarvek.
type part struct{ Name, Version, Use, Licence, Text string }

// partsPage lists what ships with Yarvek.
type partsPage struct {
	Parts   []part
	Modules []module
}

// parts lists what ships with Yarvek and under which licence.
func (s *Server) parts(w http.ResponseWriter, _ *http.Request) error {
	list := []part{
		{"Bootstrap", "5.3.9", "base of the style sheet", "MIT", "bootstrap"},
		{"htmx", "2.0.11", "swaps parts of a page", "0BSD", "htmx"},
		{"three.js", "0.187.0", "draws the turntable, and reads exports as a second opinion", "MIT", "three"},
		{"Archivo", "5.3.0", "type for words", "SIL OFL 1.1", "archivo"},
		{"IBM Plex Mono", "5.3.0", "type for figures", "SIL OFL 1.1", "ibm-plex-mono"},
	}
	for i := range list {
		b, err := static.ReadFile("static/vendor/licences/" + list[i].Text + ".txt")
		if err != nil {
			return err
		}
		list[i].Text = string(b)
	}
	s.render(w, http.StatusOK, "parts", "Parts and licences · Yarvek", partsPage{list, modules()})
	return nil
}

// module is a Go module built into the program.
type module struct{ Path, Version, Licence string }

// licences of the Go modules, by the start of their path.
var licences = []struct{ prefix, licence string }{
	{"github.com/go-chi/chi", "MIT"}, {"github.com/spf13/cobra", "Apache 2.0"}, {"github.com/spf13/pflag", "BSD 3-clause"},
	{"github.com/pressly/goose", "MIT"}, {"github.com/mfridman/interpolate", "MIT"},
	{"github.com/sethvargo/go-retry", "Apache 2.0"},
	{"modernc.org/", "BSD 3-clause"}, {"golang.org/x/", "BSD 3-clause"}, {"github.com/google/uuid", "BSD 3-clause"},
	{"github.com/dustin/go-humanize", "MIT"}, {"github.com/mattn/go-isatty", "MIT"},
	{"github.com/ncruces/go-strftime", "MIT"},
	{"github.com/remyoudompheng/bigfft", "BSD 3-clause"}, {"go.uber.org/multierr", "MIT"},
	{"github.com/inconshreveable/mousetrap", "Apache 2.0"}, {"github.com/alexedwards/", "MIT"},
	{"github.com/klauspost/compress", "BSD 3-clause"}, {"github.com/pierrec/lz4", "BSD 3-clause"},
	{"github.com/cpuguy83/go-md2man", "MIT"}, {"github.com/russross/blackfriday", "BSD 2-clause"},
	{"go.yaml.in/yaml", "MIT and Apache 2.0"},
}

// modules lists what the running program was built from.
func modules() []module {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return nil
	}
	var list []module
	for _, d := range info.Deps {
		m := module{Path: d.Path, Version: d.Version, Licence: "see the module"}
		for _, l := range licences {
			if strings.HasPrefix(d.Path, l.prefix) {
				m.Licence = l.licence
				break
			}
		}
		list = append(list, m)
	}
	return list
}
