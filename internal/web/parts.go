package web

import (
	"encoding/json"
	"net/http"
	"runtime/debug"
	"strings"

	"yarvek/internal/build"
)

// part is something shipped with Yarvek, as static/vendor/parts.json lists it.
type part struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Use     string `json:"use"`
	Licence string `json:"licence"`
	Text    string `json:"text"` // file of its licence, then what stands there
}

// partsPage lists what ships with Yarvek.
type partsPage struct {
	Build   build.Build
	Parts   []part
	Modules []module
}

// parts lists what ships with Yarvek and under which licence.
func (s *Server) parts(w http.ResponseWriter, _ *http.Request) error {
	data, err := static.ReadFile("static/vendor/parts.json")
	if err != nil {
		return err
	}
	var list []part
	if err := json.Unmarshal(data, &list); err != nil {
		return err
	}
	for i := range list {
		b, err := static.ReadFile("static/vendor/licences/" + list[i].Text)
		if err != nil {
			return err
		}
		list[i].Text = string(b)
	}
	s.render(w, http.StatusOK, "parts", "Parts and licences · Yarvek", partsPage{build.This(), list, modules()})
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
