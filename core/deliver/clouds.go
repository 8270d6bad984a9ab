package deliver

import (
	"fmt"
	"math"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// cloudOf is the cloud of a scene where it stands in the world, nil for one without.
func cloudOf(s *scene.Scene) *cloud.Cloud {
	for i, w := range s.Worlds() {
		if n := s.Nodes[i]; n.Mesh >= 0 && s.Meshes[n.Mesh].Cloud != nil {
			return s.Meshes[n.Mesh].Cloud.Carried(w)
		}
	}
	return nil
}

// fieldNear is how far a value of a field may be off, as a part of the largest: what a 32-bit float holds, doubled.
const fieldNear = 2.4e-7

// clouds compares points one by one, each with all it carries: sent are those of the delivery, raw those of the file.
func (c *Certificate) clouds(sent, raw *scene.Scene, f format.Format, t target.Target) {
	a := cloudOf(sent)
	if a == nil {
		return
	}
	r := Row{Code: "points", What: "Points", Sent: figure.Count(len(a.Points)), Arrived: "none"}
	b := cloudOf(received(raw, f.Frame(t), f, t))
	if b != nil {
		r.Arrived = figure.Count(len(b.Points))
	}
	if r.Equal = b != nil && len(a.Points) == len(b.Points); !r.Equal {
		r.Why = "points were lost or came on the way"
		c.Rows = append(c.Rows, r)
		return
	}
	tol, far := tolerance(a.Box()), 0.0
	for i, p := range a.Points {
		far = max(far, p.Dist(b.Points[i]))
	}
	if far > 2*tol {
		r.Equal, r.Arrived = false, fmt.Sprintf("%s, off by up to %s", r.Arrived, figure.Length(far))
	}
	c.Rows = append(c.Rows, r)
	off := Row{Code: "carried", What: "What points carry", Sent: figure.Plural(len(a.Fields), "property", "properties"),
		Equal: len(a.Fields) == len(b.Fields)}
	off.Arrived = figure.Plural(len(b.Fields), "property", "properties")
	for k := range a.Fields {
		x := &a.Fields[k]
		y := b.Field(x.Name)
		if y == nil || y.Type != x.Type {
			off.Equal, off.Arrived = false, off.Arrived+", without “"+x.Name+"”"
			continue
		}
		most, apart := 0.0, 0.0
		for i := range x.Len() {
			most, apart = max(most, math.Abs(x.At(i))), max(apart, math.Abs(x.At(i)-y.At(i)))
		}
		if step := map[string]float64{"float": fieldNear * most, "double": 1e-12 * most}[x.Type]; apart > max(step, .5) ||
			apart > step && (x.Type == "float" || x.Type == "double") {
			off.Equal, off.Arrived = false, fmt.Sprintf("%s, “%s” off by up to %s", off.Arrived, x.Name,
				figure.Significant(apart, 3))
		}
	}
	c.Rows = append(c.Rows, off)
}
