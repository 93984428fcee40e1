package solve

import "math/bits"

// A search makes very many small things that all live as long as it does. They are kept in long arrays and named by their numbers
// there: numbers are half of a pointer, and the collector need not follow them.

// Pages hold things that may be pointed at while there come more of them: what is there is never moved. Each page is twice as long as the
// one before.
type pages[T any] struct {
	all [][]T
	n   int32
}

// firstPage is the length of the first page, as a power of two.
const firstPage = 4

// at returns the thing of a number.
func (p *pages[T]) at(i int32) *T {
	page := bits.Len32(uint32(i)>>firstPage+1) - 1
	return &p.all[page][i-(1<<page-1)<<firstPage]
}

// add makes another thing, and returns it with its number.
func (p *pages[T]) add() (*T, int32) {
	i := p.n
	p.n++
	if page := bits.Len32(uint32(i)>>firstPage+1) - 1; page == len(p.all) {
		p.all = append(p.all, make([]T, 1<<(page+firstPage)))
	}
	return p.at(i), i
}

// A memory hands out small pieces of large ones, so that one allocation can serve hundreds of them.
type memory struct {
	numbers []int32
	leading []*edge
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

func (m *memory) numbersFor(n int) []int32 { return room(m, &m.numbers, n, 2048) }

// edgesFor returns a list with room for n edges.
func (m *memory) edgesFor(n int) []*edge { return room(m, &m.leading, n, 512) }

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

// lengthen adds n things to a slice that may become very long.
func lengthen[T any](s []T, n int) []T {
	if len(s)+n > cap(s) {
		s = append(make([]T, 0, max(32, 2*len(s), len(s)+n)), s...)
	}
	return s[:len(s)+n]
}
