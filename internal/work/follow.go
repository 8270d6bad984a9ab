package work

import (
	"context"
	"fmt"

	"yarvek/core/prep"
	"yarvek/core/station/source"
	"yarvek/internal/store"
)

// follow keeps what later stations decided for single nodes with those nodes when a
// decision at Source gives them other names. It only helps where the same nodes go on
// as before, in the same order; what splits, merges or leaves them is said at the
// stations as lost.
func (d *Desk) follow(ctx context.Context, st store.State, was, now prep.Prep) (prep.Prep, error) {
	if string(prep.Prep{Source: was.Source}.JSON()) == string(prep.Prep{Source: now.Source}.JSON()) || !refers(was) {
		return now, nil
	}
	before, err := d.run(ctx, st, was, "")
	if err != nil {
		return now, err
	}
	then, err := d.run(ctx, st, now, "")
	if err != nil {
		return now, err
	}
	for i, stop := range before.Result.Stops() {
		if stop.ID == source.Info.ID {
			continue // it names the nodes of the file
		}
		if now, err = renamed(now, was, stop, then.Result.Stops()[i]); err != nil {
			return now, err
		}
	}
	return now, nil
}

// refers tells whether a station after Source decided anything for single nodes.
func refers(p prep.Prep) bool {
	for _, in := range prep.Stations() {
		if d, err := p.Of(in.ID); err == nil && in.ID != source.Info.ID && len(d.Refs()) > 0 {
			return true
		}
	}
	return false
}

// renamed points a station's decisions at the names its nodes have now.
func renamed(now, was prep.Prep, before, then prep.Stop) (prep.Prep, error) {
	d, err := was.Of(before.ID)
	if err != nil {
		return now, err
	}
	refs := d.Refs()
	if len(refs) == 0 {
		return now, nil
	}
	old, next := before.Before.Keys(), then.Before.Keys()
	if len(old) != len(next) {
		return now, nil
	}
	// By names of no node first, so that two nodes may change names with each other.
	to, places := map[string]string{}, make(map[string]int, len(old))
	for i, k := range old {
		places[k] = i
	}
	for i, k := range refs {
		if at, ok := places[k]; ok && next[at] != k {
			free := fmt.Sprintf("\x00%d", i)
			if now, err = now.Repointed(prep.Ref{Station: before.ID, Key: k}, free); err != nil {
				return now, err
			}
			to[free] = next[at]
		}
	}
	for i := range refs {
		free := fmt.Sprintf("\x00%d", i)
		if k, ok := to[free]; ok {
			if now, err = now.Repointed(prep.Ref{Station: before.ID, Key: free}, k); err != nil {
				return now, err
			}
		}
	}
	return now, nil
}
