// Package specifiers is the scheme of Python's packages: versions and version specifiers as the
// Python Packaging Authority's specification "Version specifiers" has them (PEP 440):
//
//	version   = *SP [ "v" ] [ number "!" ] number *( "." number ) [ pre ] [ post ] [ dev ] [ "+" local ] *SP
//	pre       = [ sep ] ( "a" / "b" / "c" / "rc" / "alpha" / "beta" / "pre" / "preview" ) [ sep ] [ number ]
//	post      = "-" number / [ sep ] ( "post" / "rev" / "r" ) [ sep ] [ number ]
//	dev       = [ sep ] "dev" [ sep ] [ number ]
//	local     = 1*( letter / digit ) *( sep 1*( letter / digit ) )
//	sep       = "." / "-" / "_"
//	specifier = [ clause ] *( "," [ clause ] )               all clauses must hold; without one every version will do
//	clause    = ( "~=" / "==" / "!=" / "<=" / ">=" / "<" / ">" ) version / ( "==" / "!=" ) version ".*" / "===" text
//
// Letters may be of either case. Prereleases, development releases among them, are admitted where a
// clause other than "!=" names one, or where no other release satisfies the specifier: a rule about
// the list of releases. Numbers have any length.
//
// version.go reads and orders versions, specifier.go reads specifiers and says what they mean,
// style.go how they are written.
package specifiers

import (
	"cmp"
	"slices"
	"strings"

	"molt/core/version"
)

// Scheme is the scheme.
var Scheme version.Scheme = Rules{}

// Rules is the type of Scheme, for whoever has rules of its own on top.
type Rules struct{}

var _ version.Full = Rules{}

// A number is a number without leading zeros, in digits.
type number string

func (n number) compare(m number) int {
	if c := cmp.Compare(len(n), len(m)); c != 0 {
		return c
	}
	return strings.Compare(string(n), string(m))
}

// A Version is a version under the specification.
type Version struct {
	text    string // as it was written
	epoch   number
	release []number // at least one
	pre     string   // "a", "b" or "rc"; "" for none
	preN    number
	post    number   // "" for none
	dev     number   // "" for none
	local   []string // lower case; numbers without leading zeros
}

// Parse reads a version. The error is a *version.Error.
func Parse(text string) (*Version, error) {
	s := scanner{kind: "version", text: text}
	s.spaces()
	v, err := s.version()
	if err != nil {
		return nil, err
	}
	s.spaces()
	if s.pos < len(text) {
		return nil, s.fail("unexpected " + quote(text[s.pos:]))
	}
	return v, nil
}

// Parse reads a version.
func (Rules) Parse(text string) (version.Version, error) {
	v, err := Parse(text)
	if err != nil {
		return nil, err
	}
	return v, nil
}

// Complete reads a version: none of its parts but the first has to be there.
func (Rules) Complete(text string) (version.Version, error) { return Scheme.Parse(text) }

// String returns the version as it was written.
func (v *Version) String() string { return v.text }

// Normal returns the one spelling that the specification gives a version ("Normalization"). Zeros
// at the end of the release stay.
func (v *Version) Normal() string {
	var b strings.Builder
	b.WriteString(v.Public())
	for i, part := range v.local {
		b.WriteString(map[bool]string{true: "+", false: "."}[i == 0])
		b.WriteString(part)
	}
	return b.String()
}

// Public returns the normal form without the local part.
func (v *Version) Public() string {
	var b strings.Builder
	if v.epoch != "0" {
		b.WriteString(string(v.epoch) + "!")
	}
	for i, n := range v.release {
		if i > 0 {
			b.WriteByte('.')
		}
		b.WriteString(string(n))
	}
	if v.pre != "" {
		b.WriteString(v.pre + string(v.preN))
	}
	if v.post != "" {
		b.WriteString(".post" + string(v.post))
	}
	if v.dev != "" {
		b.WriteString(".dev" + string(v.dev))
	}
	return b.String()
}

// Prerelease reports whether the version is one for testing: an alpha, beta or candidate, or a development release.
func (v *Version) Prerelease() bool { return v.pre != "" || v.dev != "" }

// Compare orders by the specification's section "Summary of permitted suffixes and relative
// ordering". The other version must be a *Version.
func (v *Version) Compare(other version.Version) int {
	w := other.(*Version)
	if c := v.comparePublic(w); c != 0 {
		return c
	}
	return slices.CompareFunc(v.local, w.local, compareLocal)
}

// comparePublic orders without regard to local parts.
func (v *Version) comparePublic(w *Version) int {
	if c := v.compareBase(w); c != 0 {
		return c
	}
	if c := cmp.Compare(v.phase(), w.phase()); c != 0 {
		return c
	}
	if c := v.preN.compare(w.preN); c != 0 {
		return c
	}
	if c := v.post.compare(w.post); c != 0 { // none comes before any
		return c
	}
	switch {
	case v.dev == w.dev:
		return 0
	case v.dev == "":
		return 1
	case w.dev == "":
		return -1
	}
	return v.dev.compare(w.dev)
}

// compareBase orders by epoch and release only. Zeros at the end of a release mean nothing.
func (v *Version) compareBase(w *Version) int {
	if c := v.epoch.compare(w.epoch); c != 0 {
		return c
	}
	for i := range max(len(v.release), len(w.release)) {
		if c := v.part(i).compare(w.part(i)); c != 0 {
			return c
		}
	}
	return 0
}

// part returns a number of the release, 0 where it is not written.
func (v *Version) part(i int) number {
	if i < len(v.release) {
		return v.release[i]
	}
	return "0"
}

