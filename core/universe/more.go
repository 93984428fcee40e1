package universe

import (
	"slices"
	"sync/atomic"
)

// NeedingMore returns a source whose releases need more than they say: what a function returns for a release of a package, by position. Demands on
// a name that a release needs already are left out. It looks at releases when somebody does.
func NeedingMore(s Source, more func(p *Package, i int) []Demand) Source {
	return Changed(s, func(p *Package) (*Package, error) {
		q := &Package{Name: p.Name, Scheme: p.Scheme, Tags: p.Tags, Current: p.Current, Notes: p.Notes}
		k := &needing{p: p, more: more, made: make([]atomic.Pointer[[]Demand], p.Len())}
		if c, _ := p.costly(0); p.Len() > 0 && c != nil {
			return Keep(q, costlyNeeding{k}), nil
		}
		return Keep(q, k), nil
	})
}

// A needing is a package of which releases need more than they say.
type needing struct {
	p    *Package
	more func(p *Package, i int) []Demand
	made []atomic.Pointer[[]Demand]
}

type costlyNeeding struct{ *needing }

// About returns what is known without a look at demands.
func (k costlyNeeding) About(i int) Release { return *k.p.About(i) }

// Len returns how many releases there are.
func (k *needing) Len() int { return k.p.Len() }

// Version returns the version of a release.
func (k *needing) Version(i int) string { return k.p.text(i) }

// Deprecated reports whether a release is deprecated.
func (k *needing) Deprecated(i int) bool { return k.p.Deprecated(i) }

// Withdrawn reports whether a release is withdrawn.
func (k *needing) Withdrawn(i int) bool { return k.p.Withdrawn(i) }

// Runtimes returns what a release requires of runtimes.
func (k *needing) Runtimes(i int) []Requirement { return k.p.Runtimes(i) }

// Peers returns the peers of a release.
func (k *needing) Peers(i int) []Demand { return k.p.Peers(i) }

// Needs returns what a release needs, and more.
func (k *needing) Needs(i int) []Demand {
	if made := k.made[i].Load(); made != nil {
		return *made
	}
	all := k.p.Needs(i)
	if more := k.more(k.p, i); len(more) > 0 {
		all = distinct(slices.Concat(all, more))
	}
	k.made[i].CompareAndSwap(nil, &all)
	return *k.made[i].Load()
}

// Claims returns what a release claims.
func (k *needing) Claims(i int) []Claim { return k.p.Claims(i) }

// Release returns a release.
func (k *needing) Release(i int) Release {
	r := *k.p.At(i)
	r.Needs = k.Needs(i)
	return r
}
