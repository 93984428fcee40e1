package solve

import "math/bits"

// A domain is a bit set over the releases of a package, and bit n for "none".
type domain []uint64

func newDomain(n int) domain { return make(domain, n/64+1) }

func (d domain) has(i int) bool { return d[i/64]&(1<<(i%64)) != 0 }
func (d domain) add(i int)      { d[i/64] |= 1 << (i % 64) }
func (d domain) remove(i int)   { d[i/64] &^= 1 << (i % 64) }

func within(a, b domain) bool {
	for i := range a {
		if a[i]&^b[i] != 0 {
			return false
		}
	}
	return true
}

// A bitset is a domain inside of a search, which has very many. Where it has one word, n below 64,
// it is that word. Otherwise it is the number of its first word among the rows of the search. Zero
// is the empty set either way. So neither variables nor clauses hold pointers, which the collector
// would have to follow. What a bitset holds does not change any more.
type bitset uint64

// A package with fewer releases than oneWord has bitsets of one word.
const oneWord = 64

// bit returns the set of one position of few.
func bit(i int) bitset { return 1 << i }

// rows hold the sets that are larger than a word. Every method takes the number of releases of the
// package that its sets are about.
type rows struct {
	words []uint64
	free  [][]bitset // rows that are no longer needed, by how many words they have
}

// row returns a new row, which is empty, for the caller to fill.
func (r *rows) row(n int32) (bitset, domain) {
	k := int(n)/64 + 1
	if k < len(r.free) && len(r.free[k]) > 0 {
		given := r.free[k]
		b := given[len(given)-1]
		r.free[k] = given[:len(given)-1]
		d := r.view(n, b)
		clear(d)
		return b, d
	}
	if len(r.words) == 0 {
		r.words = append(r.words, 0) // no row begins at zero
	}
	at := len(r.words)
	if at+k > cap(r.words) {
		r.words = append(make([]uint64, 0, max(64, 2*cap(r.words), at+k)), r.words...)
	}
	r.words = r.words[:at+k]
	d := domain(r.words[at : at+k])
	clear(d) // the search before this one may have used it
	return bitset(at), d
}

// give takes a row back that nobody holds any more.
func (r *rows) give(n int32, b bitset) {
	if n < oneWord || b == 0 {
		return
	}
	k := int(n)/64 + 1
	for len(r.free) <= k {
		r.free = append(r.free, nil)
	}
	r.free[k] = append(r.free[k], b)
}

// view returns the words of a row.
func (r *rows) view(n int32, b bitset) domain {
	return domain(r.words[b : int(b)+int(n)/64+1])
}

// of returns a set of given words, of which those that are left out are zero.
func (r *rows) of(n int32, words []uint64) bitset {
	if n < oneWord {
		if len(words) == 0 {
			return 0
		}
		return bitset(words[0])
	}
	b, d := r.row(n)
	copy(d, words)
	return b
}

// all returns the set of all positions, and that for "none".
func (r *rows) all(n int32) bitset {
	if n < oneWord {
		return bitset(^uint64(0) >> (63 - n))
	}
	b, d := r.row(n)
	for i := range d {
		d[i] = ^uint64(0)
	}
	d[len(d)-1] >>= 63 - n%64
	return b
}

// only returns the set of one position.
func (r *rows) only(n int32, i int) bitset {
	if n < oneWord {
		return bit(i)
	}
	b, d := r.row(n)
	d.add(i)
	return b
}

// with returns a set with one position more.
func (r *rows) with(n int32, a bitset, i int) bitset {
	if n < oneWord {
		return a | bit(i)
	}
	b, d := r.row(n)
	if a != 0 {
		copy(d, r.view(n, a))
	}
	d.add(i)
	return b
}

// without returns a set with one position less.
func (r *rows) without(n int32, a bitset, i int) bitset {
	if n < oneWord {
		return a &^ bit(i)
	}
	b, d := r.row(n)
	if a != 0 {
		copy(d, r.view(n, a))
	}
	d.remove(i)
	return b
}

