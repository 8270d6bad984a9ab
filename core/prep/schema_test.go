package prep

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A validator that is not ours takes what the program takes, and refuses what it refuses.
func TestTheSchemaIsThatOfPreps(t *testing.T) {
	text, err := Schema()
	require.NoError(t, err)
	tree, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("prep.json", tree))
	compiled, err := c.Compile("prep.json")
	require.NoError(t, err)
	valid := func(text string) error {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		require.NoError(t, err)
		return compiled.Validate(v)
	}
	rng := rand.New(rand.NewPCG(7, 7))
	all := Entries()
	for range 300 {
		var p Prep
		for range 1 + rng.IntN(12) {
			e, next := all[rng.IntN(len(all))], p
			if e.Set(&next, anyText(rng, e)) == nil && next.Validate() == nil {
				p = next
			}
		}
		require.NoError(t, valid(string(p.JSON())), "%s", p.JSON())
	}
	for _, text := range []string{"{}", // and what no entry says
		`{"source":{"leave":["a"],"rules":[{"by":"kind","what":"speck"},{"by":"area","area":[0,0,1,1]}],"names":{"a":"b"}}}`,
		`{"pivot":{"place":"picks","picks":[[0,0,0],[1,1,1]],"each":{"a":{"place":"mass"}},"markers":[{"name":"m",
			"at":[1,2,3],"drop":"surface"}]},"axes":{"up":"+Z","turns":[{"about":"up","degrees":90}]}}`,
		`{"lods":{"levels":[{"share":0.5,"from":12},{"hand":2}],"making":{"detail":-1,"weights":{"a":0}}}}`,
		`{"collision":{"fits":[{"form":"box","at":[[0,0,0]]}],"edited":[{"solid":{"kind":"ball","capsule":{"A":[0,0,0],
			"B":[0,0,0],"Radius":1}}}]}}`,
		`{"slots":{"moves":[{"to":"new","at":[[0,0,0]],"reach":"flat"}],"joins":[{"slot":"a","into":"b"}],
			"looks":[{"slot":"b","alpha":"MASK","sides":2}],"sheets":[{"slots":["a","b"]}]}}`} {
		_, err := Parse([]byte(text))
		require.NoError(t, err, text)
		require.NoError(t, valid(text), text)
	}
	for _, wrong := range []string{`{"colision":{}}`, `{"collision":{"gap":"2 cm"}}`, `{"collision":{"density":40000}}`,
		`{"size":{"unit":"furlong"}}`, `{"slots":{"pictures":{"roles":["gloss"]}}}`, `{"surface":{"thick":[{"wide":1}]}}`,
		`{"lods":{"making":{"detail":-2}}}`, `{"pivot":{"point":[1,2]}}`, `{"export":{"only":1.5}}`, `[]`} {
		assert.Error(t, valid(wrong), wrong)
		_, err := Parse([]byte(wrong))
		assert.Error(t, err, "the program takes %s", wrong)
	}
	var o map[string]any
	require.NoError(t, json.Unmarshal(text, &o))
	said := strings.Count(string(text), `"title"`)
	assert.Greater(t, said, len(all)-len(all)/10, "an entry says itself in the schema")
}
