package solve

import "slices"

// A term holds when the variable is in the set.
type term struct {
	v   int32
	set domain
}

// A clause holds when one of its terms does. No variable stands in it twice. The first two terms are watched.
type clause struct {
	terms []term
	why   int32 // a demand, as an index into solver.causes; below noReason an index into solver.reasons
}

// noReason is why a clause stands that only says what instances are.
const noReason = -1

// A reason is why a clause stands when it is not a single demand: several, or what it was learned from, which is clauses
// and, as numbers below zero, events of level 0.
type reason struct{ demands, parents []int32 }

// because numbers several demands as one reason.
func (s *solver) because(demands []int32) int32 {
	switch len(demands) {
	case 0:
		return noReason
	case 1:
		return demands[0]
	}
	return s.reason(reason{demands: demands})
}

func (s *solver) reason(r reason) int32 {
	s.reasons = append(s.reasons, r)
	return int32(-1 - len(s.reasons))
}

// add puts a clause into the search. It may be true, false or ready to narrow at the time; a false one is left in
// s.conflicts for the main loop. Terms on one variable are united, and terms that never hold are left out.
func (s *solver) add(why int32, terms ...term) int32 {
	kept := s.memory.termsFor(len(terms))
next:
	for _, t := range terms {
		if t.set.empty() {
			continue
		}
		for i := range kept {
			if kept[i].v == t.v {
				kept[i].set = or(kept[i].set, t.set)
				continue next
			}
		}
		kept = append(kept, t)
	}
	id := int32(len(s.clauses))
	s.clauses = push(s.clauses, clause{kept, why})
	if len(kept) < 2 {
		s.activate(id)
		return id
	}
	// The two terms to watch: those that can still hold, else those that became false last.
	for slot := range 2 {
		best := slot
		for k := slot + 1; k < len(kept); k++ {
			if s.falseSince(kept[k]) > s.falseSince(kept[best]) {
				best = k
			}
		}
		kept[slot], kept[best] = kept[best], kept[slot]
		s.watch(kept[slot].v, id)
	}
	s.activate(id)
	return id
}

// activate gives its effect to a clause that came late or lost its effect by unwinding. One that narrowed
// something at a level above that of its false terms would lose the effect again, so it is remembered.
func (s *solver) activate(id int32) {
	terms := s.clauses[id].terms
	open, since := -1, always
	for k, t := range terms {
		f := s.falseSince(t)
		switch {
		case f != never:
			since = max(since, f)
		case open >= 0:
			return
		default:
			open = k
		}
	}
	if open < 0 {
		s.conflicts = append(s.conflicts, id)
		return
	}
	level := int32(0)
	if since != always {
		level = s.trail[since].level
	}
	if level < s.level() {
		s.loose = append(s.loose, id)
	}
	s.enforce(terms[open], id)
}

func (s *solver) canHold(t term) bool { return meets(s.vars[t.v].dom, t.set) }

func (s *solver) enforce(t term, reason int32) {
	if !within(s.vars[t.v].dom, t.set) {
		s.narrow(t.v, t.set, reason)
	}
}

// never is the trail position of terms that can still hold; always that of terms which no event made false.
const (
	never  = 1 << 30
	always = -1
)

// falseSince returns the trail position of the event that made a term false.
func (s *solver) falseSince(t term) int {
	x := &s.vars[t.v]
	if meets(x.dom, t.set) {
		return never
	}
	for at := x.last; at >= 0; at = s.trail[at].before {
		if meets(s.trail[at].old, t.set) {
			return int(at)
		}
	}
	return always
}

// A watcher is a clause that a variable is watched for, with a release by which the term could hold when it was last
// looked at. As long as that is in the domain nobody has to look again.
type watcher struct{ clause, release int32 }

func (s *solver) watch(v, id int32) {
	s.vars[v].watch = append(s.vars[v].watch, watcher{id, -1})
}

// propagate narrows domains until no clause has more to say, and returns a clause that is false, or -1.
func (s *solver) propagate() int32 {
	for s.head < len(s.trail) {
		v := s.trail[s.head].v
		s.head++
		watch := s.vars[v].watch
		kept := watch[:0]
		for k, w := range watch {
			if w.release >= 0 && s.vars[v].dom.has(int(w.release)) {
				kept = append(kept, w)
				continue
			}
			keep, ok := s.visit(v, &w)
			if keep {
				kept = append(kept, w)
			}
			if !ok {
				kept = append(kept, watch[k+1:]...)
				s.vars[v].watch = kept
				return w.clause
			}
		}
		s.vars[v].watch = kept
	}
	return -1
}

// visit looks at a clause after v was narrowed: whether it still watches v, and whether it can still hold.
func (s *solver) visit(v int32, w *watcher) (keep, ok bool) {
	terms := s.clauses[w.clause].terms
	at := 0
	if terms[1].v == v {
		at = 1
	}
	if w.release = int32(common(s.vars[v].dom, terms[at].set)); w.release >= 0 {
		return true, true
	}
	other := terms[1-at]
	if within(s.vars[other.v].dom, other.set) {
		return true, true
	}
	for k := 2; k < len(terms); k++ {
		if s.canHold(terms[k]) {
			terms[at], terms[k] = terms[k], terms[at]
			s.watch(terms[at].v, w.clause)
			return false, true
		}
	}
	if !s.canHold(other) {
		return true, false
	}
	s.enforce(other, w.clause)
	return true, true
}

// falseClause returns a clause that is false under the assignment, after propagation; -1 when there is none.
func (s *solver) falseClause() int32 {
	for len(s.conflicts) > 0 {
		id := s.conflicts[len(s.conflicts)-1]
		s.conflicts = s.conflicts[:len(s.conflicts)-1]
		if !slices.ContainsFunc(s.clauses[id].terms, s.canHold) {
			s.loose = append(s.loose, id)
			return id
		}
		s.activate(id)
	}
	return s.propagate()
}