func (r *rows) has(n int32, a bitset, i int) bool {
	if n < oneWord {
		return a&bit(i) != 0
	}
	return a != 0 && r.view(n, a).has(i)
}

func (r *rows) empty(n int32, a bitset) bool { return a == 0 || n >= oneWord && r.first(n, a) < 0 }

// single reports whether a set has one position.
func (r *rows) single(n int32, a bitset) bool {
	switch {
	case a == 0:
		return false
	case n < oneWord:
		return a&(a-1) == 0
	}
	count := 0
	for _, w := range r.view(n, a) {
		count += bits.OnesCount64(w)
	}
	return count == 1
}

// first returns the first position of a set, or -1.
func (r *rows) first(n int32, a bitset) int {
	switch {
	case a == 0:
		return -1
	case n < oneWord:
		return bits.TrailingZeros64(uint64(a))
	}
	for i, w := range r.view(n, a) {
		if w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

// last returns the last position of a set, or -1.
func (r *rows) last(n int32, a bitset) int {
	switch {
	case a == 0:
		return -1
	case n < oneWord:
		return 63 - bits.LeadingZeros64(uint64(a))
	}
	d := r.view(n, a)
	for i := len(d) - 1; i >= 0; i-- {
		if d[i] != 0 {
			return i*64 + 63 - bits.LeadingZeros64(d[i])
		}
	}
	return -1
}

// before returns the last position of a set that is before another, or -1.
func (r *rows) before(n int32, a bitset, i int) int {
	if n < oneWord {
		return r.last(n, a&(bit(i)-1))
	}
	d := r.view(n, a)
	for i--; i >= 0; i-- {
		if d.has(i) {
			return i
		}
	}
	return -1
}

func (r *rows) meets(n int32, a, b bitset) bool {
	if n < oneWord {
		return a&b != 0
	}
	return r.common(n, a, b) >= 0
}

// common returns a member of both sets, or -1.
func (r *rows) common(n int32, a, b bitset) int {
	if n < oneWord {
		return r.first(n, a&b)
	}
	if a == 0 || b == 0 {
		return -1
	}
	x, y := r.view(n, a), r.view(n, b)
	for i := range x {
		if w := x[i] & y[i]; w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

// lastCommon returns the last position that is in both sets, or -1.
func (r *rows) lastCommon(n int32, a, b bitset) int {
	if n < oneWord {
		return r.last(n, a&b)
	}
	if a == 0 || b == 0 {
		return -1
	}
	x, y := r.view(n, a), r.view(n, b)
	for i := len(x) - 1; i >= 0; i-- {
		if w := x[i] & y[i]; w != 0 {
			return i*64 + 63 - bits.LeadingZeros64(w)
		}
	}
	return -1
}

// within reports whether all of a set is in another.
func (r *rows) within(n int32, a, b bitset) bool {
	switch {
	case n < oneWord:
		return a&^b == 0
	case a == 0:
		return true
	case b == 0:
		return r.empty(n, a)
	}
	return within(r.view(n, a), r.view(n, b))
}

func (r *rows) and(n int32, a, b bitset) bitset {
	switch {
	case n < oneWord:
		return a & b
	case a == 0 || b == 0:
		return 0
	}
	c, d := r.row(n)
	x, y := r.view(n, a), r.view(n, b)
	for i := range d {
		d[i] = x[i] & y[i]
	}
	return c
}

func (r *rows) or(n int32, a, b bitset) bitset {
	switch {
	case n < oneWord:
		return a | b
	case a == 0:
		return b
	case b == 0:
		return a
	}
	c, d := r.row(n)
	x, y := r.view(n, a), r.view(n, b)
	for i := range d {
		d[i] = x[i] | y[i]
	}
	return c
}

// minus returns what is in a set and not among words.
func (r *rows) minus(n int32, a bitset, words []uint64) bitset {
	if n < oneWord {
		return a &^ r.of(n, words)
	}
	c, d := r.row(n)
	copy(d, r.view(n, a))
	for i, w := range words {
		d[i] &^= w
	}
	return c
}
