package web

import (
	"mime"
	"runtime/debug"
	"strings"
)

// fileName takes the name of an uploaded file from its part's header. The folders a
// browser sends along are kept, since references use them; package bundle cleans them.
func fileName(disposition string) string {
	_, params, err := mime.ParseMediaType(disposition)
	if err != nil {
		return ""
	}
	return params["filename"]
}

// module is a Go module built into the program.
type module struct{ Path, Version, Licence string }

// licences of the Go modules, by the start of their path.
var licences = []struct{ prefix, licence string }{
	{"github.com/go-chi/chi", "MIT"}, {"github.com/spf13/cobra", "Apache 2.0"}, {"github.com/spf13/pflag", "BSD 3-clause"},
	{"github.com/pressly/goose", "MIT"}, {"github.com/mfridman/interpolate", "MIT"}, {"github.com/sethvargo/go-retry", "Apache 2.0"},
	{"modernc.org/", "BSD 3-clause"}, {"golang.org/x/", "BSD 3-clause"}, {"github.com/google/uuid", "BSD 3-clause"},
	{"github.com/dustin/go-humanize", "MIT"}, {"github.com/mattn/go-isatty", "MIT"}, {"github.com/ncruces/go-strftime", "MIT"},
	{"github.com/remyoudompheng/bigfft", "BSD 3-clause"}, {"go.uber.org/multierr", "MIT"}, {"github.com/inconshreveable/mousetrap", "Apache 2.0"},
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
