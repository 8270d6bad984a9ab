// Package figure writes numbers for people: with units, thin-spaced thousands and
// as many digits as they deserve, and has the units of length that meshes are modelled in.
// It is the one place that does.
package figure

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// thin is a narrow space that no line breaks at.
const thin = "\u202f"

// Count writes a whole number: 12 672.
func Count(n int) string { return Number(float64(n), 0) }

// Number writes v with so many decimals.
func Number(v float64, decimals int) string {
	s := strconv.FormatFloat(math.Abs(v), 'f', decimals, 64)
	whole, frac, _ := strings.Cut(s, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + thin + whole[i:]
	}
	if frac != "" {
		whole += "." + frac
	}
	if v < 0 && strings.Trim(s, "0.") != "" {
		return "−" + whole
	}
	return whole
}

// Length writes metres, in the unit that suits the size: 3.50 m, 13.1 mm, 1.20 km.
func Length(m float64) string {
	a := math.Abs(m)
	switch {
	case a == 0:
		return "0 m"
	case a < 1e-6:
		return "under 0.001" + thin + "mm"
	case a < 0.01:
		return Number(m*1000, 2) + thin + "mm"
	case a < 0.1:
		return Number(m*1000, 1) + thin + "mm"
	case a < 1:
		return Number(m, 3) + thin + "m"
	case a < 10000:
		return Number(m, 2) + thin + "m"
	case a < 1e7:
		return Number(m/1000, 2) + thin + "km"
	}
	return Significant(m/1000, 4) + thin + "km"
}

// In writes a length in a unit, without its symbol.
func In(m float64, u Unit) string {
	v := m / u.Metres
	switch a := math.Abs(v); {
	case math.Abs(m) < 1e-9: // a nanometre is rounding
		return "0"
	case a >= 1e9 || a < 1e-4:
		return Significant(v, 4)
	case a >= 1000:
		return Number(v, 0)
	case a >= 100:
		return Number(v, 1)
	case a >= 1:
		return Number(v, 2)
	case a >= 0.1:
		return Number(v, 3)
	}
	return Number(v, 4)
}

// Significant writes v with so many significant digits and no trailing zeros.
func Significant(v float64, digits int) string {
	a := math.Abs(v)
	if a != 0 && (a >= 1e9 || a < 1e-6) {
		return strconv.FormatFloat(v, 'e', digits-1, 64)
	}
	d := 0
	if a > 0 {
		d = max(0, digits-1-int(math.Floor(math.Log10(a))))
	}
	s := Number(v, d)
	if strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	return s
}

// Percent says a share in hundredths, with two digits; what is under a tenth of one is said to be.
func Percent(share float64) string {
	if share > 0 && share < 0.001 {
		return "under 0.1\u202f%"
	}
	return Significant(100*share, 2) + "\u202f%"
}

// Plural chooses the word for a count: 1 node, 2 nodes.
func Plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Count(n) + " " + many
}

// ParseLength reads what a person types for a length, and everything this program prints as
// one: a number with an optional unit, "218 cm" or "7 ft", with a comma or a point, and feet
// with inches, 6' 2" or 6 ft 2 in; without a unit, fallback is meant. The result is metres.
func ParseLength(s string, fallback Unit) (float64, error) {
	bad := fmt.Errorf("%q is no length: type a number, such as 2.18, 218 cm or 7 ft 2 in", s)
	t := strings.NewReplacer(thin, "", "\u00a0", "", "\u2009", "", " ", "", "−", "-", "’", "'", "′", "'", "”", `"`, "″",
		`"`, "''", `"`).
		Replace(strings.TrimSpace(s))
	t = strings.TrimPrefix(strings.ToLower(t), "under")
	if m := feetInches.FindStringSubmatch(t); m != nil {
		ft, err1 := decimal(m[2])
		in, err2 := decimal(m[3])
		if err1 != nil || err2 != nil {
			return 0, bad
		}
		v := ft*0.3048 + in*0.0254
		if m[1] == "-" {
			v = -v
		}
		return v, nil
	}
	u := fallback
	for _, k := range lengthWords() {
		if rest, ok := strings.CutSuffix(t, k.word); ok && rest != "" &&
			(rest[len(rest)-1] < 'a' || rest[len(rest)-1] > 'z') {
			u, t = k.unit, rest
			break
		}
	}
	power, ofTen := u.Power()
	v, err := Typed(t, power)
	if err != nil {
		return 0, bad
	}
	if !ofTen {
		v *= u.Metres
	}
	return v, nil
}

