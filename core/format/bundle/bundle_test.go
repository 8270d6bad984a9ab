package bundle

import (
	"errors"
	"path"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
)

func TestNamesAreCleaned(t *testing.T) {
	for in, want := range map[string]string{
		"crate.obj":               "crate.obj",
		"kit/./crate.obj":         "kit/crate.obj",
		`kit\maps\..\crate.obj`:   "kit/crate.obj",
		"kit//crate.obj":          "kit/crate.obj",
		"фонарь/лампа 1.glb":      "фонарь/лампа 1.glb",
		"..crate":                 "..crate",
		"":                        "",
		".":                       "",
		"..":                      "",
		"../crate.obj":            "",
		"kit/../../crate.obj":     "",
		`..\..\etc\passwd`:        "",
		"/etc/passwd":             "",
		`\\server\share\x`:        "",
		`C:\models\crate.obj`:     "",
		"C:crate.obj":             "",
		"http://a.b/c.png":        "",
		"data:image/png,x":        "",
		"a\x00b":                  "",
		"a\nb.obj":                "",
		"a\xffb":                  "",
		strings.Repeat("a", 1001): "",
	} {
		got, err := Clean(in)
		if want == "" {
			assert.Error(t, err, "%q", in)
			continue
		}
		require.NoError(t, err, "%q", in)
		assert.Equal(t, want, got)
	}
}

// Whatever is asked for, a cleaned name stays within its folder.
func FuzzClean(f *testing.F) {
	for _, s := range []string{"a/../../b", `..\x`, "/a", "a:b", "%2e%2e/x", "a/./b//c", "\u202e..", "..;/x"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		got, err := Clean(s)
		if err != nil {
			return
		}
		rooted := path.Join("/data/set", got)
		if !strings.HasPrefix(rooted, "/data/set/") || strings.Contains(got, `\`) || path.Clean(got) != got {
			t.Fatalf("%q becomes %q", s, got)
		}
		if strings.ContainsFunc(got, unicode.IsControl) {
			t.Fatalf("%q holds a control character", got)
		}
		if again, err := Clean(got); err != nil || again != got {
			t.Fatalf("cleaned twice %q is %q: %v", got, again, err)
		}
		if safe := Safe(s); safe == "" || strings.ContainsAny(safe, `/\`) || safe == "." || safe == ".." {
			t.Fatalf("%q is no name of one file", safe)
		}
	})
}

func TestReferencesAreResolvedWithinTheSetAlone(t *testing.T) {
	b := New([]File{{Name: "kit/crate.obj"}, {Name: "kit/maps/Wood.png", Data: []byte("wood")}, {Name: "lid.mtl"},
		{Name: "a/rust.png"},
		{Name: "b/rust.png"}, {Name: "kit/maps/Wood.png", Data: []byte("a second one of the name")}})
	for _, c := range []struct {
		from, ref, want string
		match           Match
		err             error
	}{
		{"kit/crate.obj", "maps/Wood.png", "kit/maps/Wood.png", Exact, nil},
		{"kit/crate.obj", `maps\Wood.png`, "kit/maps/Wood.png", Exact, nil},
		{"kit/crate.obj", "maps/WOOD.PNG", "kit/maps/Wood.png", Folded, nil},
		{"kit/crate.obj", "../lid.mtl", "lid.mtl", Exact, nil},
		{"kit/crate.obj", "lid.mtl", "lid.mtl", Exact, nil},
		{"kit/crate.obj", "textures/wood.png", "kit/maps/Wood.png", ByBase, nil},
		{"kit/crate.obj", `C:\work\maps\wood.png`, "kit/maps/Wood.png", ByBase, nil},
		{"kit/crate.obj", "/home/a/wood.png", "kit/maps/Wood.png", ByBase, nil},
		{"kit/crate.obj", "../../wood.png", "kit/maps/Wood.png", ByBase, nil},
		{"kit/crate.obj", "https://a.b/wood.png", "kit/maps/Wood.png", ByBase, nil},
		{"kit/crate.obj", "/etc/passwd", "", 0, ErrOutside},
		{"kit/crate.obj", "../../secret.mtl", "", 0, ErrOutside},
		{"kit/crate.obj", "rust.png", "", 0, ErrMissing}, // two of the name, and neither is meant
		{"a/x.obj", "rust.png", "a/rust.png", Exact, nil},
		{"kit/crate.obj", "moss.png", "", 0, ErrMissing},
	} {
		got, match, err := b.Resolve(c.from, c.ref)
		assert.ErrorIs(t, err, c.err, "%s", c.ref)
		assert.Equal(t, c.want, got, "%s", c.ref)
		assert.Equal(t, c.match, match, "%s", c.ref)
	}
	f, _, err := b.Find("kit/crate.obj", "maps/Wood.png")
	require.NoError(t, err)
	assert.Equal(t, "wood", string(f.Data), "the first of a name counts")
	assert.Equal(t, []string{"a/rust.png", "b/rust.png", "kit/crate.obj", "kit/maps/Wood.png", "lid.mtl"}, b.Names())
}

func TestWhatIsNotThereOrCannotBeReadIsNamed(t *testing.T) {
	broken := errors.New("the disk has gone")
	loads := 0
	b := New([]File{{Name: "x.bin", Load: func() ([]byte, error) { loads++; return nil, broken }}})
	_, err := b.Open("y.bin")
	assert.Equal(t, fault.Missing, fault.KindOf(err))
	assert.ErrorIs(t, err, ErrMissing)
	assert.ErrorContains(t, err, "y.bin")
	_, _, err = b.Find("a.gltf", "x.bin")
	assert.ErrorIs(t, err, broken)
	assert.ErrorContains(t, err, "x.bin")
	assert.Equal(t, 1, loads, "read when asked for, and no sooner")
	_, err = (&Bundle{}).Open("x")
	assert.Error(t, err, "the zero set is empty")
}

// A name that Windows has for a device is no name of a file there, whatever its case and suffix.
func TestNamesOfDevices(t *testing.T) {
	for name, want := range map[string]string{"con": "con_", "AUX": "AUX_", "nul.png": "nul_.png", "COM1": "COM1_",
		"lpt9.tar.gz": "lpt9_.tar.gz", "com¹": "com", "console": "console", "com": "com", "com10": "com10",
		"aux tower": "aux_tower", "lamp.con": "lamp.con"} {
		assert.Equal(t, want, Safe(name), name)
	}
}
