package prep_test

import (
	"context"
	"flag"
	"fmt"
	"hash/fnv"
	"io"
	"maps"
	"math"
	"os"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/split"
	"yarvek/core/target"
	"yarvek/internal/demo"
)

var renew = flag.Bool("renew", false, "write testdata/outcomes.txt anew, after prep.Rules was raised")

// outcomesFile has a line for each station of each scene: its figure, the codes of its findings, and for
// each field of its report how it came out, as four digits of a sum.
const outcomesFile = "testdata/outcomes.txt"

// A rule that changes another outcome is noticed: what every station reports over the demo kit and fifty made
// scenes is kept beside the number of the rules. Under the same number nothing may come out otherwise, or
// what was kept by the old rules would be taken for the new.
func TestARuleThatChangesIsNoticed(t *testing.T) {
	list := trials(t)
	require.Equal(t, 60, len(list))
	lines := make([][]string, len(list))
	require.NoError(t, split.Each(context.Background(), len(list), func(i int) { lines[i] = list[i].lines(t) }))
	is := slices.Concat(lines...)
	if *renew {
		text := fmt.Sprintf("rules %d\n%s\n", prep.Rules, strings.Join(is, "\n"))
		require.NoError(t, os.WriteFile(outcomesFile, []byte(text), 0o644))
	}
	b, err := os.ReadFile(outcomesFile)
	require.NoError(t, err)
	was := strings.Split(strings.TrimSpace(string(b)), "\n")
	require.Equal(t, fmt.Sprintf("rules %d", prep.Rules), was[0],
		"prep.Rules was raised: look at what differs now, and keep it with go test ./core/prep -run Noticed -renew")
	was = was[1:]
	require.Len(t, is, len(was), "there are other scenes or stations: keep what they come to with -renew")
	for i := range is {
		if is[i] != was[i] {
			t.Errorf("%s\nAnother outcome under the same rules: raise prep.Rules, or mend what changed it.", differs(was[i], is[i]))
		}
	}
}

// differs says what of a line is other than it was.
func differs(was, is string) string {
	a, b := strings.Split(was, " | "), strings.Split(is, " | ")
	out := b[0] + ":"
	for i := 1; i < min(len(a), len(b)); i++ {
		if a[i] != b[i] {
			out += fmt.Sprintf("\n  was %s\n  is  %s", a[i], b[i])
		}
	}
	return out
}

func TestDifferencesAreSaidInWords(t *testing.T) {
	assert.Equal(t, "hut size:\n  was 3.50 m\n  is  3.60 m\n  was Factor 11aa\n  is  Factor 12aa",
		differs("hut size | 3.50 m | size/a | Box 0000 | Factor 11aa", "hut size | 3.60 m | size/a | Box 0000 | Factor 12aa"))
	type report struct {
		N    float64
		List []string
		sub  *report
	}
	a := report{N: 0.1 + 0.2, List: []string{"a"}, sub: &report{N: 1}}
	b := report{N: 0.3, List: []string{"a"}, sub: &report{N: 1}}
	assert.Equal(t, sum(a), sum(b), "the last digits are the machine's")
	b.sub.N = 1.001
	assert.NotEqual(t, sum(a), sum(b), "what is inside counts")
	b.sub.N, b.List = 1, []string{"a", ""}
	assert.NotEqual(t, sum(a), sum(b))
}

// trial is a scene with decisions and a target.
type trial struct {
	name string
	s    *scene.Scene
	p    prep.Prep
	to   target.Target
}

// lines are what the stations come to.
func (x trial) lines(t *testing.T) (out []string) {
	r, err := prep.Run(context.Background(), prep.Input{Key: x.name, Scene: x.s, Target: x.to, Make: true}, x.p, nil)
	if !assert.NoError(t, err, x.name) {
		return nil
	}
	for _, s := range r.Stops() {
		var codes []string
		for _, f := range s.Report.Findings() {
			codes = append(codes, f.Code)
		}
		line := []string{x.name + " " + s.ID, s.Report.Figure(), strings.Join(codes, ", ")}
		v := reflect.ValueOf(s.Report).Elem()
		for i := range v.NumField() {
			line = append(line, v.Type().Field(i).Name+" "+sum(v.Field(i)))
		}
		line = append(line, "scene "+sum(s.Scene))
		out = append(out, strings.Join(line, " | "))
	}
	return out
}

