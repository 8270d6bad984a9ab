package deliver

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// ladderOf is a crate with two LODs that take over at 10 and 30 m and go away at 90.
func ladderOf(t testing.TB, to target.Target) scene.Delivery {
	d := crateWithAll(t, to)
	d.Vanish = 90
	size := d.Scene.Bounds().Size().Max()
	for i := range d.LODs {
		l := &d.LODs[i]
		l.Screen = size * float64(to.View.Lines) / (2 * l.From * 0.5773502691896257) / float64(to.View.Lines)
		own := l.Scene.Clone()
		own.Nodes[0].Name = "crate"
		l.Scene = own
	}
	return d
}

// Ladders arrive in every way of leaving, in every format: as the certificate sees it, and by names
// and counts that are looked for in what was read.
func TestLaddersArrive(t *testing.T) {
	ctx := context.Background()
	for _, f := range format.Written {
		for _, to := range []target.Target{target.Shipped[0], target.Shipped[1]} {
			for _, form := range []export.LODForm{export.LODsNamed, export.LODsGroup, export.LODsApart} {
				where := f.ID + " for " + to.ID + " as " + string(form)
				p, err := Make(ctx, Order{Delivery: ladderOf(t, to), Decisions: export.Decisions{Format: f.ID, LODs: form},
					Asset: "crate", Target: to})
				require.NoError(t, err, where)
				seen := 0
				for _, r := range p.Certificate.Rows {
					if strings.HasPrefix(r.Code, "lod") {
						seen++
						// Each file says that the signed form is mirrored where its sign is overlooked.
						signed := form == export.LODsApart && !f.Righted && f.Declares && f.Fixed == nil && to.Basis.Left
						assert.Equal(t, !signed, r.Equal || !f.Several && r.Settled(), "%s: %+v", where, r)
						assert.Contains(t, r.Sent, "12")
						if r.Code == "lods" {
							assert.Equal(t, form == export.LODsGroup && f.Groups, strings.Contains(r.Arrived, "30.00"), "%s: %+v", where, r)
						}
					}
				}
				if form == export.LODsApart || !f.Several {
					assert.Equal(t, 2, seen, where)
					main := 0
					for _, file := range p.Package.Files {
						if strings.HasSuffix(file.Name, f.Suffix) {
							main++
						}
					}
					want := 3
					if !f.Several { // each shape is one, too
						want += 2
					}
					assert.Equal(t, want, main, "a file each: %s", where)
				} else {
					assert.Equal(t, 1, seen, where)
				}
			}
		}
	}
}

// What the bytes say of a group, without our reader.
func TestTheBytesOfALODGroup(t *testing.T) {
	ctx := context.Background()
	to := target.Shipped[0]
	p, err := Make(ctx, Order{Delivery: ladderOf(t, to),
		Decisions: export.Decisions{Format: "glb", LODs: export.LODsGroup}, Asset: "crate", Target: to})
	require.NoError(t, err)
	b := p.Package.Files[0].Data
	var doc struct {
		ExtensionsUsed []string
		Scenes         []struct{ Nodes []int }
		Nodes          []struct {
			Name       string
			Children   []int
			Mesh       *int
			Extensions map[string]struct{ IDs []int }
			Extras     map[string][]float64
		}
	}
	require.NoError(t, json.Unmarshal(b[20:20+binary.LittleEndian.Uint32(b[12:])], &doc))
	assert.Contains(t, doc.ExtensionsUsed, "MSFT_lod")
	first := -1
	held := map[int]bool{}
	for i, n := range doc.Nodes {
		for _, c := range n.Children {
			held[c] = true
		}
		if n.Extensions["MSFT_lod"].IDs != nil {
			first = i
		}
	}
	for _, r := range doc.Scenes[0].Nodes {
		held[r] = true
	}
	require.GreaterOrEqual(t, first, 0)
	assert.True(t, held[first])
	ids := doc.Nodes[first].Extensions["MSFT_lod"].IDs
	require.Len(t, ids, 2)
	for i, id := range ids {
		assert.False(t, held[id], "a LOD stands in no list of children")
		assert.Equal(t, "crate lod "+strconv.Itoa(i+1), doc.Nodes[id].Name)
	}
	c := doc.Nodes[first].Extras["MSFT_screencoverage"]
	require.Len(t, c, 3)
	assert.InDelta(t, c[0]/3, c[1], 1e-9, "thrice as far, a third of the screen")
	assert.InDelta(t, c[1]/3, c[2], 1e-9, "and it goes away at 90 m")

	to = target.Shipped[1] // in centimetres
	p, err = Make(ctx, Order{Delivery: ladderOf(t, to), Decisions: export.Decisions{Format: "fbx-text",
		LODs: export.LODsGroup}, Asset: "crate", Target: to})
	require.NoError(t, err)
	text := string(p.Package.Files[0].Data)
	var got []string
	for _, m := range regexp.MustCompile(`Thresholds\|Level(\d)", "Distance", "", "",([0-9.]+)`).FindAllStringSubmatch(
		text, -1) {
		got = append(got, m[2])
	}
	assert.Equal(t, []string{"1000", "3000", "9000"}, got, "centimetres")
	assert.Contains(t, text, `"LodGroup"`)
}

