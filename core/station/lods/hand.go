package lods

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// worth is the most of the triangles of the one before that a LOD may have to be worth it.
const worth = 0.8

// byHand judges what came along. It is long because it is a list: each finding stands where it is said.
func (r *Report) byHand(d Decisions, ask Ask, say sayer) {
	var numbers []int
	for _, h := range ask.Hand {
		numbers = append(numbers, h.N)
	}
	for i, n := range numbers {
		if before := append([]int{0}, numbers...)[i]; n > before+1 {
			gap := fmt.Sprintf("LOD %d is", before+1)
			if n > before+2 {
				gap = fmt.Sprintf("LODs %d to %d are", before+1, n-1)
			}
			say(finding.Look, fmt.Sprintf("gap-%d", n), gap+" missing",
				fmt.Sprintf("Number %d follows on number %d. They are put on the ladder in their "+
					"order; what the gap was to hold can be made here.", n, before))
		}
	}
	whole := r.LODs[0]
	box := whole.Scene.Bounds()
	for i := range r.LODs[1:] {
		l, before := &r.LODs[i+1], &r.LODs[i]
		if l.Fetched.Hand == nil {
			continue
		}
		without := d.With(slices.Delete(r.LevelsNow(), i, i+1))
		drop := finding.Remedy{Label: fmt.Sprintf("Leave LOD %d out", l.Number),
			Effect: "It stays in the source and is in no delivery.", Decision: without}
		made := d.With(r.LevelsNow())
		made.Levels[i] = Level{}
		made.Levels[i].Share = 0.5 * r.ShareOf(*before)
		again := finding.Remedy{Label: "Make one instead", Effect: "With half of the " + r.Of() + " of the one before it.",
			Decision: made}
		at := func(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) {
			f := say(sev, fmt.Sprintf("%s-%d", code, l.Number), fmt.Sprintf("LOD %d ", l.Number)+title, text, remedies...)
			f.Place.Point = middle(l.Scene)
			r.About[f.Code] = l.Number
		}
		n, was := l.Cost.Much(), before.Cost.Much()
		counts := fmt.Sprintf("It has %s, and the one before it %s.", r.Counted(*l), figure.Count(was))
		switch {
		case n > was:
			at(finding.MustFix, "finer", "is finer than the one before it", counts+" The farther one has to be the coarser.",
				drop, again)
		case float64(n) > worth*float64(was):
			at(finding.Look, "close", "spares next to nothing", counts+" Each LOD costs memory and a switch.", drop, again)
		}
		for _, m := range l.Fetched.Hand.Moved[:min(1, len(l.Fetched.Hand.Moved))] {
			at(finding.Look, "pivot", "turns about another place",
				fmt.Sprintf("The pivot of “%s” is %s from that of what it stands for: receivers that "+
					"place each by its own would show it jump.", m.Name, figure.Length(m.By)))
		}
		allowed := max(min(2*r.Allowed/r.View.NearAt(l.From), 0.08*r.Size), 0.002*r.Size)
		if off, how := apart(box, l.Scene.Bounds()); off > allowed {
			at(finding.Look, "extent", "is "+how, fmt.Sprintf("Its box is off by %s, which is %s at %s.", figure.Length(off),
				pixels(off*r.View.NearAt(l.From)), figure.Length(l.From)), again)
		}
		names := l.Scene.SlotNames()
		if more := missing(names, ask.Slots); len(more) > 0 {
			at(finding.MustFix, "new-slot", "has a slot of its own",
				fmt.Sprintf("%s is on no face of the asset itself, so that the receiver would have "+
					"nothing to put there.", strings.Join(quotedAll(more), ", ")), again)
		} else if !inOrder(names, ask.Slots) {
			at(finding.Note, "slot-order", "lists its slots in another order",
				"It is written with those of the asset, in their order.")
		}
		if a, b := sets(whole.Scene), sets(l.Scene); b < a {
			at(finding.Look, "uvs", "lacks UVs",
				fmt.Sprintf("It has %s, and the asset %d. Its textures would lie elsewhere, or nowhere.",
					figure.Plural(b, "UV set", "UV sets"), a), again)
		}
		if bare(l.Scene) && !bare(whole.Scene) {
			at(finding.Look, "smoothing", "says nothing of smoothing",
				"The asset has normals or smoothing groups, and it has neither: receivers make up "+
					"normals, and the shading jumps.", again)
		}
		if l.Pixels > 2*r.Allowed && !l.Solved {
			at(finding.Look, "shows", fmt.Sprintf("shows by %s where the file has it take over", pixels(l.Pixels)), fmt.Sprintf(
				"That is at %s. It would show by no more than %s from %s on.", figure.Length(l.From), pixels(r.Allowed),
				figure.Length(r.View.ShownFrom(l.Visible, r.Allowed))), solved(d, r, i))
		}
		if gone := l.Fetched.Hand.Missing; len(gone) > 0 {
			at(finding.Note, "partly", "was not made for all of it", strings.Join(quotedAll(gone[:min(len(gone), 6)]), ", ")+
				" stand as they are, or as the LOD before has them.")
		}
	}
}

