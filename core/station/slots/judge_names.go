package slots

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/naming"
	"yarvek/core/picture/outfit"
	"yarvek/core/station"
)

// names holds names against the target's rule, one another, and the kit's map.
func (j judge) names() {
	rules := j.by.Target.Names.Rules
	var wrong []string
	same := map[string][]string{}
	for _, s := range j.list {
		if outfit.Cleaned(rules, s.Name) != s.Name {
			wrong = append(wrong, s.Name)
		}
		k := strings.ToLower(outfit.Cleaned(rules, s.Name))
		same[k] = append(same[k], s.Key)
	}
	if len(wrong) > 0 {
		j.say(finding.Look, "names", figure.Plural(len(wrong), "name breaks", "names break")+" the target’s rule",
			station.Some(wrong)+
				". It would be changed on the way, or refused.", j.with("Clean the names",
				"What the rule does not allow becomes its first mark, or goes.",
				func(d *Decisions) { d.Clean = true }))
	}
	for _, s := range j.list {
		list := same[strings.ToLower(outfit.Cleaned(rules, s.Name))]
		if len(list) < 2 || list[0] != s.Key || !j.more("clash") {
			continue
		}
		apart := j.with("Number them", "The second and those after it get a number.", func(d *Decisions) {
			later := map[string]bool{}
			for _, key := range list[1:] {
				later[key] = true
			}
			d.Names = slices.DeleteFunc(slices.Clone(d.Names), func(x outfit.Name) bool { return later[x.Slot] })
			n := 2
			for _, key := range list[1:] {
				to := numbered(rules, s.Name, n)
				for ; len(same[strings.ToLower(to)]) > 0; to = numbered(rules, s.Name, n) {
					n++
				}
				d.Names = append(d.Names, outfit.Name{Slot: key, To: to})
				n++
			}
		})
		j.say(finding.Look, "clash-"+s.Key, and(list)+" would be called alike",
			"Cleaned by the target's rule and with case ignored they have one name, so that a receiver may take one for the "+
				"other.",
			apart, harsh(j.joining("Make them one", s.Key, list[1:]...)))
	}
	if len(j.by.Map) == 0 {
		return
	}
	var not []string
	for _, s := range j.list {
		switch {
		case s.Project != "":
		case s.Near != "" && j.more("near-name"):
			near := s.Near
			j.say(finding.Note, "near-name-"+s.Key, "The project has no “"+s.Name+"”", "The nearest it has is “"+near+"”.",
				j.with("Call it "+near, "It is the same material everywhere then.", func(d *Decisions) {
					d.Names = append(slices.DeleteFunc(slices.Clone(d.Names), func(x outfit.Name) bool { return x.Slot == s.Key }),
						outfit.Name{Slot: s.Key, To: near})
				}))
		default:
			not = append(not, s.Name)
		}
	}
	if len(not) > 0 {
		j.say(finding.Note, "not-there", figure.Plural(len(not), "slot is", "slots are")+" not in the project yet",
			station.Some(not)+".")
	}
}

// numbered is a name with a number behind it, within the rules.
func numbered(r naming.Rules, name string, n int) string {
	tail := fmt.Sprintf(" %d", n)
	if list := []rune(name); r.Longest > 0 && len(list)+len(tail) > r.Longest {
		name = string(list[:max(0, r.Longest-len(tail))])
	}
	return outfit.Cleaned(r, name+tail)
}
