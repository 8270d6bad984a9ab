package prep

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"reflect"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/collision"
	"yarvek/core/station/lods"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/slots"
	"yarvek/core/station/source"
	"yarvek/core/station/surface"
	"yarvek/core/target"
)

// asked are the values that steps are given, each of the type it has there.
func asked() []any {
	return []any{&Prep{}, &target.Target{}, &source.Ask{}, &size.Ask{}, &geom.Basis{}, &pivot.Ask{}, &surface.Limits{},
		&outfit.Ask{},
		&outfit.Light{}, &served{}, &collision.Fit{}, &collision.Keep{}, &collision.Surface{}, &ladder.Making{},
		&texture.Recipe{},
		&judging{}, &asking[slots.Decisions, outfit.Ask]{}, &asking[pivot.Decisions, pivot.Ask]{}}
}

// unkeyed are fields that are no part of a key, and why.
var unkeyed = map[string]string{
	"Ask.Body": "it is made of the scene that the key before names",
}

func TestEveryFieldOfWhatAStepIsGivenIsInItsKey(t *testing.T) {
	for _, ask := range asked() {
		v := reflect.ValueOf(ask).Elem()
		n := 0
		tryFields(t, v, v.Type().Name(), 0, func() string {
			k, err := named("before", "station", v.Interface())
			require.NoError(t, err)
			return k
		}, &n)
		assert.NotZero(t, n, "%T", ask)
	}
}

// A field that is added to a type is in the key without anything else being said.
func TestAnAddedFieldIsInTheKey(t *testing.T) {
	for _, ask := range asked() {
		of := reflect.TypeOf(ask).Elem()
		grown := reflect.StructOf([]reflect.StructField{{Name: "Was", Type: of},
			{Name: "Added", Type: reflect.TypeFor[int]()}})
		v := reflect.New(grown).Elem()
		a, err := named("k", "id", v.Interface())
		require.NoError(t, err)
		v.Field(1).SetInt(1)
		b, err := named("k", "id", v.Interface())
		require.NoError(t, err)
		assert.NotEqual(t, a, b, of.Name())
	}
}

// tryFields gives each field of a value another content, and looks whether the key tells.
func tryFields(t *testing.T, v reflect.Value, at string, depth int, key func() string, n *int) {
	if depth > 8 {
		return
	}
	was := key()
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			path := v.Type().Name() + "." + f.Name
			if _, ok := unkeyed[path]; ok {
				continue
			}
			if f.Type == reflect.TypeFor[any]() {
				continue // a remedy's decision, which a Prep has
			}
			if !f.IsExported() && f.Type.Kind() != reflect.Struct {
				t.Errorf("%s.%s is not in the key", at, f.Name)
				continue
			}
			tryFields(t, v.Field(i), at+"."+f.Name, depth+1, key, n)
		}
		return
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		assert.NotEqual(t, was, key(), at)
		tryFields(t, v.Index(0), at+"[]", depth+1, key, n)
	case reflect.Array:
		tryFields(t, v.Index(v.Len()-1), at+"[]", depth+1, key, n)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		assert.NotEqual(t, was, key(), at)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(reflect.Zero(v.Type().Key()), reflect.Zero(v.Type().Elem()))
		assert.NotEqual(t, was, key(), at)
	case reflect.Bool:
		v.SetBool(true)
		assert.NotEqual(t, was, key(), at)
	case reflect.String:
		v.SetString("another")
		assert.NotEqual(t, was, key(), at)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(1)
		assert.NotEqual(t, was, key(), at)
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(1)
		assert.NotEqual(t, was, key(), at)
	case reflect.Float32, reflect.Float64:
		v.SetFloat(1.5)
		assert.NotEqual(t, was, key(), at)
	default:
		t.Errorf("%s is of a kind this test knows nothing of: %s", at, v.Kind())
	}
	*n++
	v.SetZero()
}

// pictured is a box with one embedded picture of one colour.
func pictured(t *testing.T, c color.Color) *scene.Scene {
	t.Helper()
	im := image.NewRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		im.Set(i%8, i/8, c)
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, im))
	m := scene.NewMaterial("paint")
	m.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	s := shape.Scene("box", []scene.Material{m},
		new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
	s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Images = []scene.Image{{Name: "paint", Embedded: true, MIME: "image/png", Data: b.Bytes(), Width: 8, Height: 8}}
	return s
}

func TestAPictureOfAnotherAssetNeverLeaves(t *testing.T) {
	m := NewMemo(1 << 30)
	p := Prep{}
	p.Slots.Pictures.Most = 4
	for i, c := range []color.RGBA{{255, 0, 0, 255}, {0, 0, 255, 255}} {
		s := pictured(t, c)
		// The stations before may have copied the bytes, so that no address tells whose they are.
		s.Images[0].Data = bytes.Clone(s.Images[0].Data)
		r, err := Run(context.Background(), Input{Key: fmt.Sprint(i), Scene: s, Target: target.Shipped[0], Make: true}, p, m)
		require.NoError(t, err)
		require.Len(t, r.Delivery.Scene.Images, 1)
		got, err := png.Decode(bytes.NewReader(r.Delivery.Scene.Images[0].Data))
		require.NoError(t, err)
		require.Equal(t, 4, got.Bounds().Dx())
		assert.Equal(t, c, color.RGBAModel.Convert(got.At(1, 1)))
	}
}

