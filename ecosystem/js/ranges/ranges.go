// Package ranges is the scheme of JavaScript manifests: Semantic Versioning 2.0.0 for versions and precedence, and for
// constraints the range grammar that the programs which read such manifests share:
//
//	constraint  = alternative *( "||" alternative )          any alternative may hold
//	alternative = [ hyphen / comparator *( SP comparator ) ]  all comparators must hold; empty admits like "*"
//	hyphen      = partial SP "-" SP partial
//	comparator  = [ "<" / "<=" / ">" / ">=" / "=" / "~" / "~>" / "^" ] *SP partial
//	partial     = *( "v" / "=" / SP ) xr [ "." xr [ "." xr [ "-" prerelease ] [ "+" build ] ] ]
//	xr          = "x" / "X" / "*" / number
//
// A prerelease is admitted only by an alternative in which some comparator names a prerelease of
// the same major.minor.patch (and which it satisfies besides). Build metadata is ignored. A version
// may be written with a leading "v" or "=". The grammar is in this file; evaluate.go says what it
// means, style.go how constraints are written.
package ranges

import (
	"errors"
	"strconv"
	"strings"

	"molt/core/version"
	"molt/core/version/semver"
)

// Scheme is the scheme.
var Scheme version.Scheme = Rules{}

// Rules is the type of Scheme, for whoever has rules of its own on top.
type Rules struct{}

var _ version.Full = Rules{}

// Pointwise says that a prerelease is admitted by what a constraint says of its own version, whatever else there is.
func (Rules) Pointwise() {}

// A scanner reads versions and constraints.
type scanner struct{ semver.Scanner }

// Parse reads a version: SemVer 2.0.0, with surrounding spaces and a leading "v" or "=" allowed.
func (Rules) Parse(text string) (version.Version, error) {
	s := semver.Scanner{Text: text}
	s.Spaces()
	if s.Peek() == '=' {
		s.Pos++
		s.Spaces()
	}
	if s.Peek() == 'v' {
		s.Pos++
	}
	v, err := semver.Parse(strings.TrimRight(text[s.Pos:], " \t\r\n"))
	var bad *version.Error
	if errors.As(err, &bad) {
		return nil, &version.Error{Kind: bad.Kind, Text: text, Offset: s.Pos + bad.Offset, Reason: bad.Reason}
	}
	return v, nil
}

// Jump tells the place of the first number that differs.
func (Rules) Jump(from, to version.Version) version.Jump {
	return semver.Jump(from.(*semver.Version), to.(*semver.Version))
}

// Breaking reports whether "^from" would not admit to, by the numbers only: the leftmost number that is not zero
// changes, or the versions are prereleases of one another.
func (Rules) Breaking(from, to version.Version) bool {
	return semver.Breaking(from.(*semver.Version), to.(*semver.Version))
}

// Major returns the major number.
func (Rules) Major(v version.Version) string {
	return strconv.FormatUint(v.(*semver.Version).Major, 10)
}

// Next follows SemVer 2.0.0.
func (Rules) Next(v version.Version, j version.Jump) string {
	return semver.Next(v.(*semver.Version), j)
}

// A partial is a version of which only the first wild parts are given: 0 for "*", 1 for "1" or "1.x", 3 for a whole
// version. Parts that are not given are zero.
type partial struct {
	semver.Version
	wild int
}

// Constrain reads a range by the grammar given at the package.
func (Rules) Constrain(text string) (version.Constraint, error) {
	r := &constraint{text: text}
	var err error
	if r.comparators, r.ends, err = read(text, make([]comparator, 0, 2), r.few[:0]); err != nil {
		return nil, err
	}
	return r, nil
}

// Evaluate reads a constraint, and puts it to a list.
func (Rules) Evaluate(text string, l version.List) (version.Set, error) {
	var comparators [6]comparator // what most have needs no other memory
	var ends [2]int
	r := constraint{text: text}
	var err error
	if r.comparators, r.ends, err = read(text, comparators[:0], ends[:0]); err != nil {
		return version.Set{}, err
	}
	return r.Admit(l), nil
}

