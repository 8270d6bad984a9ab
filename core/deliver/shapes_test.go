package deliver

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// touchable is a crate with two boxes and a hull to touch, without names yet.
func touchable(t testing.TB, to target.Target) scene.Delivery {
	d := crateWithAll(t, to)
	d.LODs, d.Markers = nil, nil
	kinds := []string{"box", "box"}
	for i := range d.Collision {
		d.Collision[i].Name, d.Collision[i].Of, d.Collision[i].Kind = "", d.Scene.Nodes[0].Name, kinds[i]
	}
	hull := new(shape.Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{.5, .5, .5}).Mesh("")
	hull.Slot = nil
	d.Collision = append(d.Collision, scene.Shape{Of: d.Scene.Nodes[0].Name, Kind: "hull", Mesh: hull,
		Frame: geom.Identity})
	require.NoError(t, d.Validate())
	return d
}

// Collision arrives in every way of leaving, in every format: named after its mesh, as many of each kind,
// where it stands.
func TestCollisionArrives(t *testing.T) {
	ctx := context.Background()
	for _, f := range format.Written {
		for _, to := range target.Shipped {
			for _, form := range []export.ShapeForm{export.ShapesNamed, export.ShapesApart, export.ShapesLeft} {
				where := f.ID + " for " + to.ID + " as " + string(form)
				d := touchable(t, to)
				mesh := d.Scene.Nodes[0].Name
				p, err := Make(ctx, Order{Delivery: d, Decisions: export.Decisions{Format: f.ID, Shapes: form}, Asset: "crate",
					Target: to})
				require.NoError(t, err, where)
				var row *Row
				for i := range p.Certificate.Rows {
					if p.Certificate.Rows[i].Code == "collision" {
						row = &p.Certificate.Rows[i]
					}
				}
				if !f.Several && form == export.ShapesNamed {
					form = export.ShapesApart
				}
				switch form {
				case export.ShapesLeft:
					assert.Nil(t, row, where)
					assert.Contains(t, p.Package.Changes[0].What, "3 collision shapes", where)
				case export.ShapesApart:
					require.NotNil(t, row, where)
					signed := !f.Righted && f.Declares && f.Fixed == nil && to.Basis.Left
					assert.Equal(t, !signed, row.Equal || !f.Several && row.Settled(), "%s: %+v", where, row)
					apart := 0
					for _, file := range p.Package.Files {
						if strings.Contains(file.Name, "solid") {
							apart++
						}
					}
					assert.NotZero(t, apart, where)
				default:
					require.NotNil(t, row, where)
					assert.True(t, row.Equal, "%s: %+v", where, row)
					assert.Equal(t, "2 × box of "+mesh+", hull of "+mesh, row.Arrived, where)
					for _, name := range []string{mesh + " solid box 01", mesh + " solid box 02", mesh + " solid hull 01"} {
						found := false
						for _, file := range p.Package.Files {
							found = found || f.Suffix == ".usdz" || f.Suffix == ".usdc" || // which pack their names
								strings.Contains(string(file.Data), name) ||
								strings.Contains(string(file.Data), strings.ReplaceAll(name, " ", "_"))
						}
						assert.True(t, found, "%s: %s in the bytes", where, name)
					}
				}
			}
		}
	}
}

// A shape that is gone, moved or of another kind on arrival is seen.
func TestACertificateSeesCollisionThatDiffers(t *testing.T) {
	to := target.Shipped[0]
	d := touchable(t, to)
	named, _, err := named(d, to, "crate")
	require.NoError(t, err)
	for what, harm := range map[string]func(*scene.Scene){
		"gone":  func(s *scene.Scene) { s.Nodes = s.Nodes[:len(s.Nodes)-1] },
		"moved": func(s *scene.Scene) { s.Nodes[len(s.Nodes)-1].Local.T[0] += 0.001 },
		"another": func(s *scene.Scene) {
			s.Nodes[len(s.Nodes)-1].Name = strings.ReplaceAll(s.Nodes[len(s.Nodes)-1].Name, "hull", "ball")
		},
		"renamed": func(s *scene.Scene) { s.Nodes[len(s.Nodes)-1].Name = "hull" },
	} {
		got := named.Assembled().Clone()
		harm(got)
		c := &Certificate{}
		c.shapes(named, got, to)
		require.Len(t, c.Rows, 1)
		assert.False(t, c.Rows[0].Equal, what)
	}
	c := &Certificate{}
	c.shapes(named, named.Assembled(), to)
	assert.True(t, c.Rows[0].Equal)
}

// glTF says kind and mesh of each shape in extras, as any program can read them.
func TestExtrasSayWhatAShapeIs(t *testing.T) {
	to := target.Shipped[0]
	d := touchable(t, to)
	p, err := Make(context.Background(), Order{Delivery: d, Decisions: export.Decisions{Format: "glb"}, Asset: "crate",
		Target: to})
	require.NoError(t, err)
	data := p.Package.Files[0].Data
	n := binary.LittleEndian.Uint32(data[12:])
	var doc struct {
		Nodes []struct {
			Name   string
			Extras struct {
				Collision *struct{ Kind, Mesh string }
			}
		}
	}
	require.NoError(t, json.Unmarshal(data[20:20+n], &doc))
	kinds := map[string]int{}
	for _, node := range doc.Nodes {
		if c := node.Extras.Collision; c != nil {
			kinds[c.Kind]++
			assert.Equal(t, d.Scene.Nodes[0].Name, c.Mesh)
			assert.Contains(t, node.Name, c.Kind)
		}
	}
	assert.Equal(t, map[string]int{"box": 2, "hull": 1}, kinds)
}

// Names stay in step when the target renames meshes.
func TestCollisionFollowsRenaming(t *testing.T) {
	to := target.Shipped[0]
	to.Names.Node = "part {mesh}"
	d := touchable(t, to)
	p, err := Make(context.Background(), Order{Delivery: d, Decisions: export.Decisions{Format: "obj"}, Asset: "pier",
		Target: to})
	require.NoError(t, err)
	assert.Contains(t, string(p.Package.Files[0].Data), "part "+d.Scene.Nodes[0].Name+" solid hull 01")
}
