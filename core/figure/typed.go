package figure

import (
	"math"
	"strconv"
	"strings"
)

// powers of ten that decimal units are of the metre.
var powers = map[float64]int{1e-6: -6, 0.001: -3, 0.01: -2, 1: 0, 1000: 3}

// Power is the power of ten that a unit is of the metre; false for one that is none.
func (u Unit) Power() (int, bool) {
	p, ok := powers[u.Metres]
	return p, ok
}

// Typed reads a finite number as a person types it, with a point or a comma and with spaces between thousands, times a
// power of ten. The result is the float64 nearest to the decimal number, so that nothing is lost on the way through a
// unit; see [Untyped].
func Typed(s string, power int) (float64, error) {
	s = spaces.Replace(strings.TrimSpace(s))
	mantissa, exponent := s, 0
	if i := strings.IndexAny(s, "eE"); i >= 0 {
		e, err := strconv.Atoi(s[i+1:])
		if err != nil || e < -400 || e > 400 {
			return 0, strconv.ErrSyntax
		}
		mantissa, exponent = s[:i], e
	}
	if strings.Trim(mantissa, "+-.,0123456789") != "" {
		return 0, strconv.ErrSyntax // Inf, NaN and hexadecimal numbers are none that anybody types
	}
	return decimal(mantissa + "e" + strconv.Itoa(exponent+power))
}

// TypedPoint reads three numbers with commas between, each as [Typed] does; a comma is no decimal sign here.
func TypedPoint(s string) (p [3]float64, err error) {
	parts := strings.Split(s, ",")
	if len(parts) != 3 {
		return p, strconv.ErrSyntax
	}
	for k, t := range parts {
		if p[k], err = Typed(t, 0); err != nil {
			return [3]float64{}, err
		}
	}
	return p, nil
}

// spaces between thousands go, and a sign is one however it is written.
var spaces = strings.NewReplacer(thin, "", "\u00a0", "", "\u2009", "", " ", "", "−", "-")

// Untyped writes a number without a power of ten in the fewest digits that [Typed] gives back: 0.02 with -3 is 20.
func Untyped(v float64, power int) string {
	s := strconv.FormatFloat(math.Abs(v), 'e', -1, 64)
	mantissa, e, _ := strings.Cut(s, "e")
	at, err := strconv.Atoi(e)
	if err != nil {
		return s // of no finite number
	}
	digits := strings.Replace(mantissa, ".", "", 1)
	point := at + 1 - power // digits before the point
	sign := ""
	if v < 0 {
		sign = "-"
	}
	switch {
	case v == 0:
		return "0"
	case point > 21 || point < -8:
		return sign + mantissa + "e" + strconv.Itoa(at-power)
	case point <= 0:
		return sign + "0." + strings.Repeat("0", -point) + digits
	case point >= len(digits):
		return sign + digits + strings.Repeat("0", point-len(digits))
	}
	return sign + digits[:point] + "." + digits[point:]
}
