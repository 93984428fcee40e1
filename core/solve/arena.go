package solve

import (
	"math/bits"
	"sync"
)

// A search makes very many small things that all live as long as it does. They are kept in long
// arrays and named by their numbers there: numbers are half of a pointer, and the collector need
// not follow them.

// pages hold things that may be pointed at while there come more of them: what is there is never
// moved. Each page is twice as long as the one before.
type pages[T any] struct {
	all [][]T
	n   int32
}

// firstPage is the length of the first page, as a power of two.
const firstPage = 4

// at returns the thing with a number.
func (p *pages[T]) at(i int32) *T {
	page := bits.Len32(uint32(i)>>firstPage+1) - 1
	return &p.all[page][i-(1<<page-1)<<firstPage]
}

// add makes another thing, which is zero, and returns it with its number.
func (p *pages[T]) add() (*T, int32) {
	i := p.n
	p.n++
	if page := bits.Len32(uint32(i)>>firstPage+1) - 1; page == len(p.all) {
		p.all = append(p.all, make([]T, 1<<(page+firstPage)))
	}
	var zero T
	x := p.at(i)
	*x = zero
	return x, i
}

// arrays are the long arrays of a search.
type arrays struct {
	loaded      pages[pkg] // the packages by number
	byName      nameTable  // and by name
	byNumber    []int32    // by the number that demands on them have, if any: theirs from 1, 0 where it is not known
	sets        rows
	constraints []constraint // on all packages
	uses        []use        // of all packages
	vars        []variable
	clauses     []clause
	terms       []term    // of all clauses
	watchers    []watcher // of all variables
	trail       []event
	levels      []int32 // where in the trail each decision level begins
	edges       pages[edge]
	targets     []target // of all edges
	contexts    pages[instance]
	top         []int32  // the application's edges
	topNames    []string // and their names

	waits     waits
	toOpen    queue[int32] // instances
	toExpand  queue[int32] // variables
	conflicts []int32      // clauses that were false when they were added
	loose     []int32      // clauses that were enforced above the level at which they already could have been
	causes    []origin
	reasons   []reason
	numbers   []int32 // that reasons are made of

	// Memory for hints, for lists of variables, and for what is learned.
	names   []string
	pending []pending
	parents []int32
	learned []term
	listed  []int32 // variables of a package
	widened []int32 // clauses that were widened since the last one was learned
}

// empty empties the arrays but for what survives a reset.
func (a *arrays) empty() {
	a.uses, a.vars, a.clauses, a.terms, a.watchers = a.uses[:0], a.vars[:0], a.clauses[:0], a.terms[:0], a.watchers[:0]
	a.trail, a.levels, a.targets, a.top, a.topNames = a.trail[:0], a.levels[:0], a.targets[:0], a.top[:0], a.topNames[:0]
	a.edges.n, a.contexts.n = 0, 0
	a.waits.clear()
	a.toOpen.clear()
	a.toExpand.clear()
	a.conflicts, a.loose, a.causes, a.reasons, a.numbers = a.conflicts[:0], a.loose[:0], a.causes[:0], a.reasons[:0],
		a.numbers[:0]
	a.widened = a.widened[:0]
}

// spare holds the arrays of searches that have ended, for those that begin: many searches are small
// and follow one another. Nothing depends on which arrays a search gets, or on what was in them.
var spare = sync.Pool{New: func() any { return &arrays{} }}

// end gives the arrays of a search to others. Nothing of it may be looked at any more.
func (s *solver) end() {
	for i := range s.loaded.n {
		*s.loaded.at(i) = pkg{} // what it points to may go
	}
	s.loaded.n = 0
	s.byName.clear()
	s.byNumber = s.byNumber[:0]
	clear(s.constraints)
	s.constraints = s.constraints[:0]
	clear(s.topNames)
	clear(s.names[:cap(s.names)])
	s.sets.words = s.sets.words[:0]
	for k := range s.sets.free {
		s.sets.free[k] = s.sets.free[k][:0]
	}
	s.arrays.empty()
	given := s.arrays
	s.arrays = arrays{}
	spare.Put(&given)
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

// push appends to a slice that may become very long; it grows by doubling, so that little is
// copied. Where there is room, nothing but the length is written: the collector need not be told.
func push[T any](s *[]T, x T) {
	n := len(*s)
	if n == cap(*s) {
		*s = append(make([]T, 0, max(32, 2*n)), *s...)
	}
	*s = (*s)[:n+1]
	(*s)[n] = x
}

// lengthen adds n things to a slice that may become very long.
func lengthen[T any](s *[]T, n int) {
	if len(*s)+n > cap(*s) {
		*s = append(make([]T, 0, max(32, 2*len(*s), len(*s)+n)), *s...)
	}
	*s = (*s)[:len(*s)+n]
}
