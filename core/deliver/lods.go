package deliver

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// lodsOf is what leaves of a ladder, as decided and as far as the format can.
func lodsOf(d scene.Delivery, by export.Decisions, f format.Format) (scene.Delivery, []pack.Change, error) {
	n := len(d.LODs)
	if by.Only > n {
		return d, nil, fault.Input("there is no LOD %d to send: the ladder has %s", by.Only, figure.Plural(n, "LOD", "LODs")).
			Advise("Choose another at Export, or make it at LODs")
	}
	switch {
	case by.Only > 0:
		only := d.LODs[by.Only-1]
		d.Scene, d.LODs = only.Scene, nil
		return d, []pack.Change{{About: pack.LODs, What: fmt.Sprintf("LOD %d left as the whole asset", by.Only),
			Why: "as decided"}}, nil
	case n == 0:
		return d, nil, nil
	case by.LODs == export.LODsLeft:
		d.LODs = nil
		return d, []pack.Change{{About: pack.LODs, What: figure.Plural(n, "LOD", "LODs") + " stayed behind",
			Why: "as decided"}}, nil
	case by.LODs == export.LODsGroup && f.Groups:
		d.Grouped = true
		return d, faded(d), nil
	}
	why := "names can't say it; set them in the receiver"
	if by.LODs == export.LODsApart {
		why = "files by themselves can't say it; set them in the receiver"
	}
	var at []string
	for i, l := range d.LODs {
		at = append(at, fmt.Sprintf("LOD %d from %s", i+1, figure.Length(l.From)))
	}
	if d.Vanish > 0 {
		at = append(at, "nothing from "+figure.Length(d.Vanish))
	}
	return d, append([]pack.Change{{About: pack.LODs, What: "where LODs take over: " + strings.Join(at, ", "), Why: why}},
		faded(d)...), nil
}

// faded says how LODs fade into one another, which no format holds.
func faded(d scene.Delivery) []pack.Change {
	if !(d.Fade > 0) {
		return nil
	}
	return []pack.Change{{About: pack.LODs, What: fmt.Sprintf("that LODs fade into one another over %s %% of the distance",
		figure.Significant(100*d.Fade, 3)), Why: "no format says it; set it in the receiver"}}
}

// addLOD writes a LOD as a file of its own, reads it back, and adds both to the parcel.
func (p *Parcel) addLOD(ctx context.Context, o Order, l scene.LOD, n int) error {
	pattern, err := o.Target.Pattern(target.LODName)
	if err != nil {
		return err
	}
	name, err := pattern.Make(map[string]string{"mesh": p.Name, "asset": o.Asset, "n": strconv.Itoa(n)})
	if err != nil {
		return fault.Input("the target's pattern for LODs can't name the file of LOD %d: %v", n, err)
	}
	own := scene.Delivery{Scene: l.Scene}
	written, err := format.Write(ctx, own, p.Format, name, o.Target)
	if err != nil {
		return err
	}
	c, err := Check(ctx, own, written, p.Format, o.Target)
	if err != nil {
		return err
	}
	row := Row{Code: fmt.Sprintf("lod-%d", n), What: fmt.Sprintf("LOD %d, a file of its own", n), Equal: c.Equal()}
	if c.Arrived() {
		row.Accepted = c.Less()
	}
	for _, x := range c.Rows {
		if l.Scene.Dotted() && x.Code == "points" {
			row.Sent, row.Arrived = x.Sent+" points", x.Arrived+" points"
		} else if x.Code == "triangles" && !l.Scene.Dotted() {
			row.Sent, row.Arrived = x.Sent+" triangles", x.Arrived+" triangles"
		}
	}
	for _, x := range c.Rows {
		if !x.Equal {
			row.Arrived += ", " + x.What + " " + x.Arrived
			row.Why = x.Why
			break
		}
	}
	p.Certificate.Rows = append(p.Certificate.Rows, row)
	return p.add(written, fmt.Sprintf("LOD %d", n))
}

