package work

import (
	"context"
	"fmt"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/internal/store"
)

// Arrivals is how one file arrives at every target of the house, whoever wrote it.
type Arrivals struct {
	File   string
	Format string
	List   []Arrival
}

// Arrival is how it arrives at one.
type Arrival struct {
	deliver.Standing
	Drawn string // by who asked for it
}

// Arrive tells how the one mesh of an upload arrives at every target of the house, as a job whose outcome is an
// Arrivals; draw is given the scene as each target has it, without LODs and shapes. Nothing of it is kept.
func (d *Desk) Arrive(ctx context.Context, u *Upload, draw func(context.Context, *scene.Scene) (string, error)) (*Job,
	error) {
	mesh, err := u.only()
	if err != nil {
		u.Close()
		return nil, err
	}
	targets, err := d.Targets(ctx)
	if err != nil {
		u.Close()
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: "a file to look at", Title: "Reading " + mesh.Name,
		Person: store.By(ctx), Bytes: min(arrivingMost, arrivingTimes*u.size),
		Run: func(ctx context.Context, job *Job) (any, error) {
			set := d.bundleOf(u.files)
			s, _, err := format.Read(ctx, set, mesh.Name, func(done, all int64) {
				job.Report("Reading "+mesh.Name, float64(done)/float64(max(1, all)))
			})
			if err != nil {
				return nil, err
			}
			f, err := format.Of(s)
			if err != nil {
				return nil, err
			}
			a := Arrivals{File: mesh.Name, Format: f.Name}
			for i, t := range targets {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				job.Report("At "+t.Name, float64(i)/float64(len(targets)))
				c, err := deliver.AsItCame(s, t)
				if err != nil {
					return nil, err
				}
				svg, err := draw(ctx, c.Scene)
				if err != nil {
					return nil, err
				}
				a.List = append(a.List, Arrival{deliver.Stand(s, f, t, nil), svg})
			}
			return a, nil
		},
		Left: func(bool) { u.Close() }}), nil
}

// Between says what changed from one export to a later one: revision, target, decisions, and figures of what was sent;
// none where both are the same bytes by the same decisions.
func Between(before, after Sent) []string {
	var list []string
	say := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	if before.Revision != after.Revision {
		say("Revision: %d → %d", before.Revision, after.Revision)
	}
	switch {
	case before.Target.ID != after.Target.ID:
		say("Target: %s → %s", before.Target.Name, after.Target.Name)
	case !before.Target.Equal(after.Target):
		say("Target: %s, revision %d → %d", after.Target.Name, before.Target.Revision, after.Target.Revision)
	}
	list = append(list, decided(before.Prep, after.Prep)...)
	was := map[string]deliver.Row{}
	for _, r := range before.Certificate.Rows {
		was[r.Code] = r
	}
	for _, r := range after.Certificate.Rows {
		if old, ok := was[r.Code]; ok && old.Sent != r.Sent && figures[r.Code] {
			say("%s: %s → %s", r.What, old.Sent, r.Sent)
		}
	}
	if before.SHA != after.SHA && len(list) == 0 {
		say("Other bytes by the same decisions: the kit, or Yarvek itself, changed")
	}
	return list
}

// decided says what differs between two kept preps; that one can't be read is said where it is shown.
func decided(before, after []byte) []string {
	a, err1 := prep.Parse(before)
	b, err2 := prep.Parse(after)
	if err1 != nil || err2 != nil {
		return nil
	}
	return prep.Diff(a, b)
}

// figures are the rows of a certificate that tell how large something is, rather than that it is the same.
var figures = map[string]bool{"width": true, "height": true, "depth": true, "box": true, "triangles": true,
	"polygons": true, "lods": true, "collision": true, "slots": true, "textures": true}