var feetInches = regexp.MustCompile(`^(-?)([0-9.,]+)(?:'|ft|feet|foot)([0-9.,]+)(?:"|in|inch|inches)?$`)

// decimal reads a finite number with a point or a comma.
func decimal(s string) (float64, error) {
	if strings.Count(s, ",") == 1 && !strings.Contains(s, ".") {
		s = strings.Replace(s, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(s, 64)
	if err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
		err = strconv.ErrRange
	}
	return v, err
}

// lengthWord is a way to write a unit.
type lengthWord struct {
	word string
	unit Unit
}

// lengthWords are all of them, the longest first.
var lengthWords = sync.OnceValue(func() []lengthWord {
	var list []lengthWord
	for _, u := range Units {
		list = append(list, lengthWord{strings.ToLower(u.Name), u}, lengthWord{u.Symbol, u},
			lengthWord{strings.TrimSuffix(strings.ToLower(u.Name), "s"), u})
		switch u.Symbol {
		case "ft":
			list = append(list, lengthWord{"'", u}, lengthWord{"foot", u})
		case "in":
			list = append(list, lengthWord{`"`, u}, lengthWord{"inch", u})
		case "m":
			list = append(list, lengthWord{"km", Unit{Name: "kilometres", Symbol: "km", Metres: 1000}},
				lengthWord{"µm", Unit{Name: "micrometres", Symbol: "µm", Metres: 1e-6}})
		}
	}
	slices.SortStableFunc(list, func(a, b lengthWord) int { return len(b.word) - len(a.word) })
	return list
})

// Bytes writes a size in bytes for people.
func Bytes(n int64) string {
	switch {
	case n >= 1<<30:
		return fmt.Sprintf("%.1f\u202fGB", float64(n)/(1<<30))
	case n >= 1<<20:
		return fmt.Sprintf("%.1f\u202fMB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.1f\u202fkB", float64(n)/(1<<10))
	}
	return fmt.Sprintf("%d bytes", n)
}

// Imperial writes metres in feet and inches, the inch of 25.4 mm.
func Imperial(m float64) string {
	in := math.Abs(m) / 0.0254
	sign := ""
	if m < 0 {
		sign = "−"
	}
	switch {
	case in == 0:
		return "0 in"
	case in < 0.01:
		return sign + Significant(in, 2) + thin + "in"
	case in < 12:
		return sign + Number(in, 2) + thin + "in"
	case in < 12*1000:
		ft := math.Floor(in / 12)
		rest := in - 12*ft
		if rest >= 11.95 {
			ft, rest = ft+1, 0
		}
		if rest < 0.05 {
			return sign + Number(ft, 0) + thin + "ft"
		}
		return sign + Number(ft, 0) + thin + "ft " + strings.TrimSuffix(Number(rest, 1), ".0") + thin + "in"
	}
	return sign + Number(in/12, 0) + thin + "ft"
}

// Area writes square metres: m², cm² or mm².
func Area(m2 float64) string {
	switch a := math.Abs(m2); {
	case a == 0:
		return "0 m²"
	case a < 1e-4:
		return Significant(m2*1e6, 3) + thin + "mm²"
	case a < 0.1:
		return Significant(m2*1e4, 3) + thin + "cm²"
	}
	return Significant(m2, 4) + thin + "m²"
}

// Volume writes cubic metres: m³, litres or cm³.
func Volume(m3 float64) string {
	switch a := math.Abs(m3); {
	case a == 0:
		return "0 m³"
	case a < 1e-3:
		return Significant(m3*1e6, 3) + thin + "cm³"
	case a < 1:
		return Significant(m3*1000, 3) + thin + "litres"
	}
	return Significant(m3, 4) + thin + "m³"
}

// Degrees writes radians in degrees.
func Degrees(rad float64) string {
	d := rad * 180 / math.Pi
	if math.Abs(d) < 10 {
		return Significant(d, 2) + "°"
	}
	return Significant(d, 3) + "°"
}