// trials are the demo kit and fifty made scenes, with decisions at each station by turns.
func trials(t *testing.T) (list []trial) {
	sets, err := demo.Files(context.Background())
	require.NoError(t, err)
	for _, files := range sets {
		name := files[slices.IndexFunc(files, func(f bundle.File) bool { return format.IsMesh(f.Name) })].Name
		s, _, err := format.Read(context.Background(), bundle.New(files), name, nil)
		require.NoError(t, err)
		list = append(list, trial{name: "tern/" + name, s: s, to: target.Shipped[1]})
	}
	var made []*scene.Scene
	for i := range uint64(20) {
		made = append(made, shapetest.Scene(100+i))
	}
	for i := range uint64(12) {
		made = append(made, shapetest.Ragged(200+i))
	}
	for i, m := range []*scene.Mesh{shapetest.Boulder(8), shapetest.Boulder(14), shapetest.Torus(1, .3, 24, 12), shapetest.Bowl(.05, 6, 16),
		shapetest.Arch(9), shapetest.Table(), shapetest.Chair(), shapetest.Beam(), shapetest.Stair(5), shapetest.Stair(9), shapetest.Hut(),
		preptest.Post()} {
		made = append(made, shape.Scene(fmt.Sprintf("shape %d", i), nil, m))
	}
	made = append(made, preptest.Messy(), shape.Scene("gabled", nil, shapetest.Gabled()...),
		shape.Scene("two", nil, shapetest.Table(), shapetest.Chair()), shape.Scene("three", nil, shapetest.Beam(), preptest.Post(),
			shapetest.Boulder(6)), preptest.Messy(), shape.Scene("empty", nil))
	decided := decisions(t)
	for i, s := range made {
		list = append(list, trial{name: fmt.Sprintf("made/%d %s", i, s.Name), s: s, p: decided[i%len(decided)],
			to: target.Shipped[i%len(target.Shipped)]})
	}
	for i := range list { // what each comes to with a class and coarser meshes, every other time
		if i%2 == 0 {
			list[i].p.Size.Class = list[i].to.Classes[i%len(list[i].to.Classes)].ID
		}
	}
	return list
}

// decisions are preps that decide something at each station, a few of them.
func decisions(t *testing.T) (list []prep.Prep) {
	for _, text := range []string{
		`{}`,
		`{"collision":{"fits":[{"form":"box"},{"form":"capsule"}]},"size":{"unit":"cm"}}`,
		`{"surface":{"weld":0.0001,"empty":true,"doubled":true,"wind":true,"outward":true,"holes":8},"budget":{"order":true,"waste":true}}`,
		`{"lods":{"levels":[{"share":0.5},{"share":0.2}]},"pivot":{"place":"box","box":[0,-1,0]},"axes":{"pose":[1,2,3]}}`,
		`{"slots":{"drop":true,"clean":true,"pictures":{"most":64,"power":"down","pack":"orm"},"light":{"size":128,"padding":2}}}`,
		`{"collision":{"surface":{"share":0.5},"fits":[{"form":"hull"}],"keep":{"none":true}}}`,
		`{"source":{"merge":"all"},"size":{"fit":"height","length":2},"axes":{"drop":true},"pivot":{"place":"mass","snap":true}}`,
	} {
		p, err := prep.Parse([]byte(text))
		require.NoError(t, err, text)
		list = append(list, p)
	}
	return list
}

// sum is a short sum of a value with all that hangs on it, in which numbers count to six digits.
func sum(v any) string {
	h := fnv.New32a()
	rv, ok := v.(reflect.Value)
	if !ok {
		rv = reflect.ValueOf(v)
	}
	spell(h, rv, 0)
	x := h.Sum32()
	return fmt.Sprintf("%04x", uint16(x>>16)^uint16(x))
}

// spell writes a value: what points back to itself ends at a depth that no report has.
func spell(w io.Writer, v reflect.Value, depth int) {
	if !v.IsValid() || depth > 24 {
		return
	}
	switch v.Kind() {
	case reflect.Float64, reflect.Float32:
		_, _ = w.Write(append(strconv.AppendFloat(make([]byte, 0, 24), math.Round(v.Float()*1e7)/1e7, 'g', 6, 64), ' '))
	case reflect.Struct:
		for i := range v.NumField() {
			if of := v.Type().Field(i).Type.String(); strings.Contains(of, "memo.Once") || strings.Contains(of, "sync.") {
				continue // not asked for yet
			}
			if v.Type().Field(i).Name == "Key" && strings.HasSuffix(v.Type().PkgPath(), "/lods") {
				continue // a sum of what it was made of
			}
			fmt.Fprint(w, v.Type().Field(i).Name, "=")
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
		_, _ = w.Write(append(strconv.AppendInt(make([]byte, 0, 12), v.Int(), 10), ' '))
	case reflect.Func, reflect.Chan, reflect.UnsafePointer:
	default:
		fmt.Fprint(w, v, " ")
	}
}