// solved lets one take over where it does not show.
func solved(d Decisions, r *Report, i int) finding.Remedy {
	d = d.With(r.LevelsNow())
	d.Levels[i].From = Round(r.View.ShownFrom(r.LODs[i+1].Visible, r.Allowed) * 1.005)
	for k := i + 1; k < len(d.Levels); k++ {
		d.Levels[k].From = max(d.Levels[k].From, Round(d.Levels[k-1].From*1.1))
	}
	for k := i - 1; k >= 0; k-- {
		if d.Levels[k].From >= d.Levels[k+1].From {
			d.Levels[k].From = Round(d.Levels[k+1].From / 1.1)
		}
	}
	return finding.Remedy{Label: "Let it take over at " + figure.Length(d.Levels[i].From),
		Effect:   "The others keep their order.",
		Decision: d}
}

// apart is by how much the box of a LOD is off that of the asset at most, and how.
func apart(a, b geom.Box) (off float64, how string) {
	if b.IsEmpty() || a.IsEmpty() {
		return 0, ""
	}
	for k := range 3 {
		off = max(off, math.Abs(a.Min[k]-b.Min[k]), math.Abs(a.Max[k]-b.Max[k]))
	}
	move := a.Center().Dist(b.Center())
	grown := b.Size().Max() / max(a.Size().Max(), 1e-12)
	switch {
	case move > off/2 && grown > 0.9 && grown < 1.1:
		return off, "elsewhere"
	case grown > 1.05:
		return off, "larger than the asset"
	}
	return off, "of another extent than the asset"
}

func quotedAll(names []string) []string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = "“" + n + "”"
	}
	return out
}

// inOrder tells whether names come in the order they have in a longer list.
func inOrder(names, of []string) bool {
	last := -1
	for _, n := range names {
		k := slices.Index(of, n)
		if k < last {
			return false
		}
		last = k
	}
	return true
}

// sets is how many UV sets the mesh of a scene that has the fewest has.
func sets(s *scene.Scene) int {
	n := -1
	for i, users := range s.Users() {
		if m := s.Meshes[i]; len(users) > 0 && m.Faces() > 0 {
			k := 0
			for _, u := range m.UVs {
				if u.Has() {
					k++
				}
			}
			if n < 0 || k < n {
				n = k
			}
		}
	}
	return max(0, n)
}

// bare tells whether a mesh has neither normals nor groups.
func bare(s *scene.Scene) bool {
	for i, users := range s.Users() {
		if m := s.Meshes[i]; len(users) > 0 && m.Faces() > 0 && !m.Normals.Has() && m.Smooth == nil && m.Hard == nil {
			return true
		}
	}
	return false
}
