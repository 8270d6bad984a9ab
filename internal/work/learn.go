package work

import (
	"context"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/naming"
	"yarvek/core/station"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// LearnTarget makes a target of the kit's that names LODs and shapes as those of an asset are called whose roles were
// decided at Source. The kit keeps the target it has. What can't be learned is a *fault.Error that says by which name.
func (d *Desk) LearnTarget(ctx context.Context, asset int64) (target.Learned, error) {
	o, err := d.Open(ctx, asset)
	if err != nil {
		return target.Learned{}, err
	}
	l, err := target.Learn(o.Kit.Target, examplesOf(o))
	if err != nil {
		return l, fault.From(fault.Invalid, err)
	}
	l.Target, err = d.begin(ctx, l.Target, fmt.Sprintf("%s, names of %s", o.Kit.Target.Name, o.Asset.Name))
	return l, err
}

// examplesOf are the names of the LODs and shapes of an asset, as they came, with what they were decided to be.
func examplesOf(o *Opened) []target.Example {
	by, was := o.Prep.Source.Roles, map[string]string{}
	for _, n := range o.Result.Source.Nodes {
		was[n.Key] = n.Was
	}
	called := func(key string) string {
		if n, ok := was[key]; ok {
			return n
		}
		return station.LastName(key)
	}
	var list []target.Example
	for _, h := range o.Result.Source.Hand {
		for _, key := range h.Nodes {
			if r, ok := by[key]; ok && r.As == source.AsLOD {
				list = append(list, target.Example{Name: called(key), Mesh: called(r.Of), N: h.N})
			}
		}
	}
	count := map[[2]string]int{}
	for _, s := range o.Result.Source.Solids {
		r, ok := by[s.Key]
		if !ok || r.As != source.AsShape {
			continue
		}
		k := [2]string{r.Of, s.Kind}
		count[k]++
		n := count[k]
		if own := naming.RoleOf(called(s.Key)).Number; own >= 0 {
			n = own
		}
		list = append(list, target.Example{Name: called(s.Key), Mesh: called(r.Of), N: n, Kind: s.Kind})
	}
	return list
}
