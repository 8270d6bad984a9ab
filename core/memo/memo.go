// Package memo keeps what was computed, up to a limit in bytes.
package memo

import (
	"container/list"
	"context"
	"sync"

	"yarvek/core/split"
)

// Memo keeps values by key, the least recently used going first when their weights
// exceed the limit. Equal keys must mean equal values, and values are shared: nobody
// writes to one. It is safe for use by several goroutines; a nil Memo keeps nothing.
//
// Asked for a key that is being computed, Get waits for that computation instead of
// beginning another. The lock is never held while a value is computed or weighed.
type Memo[V any] struct {
	limit int64
	weigh func(V) int64

	mu     sync.Mutex
	size   int64
	order  *list.List // of *entry[V], the most recent in front
	byKey  map[string]*list.Element
	flight map[string]*flight[V]
}

// entry is a kept value with its weight, in the list of use.
type entry[V any] struct {
	key    string
	value  V
	weight int64
}

// flight is a computation under way.
type flight[V any] struct {
	done    chan struct{} // closed when value and err are set
	value   V
	err     error
	waiting int // guarded by the memo's lock; the last to leave ends the computation
	cancel  context.CancelFunc
}

// New makes a memo of about limit bytes. weigh estimates the bytes a value holds on
// to; what several values share counts with each, so that the limit is on the safe side.
func New[V any](limit int64, weigh func(V) int64) *Memo[V] {
	return &Memo[V]{limit: limit, weigh: weigh, order: list.New(), byKey: map[string]*list.Element{},
		flight: map[string]*flight[V]{}}
}

// Peek gives a kept value without computing one.
func (m *Memo[V]) Peek(key string) (V, bool) {
	var none V
	if m == nil {
		return none, false
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.kept(key)
}

// kept finds a value and marks it used. The lock is held.
func (m *Memo[V]) kept(key string) (V, bool) {
	e, ok := m.byKey[key]
	if !ok {
		var none V
		return none, false
	}
	m.order.MoveToFront(e)
	return e.Value.(*entry[V]).value, true
}

// Get gives the value of key, computed by fill when it is not kept. An error is given
// to everybody who waits, and nothing is kept then. A panic in fill comes as an error
// that is a *split.Panic.
//
// fill runs in a goroutine of its own. The context it gets carries the values of the
// first asker's, and ends when everybody who waits has left: then Get has returned
// their own context's error already, and what fill still gives is dropped.
func (m *Memo[V]) Get(ctx context.Context, key string, fill func(context.Context) (V, error)) (V, error) {
	var none V
	if err := ctx.Err(); err != nil {
		return none, err
	}
	if m == nil {
		return guarded(ctx, fill)
	}
	m.mu.Lock()
	if v, ok := m.kept(key); ok {
		m.mu.Unlock()
		return v, nil
	}
	f, ok := m.flight[key]
	if !ok {
		var inner context.Context
		f = &flight[V]{done: make(chan struct{})}
		inner, f.cancel = context.WithCancel(context.WithoutCancel(ctx))
		m.flight[key] = f
		go m.compute(inner, key, f, fill)
	}
	f.waiting++
	m.mu.Unlock()
	select {
	case <-f.done:
		return f.value, f.err
	case <-ctx.Done():
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if f.waiting--; f.waiting == 0 {
		f.cancel()
		if m.flight[key] == f {
			delete(m.flight, key) // the next asker begins anew
		}
	}
	return none, ctx.Err()
}

// compute fills one flight and ends it, whatever happens; ctx ends when the last waiter
// has left.
func (m *Memo[V]) compute(ctx context.Context, key string, f *flight[V], fill func(context.Context) (V, error)) {
	defer f.cancel()
	f.value, f.err = guarded(ctx, fill)
	if f.err == nil {
		f.err = ctx.Err() // everybody left: it may be half of a value
	}
	weight := int64(0)
	if f.err == nil {
		weight = m.weigh(f.value)
	}
	m.mu.Lock()
	if m.flight[key] == f {
		delete(m.flight, key)
		if f.err == nil {
			m.keep(key, f.value, weight)
		}
	}
	m.mu.Unlock()
	close(f.done)
}

// guarded calls fill and makes an error of a panic, with its stack.
func guarded[V any](ctx context.Context, fill func(context.Context) (V, error)) (v V, err error) {
	defer func() {
		if p := split.Recovered(recover()); p != nil {
			err = p
		}
	}()
	return fill(ctx)
}

// Put keeps a value that was computed elsewhere, in the place of what is kept under its key.
func (m *Memo[V]) Put(key string, v V) {
	if m == nil {
		return
	}
	weight := m.weigh(v)
	m.mu.Lock()
	defer m.mu.Unlock()
	if e, ok := m.byKey[key]; ok {
		m.drop(e)
	}
	if f := m.flight[key]; f != nil {
		delete(m.flight, key) // what it is at is older: those who wait get it, and nobody else
	}
	m.keep(key, v, weight)
}

// drop takes a kept value out. The lock is held.
func (m *Memo[V]) drop(e *list.Element) {
	old := m.order.Remove(e).(*entry[V])
	delete(m.byKey, old.key)
	m.size -= old.weight
}

// keep puts a value in front and drops those used longest ago until the weight fits. One
// that alone is heavier than the limit is not kept. The lock is held.
func (m *Memo[V]) keep(key string, v V, weight int64) {
	if _, ok := m.byKey[key]; ok || weight > m.limit {
		return
	}
	m.byKey[key] = m.order.PushFront(&entry[V]{key, v, weight})
	m.size += weight
	for m.size > m.limit {
		m.drop(m.order.Back())
	}
}

// Size is the weight of what is kept, and how many values that is.
func (m *Memo[V]) Size() (bytes int64, values int) {
	if m == nil {
		return 0, 0
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.size, m.order.Len()
}

// Once is one value, computed when it is first asked for and then kept. What few pages
// show need not be paid for by all. It is safe for use by several goroutines, which
// share one computation; an error is given to those who waited, and asked again, it
// computes again.
type Once[V any] struct {
	kept *Memo[V]
	fill func(context.Context) (V, error)
}

// NewOnce makes one of what computes it; see [Memo.Get] for the context fill gets.
func NewOnce[V any](fill func(context.Context) (V, error)) *Once[V] {
	return &Once[V]{New(1, func(V) int64 { return 1 }), fill}
}

// Get computes the value or gives the kept one.
func (o *Once[V]) Get(ctx context.Context) (V, error) { return o.kept.Get(ctx, "", o.fill) }
