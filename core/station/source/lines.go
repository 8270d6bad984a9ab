package source

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station"
)

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	for _, k := range d.Leave {
		say("Leave out %s", station.LastName(k))
	}
	for _, k := range d.Keep {
		say("Keep %s", station.LastName(k))
	}
	for _, r := range d.Rules {
		say("%s", r)
	}
	for _, k := range slices.Sorted(maps.Keys(d.Names)) {
		say("Call %s %s", station.LastName(k), d.Names[k])
	}
	for _, r := range d.Rename {
		say("Call all “%s” “%s”", r.Match, r.To)
	}
	if len(d.Sharing) > 0 {
		say("Make instances of %s", station.Nodes(d.Sharing))
	}
	for _, s := range d.Split {
		say("Split %s by %s", station.LastName(s.Node), s.By)
	}
	if d.DropUnused {
		say("Leave out materials no face uses")
	}
	if d.JoinTwins {
		say("Join materials that are equal but for their names")
	}
	if d.Piece {
		say("Keep the largest piece of the points")
	}
	for _, k := range slices.Sorted(maps.Keys(d.Variants)) {
		of, in, _ := strings.Cut(strings.TrimSuffix(k, "}"), "{")
		say("Use “%s” of “%s” for “%s”", d.Variants[k], in, path.Base(of))
	}
	if d.Divide > 0 {
		say("Divide cages %s", figure.Plural(d.Divide, "time", "times"))
	}
	if d.Grid > 0 {
		say("Split by a grid of %s", figure.Length(d.Grid))
	}
	if d.Thin > 0 {
		say("Keep one point in each cube of %s", figure.Length(d.Thin))
	}
	for _, c := range d.Crop {
		say("%s", c)
	}
	for _, g := range d.Groups {
		say("Group %s as %s", station.Nodes(g.Nodes), g.Name)
	}
	for _, k := range slices.Sorted(maps.Keys(d.Roles)) {
		say("Use %s as %s", station.LastName(k), d.Roles[k])
	}
	if d.Merge != Apart {
		say("%s", mergeLines[d.Merge])
	}
	if d.Move != (geom.Vec3{}) {
		var by []string
		for _, c := range d.Move {
			by = append(by, figure.Significant(-c, 9))
		}
		say("Move it by %s m", strings.Join(by, ", "))
	}
	if d.Error != 0 {
		say("Accept coordinates off by %s", figure.Length(d.Error))
	}
	return l
}

var mergeLines = map[Merge]string{MergeAll: "Merge to one mesh", MergeSlot: "Merge by slot",
	MergeSome: "Merge by group"}
