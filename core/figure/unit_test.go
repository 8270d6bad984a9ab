package figure

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestUnitsAreExact(t *testing.T) {
	for symbol, metres := range map[string]float64{"mm": 1e-3, "cm": 1e-2, "in": 25.4e-3, "ft": 12 * 25.4e-3,
		"yd": 36 * 25.4e-3, "m": 1} {
		u, ok := UnitBySymbol(symbol)
		require.True(t, ok, symbol)
		assert.InDelta(t, metres, u.Metres, 1e-15)
		assert.Equal(t, u, UnitFor(u.Metres))
	}
	assert.Equal(t, "m", Metre.Symbol)
	odd := UnitFor(0.3)
	assert.Equal(t, 0.3, odd.Metres)
	assert.Equal(t, "units of 0.3 m", odd.Name)
	_, ok := UnitBySymbol("furlong")
	assert.False(t, ok)
}
