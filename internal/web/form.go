package web

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// form decodes what a page sends. The first thing that can't be read is kept as
// the error; what follows is zero.
type form struct {
	r    *http.Request
	err  error
	keys []string // of the asset's nodes, for forms that name nodes
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

// point reads three numbers in metres, "x,y,z", as a pick gives them.
func (f *form) point(name string) geom.Vec3 {
	p, err := parsePoint(f.str(name))
	if err != nil {
		f.fail("%v", err)
	}
	return p
}

// points reads all points of a name.
func (f *form) points(name string) []geom.Vec3 {
	var list []geom.Vec3
	for _, s := range f.strs(name) {
		if s == "" {
			continue
		}
		p, err := parsePoint(s)
		if err != nil {
			f.fail("%v", err)
		}
		list = append(list, p)
	}
	return list
}

func parsePoint(s string) (p geom.Vec3, err error) {
	parts := strings.Split(s, ",")
	if len(parts) != 3 {
		return p, fmt.Errorf("%q is no point: pick one on the drawing", s)
	}
	for k, t := range parts {
		if p[k], err = strconv.ParseFloat(strings.TrimSpace(t), 64); err != nil || p[k]-p[k] != 0 {
			return p, fmt.Errorf("%q is no point: pick one on the drawing", s)
		}
	}
	return p, nil
}

// area reads a box on the plan.
func (f *form) area() (a [4]float64) {
	for i, n := range [4]string{"right0", "front0", "right1", "front1"} {
		a[i] = f.length(n, "The box on the plan")
	}
	return a
}

// under lists nodes and all below them.
func (f *form) under(keys []string) []string {
	var list []string
	for _, k := range keys {
		if !slices.Contains(f.keys, k) {
			list = append(list, k) // of another revision: kept as it was sent
		}
		for _, n := range f.keys {
			if n == k || strings.HasPrefix(n, k+"/") {
				list = append(list, n)
			}
		}
	}
	return list
}
