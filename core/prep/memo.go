package prep

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"sync/atomic"

	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Kept is what one stop left, as a [Memo] keeps it.
type Kept struct {
	scene  *scene.Scene
	report any
}

// Memo keeps the outcomes of stops by everything they depend on.
type Memo = memo.Memo[Kept]

// NewMemo makes one of about limit bytes.
func NewMemo(limit int64) *Memo {
	return memo.New(limit, func(k Kept) int64 { return 4096 + k.scene.Bytes() })
}

// step makes the scene and the account of a station, or takes them from the memo, with the key of both. That key
// is made of the key before it and of the very value that run is given: what run reads besides is what the key
// before it names, or was made of that.
func step[A, R any](w *walk, after, id string, asked A, run func(context.Context, A) (*scene.Scene, R)) (*scene.Scene,
	R, string) {
	key, err := named(after, id, asked)
	w.must(err)
	ran := false
	k, err := w.memo.Get(w.ctx, key, func(ctx context.Context) (Kept, error) {
		ran = true
		s, rep := run(ctx, asked)
		return Kept{s, rep}, ctx.Err()
	})
	w.must(err)
	w.hit(!ran)
	return k.scene, k.report.(R), key
}

// aside is a step that finds something in a scene and leaves it as it is.
func aside[A, R any](w *walk, after, id string, asked A, run func(context.Context, A) R) (R, string) {
	_, r, key := step(w, after, id, asked, func(ctx context.Context, a A) (*scene.Scene, R) { return nil, run(ctx, a) })
	return r, key
}

// hit counts what came from the memo.
func (w *walk) hit(is bool) {
	if is {
		w.result.Hits++
	}
}

// none is what a step is given that needs nothing.
type none struct{}

// asking is what a station is given: the decisions, and what else it depends on.
type asking[D, A any] struct {
	D   D
	Ask A
}

// each runs something for each of some meshes of the scene that is looked at, given by their
// numbers. What is found in a mesh that came in belongs to it whatever others are there. It tells
// whether all of it was kept, and writes nothing to w: several may run side by side.
func each[A, R any](w *walk, look lineage, id string, meshes []int, asked func(i int) A,
	run func(context.Context, *scene.Mesh, A) R) (out []R,
	kept bool, err error) {
	if len(meshes) > manyMeshes {
		return eachOfMany(w, look, id, meshes, asked, run)
	}
	out = make([]R, len(meshes))
	came := w.result.Came.Scene.Meshes
	at := make(map[*scene.Mesh]int, len(came))
	for i, m := range came {
		at[m] = i
	}
	var ran atomic.Bool
	errs := make([]error, len(meshes))
	err = split.Each(w.ctx, len(meshes), func(i int) {
		m := look.of.Meshes[meshes[i]]
		key := fmt.Sprintf("%s mesh %d", look.key, meshes[i])
		if k, ok := at[m]; ok {
			key = fmt.Sprintf("%s mesh %d", w.came, k)
		}
		a := asked(i)
		key, err := named(key, id, a)
		if errs[i] = err; err != nil {
			return
		}
		k, err := w.memo.Get(w.ctx, key, func(ctx context.Context) (Kept, error) {
			ran.Store(true)
			r := run(ctx, m, a)
			return Kept{nil, r}, ctx.Err()
		})
		if errs[i] = err; err == nil {
			out[i] = k.report.(R)
		}
	})
	return out, !ran.Load(), cmp.Or(err, errors.Join(errs...))
}

// manyMeshes is from how many meshes on what is found in each is kept as one: a key and a place of its own for each of
// tens of thousands would take longer than looking at them, and more memory than what is found.
const manyMeshes = 4096

// eachOfMany is each for many meshes.
func eachOfMany[A, R any](w *walk, look lineage, id string, meshes []int, asked func(i int) A,
	run func(context.Context, *scene.Mesh, A) R) (out []R, kept bool, err error) {
	all := make([]A, len(meshes))
	for i := range all {
		all[i] = asked(i)
	}
	key, err := named(look.key, id+" of all", all)
	if err != nil {
		return nil, false, err
	}
	ran := false
	k, err := w.memo.Get(w.ctx, key, func(ctx context.Context) (Kept, error) {
		ran = true
		found := make([]R, len(meshes))
		err := split.Each(ctx, len(meshes), func(i int) { found[i] = run(ctx, look.of.Meshes[meshes[i]], all[i]) })
		return Kept{nil, found}, err
	})
	if err != nil {
		return nil, false, err
	}
	return k.report.([]R), !ran, nil
}

