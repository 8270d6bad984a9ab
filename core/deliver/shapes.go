package deliver

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// solidRow is a collision shape as names in a file tell it.
type solidRow struct {
	mesh, kind string
	box        geom.Box
}

// solidsOf reads the shapes out of a scene: the nodes of these names, as a receiver takes them by the target's
// pattern; what that can't read is a shape of no kind.
func solidsOf(s *scene.Scene, t target.Target, names map[string]bool) []solidRow {
	pattern, err := t.SolidNames()
	if err != nil {
		return nil
	}
	var list []solidRow
	boxes := s.NodeBounds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || !names[n.Name] {
			continue
		}
		if m, ok := pattern.Read(n.Name); ok {
			list = append(list, solidRow{m["mesh"], m["kind"], boxes[i]})
		} else {
			list = append(list, solidRow{n.Name, "shape", boxes[i]})
		}
	}
	return list
}

// shapes compares the collision: how many shapes of which kind stand for which mesh, and where.
func (c *Certificate) shapes(d scene.Delivery, got *scene.Scene, t target.Target) {
	if len(d.Collision) == 0 {
		return
	}
	only := scene.Delivery{Scene: &scene.Scene{Basis: d.Scene.Basis}, Collision: d.Collision}
	names := map[string]bool{}
	for _, x := range d.Collision {
		names[x.Name] = true
	}
	sent, arrived := solidsOf(only.Assembled(), t, names), solidsOf(got, t, names)
	r := Row{Code: "collision", What: "Collision", Sent: solidWords(sent), Arrived: solidWords(arrived),
		Equal: len(sent) == len(arrived)}
	tol := tolerance(d.Scene.Bounds().Union(only.Assembled().Bounds()))
	for i := range min(len(sent), len(arrived)) {
		a, b := sent[i], arrived[i]
		r.Equal = r.Equal && a.mesh == b.mesh && a.kind == b.kind && a.box.Min.Near(b.box.Min, tol) &&
			a.box.Max.Near(b.box.Max, tol)
	}
	c.Rows = append(c.Rows, r)
}

func solidWords(list []solidRow) string {
	if len(list) == 0 {
		return "none"
	}
	type key struct{ kind, mesh string }
	count := map[key]int{}
	var order []key
	for _, s := range list {
		k := key{s.kind, s.mesh}
		if count[k] == 0 {
			order = append(order, k)
		}
		count[k]++
	}
	var words []string
	for _, k := range order {
		words = append(words, strings.TrimPrefix(fmt.Sprintf("%d × %s of %s", count[k], k.kind, k.mesh), "1 × "))
	}
	return strings.Join(words[:min(len(words), 4)], ", ") +
		map[bool]string{true: fmt.Sprintf(" and %d more", len(words)-4)}[len(words) > 4]
}

// addShapes writes the collision as a file of its own, or where a format holds one mesh as one for each shape, reads it
// back, and adds both to the parcel.
func (p *Parcel) addShapes(ctx context.Context, o Order, list []scene.Shape, of *scene.Scene) error {
	row := Row{Code: "collision", What: "Collision, a file of its own", Equal: true,
		Sent: figure.Plural(len(list), "shape", "shapes")}
	row.Arrived = row.Sent
	if p.Format.Several {
		if err := p.addSolid(ctx, o, p.Name+" solid", list, of, &row); err != nil {
			return err
		}
	} else {
		row.What = "Collision, a file each"
		for i, s := range list {
			if err := p.addSolid(ctx, o, s.Name, list[i:i+1], of, &row); err != nil {
				return err
			}
		}
	}
	p.Certificate.Rows = append(p.Certificate.Rows, row)
	return nil
}

// addSolid writes some shapes as a file, and has the row say how they arrived.
func (p *Parcel) addSolid(ctx context.Context, o Order, name string, list []scene.Shape, of *scene.Scene,
	row *Row) error {
	own := &scene.Scene{Name: name, Basis: of.Basis, UnitMetres: of.UnitMetres}
	for i, s := range list {
		own.Nodes = append(own.Nodes, scene.Node{Name: s.Name, Kind: scene.KindMesh, Parent: -1, Mesh: i, Local: s.Frame,
			Touch: &scene.Touch{Kind: s.Kind, Mesh: s.Of}})
		own.Meshes = append(own.Meshes, s.Mesh)
	}
	d := scene.Delivery{Scene: own}
	written, err := format.Write(ctx, d, p.Format, name, o.Target)
	if err != nil {
		return err
	}
	c, err := Check(ctx, d, written, p.Format, o.Target)
	if err != nil {
		return err
	}
	if fine := row.Settled(); row.Equal || fine {
		row.Equal = row.Equal && c.Equal()
		for _, l := range c.Less() {
			if !slices.Contains(row.Accepted, l) {
				row.Accepted = append(row.Accepted, l)
			}
		}
		if !c.Arrived() {
			row.Accepted = nil
		}
	}
	for _, x := range c.Rows {
		if !x.Equal && row.Why == "" {
			row.Arrived, row.Why = x.What+" "+x.Arrived, x.Why
		}
	}
	return p.add(written, "the collision")
}

// add puts written files beside the others of the parcel; what says what they are.
func (p *Parcel) add(written *pack.Package, what string) error {
	for _, f := range written.Files {
		k := slices.IndexFunc(p.Package.Files, func(g bundle.File) bool { return g.Name == f.Name })
		switch {
		case k < 0:
			p.Package.Files = append(p.Package.Files, f)
		case !bytes.Equal(p.Package.Files[k].Data, f.Data):
			return fault.Input("%s needs a file called %s, and another has that name", what, f.Name).
				Advise("Give the file another name at Export")
		}
	}
	for _, c := range written.Changes {
		p.Package.Say(c.About, c.What, c.Why)
	}
	return nil
}
