package solve

// A memory hands out small pieces of large ones. A search makes very many small things that all live as long as it
// does, so that one allocation can serve hundreds of them.
type memory struct {
	terms   []term
	numbers []int32
	watch   []watcher
	words   []uint64
	edges   []edge
	blocks  int
}

// block returns how large the next large piece is to be: small ones first, as many searches are small.
func (m *memory) block(most int) int {
	m.blocks++
	return min(most, 16<<min(m.blocks, 16))
}

// termsFor returns an empty slice with room for n terms.
func (m *memory) termsFor(n int) []term {
	if len(m.terms) < n {
		m.terms = make([]term, max(m.block(1024), n))
	}
	r := m.terms[:0:n]
	m.terms = m.terms[n:]
	return r
}

// numbersFor returns an empty slice with room for n numbers.
func (m *memory) numbersFor(n int) []int32 {
	if len(m.numbers) < n {
		m.numbers = make([]int32, max(m.block(2048), n))
	}
	r := m.numbers[:0:n]
	m.numbers = m.numbers[n:]
	return r
}

// watchersFor returns an empty slice with room for n watchers.
func (m *memory) watchersFor(n int) []watcher {
	if len(m.watch) < n {
		m.watch = make([]watcher, max(m.block(1024), n))
	}
	r := m.watch[:0:n]
	m.watch = m.watch[n:]
	return r
}

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

// push appends to a slice that may become very long; it grows by doubling, so that little is copied.
func push[T any](s []T, x T) []T {
	if len(s) == cap(s) {
		s = append(make([]T, 0, max(32, 2*len(s))), s...)
	}
	return append(s, x)
}
