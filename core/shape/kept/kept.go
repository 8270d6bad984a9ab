// Package kept is for tests that hold what is computed against what it came to before: over many meshes, in a
// line each, in a file under testdata. It judges nothing, it only notices: closed forms, brute force and foreign
// loaders judge. What differs is told by name, and kept anew with the test's flag -renew once it was looked at.
//
// Numbers count to six digits, because the last ones are the machine's.
package kept

import (
	"flag"
	"fmt"
	"hash/fnv"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var renew = flag.Bool("renew", false, "keep what comes out now under testdata")

// Same holds lines against those of a file under testdata; a line is parts between bars, the first its name.
func Same(t *testing.T, file string, lines []string) {
	t.Helper()
	at := filepath.Join("testdata", file)
	if *renew {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(at, []byte(strings.Join(lines, "\n")+"\n"), 0o644))
	}
	b, err := os.ReadFile(at)
	require.NoError(t, err)
	was := strings.Split(strings.TrimSpace(string(b)), "\n")
	require.Equal(t, len(was), len(lines), "there are other cases than are kept: look at them, and keep them with -renew")
	for i := range lines {
		if lines[i] != was[i] {
			t.Errorf("%s\nIt came out otherwise. If that is meant, keep it with -renew; a station's outcome also needs "+
				"another prep.Rules.", Differs(was[i], lines[i]))
		}
	}
}

// Differs says what of a line is other than it was.
func Differs(was, is string) string {
	a, b := strings.Split(was, " | "), strings.Split(is, " | ")
	out := b[0] + ":"
	for i := 1; i < max(len(a), len(b)); i++ {
		x, y := "nothing", "nothing"
		if i < len(a) {
			x = a[i]
		}
		if i < len(b) {
			y = b[i]
		}
		if x != y {
			out += fmt.Sprintf("\n  was %s\n  is  %s", x, y)
		}
	}
	return out
}

// Line is the line of a value: each field of a struct by itself, or the value as a whole.
func Line(name string, values ...any) string {
	parts := []string{name}
	for _, value := range values {
		v := reflect.ValueOf(value)
		for v.Kind() == reflect.Pointer && !v.IsNil() {
			v = v.Elem()
		}
		if v.Kind() != reflect.Struct {
			parts = append(parts, word(v))
			continue
		}
		for i := range v.NumField() {
			parts = append(parts, v.Type().Field(i).Name+" "+word(v.Field(i)))
		}
	}
	return strings.Join(parts, " | ")
}

// word is a number as it is, to six digits, and of anything else a short sum with how many there are.
func word(v reflect.Value) string {
	switch v.Kind() {
	case reflect.Int, reflect.Int32, reflect.Int64, reflect.Bool, reflect.Uint8:
		return fmt.Sprint(v)
	case reflect.Float64, reflect.Float32:
		return string(digits(v.Float()))
	case reflect.Slice:
		return fmt.Sprintf("%d of %s", v.Len(), Sum(v))
	}
	return Sum(v)
}

// Sum is a short sum of a value with all that hangs on it.
func Sum(v any) string {
	h := fnv.New32a()
	rv, ok := v.(reflect.Value)
	if !ok {
		rv = reflect.ValueOf(v)
	}
	spell(h, rv, 0)
	x := h.Sum32()
	return fmt.Sprintf("%04x", uint16(x>>16)^uint16(x))
}

func digits(v float64) []byte { return strconv.AppendFloat(nil, math.Round(v*1e7)/1e7, 'g', 6, 64) }

// spell writes a value: what points back to itself ends at a depth that no report has.
func spell(w io.Writer, v reflect.Value, depth int) {
	if !v.IsValid() || depth > 24 {
		return
	}
	switch v.Kind() {
	case reflect.Float64, reflect.Float32:
		_, _ = w.Write(append(digits(v.Float()), ' '))
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if of := f.Type.String(); strings.Contains(of, "memo.Once") || strings.Contains(of, "sync.") {
				continue // not asked for yet
			}
			if f.Name == "Key" && strings.HasSuffix(v.Type().PkgPath(), "/lods") {
				continue // a sum of what it was made of
			}
			fmt.Fprint(w, f.Name, "=")
			spell(w, v.Field(i), depth+1)
		}
	case reflect.Slice, reflect.Array:
		fmt.Fprint(w, v.Len(), "[")
		if v.Kind() == reflect.Slice && v.Type().Elem().Kind() == reflect.Uint8 {
			_, _ = w.Write(v.Bytes())
			return
		}
		for i := range v.Len() {
			spell(w, v.Index(i), depth+1)
		}
	case reflect.Map:
		byKey := map[string]reflect.Value{}
		for _, k := range v.MapKeys() {
			byKey[fmt.Sprint(k)] = v.MapIndex(k)
		}
		for _, k := range slices.Sorted(maps.Keys(byKey)) {
			fmt.Fprint(w, k, ":")
			spell(w, byKey[k], depth+1)
		}
	case reflect.Pointer, reflect.Interface:
		spell(w, v.Elem(), depth+1)
	case reflect.Int32:
		_, _ = w.Write(append(strconv.AppendInt(nil, v.Int(), 10), ' '))
	case reflect.Func, reflect.Chan, reflect.UnsafePointer:
	default:
		fmt.Fprint(w, v, " ")
	}
}
