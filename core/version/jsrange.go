package version

import (
	"sort"
	"strings"
)

// jsRange is a constraint in disjunctive normal form.
type jsRange struct {
	text         string
	alternatives [][]comparator
}

// A comparator is one half-line of versions. Every operator of the grammar comes down to at most two of them.
type comparator struct {
	op operator
	semver
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

func (r *jsRange) String() string { return r.text }

func (r *jsRange) Admits(version Version) bool {
	v := version.(*semver)
	for _, all := range r.alternatives {
		if admitsAll(all, v) {
			return true
		}
	}
	return false
}

// sweep finds the ends of each alternative by bisection, since each comparator holds for one half of a sorted list.
func (r *jsRange) sweep(l List, into Set) {
	for _, all := range r.alternatives {
		from, to := 0, len(l)
		for i := range all {
			switch c := &all[i]; c.op {
			case less, lessEqual:
				to = min(to, sort.Search(len(l), func(k int) bool { return !c.admits(l[k].(*semver)) }))
			case equal:
				to = min(to, sort.Search(len(l), func(k int) bool { return l[k].(*semver).compare(&c.semver) > 0 }))
				fallthrough
			default:
				from = max(from, sort.Search(len(l), func(k int) bool { return c.reached(l[k].(*semver)) }))
			}
		}
		for k := from; k < to; k++ {
			if v := l[k].(*semver); v.pre == "" || admitsAll(all, v) {
				into.Add(k)
			}
		}
	}
}

// reached reports whether v stands at or beyond the lower end that the comparator sets.
func (c *comparator) reached(v *semver) bool {
	d := v.compare(&c.semver)
	return d > 0 || d == 0 && c.op != greater
}

func admitsAll(all []comparator, v *semver) bool {
	named := v.pre == "" // whether a comparator names a prerelease of the same three numbers
	for i := range all {
		c := &all[i]
		if !c.admits(v) {
			return false
		}
		named = named || c.pre != "" && c.compareNumbers(v) == 0
	}
	return named
}

func (c *comparator) admits(v *semver) bool {
	d := v.compare(&c.semver)
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

func (r *jsRange) Bounded() bool {
	for _, all := range r.alternatives {
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

// Constrain reads a range by the grammar given at JS.
func (js) Constrain(text string) (Constraint, error) {
	r := &jsRange{text: text}
	s := scanner{kind: "constraint", text: text}
	for {
		all, err := s.alternative()
		if err != nil {
			return nil, err
		}
		r.alternatives = append(r.alternatives, all)
		if s.pos == len(text) {
			return r, nil
		}
		s.pos += len("||")
	}
}

// alternative reads up to the next "||" or the end. An empty alternative, like "*", has no comparators.
func (s *scanner) alternative() ([]comparator, error) {
	var all []comparator
	for first := true; ; first = false {
		s.spaces()
		if s.pos == len(s.text) || strings.HasPrefix(s.text[s.pos:], "||") {
			return all, nil
		}
		op := s.operator()
		p, err := s.operand(op)
		if err != nil {
			return nil, err
		}
		if first && (op == "" || op == "=" && p.wild < 3) && s.hyphen() {
			to, err := s.operand("-")
			if err != nil {
				return nil, err
			}
			s.spaces()
			if s.pos < len(s.text) && !strings.HasPrefix(s.text[s.pos:], "||") {
				return nil, s.fail("nothing else may stand beside a hyphen range")
			}
			return hyphenRange(p, to), nil
		}
		if err := s.ended(); err != nil {
			return nil, err
		}
		all = append(all, p.comparators(op)...)
	}
}

// operator reads an operator and the spaces after it. Spaces may split "> =", but only there.
func (s *scanner) operator() string {
	for _, op := range []string{"<=", ">=", "~>", "<", ">", "=", "~", "^"} {
		if strings.HasPrefix(s.text[s.pos:], op) {
			s.pos += len(op)
			s.spaces()
			if (op == "<" || op == ">") && s.peek() == '=' {
				s.pos++
				op += "="
			}
			return op
		}
	}
	return ""
}

// operand reads the partial version that an operator stands before; "-" stands for the far end of a hyphen range.
// Wherever the operator makes a range of it, or it is incomplete, or the far end is a prerelease, any run of "v" and "="
// may come first; any other whole version is written with at most one "v". That is how the trade reads them.
func (s *scanner) operand(op string) (partial, error) {
	start := s.pos
	for c := s.peek(); c == 'v' || c == '='; c = s.peek() {
		s.pos++
	}
	prefix := s.text[start:s.pos]
	p, err := s.partial()
	free := strings.HasPrefix(op, "~") || op == "^" || op == "-" && p.pre != ""
	if err == nil && p.wild == 3 && prefix != "" && prefix != "v" && !free {
		err = s.failAt(start, "expected a version, found "+quoteByte(prefix[0]))
	}
	return p, err
}

// hyphen reads " - " when it comes next.
func (s *scanner) hyphen() bool {
	rest := s.text[s.pos:]
	trimmed := strings.TrimLeft(rest, " \t\r\n")
	if len(trimmed) == len(rest) || len(trimmed) < 2 || trimmed[0] != '-' || !isSpace(trimmed[1]) {
		return false
	}
	s.pos = len(s.text) - len(trimmed) + 1
	s.spaces()
	return true
}

// ended checks that a comparator ends here.
func (s *scanner) ended() error {
	rest := s.text[s.pos:]
	if rest == "" || isSpace(rest[0]) || strings.HasPrefix(rest, "||") {
		return nil
	}
	return s.fail("unexpected " + quoteByte(rest[0]))
}

func hyphenRange(from, to partial) []comparator {
	var all []comparator
	if from.wild > 0 {
		all = append(all, comparator{greaterEqual, from.semver})
	}
	switch {
	case to.wild == 3:
		all = append(all, comparator{lessEqual, to.semver})
	case to.wild > 0:
		all = append(all, to.below(to.wild))
	}
	return all
}

// comparators gives the meaning of an operator before a partial version.
func (p partial) comparators(op string) []comparator {
	from := comparator{greaterEqual, p.semver}
	switch {
	case p.wild == 0 && (op == "<" || op == ">"):
		return []comparator{{less, semver{pre: lowest}}} // nothing lies beyond everything
	case p.wild == 0:
		return nil
	case op == "^":
		return []comparator{from, p.below(p.caret())}
	case op == "~" || op == "~>":
		return []comparator{from, p.below(min(p.wild, 2))}
	case p.wild < 3:
		switch op {
		case ">":
			next := p.below(p.wild)
			next.op, next.pre = greaterEqual, ""
			return []comparator{next}
		case ">=":
			return []comparator{from}
		case "<":
			return []comparator{{less, p.semver.first()}}
		case "<=":
			return []comparator{p.below(p.wild)}
		}
		return []comparator{from, p.below(p.wild)}
	}
	ops := map[string]operator{"<": less, "<=": lessEqual, ">": greater, ">=": greaterEqual, "": equal, "=": equal}
	return []comparator{{ops[op], p.semver}}
}

// first returns the lowest prerelease of the three numbers.
func (v semver) first() semver {
	v.pre = lowest
	return v
}

// caret returns how many parts of the version "^" keeps: up to the leftmost that is not zero, as far as written.
func (p partial) caret() int {
	switch {
	case p.major > 0 || p.wild == 1:
		return 1
	case p.minor > 0 || p.wild == 2:
		return 2
	}
	return 3
}

// below returns the upper bound that keeps the first n parts: below(1) of 1.2.3 is <2.0.0-0.
func (p partial) below(n int) comparator {
	v := semver{pre: lowest}
	switch n {
	case 1:
		v.major = p.major + 1
	case 2:
		v.major, v.minor = p.major, p.minor+1
	default:
		v.major, v.minor, v.patch = p.major, p.minor, p.patch+1
	}
	return comparator{less, v}
}
