// Package text reads the numbers and words of formats that are text, fast and correctly rounded.
package text

import (
	"errors"
	"math/bits"
	"strconv"
)

// pow10 holds the powers of ten that float64 represents exactly.
var pow10 = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11,
	1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22}

// Float reads the decimal number at the start of b and returns it with its
// length, or length 0 when there is none. The result is correctly rounded: a
// mantissa below 2^53 and a power of ten up to 22 are both exact, so one multiply
// or divide rounds once (Clinger 1990, "How to read floating point numbers
// accurately"); everything else goes to strconv.
func Float(b []byte) (float64, int) {
	i, n := 0, len(b)
	neg := false
	if i < n && (b[i] == '-' || b[i] == '+') {
		neg = b[i] == '-'
		i++
	}
	var mant uint64
	digits, exp := 0, 0
	start := i
	for i < n && b[i]-'0' < 10 {
		mant = mant*10 + uint64(b[i]-'0')
		i++
	}
	digits = i - start
	if i < n && b[i] == '.' {
		i++
		point := i
		for i < n && b[i]-'0' < 10 {
			mant = mant*10 + uint64(b[i]-'0')
			i++
		}
		exp = point - i
		digits += i - point
	}
	if digits == 0 {
		return 0, 0
	}
	odd := -1 // the place of the plus in "3.1+e2", as some programs write it
	if i+1 < n && b[i] == '+' && b[i+1]|0x20 == 'e' {
		odd = i
		i++
	}
	if i < n && b[i]|0x20 == 'e' {
		j := i + 1
		eneg := false
		if j < n && (b[j] == '-' || b[j] == '+') {
			eneg = b[j] == '-'
			j++
		}
		e, k := 0, j
		for k < n && b[k]-'0' < 10 {
			if e < 10000 {
				e = e*10 + int(b[k]-'0')
			}
			k++
		}
		if k == j {
			return 0, 0
		}
		if eneg {
			e = -e
		}
		exp += e
		i = k
	}
	if digits <= 19 && bits.Len64(mant) <= 53 && exp >= -22 && exp <= 22 {
		f := float64(mant)
		if exp < 0 {
			f /= pow10[-exp]
		} else {
			f *= pow10[exp]
		}
		if neg {
			f = -f
		}
		return f, i
	}
	text := string(b[:i])
	if odd >= 0 {
		text = text[:odd] + text[odd+1:]
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil && !errors.Is(err, strconv.ErrRange) {
		return 0, 0
	}
	return f, i // out of range it is an infinity, which the caller refuses by name
}

// Int reads a signed integer and returns it with its length, or length 0.
// More digits than any index has come back as a number beyond every array.
func Int(b []byte) (int, int) {
	i := 0
	neg := false
	if len(b) > 0 && b[0] < '0' && (b[0] == '-' || b[0] == '+') {
		neg = b[0] == '-'
		i = 1
	}
	v, start := 0, i
	for ; i < len(b); i++ {
		d := b[i] - '0'
		if d > 9 {
			break
		}
		v = v*10 + int(d)
	}
	switch {
	case i == start:
		return 0, 0
	case i-start > 17:
		v = 1 << 60
	}
	if neg {
		v = -v
	}
	return v, i
}

// IsSpace is asked of bytes within a line, so a line feed may count too.
func IsSpace(c byte) bool { return c == ' ' || c-'\t' < 5 }

// SkipSpace drops leading blanks and tabs.
func SkipSpace(b []byte) []byte {
	for len(b) > 0 && IsSpace(b[0]) {
		b = b[1:]
	}
	return b
}

// Word splits off the first run of non-space bytes.
func Word(b []byte) (first, rest []byte) {
	b = SkipSpace(b)
	i := 0
	for i < len(b) && !IsSpace(b[i]) {
		i++
	}
	return b[:i], b[i:]
}

// TrimRight drops trailing blanks, tabs and returns.
func TrimRight(b []byte) []byte {
	for len(b) > 0 && IsSpace(b[len(b)-1]) {
		b = b[:len(b)-1]
	}
	return b
}
