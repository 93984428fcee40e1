package solve

import "slices"

// A term holds when the variable is in the set.
type term struct {
	v   int32
	set bitset
}

// A clause holds when one of its terms does: those from number at on, n of them. No variable stands
// in it twice. The first two terms are watched.
type clause struct {
	at, n int32
	why   int32 // a demand, as an index into solver.causes; below noReason an index into solver.reasons
	// The clause was made for one release, and can be widened to all that make the same demand.
	narrow bool
}

// widen extends a clause that was made for one release to all releases that make the same demand,
// once it matters: it takes part in a conflict, or excludes that release. It reports whether there
// was anything to extend. The clause excludes no less then, so it still is a reason for what it
// narrowed.
func (s *solver) widen(id int32) bool {
	c := &s.clauses[id]
	if !c.narrow {
		return false
	}
	c.narrow = false
	o := &s.causes[c.why]
	p := s.loaded.at(o.pkg)
	t := s.premise(id, o.pkg)
	t.set = s.unlike(p, s.making(p, int(o.w), int(o.k)))
	l := s.vars[t.v].watch
	for at := l.at; at < l.at+l.n; at++ {
		if w := &s.watchers[at]; w.clause == id {
			w.release = -1
		}
	}
	return true
}

// premise returns the term of a clause about releases of a package that make a demand.
func (s *solver) premise(id, pkg int32) *term {
	terms := s.termsOf(id)
	return &terms[slices.IndexFunc(terms, func(t term) bool { return s.vars[t.v].pkg == pkg })]
}

// noReason is why a clause stands that only says what instances are.
const noReason = -1

// A reason is why a clause stands when it is not a single demand: several, or what it was learned
// from, which is clauses and, as numbers below zero, events of level 0.
type reason struct{ demands, parents span }

// A span is some of the numbers that reasons are made of: n of them, from at on.
type span struct{ at, n int32 }

func (s *solver) keepNumbers(all []int32) span {
	at := len(s.numbers)
	for _, x := range all {
		push(&s.numbers, x)
	}
	return span{int32(at), int32(len(all))}
}

func (s *solver) numbersIn(x span) []int32 { return s.numbers[x.at : x.at+x.n] }

// because numbers several demands as one reason.
func (s *solver) because(demands []int32) int32 {
	switch len(demands) {
	case 0:
		return noReason
	case 1:
		return demands[0]
	}
	return s.reason(reason{demands: s.keepNumbers(demands)})
}

func (s *solver) reason(r reason) int32 {
	s.reasons = append(s.reasons, r)
	return int32(-1 - len(s.reasons))
}

// termsOf returns the terms of a clause.
func (s *solver) termsOf(id int32) []term {
	c := &s.clauses[id]
	return s.terms[c.at : c.at+c.n : c.at+c.n]
}

// add puts a clause into the search. It may be true, false or ready to narrow at the time; a false one is left in
// s.conflicts for the main loop. Terms on one variable are united, and terms that never hold are left out.
func (s *solver) add(why int32, terms ...term) int32 {
	at := len(s.terms)
next:
	for _, t := range terms {
		n := s.vars[t.v].n
		if s.sets.empty(n, t.set) {
			continue
		}
		for i := at; i < len(s.terms); i++ {
			if x := &s.terms[i]; x.v == t.v {
				x.set = s.sets.or(n, x.set, t.set)
				continue next
			}
		}
		push(&s.terms, t)
	}
	id := int32(len(s.clauses))
	push(&s.clauses, clause{at: int32(at), n: int32(len(s.terms) - at), why: why})
	kept := s.terms[at:]
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
	terms := s.termsOf(id)
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

func (s *solver) canHold(t term) bool {
	x := &s.vars[t.v]
	return s.sets.meets(x.n, x.dom, t.set)
}

func (s *solver) enforce(t term, reason int32) {
	if c := &s.clauses[reason]; c.narrow && s.vars[t.v].pkg == s.causes[c.why].pkg && s.widen(reason) {
		t = *s.premise(reason, s.vars[t.v].pkg)
	}
	if x := &s.vars[t.v]; !s.sets.within(x.n, x.dom, t.set) {
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
	if s.sets.meets(x.n, x.dom, t.set) {
		return never
	}
	for at := x.last; at >= 0; at = s.trail[at].before {
		if s.sets.meets(x.n, s.trail[at].old, t.set) {
			return int(at)
		}
	}
	return always
}

// A watcher is a clause that a variable is watched for, with a release by which the term could hold when it was last
// looked at. As long as that is in the domain nobody has to look again.
type watcher struct{ clause, release int32 }

// A watchList is the clauses that watch a variable: n watchers from number at on, with room for some more.
type watchList struct{ at, n, room int32 }

func (s *solver) watch(v, id int32) {
	l := &s.vars[v].watch
	if l.n == l.room { // to the end of all, with twice the room
		at, room := len(s.watchers), max(2, 2*l.room)
		lengthen(&s.watchers, int(room))
		copy(s.watchers[at:], s.watchers[l.at:l.at+l.n])
		l.at, l.room = int32(at), room
	}
	s.watchers[l.at+l.n] = watcher{id, -1}
	l.n++
}

// propagate narrows domains until no clause has more to say, and returns a clause that is false, or -1.
func (s *solver) propagate() int32 {
	for s.head < len(s.trail) {
		v := s.trail[s.head].v
		s.head++
		x := &s.vars[v]
		from, n, kept := x.watch.at, x.watch.n, x.watch.at
		for k := from; k < from+n; k++ {
			// there come no more while it is gone through: a clause watches another variable then
			w := &s.watchers[k]
			keep, ok := true, true
			if w.release < 0 || !s.sets.has(x.n, x.dom, int(w.release)) {
				seen := *w
				keep, ok = s.visit(v, &seen)
				w = &s.watchers[k]
				*w = seen
			}
			clause := w.clause
			if keep {
				s.watchers[kept] = *w
				kept++
			}
			if !ok {
				kept += int32(copy(s.watchers[kept:], s.watchers[k+1:from+n]))
				s.vars[v].watch.n = kept - from
				return clause
			}
		}
		s.vars[v].watch.n = kept - from
	}
	return -1
}

// visit looks at a clause after v was narrowed: whether it still watches v, and whether it can still hold.
func (s *solver) visit(v int32, w *watcher) (keep, ok bool) {
	terms := s.termsOf(w.clause)
	at := 0
	if terms[1].v == v {
		at = 1
	}
	x := &s.vars[v]
	if w.release = int32(s.sets.common(x.n, x.dom, terms[at].set)); w.release >= 0 {
		return true, true
	}
	other := terms[1-at]
	x = &s.vars[other.v]
	if s.sets.within(x.n, x.dom, other.set) {
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
		if !slices.ContainsFunc(s.termsOf(id), s.canHold) {
			s.loose = append(s.loose, id)
			return id
		}
		s.activate(id)
	}
	return s.propagate()
}
