package target

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The name of a target says its basis and its unit, and its ID says the same.
func TestTargetsAreWhatTheirNamesSay(t *testing.T) {
	seen := map[string]bool{}
	for _, to := range Shipped {
		assert.False(t, seen[to.ID], "%s is there twice", to.ID)
		seen[to.ID] = true
		hand := "right"
		if to.Basis.Left {
			hand = "left"
		}
		assert.Equal(t, to.Basis.Up.Letter()+" up · "+to.Unit.Name+" · "+hand+"-handed", to.Name)
		got, ok := ByID(to.ID)
		require.True(t, ok)
		assert.Equal(t, to, got)
		// Up, forward and right are three axes, and the hand is that of their product.
		v := to.Basis.ToView()
		assert.InDelta(t, 1, abs(v.Det()), 1e-12, to.ID)
		assert.Equal(t, to.Basis.Left, v.Det() > 0, "right, up, forward of %s", to.ID)
	}
	_, ok := ByID("")
	assert.False(t, ok, "there is no target that is meant by nothing")
}

func abs(v float64) float64 { return max(v, -v) }

func TestUnitsAreExact(t *testing.T) {
	for symbol, metres := range map[string]float64{"mm": 1e-3, "cm": 1e-2, "in": 25.4e-3, "ft": 12 * 25.4e-3, "yd": 36 * 25.4e-3, "m": 1} {
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
