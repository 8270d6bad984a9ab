package work

import (
	"context"

	"yarvek/core/deliver"
	"yarvek/core/deliver/exemplar"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// Exemplar is a file that came out right in a receiver, and what it says of it.
type Exemplar struct {
	File string
	*exemplar.Reading
	Drawn string // by who asked for it
}

// ReadExemplar reads the one mesh of an upload that is known to be right in some receiver, as a job whose outcome is an
// Exemplar. draw is given what is seen of it. Nothing of it is kept.
func (d *Desk) ReadExemplar(ctx context.Context, u *Upload, draw func(context.Context, *scene.Scene) (string, error)) (
	*Job, error) {
	mesh, err := u.only()
	if err != nil {
		u.Close()
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: "a file to learn from", Title: "Reading " + mesh.Name,
		Person: store.By(ctx), Bytes: min(arrivingMost, arrivingTimes*u.size),
		Run: func(ctx context.Context, job *Job) (any, error) {
			s, _, err := format.Read(ctx, d.bundleOf(u.files), mesh.Name, func(done, all int64) {
				job.Report("Reading "+mesh.Name, float64(done)/float64(max(1, all)))
			})
			if err != nil {
				return nil, err
			}
			r, err := exemplar.Of(ctx, s)
			if err != nil {
				return nil, fault.From(fault.Invalid, err)
			}
			// As an engine of the file's own frame has it.
			c, err := deliver.AsItCame(s, target.Framed("learned", "", r.Basis, r.Unit))
			if err != nil {
				return nil, err
			}
			svg, err := draw(ctx, c.Scene)
			return Exemplar{mesh.Name, r, svg}, err
		},
		Left: func(bool) { u.Close() }}), nil
}

// Confirmed is what a person says of what was read off.
type Confirmed struct {
	Name   string
	Engine geom.Basis
	Unit   figure.Unit
	Lines  map[string]bool // that are taken, by their IDs
}

// TargetOf makes a target of the house's own of what was read off and confirmed.
func (d *Desk) TargetOf(ctx context.Context, e Exemplar, by Confirmed) (target.Target, error) {
	t, err := e.Target(by.Name, by.Engine, by.Unit, func(id string) bool { return by.Lines[id] })
	if err != nil {
		return t, fault.From(fault.Invalid, err)
	}
	return d.begin(ctx, t, by.Name)
}

// only is the one mesh of an upload.
func (u *Upload) only() (mesh store.File, err error) {
	for _, f := range u.files {
		if !format.IsMesh(f.Name) {
			continue
		}
		if mesh.Name != "" {
			return mesh, fault.Input("%s and %s are both meshes", fault.Shown(mesh.Name), fault.Shown(f.Name)).
				Advise("Drop one at a time, with its textures")
		}
		mesh = f
	}
	if mesh.Name != "" {
		return mesh, nil
	}
	why := "no mesh was sent"
	if len(u.Refused) > 0 {
		why = u.Refused[0].Name + " " + u.Refused[0].Why
	}
	return mesh, fault.Input("%s", why).Advise("Drop a file of " + format.Names() + ", or a zip of one")
}
