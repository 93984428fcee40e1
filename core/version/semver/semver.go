// Package semver holds versions under Semantic Versioning 2.0.0: their grammar (§2, §9, §10), their
// precedence (§11), and what the size of a move means (§6 to §8). Several ecosystems share it; what
// a constraint means is each one's own.
//
// One deviation: numbers go up to 2^53-1, the greatest integer that every program of this trade reads exactly.
package semver

import (
	"fmt"
	"strconv"
	"strings"

	"molt/core/version"
)

// largest is the greatest number that a version may hold.
const largest = 1<<53 - 1

// A Version is a version under Semantic Versioning. Build metadata is kept in the text only.
type Version struct {
	Text                string // as it was written
	Major, Minor, Patch uint64
	Pre                 string // dot-separated identifiers, "" for a release
}

// Parse reads a version. The error is a *version.Error.
func Parse(text string) (*Version, error) {
	s := Scanner{Kind: "version", Text: text}
	v := &Version{Text: text}
	for i, part := range []*uint64{&v.Major, &v.Minor, &v.Patch} {
		if i > 0 {
			if s.Peek() != '.' {
				return nil, s.Fail("a version needs three numbers: major.minor.patch")
			}
			s.Pos++
		}
		n, err := s.Number()
		if err != nil {
			return nil, err
		}
		*part = n
	}
	var err error
	if v.Pre, err = s.Tail(); err != nil {
		return nil, err
	}
	if s.Pos < len(text) {
		return nil, s.Fail("expected the end")
	}
	return v, nil
}

// String returns the version as it was written.
func (v *Version) String() string { return v.Text }

// Prerelease reports whether the version is a prerelease.
func (v *Version) Prerelease() bool { return v.Pre != "" }

// Compare orders by precedence. The other version must be a *Version.
func (v *Version) Compare(other version.Version) int { return v.Precedence(other.(*Version)) }

// Precedence orders by SemVer 2.0.0 §11.
func (v *Version) Precedence(w *Version) int {
	if c := v.CompareNumbers(w); c != 0 {
		return c
	}
	return comparePre(v.Pre, w.Pre)
}

// CompareNumbers orders by the three numbers only.
func (v *Version) CompareNumbers(w *Version) int {
	switch {
	case v.Major != w.Major:
		return order(v.Major < w.Major)
	case v.Minor != w.Minor:
		return order(v.Minor < w.Minor)
	case v.Patch != w.Patch:
		return order(v.Patch < w.Patch)
	}
	return 0
}

// Plain returns the version without build metadata.
func (v Version) Plain() string {
	s := number(v.Major) + "." + number(v.Minor) + "." + number(v.Patch)
	if v.Pre != "" {
		s += "-" + v.Pre
	}
	return s
}

// Jump tells the place of the first number that differs.
func Jump(from, to *Version) version.Jump {
	switch c := from.Precedence(to); {
	case c == 0:
		return version.Same
	case c > 0:
		return version.Back
	case from.Major != to.Major:
		return version.Major
	case from.Minor != to.Minor:
		return version.Minor
	case from.Patch != to.Patch:
		return version.Patch
	}
	return version.Pre
}

// Breaking reports whether the leftmost number that is not zero changes, or the versions are
// prereleases of one another. That is stricter than §4, and how the trade reads versions below
// 1.0.0.
func Breaking(from, to *Version) bool {
	switch {
	case from.Pre != "" || to.Pre != "":
		return from.Precedence(to) != 0
	case from.Major != to.Major:
		return true
	case from.Major > 0:
		return false
	case from.Minor != to.Minor:
		return true
	}
	return from.Minor == 0 && from.Patch != to.Patch
}

// Next returns the version that follows by a jump of Patch, Minor or Major (§6 to §8); a prerelease is followed by its
// release (§11).
func Next(v *Version, j version.Jump) string {
	x := *v
	switch {
	case j == version.Major && (v.Pre == "" || x.Minor+x.Patch > 0):
		x.Major, x.Minor, x.Patch = x.Major+1, 0, 0
	case j == version.Minor && (v.Pre == "" || x.Patch > 0):
		x.Minor, x.Patch = x.Minor+1, 0
	case j == version.Patch && v.Pre == "":
		x.Patch++
	}
	return fmt.Sprintf("%d.%d.%d", x.Major, x.Minor, x.Patch)
}

func number(n uint64) string { return strconv.FormatUint(n, 10) }

func order(less bool) int {
	if less {
		return -1
	}
	return 1
}

// comparePre orders prerelease parts by §11.3 and §11.4; the empty part, a release, comes last.
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
