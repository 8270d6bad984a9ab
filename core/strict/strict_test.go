package strict

import (
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type inner struct {
	Long float64 `json:"long"`
}

// axis reads itself.
type axis struct{ sign string }

func (a *axis) UnmarshalText(b []byte) error {
	if a.sign = string(b); a.sign != "+X" {
		return errors.New("no axis")
	}
	return nil
}

type thing struct {
	inner
	Name  string            `json:"name"`
	Parts []inner           `json:"parts"`
	By    map[string]*inner `json:"by"`
	Up    axis              `json:"up"`
	Any   any               `json:"any"`
	Not   string            `json:"-"`
	Plain bool
}

func TestStrictness(t *testing.T) {
	for text, want := range map[string]string{
		`{"name":"a","parts":[{"long":1}],"by":{"x":{"long":2}},"long":3,"Plain":true,"up":"+X","any":{"a":[1]}}`: "",
		"\xef\xbb\xbf{\"name\":\"a\"}":      "",
		`null`:                              "",
		`{"name":"a","name":"b"}`:           "line 1, name: it is there twice",
		"{\n\"Name\":\"a\"}":                "line 2, Name: there is no such field: it is written name",
		`{"parts":[{"long":1},{"Long":1}]}`: "line 1, parts.1.Long: there is no such field: it is written long",
		`{"by":{"x":{"long":1,"long":2}}}`:  "line 1, by.x.long: it is there twice",
		`{"any":{"a":1,"a":2}}`:             "line 1, any.a: it is there twice",
		`{"any":{"a":1,"\u0061":2}}`:        "line 1, any.a: it is there twice",
		`[]`:                                "line 1: expected an object, found a list",
		`{"by":[]}`:                         "line 1, by: expected an object, found a list",
		`{"parts":{}}`:                      "line 1, parts: expected a list, found an object",
		`{"name":7}`:                        "line 1, name: expected a text, found number",
		`{"name":"a"} x`:                    "something stands behind the end",
		`{"name":"a"}{}`:                    "something stands behind the end",
		`{"name":"a"`:                       "the text ends too early",
		`{"name":"a",}`:                     "invalid character",
		`{"Not":"x"}`:                       "there is no such field",
		`{"up":"-Q"}`:                       "no axis",
		"\xff\xfe{\x00}\x00":                "is UTF-16",
		"":                                  "ends too early",
	} {
		var v thing
		err := Unmarshal([]byte(text), &v)
		if want == "" {
			require.NoError(t, err, text)
			continue
		}
		var e *Error
		require.ErrorAs(t, err, &e, text)
		assert.Contains(t, err.Error(), want, text)
	}
}

// What is taken is what encoding/json makes of it, and nothing else is taken than it takes.
func FuzzUnmarshal(f *testing.F) {
	for _, s := range []string{`{"name":"a","parts":[{"long":1}]}`, `{"by":{"x":null}}`, "[", `{"any":[[[]]]}`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		var v, w thing
		if Unmarshal(b, &v) != nil {
			return
		}
		require.NoError(t, json.Unmarshal([]byte(strings.TrimPrefix(string(b), "\xef\xbb\xbf")), &w))
		assert.True(t, reflect.DeepEqual(v, w))
	})
}
