package solve

import (
	"errors"
	"slices"

	"molt/core/universe"
)

// A pkg is a package with its place in the search. It is as long as a line of a processor's cache,
// since a large search looks at packages in no order.
type pkg struct {
	*universe.Package
	n          int    // number of releases; also the bit that means "none"
	full       bitset // every release that the problem does not refuse, and "none"
	opened     bitset // the releases that were opened; survives a reset
	extra      *extra // nil for nothing
	id         int32
	use        int32 // the number of the first of its releases that were used, in solver.uses; -1 for none
	last       int32 // the last of its variables, of which each leads to the one before; -1 for none
	app        int32 // its variable at the application's level under its own name, or -1
	constraint int32 // the number of the first of some constraints, in solver.constraints; -1 for none
	peerless   bool  // no release has peers
}

// extra is what the search knows of some packages only.
type extra struct {
	keep []int  // releases to prefer, the newest first
	held bitset // releases that stand in the base; they count as in use
	// the peer names that are looked up through the package, as far as they are known; survives a reset
	rel map[string]bool
	// Made when first asked for: the complements of single releases.
	others      []bitset
	constraints map[string]int32 // the numbers of constraints beyond the first few
	group       *group           // when the search is grouped
}

// noExtra is that of the packages that have none. It is not changed.
var noExtra extra

// extras returns what is known of some packages only, for reading.
func (p *pkg) extras() *extra {
	if p.extra == nil {
		return &noExtra
	}
	return p.extra
}

// ownExtras returns the same for writing, and makes it where there is none.
func (p *pkg) ownExtras() *extra {
	if p.extra == nil {
		p.extra = &extra{}
	}
	return p.extra
}

// A use is what the search knows of a release that was used.
type use struct {
	w        int32
	deciding int32 // how many variables are decided for it
	plain    int32 // the number of its instance when its context does not matter, 0 for none
	contexts int32 // how many instances it has whose contexts matter
	next     int32 // the next one of the package, or -1
	opened   bool
}

// useOf returns the number of the use of a release.
func (s *solver) useOf(p *pkg, w int32) int32 {
	at := p.use
	for ; at >= 0; at = s.uses[at].next {
		if s.uses[at].w == w {
			return at
		}
	}
	at = int32(len(s.uses))
	push(&s.uses, use{w: w, next: p.use})
	p.use = at
	return at
}

// A constraint is one on a package: what it admits without "none" and with it, of which the latter
// is zero until it is asked for.
type constraint struct {
	text      string
	set, none bitset
	next      int32 // the number of another one on the package, or -1
}

// few is how many constraints of a package are looked up in a list and not in a map; most packages have no more.
const few = 6

// varsOf returns the variables of a package, in the order in which they were made. The list is
// valid until the next call.
func (s *solver) varsOf(p *pkg) []int32 {
	s.listed = s.listed[:0]
	for v := p.last; v >= 0; v = s.vars[v].before {
		s.listed = append(s.listed, v)
	}
	slices.Reverse(s.listed)
	return s.listed
}

// inUse returns the newest release of a set that a variable is decided for, or -1.
func (s *solver) inUse(p *pkg, set bitset) int {
	newest := int32(-1)
	for at := p.use; at >= 0; at = s.uses[at].next {
		if u := &s.uses[at]; u.deciding > 0 && u.w > newest && s.sets.has(int32(p.n), set, int(u.w)) {
			newest = u.w
		}
	}
	return int(newest)
}

// passes notes that a name is looked up through a package.
func (p *pkg) passes(name string) {
	r := p.ownExtras()
	if r.rel == nil {
		r.rel = map[string]bool{}
	}
	r.rel[name] = true
}

// load brings a package into the search. One that does not exist has no releases.
func (s *solver) load(name string) (*pkg, error) {
	if p := s.named(name); p != nil {
		return p, nil
	}
	found, err := s.source.Package(s.ctx, name)
	if err != nil {
		var unknown *universe.UnknownError
		if !errors.As(err, &unknown) {
			return nil, err
		}
		found = universe.NewPackage(name, nil, nil)
	}
	return s.adopt(found), nil
}

// adopt makes a package part of the search.
func (s *solver) adopt(found *universe.Package) *pkg {
	name := found.Name
	p, id := s.loaded.add()
	p.Package, p.id, p.n, p.last, p.app, p.use, p.constraint = found, id, found.Len(), -1, -1, -1, -1
	n := int32(p.n)
	p.full = s.sets.all(n)
	for _, text := range s.problem.Refuse[name] {
		if i := p.Index(text); i >= 0 {
			p.full = s.sets.without(n, p.full, i)
		}
	}
	p.prefer(s.problem.Keep[name])
	if s.takeover != nil {
		if plain := s.takeover.plain(name); plain != nil {
			s.takeover.anywhere[id] = plain
		}
	}
	if s.takeover != nil && len(p.extras().keep) == 0 { // of a package that keeps a release, it would make no difference
		for _, w := range s.takeover.heldOf(name) {
			r := p.ownExtras()
			r.held = s.sets.with(n, r.held, w)
		}
	}
	s.byName.add(p)
	if s.takeover != nil { // what mattered to its contexts in the base is likely to matter again
		for _, n := range s.takeover.byName[name] {
			for _, l := range s.takeover.lookups[n] {
				if !s.single[l.name] {
					p.passes(l.name)
				}
			}
		}
	}
	if !s.problem.Strategy.Single {
		names := found.PeerNames()
		p.peerless = len(names) == 0
		for _, name := range names {
			if !s.single[name] {
				p.passes(name)
			}
		}
	}
	return p
}

// admitted returns the releases of p that a constraint admits, and with none also "no release".
func (s *solver) admitted(p *pkg, text string, none bool) bitset {
	x := &s.constraints[s.constraintOf(p, text)]
	if !none {
		return x.set
	}
	if x.none == 0 {
		x.none = s.sets.with(int32(p.n), x.set, p.n)
	}
	return x.none
}

// constraintOf returns the number of a constraint on a package.
func (s *solver) constraintOf(p *pkg, text string) int32 {
	count := 0
	for at := p.constraint; at >= 0; at = s.constraints[at].next {
		if s.constraints[at].text == text {
			return at
		}
		count++
	}
	if at, ok := p.extras().constraints[text]; ok {
		return at
	}
	known := constraint{text: text, next: -1}
	if p.n > 0 {
		set, _ := p.Admit(text) // a constraint that cannot be read admits nothing
		known.set = s.sets.of(int32(p.n), set.Words())
	}
	at := int32(len(s.constraints))
	if r := p.extras(); count < few {
		known.next, p.constraint = p.constraint, at
	} else if r.constraints == nil {
		p.ownExtras().constraints = map[string]int32{text: at}
	} else {
		r.constraints[text] = at
	}
	push(&s.constraints, known)
	return at
}

// other returns every release but one, and "none". The result is shared.
func (s *solver) other(p *pkg, w int) bitset {
	n := int32(p.n)
	if n < oneWord {
		return s.sets.all(n) &^ bit(w)
	}
	r := p.ownExtras()
	if r.others == nil {
		r.others = make([]bitset, n+1)
	}
	if r.others[w] == 0 {
		r.others[w] = s.sets.without(n, s.sets.all(n), w)
	}
	return r.others[w]
}
