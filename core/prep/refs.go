package prep

import (
	"fmt"

	"yarvek/core/finding"
)

// Ref is a decision of a station that names a node.
type Ref struct {
	Station string
	Key     string
}

// Lost lists the decisions that find no node any more. Those of Source, which offers
// to drop them itself, come first.
func (r *Result) Lost() []Ref {
	var list []Ref
	for _, s := range []struct {
		id   string
		keys []string
	}{{"source", r.Source.Lost}, {"size", r.Size.Lost}, {"pivot", r.Pivot.Lost}} {
		for _, k := range s.keys {
			list = append(list, Ref{s.id, k})
		}
	}
	return list
}

// Nodes lists the keys a station's decisions can name.
func (r *Result) Nodes(station string) []string {
	switch station {
	case "size":
		return r.Kept.Keys()
	case "pivot":
		return r.Stood.Keys()
	}
	return r.Read.Keys()
}

// Repointed returns the prep with a station's decision pointed at another node; an
// empty name drops it.
func (p Prep) Repointed(ref Ref, to string) Prep {
	switch ref.Station {
	case "source":
		p.Source = p.Source.Repointed(ref.Key, to)
	case "size":
		p.Size = p.Size.Repointed(ref.Key, to)
	case "pivot":
		p.Pivot = p.Pivot.Repointed(ref.Key, to)
	}
	return p
}

// lost says at a station that decisions name nodes that are not there.
func lost(p Prep, station string, keys []string) []finding.Finding {
	var list []finding.Finding
	for _, k := range keys {
		q := p.Repointed(Ref{station, k}, "")
		d := any(q.Size)
		if station == "pivot" {
			d = q.Pivot
		}
		list = append(list, finding.Finding{Code: station + "/lost-decision", Severity: finding.Look,
			Title: fmt.Sprintf("No node is called “%s” any more", k), Text: "Something was decided for it. Point it at another node on the page of revisions, or drop it.",
			Remedies: []finding.Remedy{{Label: "Drop it", Effect: "Nothing changes but that it is no longer kept.", Decision: d}}})
	}
	return list
}
