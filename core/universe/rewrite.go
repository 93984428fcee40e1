package universe

import (
	"slices"
	"sync/atomic"
	"time"
)

// A Rewrite returns what a release needs, or peers on, instead of what it says. It gets the
// position of the release, must not change the list that it gets, and may be called concurrently.
type Rewrite func(i int, all []Demand) []Demand

// Rewritten returns the package with other demands of its releases; nil leaves a kind of demands as
// it is. It looks at releases when somebody does.
func (p *Package) Rewritten(needs, peers Rewrite) *Package {
	q := &Package{Name: p.Name, Scheme: p.Scheme, Tags: p.Tags, Current: p.Current, Notes: p.Notes}
	k := &rewriting{p: p, needs: rewritten{of: p.Needs, rewrite: needs}, peers: rewritten{of: p.Peers, rewrite: peers}}
	for _, r := range []*rewritten{&k.needs, &k.peers} {
		if r.rewrite != nil {
			r.made = make([]atomic.Pointer[[]Demand], p.Len())
		}
	}
	if p.IsCostly() {
		return Keep(q, costlyRewriting{k})
	}
	return Keep(q, k)
}

// NeedingMore returns a source whose releases need more than they say: what a function returns for
// a release of a package, by position. Demands on a name that a release needs already are left out.
func NeedingMore(s Source, more func(p *Package, i int) []Demand) Source {
	return Changed(s, func(p *Package) (*Package, error) {
		return p.Rewritten(func(i int, all []Demand) []Demand { return slices.Concat(all, more(p, i)) }, nil), nil
	})
}

// A rewriting is a package with other demands. It is a Kept.
type rewriting struct {
	p            *Package
	needs, peers rewritten
}

// A rewritten is one kind of the demands.
type rewritten struct {
	of      func(i int) []Demand
	rewrite Rewrite
	made    []atomic.Pointer[[]Demand]
}

// at returns the demands of a release, in order.
func (r *rewritten) at(i int) []Demand {
	if r.rewrite == nil {
		return r.of(i)
	}
	if made := r.made[i].Load(); made != nil {
		return *made
	}
	was := r.of(i)
	all := r.rewrite(i, was)
	if slices.Equal(all, was) {
		all = was // equal lists stay the same list
	} else {
		all = distinct(slices.Clone(all))
	}
	r.made[i].CompareAndSwap(nil, &all)
	return *r.made[i].Load()
}

type costlyRewriting struct{ *rewriting }

// About returns what is known without a look at demands.
func (k costlyRewriting) About(i int) Release { return *k.p.About(i) }

// Dear passes it on.
func (k costlyRewriting) Dear(i int) bool { return k.p.IsDear(i) }

// LookAhead passes it on.
func (k costlyRewriting) LookAhead(at []int) { k.p.LookAhead(at) }

// Published passes it on.
func (k *rewriting) Published(i int) time.Time { return k.p.Published(i) }

// Len returns how many releases there are.
func (k *rewriting) Len() int { return k.p.Len() }

// Version returns the version of a release.
func (k *rewriting) Version(i int) string { return k.p.text(i) }

// Deprecated reports whether a release is deprecated.
func (k *rewriting) Deprecated(i int) bool { return k.p.Deprecated(i) }

// Withdrawn reports whether a release is withdrawn.
func (k *rewriting) Withdrawn(i int) bool { return k.p.Withdrawn(i) }

// Claims returns what a release claims.
func (k *rewriting) Claims(i int) []Claim { return k.p.Claims(i) }

// Runtimes returns what a release requires of runtimes.
func (k *rewriting) Runtimes(i int) []Requirement { return k.p.Runtimes(i) }

// Needs returns what a release needs.
func (k *rewriting) Needs(i int) []Demand { return k.needs.at(i) }

// Peers returns what a release peers on, but for what it needs.
func (k *rewriting) Peers(i int) []Demand {
	peers, needs := k.peers.at(i), k.Needs(i)
	if k.peers.rewrite == nil && k.needs.rewrite == nil {
		return peers
	}
	covered := func(d Demand) bool { _, found := slices.BinarySearchFunc(needs, d, byName); return found }
	if !slices.ContainsFunc(peers, covered) {
		return peers
	}
	return slices.DeleteFunc(slices.Clone(peers), covered)
}

// Release returns a release.
func (k *rewriting) Release(i int) Release {
	r := *k.p.At(i)
	r.Needs, r.Peers = k.Needs(i), k.Peers(i)
	return r
}
