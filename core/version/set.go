package version

import (
	"fmt"
	"iter"
	"math/bits"
	"slices"
	"strings"
)

// A List is the published releases of one package: ascending, and without two entries of equal text.
type List []Version

// Sort orders versions ascending and drops entries whose text stands there already. Versions of equal precedence are
// ordered by their text, so that the result does not depend on the order of the input.
func Sort(versions []Version) List {
	slices.SortFunc(versions, func(a, b Version) int {
		if c := a.Compare(b); c != 0 {
			return c
		}
		return strings.Compare(a.String(), b.String())
	})
	return slices.CompactFunc(versions, func(a, b Version) bool { return a.String() == b.String() })
}

// Index returns the position of the version written as text, or -1.
func (l List) Index(text string) int {
	return slices.IndexFunc(l, func(v Version) bool { return v.String() == text })
}

// Describe prints a set over the list for people, as runs of neighbouring releases: "1.2.0 … 1.4.1, 2.0.0".
// Prereleases that stand between two admitted releases do not break a run.
func (l List) Describe(s Set) string { return strings.Join(l.runs(s), ", ") }

// Brief is Describe with a limit: beyond so many runs it says how many more releases there are.
func (l List) Brief(s Set, most int) string {
	runs := l.runs(s)
	if len(runs) <= most {
		return strings.Join(runs, ", ")
	}
	return fmt.Sprintf("%s and others, %d releases in all", strings.Join(runs[:most], ", "), s.Count())
}

// runs lists the runs of neighbouring releases; "none" for an empty set.
func (l List) runs(s Set) []string {
	var runs []string
	first, last := -1, -1
	flush := func() {
		switch {
		case first < 0:
		case first == last:
			runs = append(runs, l[first].String())
		default:
			runs = append(runs, l[first].String()+" … "+l[last].String())
		}
		first, last = -1, -1
	}
	for i, v := range l {
		switch {
		case s.Has(i):
			if first < 0 {
				first = i
			}
			last = i
		case !v.Prerelease():
			flush()
		}
	}
	flush()
	if runs == nil {
		return []string{"none"}
	}
	return runs
}

// A Set is a set of positions in one List, a bit a release. The zero Set is the empty set over an empty list. Sets
// over lists of different length must not be combined. Operations other than Add return new sets.
type Set struct {
	n     int
	words []uint64
}

// NewSet returns the empty set over a list of n releases.
func NewSet(n int) Set { return Set{n, make([]uint64, (n+63)/64)} }

// FullSet returns the set of all n releases.
func FullSet(n int) Set { return NewSet(n).Not() }

// Size returns the length of the list that the set is over.
func (s Set) Size() int { return s.n }

// Words returns the bits, least significant first. The caller must not change them.
func (s Set) Words() []uint64 { return s.words }

// Add puts position i into the set.
func (s Set) Add(i int) { s.words[i/64] |= 1 << (i % 64) }

// Has reports whether position i is in the set.
func (s Set) Has(i int) bool { return i >= 0 && i < s.n && s.words[i/64]&(1<<(i%64)) != 0 }

// Count returns the number of members.
func (s Set) Count() int {
	c := 0
	for _, w := range s.words {
		c += bits.OnesCount64(w)
	}
	return c
}

// Empty reports whether the set has no member.
func (s Set) Empty() bool {
	return !slices.ContainsFunc(s.words, func(w uint64) bool { return w != 0 })
}

// Equal reports whether both sets have the same members.
func (s Set) Equal(t Set) bool { return s.n == t.n && slices.Equal(s.words, t.words) }

// And returns the intersection.
func (s Set) And(t Set) Set { return s.with(t, func(a, b uint64) uint64 { return a & b }) }

// Meets reports whether two sets have a member in common.
func (s Set) Meets(t Set) bool {
	for i := range s.words {
		if s.words[i]&t.words[i] != 0 {
			return true
		}
	}
	return false
}

// Or returns the union.
func (s Set) Or(t Set) Set { return s.with(t, func(a, b uint64) uint64 { return a | b }) }

// Minus returns the members of s that are not in t.
func (s Set) Minus(t Set) Set { return s.with(t, func(a, b uint64) uint64 { return a &^ b }) }

// Not returns the complement.
func (s Set) Not() Set {
	r := NewSet(s.n)
	for i := range r.words {
		r.words[i] = ^s.words[i]
	}
	if s.n%64 != 0 {
		r.words[len(r.words)-1] &= 1<<(s.n%64) - 1
	}
	return r
}

func (s Set) with(t Set, op func(a, b uint64) uint64) Set {
	r := NewSet(s.n)
	for i := range r.words {
		r.words[i] = op(s.words[i], t.words[i])
	}
	return r
}

// Min returns the lowest member, or -1.
func (s Set) Min() int {
	for i, w := range s.words {
		if w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

// Max returns the highest member, or -1.
func (s Set) Max() int {
	for i := len(s.words) - 1; i >= 0; i-- {
		if w := s.words[i]; w != 0 {
			return i*64 + 63 - bits.LeadingZeros64(w)
		}
	}
	return -1
}

// All yields the members, ascending.
func (s Set) All() iter.Seq[int] {
	return func(yield func(int) bool) {
		for i, w := range s.words {
			for ; w != 0; w &= w - 1 {
				if !yield(i*64 + bits.TrailingZeros64(w)) {
					return
				}
			}
		}
	}
}