func TestTargetsThatDifferShareNoKey(t *testing.T) {
	m := NewMemo(1 << 30)
	s := pictured(t, color.White)
	plain, lit := target.Shipped[0].Copy(), target.Shipped[0].Copy()
	plain.Needs.Lightmap, lit.Needs.Lightmap = false, true
	var keys []string
	for _, tg := range []target.Target{plain, lit} {
		r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: tg}, Prep{}, m)
		require.NoError(t, err)
		keys = append(keys, r.stops[8].Key)
	}
	assert.NotEqual(t, keys[0], keys[1])
}

// What a place or a name changes does not remake shapes.
func TestPlacesAndNamesLeaveLODsAndHullsAlone(t *testing.T) {
	b := new(shape.Builder)
	s := shape.Scene("post", []scene.Material{scene.NewMaterial("paint")},
		b.Slot(0).Lathe([][2]float64{{0, 0}, {0.2, 0}, {0.15, 0.4}, {0.2, 0.8}, {0, 0.8}}, 48).Mesh("post"))
	m := NewMemo(1 << 30)
	shelf := &counting{}
	p := Prep{}
	p.LODs.Levels = []lods.Level{{Wish: ladder.Wish{Share: 0.3}}}
	p.Collision.Fits = []collision.Fit{{Form: collision.OneHull}}
	run := func(p Prep) *Result {
		t.Helper()
		r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: target.Shipped[0], Shelf: shelf, Make: true},
			p, m)
		require.NoError(t, err)
		require.Greater(t, len(r.LODs.LODs), 1)
		require.NotEmpty(t, r.Collision.Shapes)
		return r
	}
	first := run(p)
	made := len(shelf.saved)
	require.Greater(t, made, 1)
	at := p
	at.Pivot = pivot.Decisions{Place: pivot.OnBox, Box: [3]int{1, 1, 1}}
	moved := run(at)
	assert.Len(t, shelf.of(made), 0, "the pivot moved, and LODs were made anew")
	named := at
	named.Source.Names = map[string]string{s.Keys()[0]: "mast"}
	run(named)
	assert.Len(t, shelf.of(made), 0, "a node was renamed, and LODs were made anew")
	// And they stand where the mesh stands.
	for _, r := range []*Result{first, moved} {
		whole, lod := r.Delivery.Scene.Bounds(), r.Delivery.LODs[0].Scene.Bounds()
		assert.True(t, whole.Min.Near(lod.Min, 0.02) && whole.Max.Near(lod.Max, 0.02), "%v and %v", whole, lod)
	}
}

// counting is a shelf that keeps nothing and knows what was made.
type counting struct {
	mu    sync.Mutex
	saved []string
}

func (c *counting) Load(string) ([]byte, bool) { return nil, false }

func (c *counting) Save(_ string, b []byte) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.saved = append(c.saved, fmt.Sprintf("%.60q", b))
}

// of are those since a number that hold coarser meshes or hulls: what is measured of them goes by where they stand.
func (c *counting) of(n int) (list []string) {
	for _, s := range c.saved[n:] {
		if strings.Contains(s, "climbed") || strings.Contains(s, "Made") {
			list = append(list, s)
		}
	}
	return list
}

// A node that is put over all others takes no shape and no flaw from the node that has it.
func TestANodeOverAllOthersLeavesTheirNumbers(t *testing.T) {
	box := func(x float64) *scene.Mesh {
		return new(shape.Builder).Slot(0).Box(geom.Vec3{x, 0, 0}, geom.Vec3{x + 1, 1, 1}).Mesh("box")
	}
	s := shape.Scene("pair", []scene.Material{scene.NewMaterial("paint")}, box(0), box(3))
	s.Nodes[0].Name, s.Nodes[1].Name = "near", "far"
	var p Prep
	p.Pivot = pivot.Decisions{Place: pivot.OnBox, Under: true}
	p.Collision.Fits = []collision.Fit{{Form: collision.OneHull, Each: true}}
	r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: target.Shipped[0], Make: true}, p, nil)
	require.NoError(t, err)
	require.Equal(t, 1, r.Pivot.Added)
	require.Len(t, r.Delivery.Collision, 2)
	for i, name := range []string{"near", "far"} {
		assert.Equal(t, name, r.Delivery.Collision[i].Of)
	}
}

// Passages of something large are looked for by whoever makes what takes long: in a hall of 40 m of a few triangles
// there are millions of places to look at.
func TestPassagesOfSomethingLargeWait(t *testing.T) {
	hall := shape.Scene("hall", nil, shapetest.Hut())
	for _, m := range hall.Meshes {
		for i := range m.Points {
			m.Points[i] = m.Points[i].Mul(12)
		}
	}
	p := Prep{}
	p.Collision.Fits = []collision.Fit{{Form: collision.OneHull}}
	memo := NewMemo(1 << 30)
	in := Input{Key: "hall", Scene: hall, Target: target.Shipped[0]}
	r, err := Run(t.Context(), in, p, memo)
	require.NoError(t, err)
	assert.True(t, r.Collision.Pending)
	assert.True(t, r.Pending())
	in.Make = true
	r, err = Run(t.Context(), in, p, memo)
	require.NoError(t, err)
	assert.False(t, r.Pending())
	assert.NotEmpty(t, r.Collision.Shapes)
	p.Collision.Keep.None, in.Key, in.Make = true, "another", false
	r, err = Run(t.Context(), in, p, NewMemo(1<<30))
	require.NoError(t, err)
	assert.False(t, r.Pending(), "for nobody there is nothing to look for")
}