// shelved bounds what is kept of one climb beyond the memo, in bytes.
const shelved = 256 << 20

// named is a key of what depends on another key and on what is asked.
func named(key, id string, asked any) (string, error) {
	d, err := json.Marshal(asked)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%s", key, id, d))
	return fmt.Sprintf("%x", sum[:16]), nil
}

// made gives a value by its key: from the memo, from the shelf, or made by fill, which may be asked
// for only when it is not large: otherwise it is nil, and still to be made. weigh is what of it weighs.
func made[R any](w *walk, key string, large bool, weigh func(*R) *scene.Scene,
	fill func(context.Context) (*R, error)) *R {
	if k, ok := w.memo.Peek(key); ok {
		w.hit(true)
		return k.report.(*R)
	}
	if w.in.Shelf != nil {
		if b, ok := w.in.Shelf.Load(key); ok {
			v := new(R)
			if gob.NewDecoder(bytes.NewReader(b)).Decode(v) == nil {
				w.memo.Put(key, Kept{weigh(v), v})
				return v
			}
		}
	}
	if large && !w.in.Make {
		return nil // those who make it are not waited for
	}
	k, ran, err := filled(w, w.ctx, key, weigh, fill)
	w.must(err)
	w.hit(!ran)
	return k
}

// atOnce is how many values that take much memory are made at once.
const atOnce = 2

// ahead makes values that made will be asked for by their keys, several at once; what goes wrong made will
// meet again. A key is "" for one that is not to be made. much tells which take much memory meanwhile.
func ahead[R any](w *walk, keys []string, much func(i int) bool, weigh func(*R) *scene.Scene,
	fill func(context.Context, int) (*R, error)) {
	if !w.in.Make {
		return
	}
	one := func(i int) {
		k := keys[i]
		if k == "" {
			return
		}
		if _, ok := w.memo.Peek(k); ok {
			return
		}
		if w.in.Shelf != nil {
			if _, ok := w.in.Shelf.Load(k); ok {
				return
			}
		}
		_, _, _ = filled(w, w.ctx, k, weigh, func(ctx context.Context) (*R, error) { return fill(ctx, i) })
	}
	var light, heavy []int
	for i := range keys {
		if much(i) {
			heavy = append(heavy, i)
		} else {
			light = append(light, i)
		}
	}
	w.must(split.Each(w.ctx, len(light), func(i int) { one(light[i]) }))
	w.must(split.Few(w.ctx, len(heavy), atOnce, func(i int) { one(heavy[i]) }))
}

// filled makes a value and keeps it; ran tells that it was not there, nor being made. It may be called from
// several goroutines.
func filled[R any](w *walk, ctx context.Context, key string, weigh func(*R) *scene.Scene,
	fill func(context.Context) (*R, error)) (v *R, ran bool, err error) {
	var began atomic.Bool // by the memo's goroutine, which may outlast this call
	k, err := w.memo.Get(ctx, key, func(ctx context.Context) (Kept, error) {
		began.Store(true)
		v, err := fill(ctx)
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return Kept{}, err
		}
		if s := weigh(v); w.in.Shelf != nil && s.Bytes() <= shelved {
			var b bytes.Buffer
			if err := gob.NewEncoder(&b).Encode(v); err != nil {
				return Kept{}, err
			}
			w.in.Shelf.Save(key, b.Bytes())
		}
		return Kept{weigh(v), v}, nil
	})
	if err != nil {
		return nil, began.Load(), err
	}
	return k.report.(*R), began.Load(), nil
}

// say tells how far it is, to those who want to know.
func (w *walk) say(step string, f float64) {
	if w.in.Progress != nil {
		w.in.Progress(step, f)
	}
}
