package text

import (
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is read is what strconv makes of the same text, whatever its digits and exponent; the form "3.1+e2"
// is that without its first sign.
func TestNumbersAreReadAsWritten(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	digits := func(n int) string {
		b := make([]byte, n)
		for i := range b {
			b[i] = byte('0' + rnd.IntN(10))
		}
		return string(b)
	}
	for range 200_000 {
		mant := digits(1+rnd.IntN(22)) + "." + digits(rnd.IntN(22))
		if rnd.IntN(4) == 0 {
			mant = "." + digits(1+rnd.IntN(20))
		}
		sign := []string{"", "-", "+"}[rnd.IntN(3)]
		exp, odd := "", ""
		if rnd.IntN(2) == 0 {
			exp = "eE"[rnd.IntN(2):][:1] + []string{"", "-", "+"}[rnd.IntN(3)] + digits(1+rnd.IntN(3))
			odd = []string{"", "+"}[rnd.IntN(2)]
		}
		want, err := strconv.ParseFloat(sign+mant+exp, 64)
		if err != nil {
			require.ErrorIs(t, err, strconv.ErrRange)
		}
		text := sign + mant + odd + exp
		got, n := Float([]byte(text))
		require.Equal(t, len(text), n, text)
		require.Equal(t, math.Float64bits(want), math.Float64bits(got), text)
	}
	for text, want := range map[string]int{"": 0, "+": 0, "-.": 0, ".": 0, "e5": 0, "1e": 0, "1+e": 0, "1-e5": 1,
		"1+5": 1, "1,5": 1} {
		_, n := Float([]byte(text))
		assert.Equal(t, want, n, "%q", text)
	}
}
