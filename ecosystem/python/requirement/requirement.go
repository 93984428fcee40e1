// Package requirement reads Python's dependency specifiers as the specification of that name has
// them (PEP 508), with names in their normal form (PEP 503), and evaluates environment markers:
//
//	requirement = name [ "[" [ extra *( "," extra ) ] "]" ] ( [ specifier ] / "(" specifier ")" / "@" address SP ) [ ";" marker ]
//
// requirement.go reads, marker.go reads markers, evaluate.go says whether they hold.
package requirement

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"molt/ecosystem/python/specifiers"
)

// A Requirement is one dependency specifier.
type Requirement struct {
	Name      string   // as it was written
	Extras    []string // normal form, sorted, each once
	Specifier string   // without the parentheses that may stand around it, and spaces around it; "" for none
	Address   string   // of a direct reference, "" for none
	Marker    *Marker  // nil for none

	NameEnd int // offset behind the name and extras
	// offsets of the specifier in the text, without spaces around it; both NameEnd where there is none
	SpecifierFrom, SpecifierTo int
}

// An Error says where a text stops being a requirement.
type Error struct {
	Text   string
	Offset int // from 0
	Reason string
}

func (e *Error) Error() string {
	return fmt.Sprintf("requirement %q, byte %d: %s", e.Text, e.Offset+1, e.Reason)
}

var runs = regexp.MustCompile(`[-_.]+`)

// Canonical returns the normal form of a name: lower case, with one hyphen for every run of
// hyphens, underscores and dots.
func Canonical(name string) string {
	plain := true
	for i := 0; i < len(name) && plain; i++ {
		c := name[i]
		plain = c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' && (i == 0 || name[i-1] != '-')
	}
	if plain {
		return name
	}
	return strings.ToLower(runs.ReplaceAllString(name, "-"))
}

// IsName reports whether a text may be the name of a package, or of an extra.
func IsName(text string) bool {
	s := scanner{text: text}
	return s.name() != "" && s.pos == len(text)
}

// Parse reads a requirement. The error is an *Error.
func Parse(text string) (*Requirement, error) {
	s := &scanner{text: text}
	r := &Requirement{}
	s.spaces()
	if r.Name = s.name(); r.Name == "" {
		return nil, s.fail("expected the name of a package, found " + s.found())
	}
	if err := s.extras(r); err != nil {
		return nil, err
	}
	r.NameEnd = s.pos
	r.SpecifierFrom, r.SpecifierTo = s.pos, s.pos
	s.spaces()
	rest := s.listed
	if s.peek() == '@' {
		rest = s.direct
	}
	if err := rest(r); err != nil {
		return nil, err
	}
	return r, nil
}

// extras reads the list of extras, which may be empty.
func (s *scanner) extras(r *Requirement) error {
	before := s.pos
	s.spaces()
	if s.peek() != '[' {
		s.pos = before
		return nil
	}
	s.pos++
	for s.spaces(); s.peek() != ']'; s.spaces() {
		if len(r.Extras) > 0 {
			if s.peek() != ',' {
				return s.fail("expected a comma or ], found " + s.found())
			}
			s.pos++
			s.spaces()
		}
		extra := s.name()
		if extra == "" {
			return s.fail("expected the name of an extra, found " + s.found())
		}
		r.Extras = append(r.Extras, Canonical(extra))
	}
	s.pos++
	slices.Sort(r.Extras)
	r.Extras = slices.Compact(r.Extras)
	return nil
}

// direct reads an address, which ends at a space, and what follows.
func (s *scanner) direct(r *Requirement) error {
	s.pos++
	s.spaces()
	from := s.pos
	for s.pos < len(s.text) && !isSpace(s.text[s.pos]) {
		s.pos++
	}
	if r.Address = s.text[from:s.pos]; r.Address == "" {
		return s.fail("expected an address behind the @")
	}
	if s.pos == len(s.text) {
		return nil
	}
	s.spaces()
	return s.tail(r)
}

