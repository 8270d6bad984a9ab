package naming

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
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

// Words that say a role. Those that are sure say so wherever the node stands; the others are everyday words, and count
// only with what is measured. They are words of several languages, none of them a code of a program.
var (
	sureLevel  = []string{"lod", "lods"}
	countLevel = []string{"level", "lvl", "detail", "stufe", "niveau", "nivel", "livello", "уровень", "poziom"} // numbered
	finest     = []string{"high", "hi", "highpoly", "highres", "hires", "full", "original"}
	middling   = []string{"mid", "medium", "midpoly"}
	coarse     = []string{"low", "lowpoly", "lowres", "simple", "simplified", "reduced", "proxy", "distant", "impostor",
		"far"}

	sureSolid = []string{"collision", "collisions", "collider", "colliders", "collisionmesh", "collisionhull", "kollision",
		"kollisionen", "kollisionskörper", "kollisionskoerper", "kollisionsnetz", "kollisionshülle", "colision", "colisión",
		"colisiones", "colisionador", "colisor", "colisão", "collisione", "collisioni", "collisionneur", "kolizja", "kolize",
		"botsing", "çarpışma", "törmäys", "столкновение", "коллизия", "коллайдер", "衝突", "碰撞体", "碰撞", "コリジョン", "コライダー",
		"当たり判定", "충돌"}
	solidWords = []string{"col", "coll", "hull", "solid", "physics", "phys", "physik", "physique", "física", "fisica",
		"convex", "blocker", "bounds", "bound", "bounding", "hülle", "huelle"}

	// kinds are words for the form of a shape to collide with.
	kinds = map[string]string{"box": "box", "boxes": "box", "cube": "box", "cuboid": "box", "kiste": "box",
		"quader": "box", "caja": "box", "boite": "box", "boîte": "box", "ball": "ball", "sphere": "ball",
		"kugel": "ball", "esfera": "ball", "sphère": "ball", "sfera": "ball", "capsule": "capsule", "kapsel": "capsule",
		"pill": "capsule", "capsula": "capsule", "cápsula": "capsule", "hull": "hull", "convex": "hull", "hülle": "hull",
		"huelle": "hull", "mesh": "surface", "trimesh": "surface", "surface": "surface", "concave": "surface"}
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

// Reading is what the words of a name say its node stands in for.
type Reading struct {
	Role Role
	// Sure tells that a word of the trade says so, and not an everyday one.
	Sure bool
	// Stem are the other words, without the role's and the number that counts it; Bare is without those that say the
	// kind of a shape either.
	Stem, Bare string
	Kind       string // of a Solid: box, ball, capsule, hull or surface, "" where no word says
	Number     int    // that counts it, -1 for none
	Rank       int    // of a Level that a word tells: 0 for the finest, 1 for a middling one, 2 for a coarse one, else -1
}

// RoleOf reads the words of a name, wherever the one stands that says the role, and the number beside it or at the end.
func RoleOf(name string) Reading {
	words := Words(name)
	r := Reading{Number: -1, Rank: -1}
	if at := r.said(words); at >= 0 && (len(words) > 1 || r.Role == Solid && r.Sure) {
		words = r.counted(words, at)
	} else {
		r = Reading{Number: -1, Rank: -1}
		if n := len(words); n > 1 {
			words = r.numbered(words, n-1)
		}
	}
	var bare []string
	for _, w := range words {
		if r.Role == Solid && kinds[w] != "" {
			r.Kind = kinds[w]
		} else {
			bare = append(bare, w)
		}
	}
	r.Stem, r.Bare = strings.Join(words, " "), strings.Join(bare, " ")
	return r
}

// said finds the word that says the role, -1 for none: a sure one of levels before one of shapes, since what is both is
// a level of a shape, and both before everyday words, the last of which counts.
func (r *Reading) said(words []string) int {
	last := func(is func(w string, i int) bool) int {
		for i := len(words) - 1; i >= 0; i-- {
			if is(words[i], i) {
				return i
			}
		}
		return -1
	}
	of := func(list []string) func(string, int) bool {
		return func(w string, _ int) bool { return slices.Contains(list, w) }
	}
	if at := last(of(sureLevel)); at >= 0 {
		r.Role, r.Sure = Level, true
		return at
	}
	if at := last(func(w string, _ int) bool { return slices.ContainsFunc(sureSolid, holds(w)) }); at >= 0 {
		r.Role, r.Sure = Solid, true
		return at
	}
	if at := last(func(w string, i int) bool {
		return slices.Contains(countLevel, w) && (isNumber(words, i+1) || isNumber(words, i-1))
	}); at >= 0 {
		r.Role = Level
		return at
	}
	if at := last(of(solidWords)); at >= 0 {
		r.Role = Solid
		r.Kind = kinds[words[at]]
		return at
	}
	for rank, list := range [][]string{finest, middling, coarse} {
		if at := last(of(list)); at >= 0 {
			r.Role, r.Rank = Level, rank
			return at
		}
	}
	return -1
}

// holds tells whether a word is another, or holds it where the script sets no space between words.
func holds(w string) func(string) bool {
	return func(sure string) bool {
		if w == sure || sure[0] < utf8.RuneSelf || len(w) <= len(sure) {
			return w == sure
		}
		first, _ := utf8.DecodeRuneInString(sure)
		return unicode.In(first, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul) &&
			strings.Contains(w, sure)
	}
}

func isNumber(words []string, i int) bool {
	if i < 0 || i >= len(words) {
		return false
	}
	_, err := strconv.Atoi(words[i])
	return err == nil
}

// counted takes the role's word out, and the number behind it, before it, or at the end.
func (r *Reading) counted(words []string, at int) []string {
	word := words[at]
	words = slices.Delete(slices.Clone(words), at, at+1)
	var joined []string // what such a word is written together with, in scripts without spaces
	for _, sure := range sureSolid {
		if r.Role == Solid && word != sure && holds(word)(sure) {
			if rest := strings.ReplaceAll(word, sure, ""); rest != "" {
				joined = []string{rest}
			}
			break
		}
	}
	words = slices.Insert(words, at, joined...)
	at += len(joined)
	switch {
	case isNumber(words, at):
		return r.numbered(words, at)
	case len(words) > 0 && isNumber(words, len(words)-1) && r.Role == Solid:
		return r.numbered(words, len(words)-1)
	case isNumber(words, at-1):
		return r.numbered(words, at-1)
	}
	return words
}

// numbered takes the number at a place out, where there is one.
func (r *Reading) numbered(words []string, at int) []string {
	v, err := strconv.Atoi(words[at])
	if err != nil {
		return words
	}
	r.Number = v
	return slices.Delete(slices.Clone(words), at, at+1)
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
