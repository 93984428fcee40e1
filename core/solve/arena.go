package solve

// A memory hands out small pieces of large ones. A search makes very many small things that all live as long as it
// does, so that one allocation can serve hundreds of them.
type memory struct {
	terms   []term
	numbers []int32
	watch   []watcher
	words   []uint64
	edges   []edge
	leading []*edge
	insts   []instance
	blocks  int
}

// block returns how large the next large piece is to be: small ones first, as many searches are small.
func (m *memory) block(most int) int {
	m.blocks++
	return min(most, 16<<min(m.blocks, 16))
}

// room returns an empty slice with room for n things out of a piece, which is renewed by pieces of up to most.
func room[T any](m *memory, piece *[]T, n, most int) []T {
	if len(*piece) < n {
		*piece = make([]T, max(m.block(most), n))
	}
	r := (*piece)[:0:n]
	*piece = (*piece)[n:]
	return r
}

func (m *memory) termsFor(n int) []term       { return room(m, &m.terms, n, 1024) }
func (m *memory) numbersFor(n int) []int32    { return room(m, &m.numbers, n, 2048) }
func (m *memory) watchersFor(n int) []watcher { return room(m, &m.watch, n, 1024) }

// domainFor returns an empty domain over n releases.
func (m *memory) domainFor(n int) domain {
	k := n/64 + 1
	if len(m.words) < k {
		m.words = make([]uint64, max(m.block(1024), k))
	}
	r := domain(m.words[:k:k])
	m.words = m.words[k:]
	return r
}

// edge returns a new edge.
func (m *memory) edge() *edge {
	if len(m.edges) == 0 {
		m.edges = make([]edge, m.block(128))
	}
	e := &m.edges[0]
	m.edges = m.edges[1:]
	return e
}

// edgesFor returns a list with room for n edges.
func (m *memory) edgesFor(n int) []*edge { return room(m, &m.leading, n, 512) }

// instance returns a new instance.
func (m *memory) instance() *instance {
	if len(m.insts) == 0 {
		m.insts = make([]instance, m.block(64))
	}
	i := &m.insts[0]
	m.insts = m.insts[1:]
	return i
}

// A queue hands out things in the order in which they came. Its memory is used again when it is empty.
type queue[T any] struct {
	items []T
	head  int
}

func (q *queue[T]) add(x T) { q.items = append(q.items, x) }

// next returns the next thing; false when there is none.
func (q *queue[T]) next() (x T, ok bool) {
	if q.head == len(q.items) {
		q.items, q.head = q.items[:0], 0
		return x, false
	}
	x = q.items[q.head]
	q.head++
	return x, true
}

func (q *queue[T]) clear() {
	clear(q.items)
	q.items, q.head = q.items[:0], 0
}

// push appends to a slice that may become very long; it grows by doubling, so that little is copied.
func push[T any](s []T, x T) []T {
	if len(s) == cap(s) {
		s = append(make([]T, 0, max(32, 2*len(s))), s...)
	}
	return append(s, x)
}
