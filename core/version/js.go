package version

import (
	"fmt"
	"strconv"
	"strings"
)

// JS is the scheme of JavaScript manifests: Semantic Versioning 2.0.0 for versions and precedence, and for
// constraints the range grammar that the programs which read such manifests share:
//
//	constraint  = alternative *( "||" alternative )          any alternative may hold
//	alternative = [ hyphen / comparator *( SP comparator ) ]  all comparators must hold; empty admits like "*"
//	hyphen      = partial SP "-" SP partial
//	comparator  = [ "<" / "<=" / ">" / ">=" / "=" / "~" / "~>" / "^" ] *SP partial
//	partial     = *( "v" / "=" / SP ) xr [ "." xr [ "." xr [ "-" prerelease ] [ "+" build ] ] ]
//	xr          = "x" / "X" / "*" / number
//
// A prerelease is admitted only by an alternative in which some comparator names a prerelease of the same
// major.minor.patch (and which it satisfies besides). Build metadata is ignored. Numbers go up to 2^53-1, as
// everywhere in that trade. A version may be written with a leading "v" or "=".
var JS Scheme = js{}

type js struct{}

// largest is the greatest number that a version may hold: the greatest integer that every JavaScript program reads
// exactly.
const largest = 1<<53 - 1

// semver is a version under Semantic Versioning 2.0.0.
type semver struct {
	text                string
	major, minor, patch uint64
	pre                 string // dot-separated identifiers, "" for a release
}

func (v *semver) String() string   { return v.text }
func (v *semver) Prerelease() bool { return v.pre != "" }

func (v *semver) Compare(other Version) int {
	return v.compare(other.(*semver))
}

func (v *semver) compare(w *semver) int {
	if c := v.compareNumbers(w); c != 0 {
		return c
	}
	return comparePre(v.pre, w.pre)
}

func (v *semver) compareNumbers(w *semver) int {
	switch {
	case v.major != w.major:
		return order(v.major < w.major)
	case v.minor != w.minor:
		return order(v.minor < w.minor)
	case v.patch != w.patch:
		return order(v.patch < w.patch)
	}
	return 0
}

func order(less bool) int {
	if less {
		return -1
	}
	return 1
}

// comparePre orders prerelease parts by SemVer 2.0.0 §11.3 and §11.4; the empty part, a release, comes last.
func comparePre(a, b string) int {
	switch {
	case a == b:
		return 0
	case a == "":
		return 1
	case b == "":
		return -1
	}
	for {
		var x, y string
		var moreA, moreB bool
		x, a, moreA = strings.Cut(a, ".")
		y, b, moreB = strings.Cut(b, ".")
		if c := compareIdentifier(x, y); c != 0 {
			return c
		}
		if !moreA || !moreB {
			switch {
			case moreB:
				return -1
			case moreA:
				return 1
			}
			return 0
		}
	}
}

func compareIdentifier(x, y string) int {
	nx, ny := isNumber(x), isNumber(y)
	switch {
	case nx && ny:
		if len(x) != len(y) { // no leading zeros: the longer number is the greater one
			return order(len(x) < len(y))
		}
	case nx != ny:
		return order(nx)
	}
	return strings.Compare(x, y)
}