// One LOD as the whole asset is it alone, under the asset's names; what is not there is refused.
func TestALODLeavesAsTheWholeAsset(t *testing.T) {
	ctx := context.Background()
	to := target.Shipped[0]
	p, err := Make(ctx, Order{Delivery: ladderOf(t, to), Decisions: export.Decisions{Format: "glb", Only: 2},
		Asset: "crate", Target: to})
	require.NoError(t, err)
	got, err := Receive(ctx, p.Package.Files, as(t, "glb"), to)
	require.NoError(t, err)
	assert.Equal(t, "crate", got.Nodes[0].Name)
	assert.InDelta(t, 3, got.NodeBounds()[0].Size()[1], 1e-6)
	_, err = Make(ctx, Order{Delivery: ladderOf(t, to), Decisions: export.Decisions{Format: "glb", Only: 3},
		Asset: "crate", Target: to})
	assert.ErrorContains(t, err, "no LOD 3")
	p, err = Make(ctx, Order{Delivery: ladderOf(t, to), Decisions: export.Decisions{Format: "glb", LODs: export.LODsLeft},
		Asset: "crate", Target: to})
	require.NoError(t, err)
	got, err = Receive(ctx, p.Package.Files, as(t, "glb"), to)
	require.NoError(t, err)
	for _, n := range got.Nodes {
		assert.NotContains(t, n.Name, "lod")
	}
}

// A certificate sees a LOD that is gone, has other triangles, or takes over elsewhere.
func TestTheCertificateSeesWhatALadderLost(t *testing.T) {
	ctx := context.Background()
	to := target.Shipped[0]
	whole := ladderOf(t, to)
	whole.Grouped = true
	for name, spoil := range map[string]func(d *scene.Delivery){
		"gone":  func(d *scene.Delivery) { d.LODs = d.LODs[:1] },
		"other": func(d *scene.Delivery) { d.LODs[1].Scene = d.Scene },
		"elsewhere": func(d *scene.Delivery) {
			d.LODs[0].From, d.LODs[0].Screen = 11, d.LODs[0].Screen*10/11
		},
	} {
		for _, f := range format.Written {
			if !f.Groups {
				continue
			}
			d := ladderOf(t, to)
			d.Grouped = true
			spoil(&d)
			p, err := format.Write(ctx, d, f, "crate", to)
			require.NoError(t, err)
			c, err := Check(ctx, whole, p, f, to)
			require.NoError(t, err)
			assert.Contains(t, failing(c), "LODs", name+" in "+f.ID)
		}
	}
}

// A slot that has another name for the target has it in every LOD.
func TestSlotsAreRenamedInEveryLOD(t *testing.T) {
	to, err := target.Shipped[0].WithPattern(target.SlotName, "m {slot}")
	require.NoError(t, err)
	d, _, err := named(ladderOf(t, to), to, "crate")
	require.NoError(t, err)
	for _, l := range d.LODs {
		for i, m := range l.Scene.Materials {
			assert.Equal(t, d.Scene.Materials[i].Name, m.Name)
			assert.True(t, strings.HasPrefix(m.Name, "m "))
		}
	}
}

// A ladder that was sent as a group comes in again as the same ladder, by hand now.
func TestALadderComesBackAsALadder(t *testing.T) {
	ctx := context.Background()
	to := target.Shipped[1]
	d := ladderOf(t, to)
	d.Collision = nil
	for _, f := range format.Written {
		if !f.Several {
			continue // each is a file
		}
		p, err := Make(ctx, Order{Delivery: d, Decisions: export.Decisions{Format: f.ID, LODs: export.LODsGroup},
			Asset: "crate", Target: to})
		require.NoError(t, err)
		s, _, err := format.Read(ctx, bundle.New(p.Package.Files), p.Package.Files[0].Name, nil)
		require.NoError(t, err)
		r, err := prep.Run(ctx, prep.Input{Key: f.ID, Scene: s, Target: to}, prep.Prep{}, nil)
		require.NoError(t, err)
		require.Len(t, r.LODs.LODs, 3, f.ID)
		for i, l := range r.LODs.LODs[1:] {
			assert.Equal(t, d.LODs[i].Scene.Count().Triangles, l.Scene.Count().Triangles, f.ID)
			if f.Groups { // whose names say no distance
				assert.InDelta(t, d.LODs[i].From, l.From, 1e-5*l.From, f.ID)
			}
		}
		assert.Equal(t, d.Scene.Count().Triangles, r.Delivery.Scene.Count().Triangles, f.ID)
		require.Len(t, r.Delivery.LODs, 2, f.ID)
	}
}
