package version

import (
	"strconv"
	"strings"
)

// A scanner reads versions and constraints and knows the byte it stands at.
type scanner struct {
	kind string
	text string
	pos  int
}

// A partial is a version of which only the first wild parts are given: 0 for "*", 1 for "1" or "1.x", 3 for a whole
// version. Parts that are not given are zero.
type partial struct {
	semver
	wild int
}

func (s *scanner) fail(reason string) error { return s.failAt(s.pos, reason) }

func (s *scanner) failAt(pos int, reason string) error {
	return &Error{Kind: s.kind, Text: s.text, Offset: pos, Reason: reason}
}

func (s *scanner) peek() byte {
	if s.pos < len(s.text) {
		return s.text[s.pos]
	}
	return 0
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

func (s *scanner) spaces() {
	for isSpace(s.peek()) {
		s.pos++
	}
}

// partial reads one to three parts, and after the third a prerelease and build metadata.
func (s *scanner) partial() (partial, error) {
	var p partial
	p.wild = 3
	for i, part := range []*uint64{&p.major, &p.minor, &p.patch} {
		if i > 0 {
			if s.peek() != '.' {
				p.wild = min(p.wild, i)
				return p, nil
			}
			s.pos++
		}
		switch c := s.peek(); {
		case c == 'x' || c == 'X' || c == '*':
			if s.kind == "version" {
				return p, s.fail("expected a number")
			}
			s.pos++
			p.wild = min(p.wild, i)
		default:
			n, err := s.number()
			if err != nil {
				return p, err
			}
			if p.wild == 3 { // numbers behind a wildcard say nothing
				*part = n
			}
		}
	}
	if s.peek() == '-' {
		s.pos++
		pre, err := s.identifiers(true)
		if err != nil {
			return p, err
		}
		if p.wild == 3 {
			p.pre = pre
		}
	}
	if s.peek() == '+' {
		s.pos++
		if _, err := s.identifiers(false); err != nil {
			return p, err
		}
	}
	return p, nil
}

func (s *scanner) number() (uint64, error) {
	start := s.pos
	for c := s.peek(); c >= '0' && c <= '9'; c = s.peek() {
		s.pos++
	}
	digits := s.text[start:s.pos]
	switch {
	case digits == "" && s.pos == len(s.text):
		return 0, s.fail("expected a number, found the end")
	case digits == "":
		return 0, s.fail("expected a number, found " + quoteByte(s.peek()))
	case digits[0] == '0' && len(digits) > 1:
		return 0, s.failAt(start, "a number may not begin with 0")
	}
	n, err := strconv.ParseUint(digits, 10, 64)
	if err != nil || n > largest {
		return 0, s.failAt(start, "the number is too large")
	}
	return n, nil
}

// identifiers reads dot-separated identifiers. In a prerelease, numbers may not begin with 0 (SemVer 2.0.0 §9).
func (s *scanner) identifiers(prerelease bool) (string, error) {
	start := s.pos
	for {
		from := s.pos
		for isIdentifierByte(s.peek()) {
			s.pos++
		}
		id := s.text[from:s.pos]
		switch {
		case id == "":
			return "", s.fail("expected letters, digits or hyphens")
		case prerelease && len(id) > 1 && id[0] == '0' && isNumber(id):
			return "", s.failAt(from, "a number may not begin with 0")
		}
		if s.peek() != '.' {
			return strings.Clone(s.text[start:s.pos]), nil
		}
		s.pos++
	}
}

func isIdentifierByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '-'
}

func quoteByte(c byte) string { return strconv.QuoteToASCII(string([]byte{c})) }