// rung is a LOD as it is in a scene that files hold: how many triangles, and from where.
type rung struct {
	triangles int
	from      float64 // metres, 0 where the scene does not say
	screen    float64 // share of the screen's height, likewise
}

// levels is the number of the LOD each node belongs to by the LOD group above it, 0 for the mesh itself.
func levels(s *scene.Scene) []int {
	level := make([]int, len(s.Nodes)) // a parent comes before its children
	children := map[int]int{}
	for i, n := range s.Nodes {
		if p := n.Parent; p >= 0 {
			level[i] = level[p]
			if s.Nodes[p].Kind == scene.KindLOD {
				level[i] = children[p]
				children[p]++
			}
		}
	}
	return level
}

// rungs reads the ladder out of a scene as a receiver would: of LOD groups, or of names.
func rungs(s *scene.Scene, t target.Target) []rung {
	pattern, err := t.Pattern(target.LODName)
	if err != nil {
		return nil
	}
	var list []rung
	at := func(n int) *rung {
		for len(list) < n {
			list = append(list, rung{})
		}
		return &list[n-1]
	}
	tris := func(i int) int { return s.Meshes[s.Nodes[i].Mesh].Triangles() }
	level := levels(s)
	for i, n := range s.Nodes {
		if p, k := n.Parent, level[i]; p >= 0 && s.Nodes[p].Kind == scene.KindLOD && k > 0 {
			if r := at(k); k <= len(s.Nodes[p].Thresholds) {
				r.from = s.Nodes[p].Thresholds[k-1]
			}
			if r := at(k); k <= len(s.Nodes[p].Coverage) {
				r.screen = s.Nodes[p].Coverage[k-1]
			}
		}
		if n.Mesh < 0 {
			continue
		}
		if level[i] > 0 {
			at(level[i]).triangles += tris(i)
		} else if m, ok := pattern.Read(n.Name); ok {
			if k, err := strconv.Atoi(m["n"]); err == nil && k > 0 && k <= 64 {
				at(k).triangles += tris(i)
			}
		}
	}
	return list
}

// lods compares the ladder: how many LODs, the triangles of each, and where each takes over as far
// as the file says it.
func (c *Certificate) lods(d scene.Delivery, got *scene.Scene, t target.Target) {
	if len(d.LODs) == 0 {
		return
	}
	view := ladder.View{Lines: t.View.Lines, Angle: t.View.Angle}
	size := d.Scene.Bounds().Size().Max()
	var sent []rung
	for _, l := range d.LODs {
		r := rung{triangles: l.Scene.Count().Triangles}
		if d.Grouped {
			r.from = l.From
		}
		sent = append(sent, r)
	}
	arrived := rungs(got, t)
	for i := range arrived {
		if r := &arrived[i]; r.from == 0 && r.screen > 0 {
			r.from = view.DistanceOfShare(size, r.screen)
		}
	}
	r := Row{Code: "lods", What: "LODs", Sent: ladderWords(sent), Arrived: ladderWords(arrived),
		Equal: len(sent) == len(arrived)}
	for i := range min(len(sent), len(arrived)) {
		a, b := sent[i], arrived[i]
		near := math.Abs(a.from-b.from) <= 1e-5*max(a.from, b.from)
		// Nearer than the asset fills the screen, a share says no more.
		if d.Grouped && d.LODs[i].Screen >= 1 && b.screen >= 1 {
			near = true
		}
		r.Equal = r.Equal && a.triangles == b.triangles && near
	}
	c.Rows = append(c.Rows, r)
}

func ladderWords(list []rung) string {
	var tris, at []string
	for _, r := range list {
		tris = append(tris, figure.Count(r.triangles))
		if r.from > 0 {
			at = append(at, figure.Length(r.from))
		}
	}
	s := fmt.Sprintf("%d: %s triangles", len(list), strings.Join(tris, ", "))
	if len(list) == 0 {
		return "none"
	}
	if len(at) > 0 {
		s += " from " + strings.Join(at, ", ")
	}
	return s
}
