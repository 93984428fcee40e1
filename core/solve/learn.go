package solve

import "slices"

// A pending term is one of the clause under analysis, with the trail position that made it false.
type pending struct {
	term
	since int
}

// learn analyses a false clause up to the first unique implication point, adds what follows and unwinds. It returns
// false when the clause follows from the problem only: there is no solution.
func (s *solver) learn(id int32) bool {
	now, parents := s.pending[:0], append(s.parents[:0], id)
	defer func() { s.pending, s.parents = now, parents }() // the memory is used again
	include := func(terms []term, skip int32) {
		for _, t := range terms {
			if t.v != skip {
				now = s.merge(now, t, &parents)
			}
		}
	}
	s.widenUsed(id)
	include(s.termsOf(id), -1)
	for {
		pivot, second := -1, int32(0)
		for i := range now {
			if pivot < 0 || now[i].since > now[pivot].since {
				pivot = i
			}
		}
		if pivot < 0 {
			s.refuted = slices.Clone(parents)
			return false
		}
		e := s.trail[now[pivot].since]
		for i := range now {
			if i != pivot {
				second = max(second, s.trail[now[i].since].level)
			}
		}
		if e.reason < 0 || second < e.level {
			return s.assert(now, pivot, second, parents)
		}
		s.bumpVar(e.v)
		s.widenUsed(e.reason)
		reason := s.termsOf(e.reason)
		parents = append(parents, e.reason)
		held, n := now[pivot], s.vars[e.v].n
		now = append(now[:pivot], now[pivot+1:]...)
		for _, t := range reason {
			if t.v == e.v {
				held.set = s.sets.and(n, held.set, t.set)
			}
		}
		if !s.sets.empty(n, held.set) {
			now = s.merge(now, held.term, &parents)
		}
		include(reason, e.v)
	}
}

// widenUsed widens a clause under analysis. What it may narrow then is looked at once the conflict
// has been learned from.
func (s *solver) widenUsed(id int32) {
	if s.widen(id) {
		s.widened = append(s.widened, id)
	}
}

// merge unites a false term with those under analysis. A term that is false at level 0 is left out; the event that made
// it so is noted among the parents, as a number below zero.
func (s *solver) merge(now []pending, t term, parents *[]int32) []pending {
	since := s.falseSince(t)
	if since == always {
		return now
	}
	if s.trail[since].level == 0 {
		*parents = append(*parents, int32(-1-since))
		return now
	}
	for i := range now {
		if now[i].v == t.v {
			now[i].set = s.sets.or(s.vars[t.v].n, now[i].set, t.set)
			now[i].since = max(now[i].since, since)
			return now
		}
	}
	return append(now, pending{t, since})
}

// assert adds the learned clause at the level where it narrows something.
func (s *solver) assert(now []pending, pivot int, level int32, parents []int32) bool {
	terms := append(s.learned[:0], now[pivot].term)
	for i := range now {
		if i != pivot {
			terms = append(terms, now[i].term)
		}
		s.bumpVar(now[i].v)
	}
	s.bump *= 1.05
	s.back(level)
	s.add(s.reason(reason{parents: s.keepNumbers(parents)}), terms...)
	s.learned = terms
	for _, id := range s.widened {
		s.activate(id)
	}
	s.widened = s.widened[:0]
	return true
}

// backjump goes back to the level at which a false clause became false, and learns from it there.
func (s *solver) backjump(id int32) bool {
	top := int32(0)
	for _, t := range s.termsOf(id) {
		if since := s.falseSince(t); since != always {
			top = max(top, s.trail[since].level)
		}
	}
	s.back(top)
	return s.learn(id)
}
