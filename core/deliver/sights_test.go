package deliver

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// sighted is the lettered flag with a camera that looks down on it, one whose lines of sight are parallel, and a light
// of each kind, in a target's basis.
func sighted(to target.Target) scene.Delivery {
	at := geom.Vec3{3, 4, 5}
	along := at.Mul(-1).Unit()
	up := geom.Vec3{0, 1, 0}
	up = up.Sub(along.Mul(up.Dot(along))).Unit()
	d := scene.Delivery{Scene: lettered()}
	for _, s := range []scene.Sight{
		{Name: "look-out", Camera: &scene.Camera{Angle: 40, Aspect: 1.5, Near: 0.1, Far: 200}},
		{Name: "plan", Camera: &scene.Camera{High: 8, Aspect: 2, Near: 0.5, Far: 50}},
		{Name: "noon", Light: &scene.Light{Kind: scene.Sun, Color: [3]float64{1, 0.9, 0.8}, Strength: 3}},
		{Name: "lamp", Light: &scene.Light{Kind: scene.Lamp, Color: [3]float64{1, 0.5, 0}, Strength: 20, Range: 6}},
		{Name: "beam", Light: &scene.Light{Kind: scene.Spot, Color: [3]float64{1, 1, 1}, Strength: 7, Inner: 10, Outer: 25}},
	} {
		s.At, s.Along, s.Up = at, along, up
		d.Sights = append(d.Sights, s)
	}
	by := geom.Linear(geom.GLTF.To(to.Basis))
	d.Scene = d.Scene.Carried(by)
	d.Scene.Basis = to.Basis
	d.Sights = scene.CarriedSights(d.Sights, by)
	return d
}

// Cameras and lights arrive where they stood, looking where they looked, for every target in every format that holds
// them; one that is turned, moved, or that sees or shines otherwise is seen by the certificate; and where they can't
// leave, or are not asked for, that is told by name.
func TestCamerasAndLights(t *testing.T) {
	ctx := context.Background()
	for _, to := range target.Shipped {
		for _, f := range format.Written {
			d := sighted(to)
			p, err := Make(ctx, Order{Delivery: d, Decisions: export.Decisions{Format: f.ID, Cameras: true, Lights: true},
				Asset: "flag", Target: to})
			require.NoError(t, err)
			row := rowOf(*p.Certificate, "sights")
			if !f.Sights {
				assert.Nil(t, row)
				assert.Len(t, saidOf(p, "look-out"), 1)
				continue
			}
			require.NotNil(t, row, "%s %s", to.ID, f.ID)
			assert.True(t, row.Equal, "%s %s: %s %s", to.ID, f.ID, row.Arrived, row.Why)
			assert.True(t, p.Certificate.Arrived(), "%s %s", to.ID, f.ID)
			got, err := Receive(ctx, p.Package.Files, f, to)
			require.NoError(t, err)
			require.Len(t, got.Sights, 5)
			spoilt := func(name string, change func(s *scene.Sight)) {
				for i := range got.Sights {
					list := append([]scene.Sight(nil), got.Sights...)
					if list[i].Name != name {
						continue
					}
					change(&list[i])
					c := &Certificate{}
					c.sights(d.Sights, list, 5)
					assert.False(t, c.Rows[0].Equal, "%s %s %s", to.ID, f.ID, name)
				}
			}
			spoilt("look-out", func(s *scene.Sight) { s.At = s.At.Add(geom.Vec3{0.01, 0, 0}) })
			spoilt("look-out", func(s *scene.Sight) { s.Along = s.Along.Mul(-1) })
			spoilt("plan", func(s *scene.Sight) { s.Up = s.Up.Mul(-1) })
			spoilt("beam", func(s *scene.Sight) {
				s.Along = geom.Rotation(s.Up, 2*math.Pi/180).Apply(s.Along)
			})
			spoilt("look-out", func(s *scene.Sight) { c := *s.Camera; c.Angle = 41; s.Camera = &c })
			spoilt("lamp", func(s *scene.Sight) { l := *s.Light; l.Strength *= 2; s.Light = &l })
			spoilt("lamp", func(s *scene.Sight) { l := *s.Light; l.Color[1] = 1; s.Light = &l })
			spoilt("noon", func(s *scene.Sight) { l := *s.Light; l.Kind = scene.Lamp; s.Light = &l })

			none, err := Make(ctx, Order{Delivery: d, Decisions: export.Decisions{Format: f.ID}, Asset: "flag", Target: to})
			require.NoError(t, err)
			assert.Nil(t, rowOf(*none.Certificate, "sights"))
		}
	}
}

// rowOf is the row of a certificate by its code, nil for none.
func rowOf(c Certificate, code string) *Row {
	for i := range c.Rows {
		if c.Rows[i].Code == code {
			return &c.Rows[i]
		}
	}
	return nil
}

// saidOf are the lines of a packing list about something of a name.
func saidOf(p *Parcel, name string) (list []string) {
	for _, c := range p.Package.Changes {
		if c.Of == name {
			list = append(list, c.What)
		}
	}
	return list
}
