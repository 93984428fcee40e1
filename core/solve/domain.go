package solve

import "math/bits"

// A domain is a bit set over the releases of a package, and bit n for "none".
type domain []uint64

func newDomain(n int) domain { return make(domain, n/64+1) }

func (d domain) has(i int) bool { return d[i/64]&(1<<(i%64)) != 0 }
func (d domain) add(i int)      { d[i/64] |= 1 << (i % 64) }
func (d domain) remove(i int)   { d[i/64] &^= 1 << (i % 64) }

func (d domain) count() int {
	c := 0
	for _, w := range d {
		c += bits.OnesCount64(w)
	}
	return c
}

func (d domain) first() int {
	for i, w := range d {
		if w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

func (d domain) last() int {
	for i := len(d) - 1; i >= 0; i-- {
		if d[i] != 0 {
			return i*64 + 63 - bits.LeadingZeros64(d[i])
		}
	}
	return -1
}

func meets(a, b domain) bool {
	for i := range a {
		if a[i]&b[i] != 0 {
			return true
		}
	}
	return false
}

// common returns a member of both, or -1.
func common(a, b domain) int {
	for i := range a {
		if w := a[i] & b[i]; w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

func within(a, b domain) bool {
	for i := range a {
		if a[i]&^b[i] != 0 {
			return false
		}
	}
	return true
}

func and(a, b domain) domain {
	r := make(domain, len(a))
	for i := range a {
		r[i] = a[i] & b[i]
	}
	return r
}

func or(a, b domain) domain {
	r := make(domain, len(a))
	for i := range a {
		r[i] = a[i] | b[i]
	}
	return r
}

func (d domain) empty() bool { return d.first() < 0 }
