package prep

import (
	"container/list"
	"sync"

	"yarvek/core/scene"
)

// Cache keeps the outcomes of stations, the least recently used going first. It
// is safe for use by several goroutines; a nil Cache keeps nothing.
type Cache struct {
	mu    sync.Mutex
	limit int64
	size  int64
	order *list.List // of *entry, the most recent in front
	byKey map[string]*list.Element
}

type entry struct {
	key  string
	out  outcome
	cost int64
}

// NewCache makes a cache of about limit bytes of mesh data.
func NewCache(limit int64) *Cache {
	return &Cache{limit: limit, order: list.New(), byKey: map[string]*list.Element{}}
}

func (c *Cache) get(key string) (outcome, bool) {
	if c == nil {
		return outcome{}, false
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.byKey[key]
	if !ok {
		return outcome{}, false
	}
	c.order.MoveToFront(e)
	return e.Value.(*entry).out, true
}

func (c *Cache) put(key string, o outcome) {
	if c == nil {
		return
	}
	cost := Weigh(o.scene)
	c.mu.Lock()
	defer c.mu.Unlock()
	if _, ok := c.byKey[key]; ok {
		return
	}
	c.byKey[key] = c.order.PushFront(&entry{key, o, cost})
	c.size += cost
	for c.size > c.limit && c.order.Len() > 1 {
		last := c.order.Back()
		e := c.order.Remove(last).(*entry)
		delete(c.byKey, e.key)
		c.size -= e.cost
	}
}

// Weigh estimates the bytes a scene's meshes take. Arrays shared between stations
// count each time, so the estimate is on the safe side.
func Weigh(s *scene.Scene) int64 {
	n := int64(4096)
	if s == nil {
		return n
	}
	for _, m := range s.Meshes {
		n += int64(24*len(m.Points) + 4*len(m.Corners) + 4*len(m.FaceStart) + 4*len(m.Slot))
		n += int64(12*len(m.Normals.Values) + 16*len(m.Tangents.Values) + 16*len(m.Colors.Values))
		for _, u := range m.UVs {
			n += int64(16 * len(u.Values))
		}
	}
	return n
}