// listed reads a specifier and what follows.
func (s *scanner) listed(r *Requirement) error {
	parenthesised := s.peek() == '('
	if parenthesised {
		s.pos++
		s.spaces()
	}
	from := s.pos
	for s.pos < len(s.text) && s.text[s.pos] != ';' && s.text[s.pos] != ')' {
		s.pos++
	}
	to := len(strings.TrimRight(s.text[:s.pos], " \t\r\n\f\v"))
	if to = max(to, from); to > from || parenthesised {
		r.Specifier, r.SpecifierFrom, r.SpecifierTo = s.text[from:to], from, to
	}
	if parenthesised {
		if s.peek() != ')' {
			return s.fail("expected )")
		}
		s.pos++
	}
	if at := emptyClause(r.Specifier); at >= 0 {
		return s.failAt(from+at, "expected an operator such as == or >= before the comma")
	}
	if offset, reason := specifiers.Check(r.Specifier); reason != "" {
		return s.failAt(from+offset, reason)
	}
	s.spaces()
	return s.tail(r)
}

// emptyClause finds a comma with nothing before it, which specifiers alone may have; -1 where there is none.
func emptyClause(specifier string) int {
	at := 0
	for part := range strings.SplitSeq(specifier, ",") {
		if strings.TrimSpace(part) == "" && (at == 0 || at < len(specifier)) && specifier != "" {
			return at
		}
		at += len(part) + 1
	}
	return -1
}

// tail reads the marker, where there is one.
func (s *scanner) tail(r *Requirement) error {
	switch {
	case s.pos == len(s.text):
		return nil
	case s.peek() != ';':
		return s.fail("expected a marker behind \";\", or the end, found " + s.found())
	}
	s.pos++
	m, err := s.marker()
	if err != nil {
		return err
	}
	r.Marker = m
	if s.spaces(); s.pos < len(s.text) {
		return s.fail("expected \"and\", \"or\" or the end, found " + s.found())
	}
	return nil
}

// String writes the requirement in one form: the name in normal form, and the marker as Marker.String has it.
func (r *Requirement) String() string {
	var b strings.Builder
	b.WriteString(Canonical(r.Name))
	if len(r.Extras) > 0 {
		b.WriteString("[" + strings.Join(r.Extras, ",") + "]")
	}
	b.WriteString(strings.ReplaceAll(r.Specifier, " ", ""))
	if r.Address != "" {
		b.WriteString(" @ " + r.Address)
	}
	if r.Marker != nil {
		b.WriteString(" ; " + r.Marker.String())
	}
	return b.String()
}

// A scanner reads requirements and markers.
type scanner struct {
	text  string
	pos   int
	depth int // of parentheses in a marker
}

func (s *scanner) fail(reason string) error { return s.failAt(s.pos, reason) }

func (s *scanner) failAt(pos int, reason string) error { return &Error{s.text, pos, reason} }

// found names what stands here, for people.
func (s *scanner) found() string {
	for _, r := range s.text[s.pos:] {
		return "\"" + string(r) + "\""
	}
	return "the end"
}

func (s *scanner) peek() byte {
	if s.pos < len(s.text) {
		return s.text[s.pos]
	}
	return 0
}

func isSpace(c byte) bool { return strings.IndexByte(" \t\r\n\f\v", c) >= 0 }

func (s *scanner) spaces() {
	for s.pos < len(s.text) && isSpace(s.text[s.pos]) {
		s.pos++
	}
}

// name reads a name: letters, digits, and between them hyphens, underscores and dots.
func (s *scanner) name() string {
	from := s.pos
	for s.pos < len(s.text) && (isWord(s.text[s.pos]) || strings.IndexByte("-_.", s.text[s.pos]) >= 0 && s.pos > from) {
		s.pos++
	}
	for s.pos > from && !isWord(s.text[s.pos-1]) {
		s.pos--
	}
	return s.text[from:s.pos]
}

func isWord(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}
