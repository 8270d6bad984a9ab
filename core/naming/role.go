package naming

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// Role is what a name says its node stands in for.
type Role int

// A node stands for itself, or is a simpler level of another, or the shape a body collides
// with.
const (
	Itself Role = iota
	Level
	Solid
)

// Words that end a name and say its role. Those that are sure say so wherever the node
// stands; the others are everyday words, and count only for a node that stands in another's
// place and is simpler.
var (
	levelWords = []string{"low", "lowpoly", "lowres", "mid", "medium", "simple", "simplified", "reduced", "proxy",
		"distant", "impostor", "far"}
	solidWords = []string{"col", "coll", "hull", "solid", "physics", "phys", "convex", "blocker", "bounds"}
	sureLevel  = []string{"lod", "lods"}
	sureSolid  = []string{"collision", "collisions", "collider", "colliders"}
)

// Words cuts a name into lower-case words and numbers: at what is no letter or digit,
// between letters and digits, and before a capital after a small letter.
func Words(name string) []string {
	var out []string
	var word []rune
	end := func() {
		if len(word) > 0 {
			out = append(out, strings.ToLower(string(word)))
			word = word[:0]
		}
	}
	var last rune
	for _, r := range name {
		switch {
		case !unicode.IsLetter(r) && !unicode.IsDigit(r):
			end()
			last = r
			continue
		case unicode.IsDigit(r) != unicode.IsDigit(last), unicode.IsUpper(r) && unicode.IsLower(last):
			end()
		}
		word = append(word, r)
		last = r
	}
	end()
	return out
}

// RoleOf reads a name from its end: its role, whether a sure word says so, the words before,
// and the number that counts it, -1 for none.
func RoleOf(name string) (role Role, sure bool, stem string, number int) {
	words := Words(name)
	number = -1
	if n := len(words); n > 1 {
		if v, err := strconv.Atoi(words[n-1]); err == nil {
			number, words = v, words[:n-1]
		}
	}
	for len(words) > 1 {
		w := words[len(words)-1]
		switch {
		case slices.Contains(sureLevel, w):
			role, sure = Level, true
		case slices.Contains(sureSolid, w):
			role, sure = Solid, true
		case role == Itself && slices.Contains(levelWords, w):
			role = Level
		case role == Itself && slices.Contains(solidWords, w):
			role = Solid
		default:
			return role, sure, strings.Join(words, " "), number
		}
		words = words[:len(words)-1]
	}
	return role, sure, strings.Join(words, " "), number
}

// Upright tells names of things that stand and are taller than broad.
func Upright(name string) bool {
	for _, w := range Words(name) {
		if slices.Contains([]string{"mast", "pole", "post", "pillar", "column", "tower", "lamp", "lantern", "lamppost",
			"tree", "antenna", "flagpole",
			"chimney", "statue", "bollard", "obelisk", "lighthouse", "signpost"}, w) {
			return true
		}
	}
	return false
}
