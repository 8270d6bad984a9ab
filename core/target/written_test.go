package target

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Whatever is changed of a target besides its classes, its frame and the names that are shown one by one, something is
// said of it: a receiver that moves what arrives by a metre changes every file.
func TestEveryChangeOfATargetIsSaid(t *testing.T) {
	a := Shipped[0].Copy()
	assert.Empty(t, Written(a, a.Copy()))
	var fields any
	require.NoError(t, json.Unmarshal(a.JSON(), &fields))
	tried := 0
	var walk func(path []any, v any)
	walk = func(path []any, v any) {
		switch v := v.(type) {
		case map[string]any:
			for k, w := range v {
				walk(append(path, k), w)
			}
			return
		case []any:
			for i, w := range v {
				walk(append(path, i), w)
			}
			return
		}
		top := path[0].(string)
		if strings.Contains(" id name revision basis unit classes ", " "+top+" ") || len(path) > 1 &&
			top == "names" && (path[1] == "node" || path[1] == "slot") || path[len(path)-1] == "symbol" ||
			path[len(path)-1] == "name" {
			return
		}
		var other any
		switch v := v.(type) {
		case bool:
			other = !v
		case float64:
			other = v + 1
		case string:
			other = v + "z"
		}
		var changed any
		require.NoError(t, json.Unmarshal(a.JSON(), &changed))
		at := changed
		for _, k := range path[:len(path)-1] {
			switch x := at.(type) {
			case map[string]any:
				at = x[k.(string)]
			case []any:
				at = x[k.(int)]
			}
		}
		switch x := at.(type) {
		case map[string]any:
			x[path[len(path)-1].(string)] = other
		case []any:
			x[path[len(path)-1].(int)] = other
		}
		text, err := json.Marshal(changed)
		require.NoError(t, err)
		var b Target
		if json.Unmarshal(text, &b) != nil {
			return // no target can say that
		}
		tried++
		assert.NotEmpty(t, Written(a, b), "%v: %v", path, other)
	}
	walk(nil, fields)
	assert.Greater(t, tried, 40)
	b := a.Copy()
	b.Arrival.Move = geom.Vec3{0, 1, 0}
	assert.Contains(t, Written(a, b)[0], "moved by "+figure.Length(1))
	assert.Contains(t, Written(b, a)[0], "moves nothing")
}
