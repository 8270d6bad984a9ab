// Package queue is a queue that gives its least first: a binary heap (Williams 1964, "Algorithm 232: Heapsort").
// Putting in and taking out cost the logarithm of what is in it. Which of equals comes first is not said: an order
// that decides something has to tell all apart.
package queue

// Least holds values of which the least comes out first. It is made by [New], and for one goroutine.
type Least[T any] struct {
	less func(a, b T) bool
	list []T // each no less than the one at half its number
}

// New makes a queue by an order.
func New[T any](less func(a, b T) bool) *Least[T] { return &Least[T]{less: less} }

// By makes a queue by an order that compares as cmp.Compare does.
func By[T any](compare func(a, b T) int) *Least[T] {
	return New(func(a, b T) bool { return compare(a, b) < 0 })
}

// Len is how many are in it.
func (q *Least[T]) Len() int { return len(q.list) }

// All are those in it, the least first and the others in no order. The list is the queue's own.
func (q *Least[T]) All() []T { return q.list }

// Put puts one in.
func (q *Least[T]) Put(x T) {
	q.list = append(q.list, x)
	for i := len(q.list) - 1; i > 0; {
		up := (i - 1) / 2
		if !q.less(q.list[i], q.list[up]) {
			return
		}
		q.list[i], q.list[up] = q.list[up], q.list[i]
		i = up
	}
}

// Take takes the least out; there must be one.
func (q *Least[T]) Take() T {
	x, last := q.list[0], len(q.list)-1
	q.list[0] = q.list[last]
	q.list = q.list[:last]
	q.Sink()
	return x
}

// Sink puts what was the least where it belongs, after it became another.
func (q *Least[T]) Sink() {
	for i := 0; ; {
		down := 2*i + 1
		if down >= len(q.list) {
			return
		}
		if down+1 < len(q.list) && q.less(q.list[down+1], q.list[down]) {
			down++
		}
		if !q.less(q.list[down], q.list[i]) {
			return
		}
		q.list[i], q.list[down] = q.list[down], q.list[i]
		i = down
	}
}
