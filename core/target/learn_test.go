package target

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Patterns are learned of names that follow one, whichever; what was learned makes those names again; and what no
// pattern can say is told by the name that breaks it.
func TestLearn(t *testing.T) {
	lod := func(name, mesh string, n int) Example { return Example{Name: name, Mesh: mesh, N: n} }
	solid := func(name, mesh, kind string, n int) Example { return Example{name, mesh, n, kind} }
	for _, c := range []struct {
		name     string
		examples []Example
		lod      string
		solid    string
		words    map[string]string
		err      string
	}{
		{"numbers behind", []Example{lod("buoy_L1", "buoy", 1), lod("buoy_L2", "buoy", 2)}, "{mesh}_L{n}", "", nil, ""},
		{"in front", []Example{lod("02-mast", "mast", 2), lod("01-mast", "mast", 1)}, "", "", nil,
			"could be read as a LOD too"},
		{"two digits", []Example{lod("hut.Detail01", "hut", 1), lod("hut.Detail12", "hut", 12)}, "{mesh}.Detail{n2}", "", nil,
			""},
		{"the base says 0", []Example{lod("hut_LOD1", "hut_LOD0", 1)}, "{mesh}_LOD{n}", "", nil, ""},
		{"two meshes", []Example{lod("far hut 1", "hut", 1), lod("far mast 1", "mast", 1)}, "", "",
			nil, "could be read as a LOD too"},
		{"two meshes, told behind", []Example{lod("hut far 1", "hut", 1), lod("mast far 1", "mast", 1)}, "{mesh} far {n}", "",
			nil, ""},
		{"one kind", []Example{solid("hut_touch_01", "hut", "hull", 1), solid("hut_touch_02", "hut", "hull", 2)}, "",
			"{mesh}_touch_{n2}", nil, ""},
		{"a word for each kind", []Example{solid("bx_hut_1", "hut", "box", 1), solid("cv_hut_1", "hut", "hull", 1)}, "",
			"{kind}_{mesh}_{n}", map[string]string{"box": "bx", "hull": "cv"}, ""},
		{"our own word", []Example{solid("hut.hull.3", "hut", "hull", 3)}, "", "{mesh}.{kind}.{n}", nil, ""},
		{"no number", []Example{solid("hut-shell", "hut", "hull", 1)}, "", "{mesh}-shell_{n}", nil, ""},
		{"no mesh", []Example{lod("cheap1", "hut", 1)}, "", "", nil, "does not hold the name"},
		{"no number of a LOD", []Example{lod("hut_far", "hut", 1)}, "", "", nil, "does not say that it is LOD 1"},
		{"two patterns", []Example{lod("hut_L1", "hut", 1), lod("hut.2", "hut", 2)}, "", "", nil, "make no pattern"},
		{"kinds alike", []Example{solid("hut_c1", "hut", "box", 1), solid("hut_c1", "hut", "hull", 1)}, "", "", nil, "alike"},
		{"nothing", nil, "", "", nil, "nothing here"},
	} {
		t.Run(c.name, func(t *testing.T) {
			l, err := Learn(Shipped[0], c.examples)
			if c.err != "" {
				assert.ErrorContains(t, err, c.err)
				return
			}
			require.NoError(t, err)
			assert.NotEmpty(t, l.Said)
			require.NoError(t, l.Target.Check())
			if c.lod != "" {
				assert.Equal(t, c.lod, l.Target.Names.LOD)
			} else {
				assert.Equal(t, Shipped[0].Names.LOD, l.Target.Names.LOD, "what nothing was learned of stays")
			}
			if c.solid != "" {
				assert.Equal(t, c.solid, l.Target.Names.Solid)
				for _, s := range l.Target.Solids {
					if w, ok := c.words[s.Kind]; ok {
						assert.Equal(t, w, s.Word)
					}
				}
			}
			names, err := l.Target.SolidNames()
			require.NoError(t, err)
			for _, e := range c.examples {
				if e.Kind != "" && c.name != "no number" {
					made, err := names.Name(e.Mesh, e.Mesh, e.Kind, e.N)
					require.NoError(t, err)
					assert.Equal(t, e.Name, made)
				}
			}
		})
	}
}

// A mesh that is counted itself is named by what stands before the count, for its LODs and its shapes.
func TestLearnOfNamesThatCountFromNought(t *testing.T) {
	l, err := Learn(Shipped[0], []Example{{Name: "SM_Buoy_L1", Mesh: "SM_Buoy_L0", N: 1},
		{Name: "SM_Buoy_L2", Mesh: "SM_Buoy_L0", N: 2}, {Name: "SM_Buoy_touch_box_1", Mesh: "SM_Buoy_L0", N: 1, Kind: "box"}})
	require.NoError(t, err)
	assert.Equal(t, "{mesh}_L{n}", l.Target.Names.LOD)
	p, err := l.Target.Pattern(SolidName)
	require.NoError(t, err)
	m, ok := p.Read("SM_Buoy_touch_box_1")
	assert.True(t, ok)
	assert.Equal(t, "SM_Buoy", m["mesh"])
	for _, no := range [][2]string{{"L0", "L1"}, {"_L0", "_L1"}, {"Buoy0", "Buoy1"}, {"buoy", "buoy1"},
		{"buoy_0", "crate_1"}, {"buoy_0", "buoy_1b"}} {
		assert.Empty(t, uncounted(no[0], no[1]), no)
	}
}