// read reads the text of a constraint. It appends the comparators of all its alternatives to one
// list, and where each ends to another.
func read(text string, all []comparator, ends []int) ([]comparator, []int, error) {
	s := scanner{semver.Scanner{Kind: "constraint", Text: text}}
	for {
		var err error
		if all, err = s.alternative(all); err != nil {
			return nil, nil, err
		}
		ends = append(ends, len(all))
		if s.Pos == len(text) {
			return all, ends, nil
		}
		s.Pos += len("||")
	}
}

// alternative reads up to the next "||" or the end, and appends what it means to all. An empty
// alternative, like "*", has no comparators.
func (s *scanner) alternative(all []comparator) ([]comparator, error) {
	for first := true; ; first = false {
		s.Spaces()
		if s.Pos == len(s.Text) || strings.HasPrefix(s.Text[s.Pos:], "||") {
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
			s.Spaces()
			if s.Pos < len(s.Text) && !strings.HasPrefix(s.Text[s.Pos:], "||") {
				return nil, s.Fail("nothing else may stand beside a hyphen range")
			}
			return hyphenRange(all, p, to), nil
		}
		if err := s.ended(); err != nil {
			return nil, err
		}
		all = p.comparators(all, op)
	}
}

// operator reads an operator and the spaces after it. Spaces may split "> =", but only there.
func (s *scanner) operator() string {
	if c := s.Peek(); c != '<' && c != '>' && c != '=' && c != '~' && c != '^' {
		return ""
	}
	for _, op := range [...]string{"<=", ">=", "~>", "<", ">", "=", "~", "^"} {
		if strings.HasPrefix(s.Text[s.Pos:], op) {
			s.Pos += len(op)
			s.Spaces()
			if (op == "<" || op == ">") && s.Peek() == '=' {
				s.Pos++
				op += "="
			}
			return op
		}
	}
	return ""
}

// operand reads the partial version that an operator stands before; "-" stands for the far end of a
// hyphen range. Wherever the operator makes a range of it, or it is incomplete, or the far end is a
// prerelease, any run of "v" and "=" may come first; any other whole version is written with at
// most one "v". That is how the trade reads them.
func (s *scanner) operand(op string) (partial, error) {
	start := s.Pos
	for c := s.Peek(); c == 'v' || c == '='; c = s.Peek() {
		s.Pos++
	}
	prefix := s.Text[start:s.Pos]
	p, err := s.partial()
	free := strings.HasPrefix(op, "~") || op == "^" || op == "-" && p.Pre != ""
	if err == nil && p.wild == 3 && prefix != "" && prefix != "v" && !free {
		err = s.FailAt(start, "expected a version, found "+semver.Quote(prefix[0]))
	}
	return p, err
}

// hyphen reads " - " when it comes next.
func (s *scanner) hyphen() bool {
	rest := s.Text[s.Pos:]
	trimmed := strings.TrimLeft(rest, " \t\r\n")
	if len(trimmed) == len(rest) || len(trimmed) < 2 || trimmed[0] != '-' || !semver.IsSpace(trimmed[1]) {
		return false
	}
	s.Pos = len(s.Text) - len(trimmed) + 1
	s.Spaces()
	return true
}

// ended checks that a comparator ends here.
func (s *scanner) ended() error {
	rest := s.Text[s.Pos:]
	if rest == "" || semver.IsSpace(rest[0]) || strings.HasPrefix(rest, "||") {
		return nil
	}
	return s.Fail("unexpected " + semver.Quote(rest[0]))
}

// partial reads one to three parts, and after the third a prerelease and build metadata.
func (s *scanner) partial() (partial, error) {
	var p partial
	p.wild = 3
	for i, part := range []*uint64{&p.Major, &p.Minor, &p.Patch} {
		if i > 0 {
			if s.Peek() != '.' {
				p.wild = min(p.wild, i)
				return p, nil
			}
			s.Pos++
		}
		switch c := s.Peek(); {
		case c == 'x' || c == 'X' || c == '*':
			s.Pos++
			p.wild = min(p.wild, i)
		default:
			n, err := s.Number()
			if err != nil {
				return p, err
			}
			if p.wild == 3 { // numbers behind a wildcard say nothing
				*part = n
			}
		}
	}
	pre, err := s.Tail()
	if err == nil && p.wild == 3 {
		p.Pre = pre
	}
	return p, err
}
