package semver

import (
	"strconv"
	"strings"

	"molt/core/version"
)

// A Scanner reads the parts that versions are made of, and knows the byte it stands at. Grammars of
// constraints stand on it too. Errors are *version.Error.
type Scanner struct {
	Kind string // of the text: "version" or "constraint"
	Text string
	Pos  int
}

// Fail is an error at the next byte.
func (s *Scanner) Fail(reason string) error { return s.FailAt(s.Pos, reason) }

// FailAt is an error at some byte.
func (s *Scanner) FailAt(pos int, reason string) error {
	return &version.Error{Kind: s.Kind, Text: s.Text, Offset: pos, Reason: reason}
}

// Peek returns the next byte, 0 at the end.
func (s *Scanner) Peek() byte {
	if s.Pos < len(s.Text) {
		return s.Text[s.Pos]
	}
	return 0
}

// Spaces skips white space.
func (s *Scanner) Spaces() {
	for IsSpace(s.Peek()) {
		s.Pos++
	}
}

// IsSpace reports whether a byte is white space.
func IsSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// Number reads a number without leading zeros, up to Largest (§2).
func (s *Scanner) Number() (uint64, error) {
	start := s.Pos
	for c := s.Peek(); c >= '0' && c <= '9'; c = s.Peek() {
		s.Pos++
	}
	digits := s.Text[start:s.Pos]
	switch {
	case digits == "" && s.Pos == len(s.Text):
		return 0, s.Fail("expected a number, found the end")
	case digits == "":
		return 0, s.Fail("expected a number, found " + Quote(s.Peek()))
	case digits[0] == '0' && len(digits) > 1:
		return 0, s.FailAt(start, "a number may not begin with 0")
	}
	n := uint64(0)
	for i := range len(digits) {
		if n = 10*n + uint64(digits[i]-'0'); n > largest {
			return 0, s.FailAt(start, "the number is too large")
		}
	}
	return n, nil
}

// Tail reads what may follow the numbers: a prerelease part (§9), which is returned, and build metadata (§10).
func (s *Scanner) Tail() (pre string, err error) {
	if s.Peek() == '-' {
		s.Pos++
		if pre, err = s.identifiers(true); err != nil {
			return "", err
		}
	}
	if s.Peek() == '+' {
		s.Pos++
		if _, err := s.identifiers(false); err != nil {
			return "", err
		}
	}
	return pre, nil
}

// identifiers reads dot-separated identifiers. In a prerelease, numbers may not begin with 0.
func (s *Scanner) identifiers(prerelease bool) (string, error) {
	start := s.Pos
	for {
		from := s.Pos
		for isIdentifierByte(s.Peek()) {
			s.Pos++
		}
		id := s.Text[from:s.Pos]
		switch {
		case id == "":
			return "", s.Fail("expected letters, digits or hyphens")
		case prerelease && len(id) > 1 && id[0] == '0' && isNumber(id):
			return "", s.FailAt(from, "a number may not begin with 0")
		}
		if s.Peek() != '.' {
			return strings.Clone(s.Text[start:s.Pos]), nil
		}
		s.Pos++
	}
}

func isIdentifierByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '-'
}

// Quote writes a byte for an error.
func Quote(c byte) string { return strconv.QuoteToASCII(string([]byte{c})) }
