package export

import (
	"fmt"
	"path"
	"slices"
	"strings"
)

// Values are what patterns of this station stand for.
type Values struct{ Asset, Kit, Class, Target string }

// of is the value of a placeholder.
func (v Values) of(name string) string {
	switch name {
	case "asset":
		return v.Asset
	case "kit":
		return v.Kit
	case "class":
		return v.Class
	}
	return v.Target
}

// Placeholders are those that a name and a folder may hold.
var Placeholders = []string{"asset", "kit", "class", "target"}

// CheckPattern tells what is wrong with a pattern of this station.
func CheckPattern(p string) error {
	_, err := filled(p, func(string) string { return "x" })
	if err == nil && strings.ContainsRune(p, 0) {
		err = fmt.Errorf("a name can't hold that letter")
	}
	return err
}

// Filled is a pattern with its placeholders filled, as it is: a name and a folder are made safe by what they name.
func Filled(p string, v Values) (string, error) { return filled(p, v.of) }

func filled(p string, value func(string) string) (string, error) {
	var b strings.Builder
	for rest := p; rest != ""; {
		before, after, open := strings.Cut(rest, "{")
		if strings.Contains(before, "}") {
			return "", fmt.Errorf("“%s” closes a brace that it does not open", p)
		}
		b.WriteString(before)
		if !open {
			break
		}
		name, behind, closed := strings.Cut(after, "}")
		if !closed || !slices.Contains(Placeholders, name) {
			return "", fmt.Errorf("“%s” has a placeholder that is none: expected {%s}", p, strings.Join(Placeholders, "}, {"))
		}
		b.WriteString(value(name))
		rest = behind
	}
	return b.String(), nil
}

// CleanFolder makes a folder of a filled pattern: below the one it stands in whatever it says, each part fit for every
// machine by clean; "" for none.
func CleanFolder(p string, clean func(string) string) string {
	var parts []string
	for _, part := range strings.FieldsFunc(p, func(r rune) bool { return r == '/' || r == '\\' }) {
		if part = strings.TrimSpace(part); part == "" || part == "." || part == ".." {
			continue
		}
		parts = append(parts, clean(part))
	}
	return path.Join(parts...)
}

// hasPlaceholder tells a pattern from a plain name.
func hasPlaceholder(p string) bool { return strings.Contains(p, "{") }
