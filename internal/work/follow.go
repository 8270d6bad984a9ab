package work

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/prep"
	"yarvek/core/scene"
)

// follow keeps what Size and Pivot decided for single nodes with those nodes when a
// decision at Source gives them other names. It only helps where the same nodes go
// on as before, in the same order; what splits, merges or leaves them is said at the
// stations as lost.
func (d *Desk) follow(ctx context.Context, id int64, was, now prep.Prep) (prep.Prep, error) {
	if len(was.Size.Refs())+len(was.Pivot.Refs()) == 0 || string(prep.Prep{Source: was.Source}.JSON()) == string(prep.Prep{Source: now.Source}.JSON()) {
		return now, nil
	}
	sh, err := d.Open(ctx, id)
	if err != nil {
		return now, err
	}
	before, err := d.after(ctx, sh, was)
	if err != nil {
		return now, err
	}
	then, err := d.after(ctx, sh, now)
	if err != nil {
		return now, err
	}
	move := func(station string, refs []string, a, b *scene.Scene) {
		old, next := a.Keys(), b.Keys()
		if len(old) != len(next) {
			return
		}
		// By names of no node first, so that two nodes may change names with each other.
		to := map[string]string{}
		for i, k := range refs {
			if at := slices.Index(old, k); at >= 0 && next[at] != k {
				free := fmt.Sprintf("\x00%d", i)
				now = now.Repointed(prep.Ref{Station: station, Key: k}, free)
				to[free] = next[at]
			}
		}
		for i := range refs {
			free := fmt.Sprintf("\x00%d", i)
			if k, ok := to[free]; ok {
				now = now.Repointed(prep.Ref{Station: station, Key: free}, k)
			}
		}
	}
	move("size", was.Size.Refs(), before.Result.Kept, then.Result.Kept)
	move("pivot", was.Pivot.Refs(), before.Result.Stood, then.Result.Stood)
	return now, nil
}