func isNumber(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// Parse reads a version: SemVer 2.0.0, with surrounding spaces and a leading "v" or "=" allowed.
func (js) Parse(text string) (Version, error) {
	s := scanner{kind: "version", text: text}
	s.spaces()
	if s.peek() == '=' {
		s.pos++
		s.spaces()
	}
	if s.peek() == 'v' {
		s.pos++
	}
	from := s.pos
	p, err := s.partial()
	if err != nil {
		return nil, err
	}
	if p.wild < 3 {
		return nil, s.fail("a version needs three numbers: major.minor.patch")
	}
	s.spaces()
	if s.pos < len(text) {
		return nil, s.fail("expected the end")
	}
	v := p.semver
	v.text = strings.TrimSpace(text[from:]) // v1.2.3 is 1.2.3 written otherwise
	return &v, nil
}

// Jump tells the place of the first number that differs.
func (js) Jump(from, to Version) Jump {
	a, b := from.(*semver), to.(*semver)
	switch c := a.compare(b); {
	case c == 0:
		return Same
	case c > 0:
		return Back
	case a.major != b.major:
		return Major
	case a.minor != b.minor:
		return Minor
	case a.patch != b.patch:
		return Patch
	}
	return Pre
}

// Breaking reports whether "^from" would not admit to, by the numbers alone: the leftmost number that is not zero
// changes, or the versions are prereleases of one another.
func (js) Breaking(from, to Version) bool {
	a, b := from.(*semver), to.(*semver)
	switch {
	case a.pre != "" || b.pre != "":
		return a.compare(b) != 0
	case a.major != b.major:
		return true
	case a.major > 0:
		return false
	case a.minor != b.minor:
		return true
	}
	return a.minor == 0 && a.patch != b.patch
}

// Major returns the major number.
func (js) Major(v Version) string { return strconv.FormatUint(v.(*semver).major, 10) }

// Restyle keeps the operator of a constraint with a single comparator, and for x-ranges the number of parts that are
// written; whatever else it was given becomes a caret range.
func (js) Restyle(constraint string, to Version) string {
	v := to.(*semver)
	c, err := JS.Constrain(constraint)
	if err == nil && c.Admits(v) {
		return constraint
	}
	caret := "^" + v.core()
	if err != nil {
		return caret
	}
	styled := restyle(strings.TrimSpace(constraint), v)
	if c, err := JS.Constrain(styled); err != nil || !c.Admits(v) {
		return caret
	}
	return styled
}

func restyle(trimmed string, v *semver) string {
	plain := v.core()
	if strings.ContainsAny(trimmed, " |") {
		return "^" + plain
	}
	operator := trimmed[:len(trimmed)-len(strings.TrimLeft(trimmed, "<>=~^v"))]
	rest := trimmed[len(operator):]
	parts := strings.Split(strings.SplitN(strings.SplitN(rest, "-", 2)[0], "+", 2)[0], ".")
	switch {
	case strings.HasPrefix(operator, "<"): // an upper bound alone cannot ask for a release above it
		return "^" + plain
	case v.pre != "" || len(parts) >= 3 && !isWild(parts[1]) && !isWild(parts[2]):
		return operator + plain
	}
	numbers := []string{num(v.major), num(v.minor), num(v.patch)}
	for i := range min(len(parts), 3) {
		if isWild(parts[i]) {
			numbers[i] = parts[i]
		}
	}
	return operator + strings.Join(numbers[:min(len(parts), 3)], ".")
}

func num(n uint64) string { return strconv.FormatUint(n, 10) }

// core returns the version without prefix, spaces and build metadata.
func (v *semver) core() string {
	s := num(v.major) + "." + num(v.minor) + "." + num(v.patch)
	if v.pre != "" {
		s += "-" + v.pre
	}
	return s
}

func isWild(part string) bool { return part == "" || part == "x" || part == "X" || part == "*" }

// Next follows SemVer 2.0.0 §6 to §8 and §11.
func (js) Next(v Version, j Jump) string {
	x := *v.(*semver)
	switch {
	case j == Major && (!v.Prerelease() || x.minor+x.patch > 0):
		x.major, x.minor, x.patch = x.major+1, 0, 0
	case j == Minor && (!v.Prerelease() || x.patch > 0):
		x.minor, x.patch = x.minor+1, 0
	case j == Patch && !v.Prerelease():
		x.patch++
	}
	return fmt.Sprintf("%d.%d.%d", x.major, x.minor, x.patch)
}

// Styled writes a caret range, a tilde range, the version, or a star.
func (js) Styled(s Style, v Version) string {
	text := v.(*semver).core()
	switch s {
	case NextPatch:
		return "~" + text
	case Exact:
		return text
	case Any:
		return "*"
	}
	return "^" + text
}

// StyleOf knows a single comparator by its operator.
func (js) StyleOf(constraint string) Style {
	text := strings.TrimSpace(constraint)
	if text == "" || isWild(text) {
		return Any
	}
	if _, err := JS.Constrain(text); err != nil || strings.ContainsAny(text, " |") {
		return OtherStyle
	}
	rest := strings.TrimLeft(text, "^~=v")
	_, err := JS.Parse(rest)
	switch operator := text[:len(text)-len(rest)]; {
	case operator == "^":
		return NextMinor
	case operator == "~":
		return NextPatch
	case err == nil && (operator == "" || operator == "=" || operator == "v"):
		return Exact
	}
	return OtherStyle
}
