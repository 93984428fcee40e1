package solve

import (
	"cmp"
	"slices"
	"strings"

	"molt/core/universe"
)

// What the application declares, and what stands at its level.

// topVar returns the variable of a name at the application's level. The first edge of that variable
// is the application's.
func (s *solver) topVar(name string) (int32, bool) {
	if p := s.named(name); p != nil && p.app >= 0 {
		return p.app, true
	}
	v, ok := s.aliases[name]
	return v, ok
}

// begin states the application's own demands.
func (s *solver) begin() error {
	for _, r := range s.problem.Roots {
		if !r.Foreign {
			s.source.Hint(r.Package)
		}
	}
	for _, name := range s.problem.Outside {
		s.foreign[name] = true
	}
	for _, k := range s.rootOrder() {
		r := s.problem.Roots[k]
		if r.Foreign {
			s.foreign[r.As] = true
			continue
		}
		if r.apart() && !s.problem.Strategy.Single || s.leaves(declaredBy(r)) {
			continue
		}
		key := s.keyOf(&r.Demand)
		_, again := s.topVar(key)
		v, err := s.appVar(key, r.Package)
		if err != nil {
			return err
		}
		p := s.pkgOf(v)
		e := s.edgeOf(v)
		e.optional = r.Optional && (e.optional || !again)
		set := s.rootSet(p, r)
		s.add(s.cause(rootOrigin(k)), term{v, set})
		if !r.Optional {
			s.statePooled(p, s.cause(rootOrigin(k)), nil, set)
		}
		s.waits.push(v)
	}
	for k, l := range s.problem.assumptions {
		if v, ok := s.declared(l.as); ok {
			s.assume(v, int32(k))
		}
	}
	return s.beginParts()
}

// rootSet returns the releases that a root allows, with "none" where it is optional.
func (s *solver) rootSet(p *pkg, r Root) bitset {
	if r.Among == nil {
		return s.admitted(p, r.Text, r.Optional)
	}
	set := newDomain(p.n)
	for _, text := range r.Among {
		if i := p.Index(text); i >= 0 {
			set.add(i)
		}
	}
	if r.Optional {
		set.add(p.n)
	}
	return s.sets.of(int32(p.n), set)
}

// appVar returns the variable of a name at the application's level.
func (s *solver) appVar(as, name string) (int32, error) {
	if v, ok := s.topVar(as); ok {
		return v, nil
	}
	p, err := s.load(name)
	if err != nil {
		return -1, err
	}
	return s.newAppVar(as, p), nil
}

func (s *solver) newAppVar(as string, p *pkg) int32 {
	v := s.edgeVar(p)
	if as == p.Name {
		p.app = v
	} else {
		s.aliases[as] = v
	}
	if waiting := s.waiting[as]; waiting != nil {
		delete(s.waiting, as)
		for _, w := range waiting {
			terms := append(slices.Clone(w.prefix), term{v, s.admitted(p, w.demand.Text, true)})
			s.add(w.why, terms...)
		}
	}
	e, id := s.edges.add()
	e.id = id
	s.setEdge(e, application, int32(len(s.topNames)), v, false, false)
	push(&s.top, id)
	push(&s.topNames, as)
	return v
}

// rootOrder numbers the roots by name and group, so that the order in which a manifest lists them changes nothing.
func (s *solver) rootOrder() []int {
	order := make([]int, len(s.problem.Roots))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := s.problem.Roots[a], s.problem.Roots[b]
		return cmp.Or(strings.Compare(x.As, y.As), strings.Compare(x.Group, y.Group))
	})
	return order
}

// declared returns the variable of a declared name that the registry serves.
func (s *solver) declared(as string) (int32, bool) {
	for _, r := range s.problem.Roots {
		if r.As == as && r.apart() && !s.problem.Strategy.Single {
			if e := s.partEdge(r); e != nil {
				return e.v, true
			}
			return 0, false // it is assumed when it comes into being
		}
		if r.As == as && !r.Foreign {
			return s.topVar(s.keyOf(&r.Demand))
		}
	}
	return 0, false
}

// key returns the name that counts at the application's level: under single tenancy that of the package, whatever its
// dependents call it.
func (s *solver) key(as, name string) string {
	if s.problem.Strategy.Single {
		return name
	}
	return as
}

func (s *solver) keyOf(d *universe.Demand) string { return s.key(d.As, d.Package) }

// global reports whether all edges to a name share the application's variable: there is one release of it, and it
// stands at the application's level, where everybody sees it.
func (s *solver) global(as string) bool { return s.problem.Strategy.Single || s.single[as] }