// phase orders what a release number may be the number of: development releases without another
// suffix come first, then alphas, betas and candidates, then the release and what follows it.
func (v *Version) phase() int {
	switch {
	case v.pre != "":
		return 1 + strings.IndexByte("abr", v.pre[0])
	case v.post == "" && v.dev != "":
		return 0
	}
	return 4
}

// compareLocal orders segments of local parts: numbers follow texts.
func compareLocal(a, b string) int {
	switch an, bn := isDigit(a[0]) && allDigits(a), isDigit(b[0]) && allDigits(b); {
	case an && bn:
		return number(a).compare(number(b))
	case an:
		return 1
	case bn:
		return -1
	}
	return strings.Compare(a, b)
}

func allDigits(s string) bool {
	return !strings.ContainsFunc(s, func(r rune) bool { return r < '0' || r > '9' })
}

// A scanner reads versions and specifiers.
type scanner struct {
	kind, text string
	pos        int
}

func (s *scanner) fail(reason string) error { return s.failAt(s.pos, reason) }

func (s *scanner) failAt(pos int, reason string) error {
	return &version.Error{Kind: s.kind, Text: s.text, Offset: pos, Reason: reason}
}

func (s *scanner) peek() byte { return s.at(0) }

// at returns the byte k places on, in lower case; 0 behind the end.
func (s *scanner) at(k int) byte {
	if s.pos+k >= len(s.text) {
		return 0
	}
	c := s.text[s.pos+k]
	if c >= 'A' && c <= 'Z' {
		c += 'a' - 'A'
	}
	return c
}

func (s *scanner) spaces() {
	for s.pos < len(s.text) && strings.IndexByte(" \t\r\n\f\v", s.text[s.pos]) >= 0 {
		s.pos++
	}
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isSeparator(c byte) bool { return c == '.' || c == '-' || c == '_' }

// digits reads a number; "" where there is none.
func (s *scanner) digits() number {
	from := s.pos
	for isDigit(s.peek()) {
		s.pos++
	}
	if s.pos == from {
		return ""
	}
	if n := strings.TrimLeft(s.text[from:s.pos], "0"); n != "" {
		return number(n)
	}
	return "0"
}

// version reads as much of a version as there is, without spaces around it.
func (s *scanner) version() (*Version, error) {
	from := s.pos
	if err := s.begin(); err != nil {
		return nil, err
	}
	v := &Version{epoch: "0"}
	first := s.digits()
	if s.peek() == '!' {
		s.pos++
		v.epoch = first
		if first = s.digits(); first == "" {
			return nil, s.fail("expected a number behind the epoch")
		}
	}
	v.release = append(v.release, first)
	for s.peek() == '.' && isDigit(s.at(1)) {
		s.pos++
		v.release = append(v.release, s.digits())
	}
	if word, n := s.suffix("alpha", "a", "beta", "b", "preview", "pre", "rc", "c"); word != "" {
		v.pre, v.preN = map[byte]string{'a': "a", 'b': "b", 'p': "rc", 'r': "rc", 'c': "rc"}[word[0]], n
	}
	if s.peek() == '-' && isDigit(s.at(1)) {
		s.pos++
		v.post = s.digits()
	} else if word, n := s.suffix("post", "rev", "r"); word != "" {
		v.post = n
	}
	if word, n := s.suffix("dev"); word != "" {
		v.dev = n
	}
	if err := s.local(v); err != nil {
		return nil, err
	}
	v.text = s.text[from:s.pos]
	return v, nil
}

// begin reads the "v" that may stand before a version, and makes sure that a number follows.
func (s *scanner) begin() error {
	if s.peek() == 'v' {
		s.pos++
	}
	switch {
	case isDigit(s.peek()):
		return nil
	case s.pos >= len(s.text):
		return s.fail("expected a version")
	}
	return s.fail("expected a number, found " + quote(s.text[s.pos:]))
}

// suffix reads one of some words with its number, which is 0 where none is written.
func (s *scanner) suffix(words ...string) (word string, n number) {
	before := s.pos
	if isSeparator(s.peek()) {
		s.pos++
	}
	for _, w := range words {
		if len(s.text)-s.pos < len(w) || !strings.EqualFold(s.text[s.pos:s.pos+len(w)], w) {
			continue
		}
		s.pos += len(w)
		if isSeparator(s.peek()) && s.at(1) != '*' {
			s.pos++
		}
		if n = s.digits(); n == "" {
			n = "0"
		}
		return w, n
	}
	s.pos = before
	return "", ""
}

// local reads the local part.
func (s *scanner) local(v *Version) error {
	if s.peek() != '+' {
		return nil
	}
	for {
		s.pos++ // the plus, or a separator
		from := s.pos
		for c := s.peek(); isDigit(c) || c >= 'a' && c <= 'z'; c = s.peek() {
			s.pos++
		}
		if s.pos == from {
			return s.fail("expected letters or digits")
		}
		part := strings.ToLower(s.text[from:s.pos])
		if allDigits(part) {
			if part = strings.TrimLeft(part, "0"); part == "" {
				part = "0"
			}
		}
		v.local = append(v.local, part)
		if !isSeparator(s.peek()) {
			return nil
		}
	}
}

// quote names the first character of a text for people.
func quote(text string) string {
	for _, r := range text {
		return "\"" + string(r) + "\""
	}
	return "the end"
}

// Len returns how many numbers the release has.
func (v *Version) Len() int { return len(v.release) }

// Key returns a text that versions have in common exactly when they compare equal.
func (v *Version) Key() string {
	short := *v
	for len(short.release) > 1 && short.release[len(short.release)-1] == "0" {
		short.release = short.release[:len(short.release)-1]
	}
	return short.Normal()
}
