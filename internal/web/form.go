package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// form decodes what a page sends. The first thing that can't be read is kept as
// the error; what follows is zero.
type form struct {
	r   *http.Request
	err error
}

// maxForm bounds a form without files.
const maxForm = 1 << 20

func parse(w http.ResponseWriter, r *http.Request) *form {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	f := &form{r: r}
	f.err = r.ParseForm()
	return f
}

func (f *form) str(name string) string { return strings.TrimSpace(f.r.PostForm.Get(name)) }

func (f *form) has(name string) bool { return f.r.PostForm.Has(name) }

func (f *form) strs(name string) []string { return f.r.PostForm[name] }

func (f *form) fail(format string, args ...any) {
	if f.err == nil {
		f.err = fmt.Errorf("%w"+format, append([]any{work.ErrInput}, args...)...)
	}
}

func (f *form) int(name string) int {
	n, err := strconv.Atoi(f.str(name))
	if err != nil {
		f.fail("%s: %q is no whole number", name, f.str(name))
	}
	return n
}

// number reads a plain number; a comma serves as a point.
func (f *form) number(name, label string) float64 {
	v, err := strconv.ParseFloat(strings.NewReplacer(",", ".", "−", "-", "\u2009", "").Replace(f.str(name)), 64)
	if err != nil || v-v != 0 {
		f.fail("%s: %q is no number", label, f.str(name))
		return 0
	}
	return v
}

// length reads a length in metres, or in the unit typed after it.
func (f *form) length(name, label string) float64 {
	v, err := figure.ParseLength(f.str(name), target.Units[5])
	if err != nil {
		f.fail("%s: %v", label, err)
	}
	return v
}
