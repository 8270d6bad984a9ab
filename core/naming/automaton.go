package naming

import (
	"slices"
	"strings"
	"unicode"
)

// automaton is the position automaton of a template (Glushkov 1961, "The abstract theory of
// automata"): a state for each place of it that takes a character. It tells whether a name can
// be read in two ways, and whether two templates can read one name.
type automaton struct {
	takes  []func(rune) bool
	follow [][]int
	first  []int
	last   []int
	signs  []rune // one character for each sort that the templates tell apart, in small letters
}

// fragment is a part of an automaton in the making; all of them take at least one character.
type fragment struct{ first, last []int }

func (a *automaton) place(takes func(rune) bool) int {
	a.takes = append(a.takes, takes)
	a.follow = append(a.follow, nil)
	return len(a.takes) - 1
}

func (a *automaton) chain(x, y fragment) fragment {
	for _, p := range x.last {
		a.follow[p] = append(a.follow[p], y.first...)
	}
	return fragment{x.first, y.last}
}

func either(x, y fragment) fragment {
	return fragment{append(slices.Clone(x.first), y.first...), append(slices.Clone(x.last), y.last...)}
}

func (a *automaton) one(takes func(rune) bool) fragment {
	p := a.place(takes)
	return fragment{[]int{p}, []int{p}}
}

func (a *automaton) many(takes func(rune) bool) fragment {
	p := a.place(takes)
	a.follow[p] = append(a.follow[p], p)
	return fragment{[]int{p}, []int{p}}
}

func (a *automaton) word(s string) (f fragment) {
	for i, c := range []rune(strings.ToLower(s)) {
		next := a.one(func(r rune) bool { return r == c })
		if i == 0 {
			f = next
		} else {
			f = a.chain(f, next)
		}
	}
	return f
}

func digit(r rune) bool   { return r >= '0' && r <= '9' }
func counted(r rune) bool { return r >= '1' && r <= '9' }
func zero(r rune) bool    { return r == '0' }

// automaton makes that of a template. It has at least one part.
func (t *Template) automaton() *automaton {
	// a letter nobody writes stands for all others
	a := &automaton{signs: []rune("0123456789" + strings.ToLower(t.rules.Marks) + "\u01c3")}
	var whole fragment
	for i, p := range t.parts {
		var f fragment
		switch {
		case p.name == "":
			f = a.word(p.plain)
			a.signs = append(a.signs, []rune(strings.ToLower(p.plain))...)
		case p.slot.Kind == Number && p.width == 1:
			tail := a.many(digit)
			head := a.one(counted)
			long := a.chain(head, tail)
			f = either(a.one(zero), fragment{long.first, append(long.last, head.last...)})
		case p.slot.Kind == Number:
			f = a.one(digit)
			long := a.one(counted)
			for range p.width - 1 {
				f = a.chain(f, a.one(digit))
				long = a.chain(long, a.one(digit))
			}
			f = either(f, a.chain(long, a.many(digit)))
		case p.slot.Kind == OneOf:
			for k, w := range p.slot.Words {
				a.signs = append(a.signs, []rune(strings.ToLower(w))...)
				if k == 0 {
					f = a.word(w)
				} else {
					f = either(f, a.word(w))
				}
			}
		default:
			any := t.rules
			any.Letters = AnyLetter // the letter that stands for all others is no Latin one
			f = a.many(any.allows)
		}
		if i == 0 {
			whole = f
		} else {
			whole = a.chain(whole, f)
		}
	}
	a.first, a.last = whole.first, whole.last
	for i, r := range a.signs {
		a.signs[i] = unicode.ToLower(r)
	}
	slices.Sort(a.signs)
	a.signs = slices.Compact(a.signs)
	return a
}

// meeting is two readings of the same beginning of a name: where each stands, and whether they
// have been at different places.
type meeting struct {
	p, q  int
	apart bool
}

// meet follows two automata side by side over all names, and gives the shortest one that ends
// both readings as done says, "" for none.
func meet(a, b *automaton, start func(p, q int) bool, done func(m meeting) bool) string {
	signs := slices.Compact(slices.Sorted(slices.Values(append(slices.Clone(a.signs), b.signs...))))
	type step struct {
		from meeting
		sign rune
	}
	came := map[meeting]step{}
	var queue []meeting
	reach := func(m, from meeting, sign rune) {
		if _, ok := came[m]; !ok {
			came[m] = step{from, sign}
			queue = append(queue, m)
		}
	}
	const begin = -1
	from := meeting{begin, begin, false}
	for _, s := range signs {
		for _, p := range a.first {
			for _, q := range b.first {
				if a.takes[p](s) && b.takes[q](s) {
					reach(meeting{p, q, start(p, q)}, from, s)
				}
			}
		}
	}
	for len(queue) > 0 {
		m := queue[0]
		queue = queue[1:]
		if done(m) {
			var name []rune
			for m.p != begin {
				s := came[m]
				name = append(name, s.sign)
				m = s.from
			}
			slices.Reverse(name)
			return strings.ReplaceAll(string(name), "\u01c3", "a")
		}
		for _, s := range signs {
			for _, p := range a.follow[m.p] {
				if !a.takes[p](s) {
					continue
				}
				for _, q := range b.follow[m.q] {
					if b.takes[q](s) {
						reach(meeting{p, q, m.apart || start(p, q)}, m, s)
					}
				}
			}
		}
	}
	return ""
}

// ambiguous gives a name that two different ways through the automaton read, "" when there is
// none (Book, Even, Greibach and Ott 1971, "Ambiguity in graphs and expressions").
func (a *automaton) ambiguous() string {
	return meet(a, a, func(p, q int) bool { return p != q },
		func(m meeting) bool { return m.apart && slices.Contains(a.last, m.p) && slices.Contains(a.last, m.q) })
}

// Common gives a name that both templates would read, in small letters, "" when there is none.
func Common(t, u *Template) string {
	return meet(t.auto, u.auto, func(int, int) bool { return false },
		func(m meeting) bool { return slices.Contains(t.auto.last, m.p) && slices.Contains(u.auto.last, m.q) })
}
