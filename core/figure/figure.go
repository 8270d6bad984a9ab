// Package figure writes numbers for people: with units, thin-spaced thousands and
// as many digits as they deserve. It is the one place that does.
package figure

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"yarvek/core/target"
)

const thin = "\u2009"

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
func In(m float64, u target.Unit) string {
	v := m / u.Metres
	switch a := math.Abs(v); {
	case a == 0:
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

// Plural chooses the word for a count: 1 node, 2 nodes.
func Plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Count(n) + " " + many
}

// ParseLength reads what a person types for a length: a number with an optional
// unit, "218 cm" or "7 ft"; without one, fallback is meant. The result is metres.
func ParseLength(s string, fallback target.Unit) (float64, error) {
	t := strings.NewReplacer(thin, "", "\u00a0", "", "\u202f", "", "−", "-", ",", ".").Replace(strings.TrimSpace(s))
	u := fallback
	for _, k := range target.Units {
		for _, suffix := range []string{k.Name, k.Symbol} {
			if rest, ok := strings.CutSuffix(t, suffix); ok && rest != "" && (rest[len(rest)-1] < 'a' || rest[len(rest)-1] > 'z') {
				u, t = k, strings.TrimSpace(rest)
			}
		}
	}
	v, err := strconv.ParseFloat(strings.ReplaceAll(t, " ", ""), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("%q is no length: type a number, such as 2.18 or 218 cm", s)
	}
	return v * u.Metres, nil
}

// Bytes writes a size in bytes for people.
func Bytes(n int64) string {
	switch {
	case n >= 1<<30:
		return fmt.Sprintf("%.1f\u2009GB", float64(n)/(1<<30))
	case n >= 1<<20:
		return fmt.Sprintf("%.1f\u2009MB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.1f\u2009kB", float64(n)/(1<<10))
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
