package ranges

import (
	"sort"

	"molt/core/version"
	"molt/core/version/semver"
)

// A constraint is a range in disjunctive normal form.
type constraint struct {
	text        string
	comparators []comparator // of all alternatives, one after the other
	ends        []int        // where each alternative ends among them
	few         [2]int       // memory for those that most have
}

// alternatives yields the comparators of each alternative.
func (r *constraint) alternatives(yield func([]comparator) bool) {
	from := 0
	for _, to := range r.ends {
		if !yield(r.comparators[from:to]) {
			return
		}
		from = to
	}
}

// A comparator is one half-line of versions. Every operator of the grammar comes down to at most two of them.
type comparator struct {
	op operator
	semver.Version
}

type operator byte

const (
	less operator = iota
	lessEqual
	greater
	greaterEqual
	equal
)

// lowest is the prerelease part that precedes every other: "<2.0.0-0" excludes the prereleases of 2.0.0 too.
const lowest = "0"

func (r *constraint) String() string { return r.text }

// Admit finds the ends of each alternative by bisection, since each comparator holds for one half of a sorted list.
func (r *constraint) Admit(l version.List) version.Set {
	into := version.NewSet(len(l))
	for all := range r.alternatives {
		from, to := 0, len(l)
		for i := range all {
			switch c := &all[i]; c.op {
			case less, lessEqual:
				to = min(to, sort.Search(len(l), func(k int) bool { return !c.admits(l[k].(*semver.Version)) }))
			case equal:
				to = min(to, sort.Search(len(l), func(k int) bool { return l[k].(*semver.Version).Precedence(&c.Version) > 0 }))
				fallthrough
			default:
				from = max(from, sort.Search(len(l), func(k int) bool { return c.reached(l[k].(*semver.Version)) }))
			}
		}
		for k := from; k < to; k++ {
			if v := l[k].(*semver.Version); v.Pre == "" || admitsAll(all, v) {
				into.Add(k)
			}
		}
	}
	return into
}

// reached reports whether v stands at or beyond the lower end that the comparator sets.
func (c *comparator) reached(v *semver.Version) bool {
	d := v.Precedence(&c.Version)
	return d > 0 || d == 0 && c.op != greater
}

func admitsAll(all []comparator, v *semver.Version) bool {
	named := v.Pre == "" // whether a comparator names a prerelease of the same three numbers
	for i := range all {
		c := &all[i]
		if !c.admits(v) {
			return false
		}
		named = named || c.Pre != "" && c.CompareNumbers(v) == 0
	}
	return named
}

func (c *comparator) admits(v *semver.Version) bool {
	d := v.Precedence(&c.Version)
	switch c.op {
	case less:
		return d < 0
	case lessEqual:
		return d <= 0
	case greater:
		return d > 0
	case greaterEqual:
		return d >= 0
	}
	return d == 0
}

func (r *constraint) Bounded() bool {
	for all := range r.alternatives {
		bounded := false
		for _, c := range all {
			bounded = bounded || c.op == less || c.op == lessEqual || c.op == equal
		}
		if !bounded {
			return false
		}
	}
	return true
}

// hyphenRange appends the meaning of "from - to".
func hyphenRange(all []comparator, from, to partial) []comparator {
	if from.wild > 0 {
		all = append(all, comparator{greaterEqual, from.Version})
	}
	switch {
	case to.wild == 3:
		all = append(all, comparator{lessEqual, to.Version})
	case to.wild > 0:
		all = append(all, to.below(to.wild))
	}
	return all
}

// comparators appends the meaning of an operator before a partial version.
func (p partial) comparators(all []comparator, op string) []comparator {
	from := comparator{greaterEqual, p.Version}
	switch {
	case p.wild == 0 && (op == "<" || op == ">"):
		return append(all, comparator{less, semver.Version{Pre: lowest}}) // nothing lies beyond everything
	case p.wild == 0:
		return all
	case op == "^":
		return append(all, from, p.below(p.caret()))
	case op == "~" || op == "~>":
		return append(all, from, p.below(min(p.wild, 2)))
	case p.wild < 3:
		switch op {
		case ">":
			next := p.below(p.wild)
			next.op, next.Pre = greaterEqual, ""
			return append(all, next)
		case ">=":
			return append(all, from)
		case "<":
			return append(all, comparator{less, first(p.Version)})
		case "<=":
			return append(all, p.below(p.wild))
		}
		return append(all, from, p.below(p.wild))
	}
	return append(all, comparator{operatorOf(op), p.Version})
}

// operatorOf reads an operator before a whole version, which may be missing.
func operatorOf(op string) operator {
	switch op {
	case "<":
		return less
	case "<=":
		return lessEqual
	case ">":
		return greater
	case ">=":
		return greaterEqual
	}
	return equal
}

// first returns the lowest prerelease of the three numbers.
func first(v semver.Version) semver.Version {
	v.Pre = lowest
	return v
}

// caret returns how many parts of the version "^" keeps: up to the leftmost that is not zero, as far as written.
func (p partial) caret() int {
	switch {
	case p.Major > 0 || p.wild == 1:
		return 1
	case p.Minor > 0 || p.wild == 2:
		return 2
	}
	return 3
}

// below returns the upper bound that keeps the first n parts: below(1) of 1.2.3 is <2.0.0-0.
func (p partial) below(n int) comparator {
	v := semver.Version{Pre: lowest}
	switch n {
	case 1:
		v.Major = p.Major + 1
	case 2:
		v.Major, v.Minor = p.Major, p.Minor+1
	default:
		v.Major, v.Minor, v.Patch = p.Major, p.Minor, p.Patch+1
	}
	return comparator{less, v}
}
