package lods

import (
	"fmt"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/process/ladder"
)

// Words between the parts of a LOD that is typed: how coarse it is, and from where it takes over.
const (
	fromWord = "from"
	handWord = "number"
)

// ParseLevel reads a LOD as it is typed: how coarse it is to be, "from" where it takes over, or both; or "number 2"
// of the file. What is not said is solved.
func ParseLevel(s string) (l Level, err error) {
	size, from, both := strings.Cut(s, fromWord)
	if size = strings.TrimSpace(size); both {
		if l.From, err = figure.ParseLength(from, figure.Metre); err != nil {
			return l, err
		}
	}
	if n, hand := strings.CutPrefix(size, handWord); hand {
		if l.Hand, err = strconv.Atoi(strings.TrimSpace(n)); err != nil || l.Hand < 1 {
			return l, fmt.Errorf("%q is no number of a LOD", strings.TrimSpace(n))
		}
		return l, nil
	}
	if size == "" {
		return l, nil
	}
	w, err := ParseWish(size)
	w.From = l.From
	l.Wish = w
	return l, err
}

// Typed is the LOD as [ParseLevel] reads it.
func (l Level) Typed() string {
	s := WishTyped(l.Wish)
	if l.Hand > 0 {
		s = fmt.Sprintf("%s %d", handWord, l.Hand)
	}
	if l.From > 0 {
		s += fmt.Sprintf(" %s %s m", fromWord, figure.Untyped(l.From, 0))
	}
	return strings.TrimSpace(s)
}

// ParseWish reads how coarse a LOD is to be: a share of the triangles in hundredths, a count of them with "tri"
// behind it, or "points" of a cloud, or a length it may be off by. What has no unit is a share.
func ParseWish(s string) (w ladder.Wish, err error) {
	s = strings.TrimSpace(s)
	if count, ok := counted(s); ok {
		v, err := figure.Typed(count, 0)
		if err != nil || !(v >= 1 && v <= 1<<31) {
			return w, fmt.Errorf("%q is no count of triangles", s)
		}
		w.Triangles = int(v)
		return w, nil
	}
	if last := s[max(0, len(s)-1):]; last == "%" || last >= "0" && last <= "9" {
		if w.Share, err = figure.Typed(strings.TrimSuffix(s, "%"), -2); err != nil {
			return w, fmt.Errorf("%q is no share of the triangles", s)
		}
		if !w.Sized() {
			return w, fmt.Errorf("%q leaves no triangles: expected more than 0 %%", s)
		}
		return w, nil
	}
	if w.Deviation, err = figure.ParseLength(s, figure.Metre); err == nil && !w.Sized() {
		err = fmt.Errorf("%q is no deviation: expected more than 0", s)
	}
	return w, err
}

// counted is what stands before a word for triangles or points; false for none.
func counted(s string) (string, bool) {
	for _, word := range []string{"triangles", "triangle", "tri", "points", "point", "pts"} {
		if n, ok := strings.CutSuffix(s, word); ok {
			return n, true
		}
	}
	return s, false
}

// WishTyped is how coarse a LOD is to be as [ParseWish] reads it, "" where that is solved.
func WishTyped(w ladder.Wish) string {
	switch {
	case w.Triangles > 0:
		return strconv.Itoa(w.Triangles) + " tri"
	case w.Deviation > 0:
		return figure.Untyped(w.Deviation, -3) + " mm"
	case w.Share > 0:
		return figure.Untyped(w.Share, -2) + " %"
	}
	return ""
}
