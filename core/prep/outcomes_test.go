package prep_test

import (
	"context"
	"fmt"
	"reflect"
	"slices"
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
	"yarvek/core/shape/kept"
	"yarvek/core/shape/shapetest"
	"yarvek/core/split"
	"yarvek/core/target"
	"yarvek/internal/demo"
)

// A rule that changes another outcome is noticed: what every station reports over the demo kit and fifty made
// scenes is kept beside the number of the rules: its figure, the codes of its findings, and a sum of each field.
// Under the same number nothing may come out otherwise, or what was kept by the old rules would be taken for the new.
func TestARuleThatChangesIsNoticed(t *testing.T) {
	list := trials(t)
	require.Equal(t, 63, len(list))
	lines := make([][]string, len(list))
	require.NoError(t, split.Each(context.Background(), len(list), func(i int) { lines[i] = list[i].lines(t) }))
	kept.Same(t, "outcomes.txt", append([]string{fmt.Sprintf("rules | %d", prep.Rules)}, slices.Concat(lines...)...))
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
			line = append(line, v.Type().Field(i).Name+" "+kept.Sum(v.Field(i)))
		}
		line = append(line, "scene "+kept.Sum(s.Scene))
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
	for i, m := range []*scene.Mesh{shapetest.Boulder(8), shapetest.Boulder(14), shapetest.Torus(1, .3, 24, 12),
		shapetest.Bowl(.05, 6, 16),
		shapetest.Arch(9), shapetest.Table(), shapetest.Chair(), shapetest.Beam(), shapetest.Stair(5), shapetest.Stair(9),
		shapetest.Hut(),
		preptest.Post()} {
		made = append(made, shape.Scene(fmt.Sprintf("shape %d", i), nil, m))
	}
	made = append(made, preptest.Messy(), shape.Scene("gabled", nil, shapetest.Gabled()...),
		shape.Scene("two", nil, shapetest.Table(), shapetest.Chair()),
		shape.Scene("three", nil, shapetest.Beam(), preptest.Post(),
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
		`{"surface":{"weld":0.0001,"empty":true,"doubled":true,"wind":true,"outward":true,"holes":8},"budget":{"order":true,
			"waste":true}}`,
		`{"lods":{"levels":[{"share":0.5},{"share":0.2}]},"pivot":{"place":"box","box":[0,-1,0]},"axes":{"pose":[1,2,3]}}`,
		`{"slots":{"drop":true,"clean":true,"pictures":{"most":64,"power":"down","pack":"orm"},"light":{"size":128,
			"padding":2}}}`,
		`{"collision":{"surface":{"share":0.5},"fits":[{"form":"hull"}],"keep":{"none":true}}}`,
		`{"source":{"merge":"all"},"size":{"fit":"height","length":2},"axes":{"drop":true},"pivot":{"place":"mass",
			"snap":true}}`,
	} {
		p, err := prep.Parse([]byte(text))
		require.NoError(t, err, text)
		list = append(list, p)
	}
	return list
}
