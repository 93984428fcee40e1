package solve

import "slices"

// An assumption restricts the releases of a package, wherever it stands or under one name of the
// application. It has a switch, and a run asks for some of the assumptions by deciding their
// switches before everything else (an assumption, as in Eén and Sörensson, "An extensible
// SAT-solver", 2003). What is learned holds whatever is asked for, so that a solver can run again
// with others.
type assumption struct {
	as, pkg string // one of them is ""
	set     domain // with "none"
}

// setAssumptions makes the switches.
func (s *solver) setAssumptions() {
	s.switches, s.assumed, s.assumptions, s.asked = nil, nil, map[string][]int32{}, nil
	for k, l := range s.problem.assumptions {
		s.switches = append(s.switches, s.newVar(nil, 1))
		s.asked = append(s.asked, int32(k))
		if l.pkg != "" {
			s.assumptions[l.pkg] = append(s.assumptions[l.pkg], int32(k))
		}
	}
}

// extend adds to the assumptions of a search that has begun; all are given, those from before
// first. It reports false where the search must start over for it.
func (s *solver) extend(all []assumption) bool {
	if !s.begun {
		return false
	}
	before := len(s.problem.assumptions)
	for _, l := range all[before:] {
		if s.takeover != nil && s.takeover.excluded(l) {
			return false
		}
	}
	s.back(0)
	s.problem.assumptions = all
	for k := before; k < len(all); k++ {
		l := all[k]
		s.switches = append(s.switches, s.newVar(nil, 1))
		if l.pkg == "" {
			if v, ok := s.declared(l.as); ok {
				s.assume(v, int32(k))
			}
			continue
		}
		s.assumptions[l.pkg] = append(s.assumptions[l.pkg], int32(k))
		if p := s.named(l.pkg); p != nil {
			for _, v := range s.varsOf(p) {
				if s.vars[v].edge >= 0 { // and not what stands for a release of a provider
					s.assume(v, int32(k))
				}
			}
		}
	}
	return true
}

// prefer changes which releases are preferred.
func (s *solver) prefer(keep map[string][]string) {
	s.problem.Keep = keep
	for id := range s.loaded.n {
		p := s.loaded.at(id)
		p.prefer(keep[p.Name])
	}
}

// prefer notes the versions to prefer.
func (p *pkg) prefer(versions []string) {
	if len(versions) == 0 && p.extra == nil {
		return
	}
	var all []int
	for _, text := range versions {
		if i := p.Index(text); i >= 0 {
			all = append(all, i)
		}
	}
	slices.Sort(all)
	slices.Reverse(all)
	p.ownExtras().keep = all
}

// assume keeps a variable within an assumption, when its switch is on.
func (s *solver) assume(v, k int32) {
	n := s.vars[v].n
	for len(s.assumed) <= int(k) {
		s.assumed = append(s.assumed, 0)
	}
	if s.assumed[k] == 0 {
		s.assumed[k] = s.sets.of(n, s.problem.assumptions[k].set)
	}
	s.add(noReason, term{s.switches[k], off}, term{v, s.assumed[k]})
}

// ask decides that an assumption holds. It reports false when the assumptions asked for before
// forbid that, and leaves them, as far as they have to do with it, in core.
func (s *solver) ask(k int32) bool {
	v := s.switches[k]
	switch s.vars[v].dom {
	case off:
		s.core = append(s.blame(term{v, on}), k)
		slices.Sort(s.core)
		return false
	case on: // it follows; the level stays empty
		push(&s.levels, int32(len(s.trail)))
	default:
		s.decide(v, 0)
	}
	return true
}

// blame returns the assumptions whose switches made a term false, in no order. All decisions so far are switches.
func (s *solver) blame(t term) (assumptions []int32) {
	var parents []int32 // nobody asks for the proof
	now := s.merge(nil, t, &parents)
	for len(now) > 0 {
		pivot := 0
		for i := range now {
			if now[i].since > now[pivot].since {
				pivot = i
			}
		}
		held, e := now[pivot], s.trail[now[pivot].since]
		now = slices.Delete(now, pivot, pivot+1)
		if e.reason < 0 {
			assumptions = append(assumptions, int32(slices.Index(s.switches, e.v)))
			continue
		}
		n := s.vars[e.v].n
		for _, other := range s.termsOf(e.reason) {
			if other.v == e.v {
				held.set = s.sets.and(n, held.set, other.set)
			} else {
				now = s.merge(now, other, &parents)
			}
		}
		if !s.sets.empty(n, held.set) {
			now = s.merge(now, held.term, &parents)
		}
	}
	return assumptions
}
