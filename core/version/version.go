// Package version holds what a version and a constraint are, one ecosystem's rule at a time, and the sets of
// published releases that constraints admit.
//
// The idea: nobody outside this package reasons about intervals. A constraint is put to every published release of
// its package once, by its own ecosystem's rule, and from then on it is a [Set]: a bit a release. Prerelease rules,
// wildcards and leading zeros therefore have one home, the scheme, and set algebra stays exact.
//
// Schemes belong to ecosystems; what several of them share of Semantic Versioning is in the folder semver.
package version

import (
	"fmt"
	"slices"
)

// A Scheme is an ecosystem's rule for versions and constraints. Implementations are stateless and
// comparable, and may be used concurrently. Constraints are texts to everyone else: nobody but the
// scheme takes one apart or puts one together.
//
// Laws, for every version v and constraint c of the scheme:
//
//   - Admits(Any(), v), unless v is a prerelease;
//   - Admits(Exact(v), w) exactly where w compares equal to v;
//   - Admits(AtLeast(v), v), and no version before v is admitted;
//   - Admits(Restyle(c, v), v) and Admits(Styled(s, v), v), prereleases and the style Any aside.
type Scheme interface {
	// Parse reads one version. The error is an *Error.
	Parse(text string) (Version, error)
	// Constrain reads one constraint. The error is an *Error.
	Constrain(text string) (Constraint, error)
	// Goal reads what people name as the goal of an upgrade, such as "5" or "5.2": the releases that reach it. The error
	// is an *Error.
	Goal(text string) (Constraint, error)

	// Jump tells the size of the move from one version to another. Both must come from this scheme.
	Jump(from, to Version) Jump
	// Major returns the part of a version that a goal names: "5" of 5.2.1.
	Major(v Version) string
	// Next returns the version that follows v by a jump of Patch, Minor or Major; a prerelease is followed by its release.
	Next(v Version, j Jump) string

	// Any and AtLeast return the constraints that ask for whatever there is, and for a version and everything after it.
	Any() string
	AtLeast(v Version) string
	// Styled returns the constraint that asks for version v in a style.
	Styled(s Style, v Version) string
	// StyleOf tells in which style a constraint asks; OtherStyle when in none of them.
	StyleOf(constraint string) Style
}

// A Style is how much a constraint leaves open above the version that it names.
type Style string

// The styles: up to the next breaking release, up to the next minor one, that version only, whatever there is.
const (
	NextMinor  Style = "next-minor"
	NextPatch  Style = "next-patch"
	Exact      Style = "exact"
	Any        Style = "any"
	OtherStyle Style = ""
)

// Styles lists those that people can ask for.
var Styles = []Style{NextMinor, NextPatch, Exact, Any}

// A Version is one version under a scheme. Versions are immutable. Versions of different schemes must not be
// compared.
type Version interface {
	// String returns the version as it was written.
	String() string
	// Compare orders by precedence: negative when the receiver comes before other. Versions of equal precedence
	// may be written differently.
	Compare(other Version) int
	// Prerelease reports whether the version is a prerelease.
	Prerelease() bool
}

// A Constraint chooses among the published releases of a package. Constraints are immutable.
type Constraint interface {
	// String returns the constraint as it was written.
	String() string
	// Admit returns the releases of a list that the constraint allows. It is a rule about the whole list, since whether a
	// prerelease is allowed may depend on what else there is.
	Admit(l List) Set
	// Bounded reports whether the constraint excludes every version above some version: "^3" is bounded, ">=2" and
	// "*" are open. An open constraint promises nothing about releases that did not exist when it was written.
	Bounded() bool
}

// Admits reports whether a constraint allows a version that is alone in its list.
func Admits(c Constraint, v Version) bool { return !c.Admit(List{v}).Empty() }

// Jump is the size of a move between two versions of one package.
type Jump int

// The sizes of a jump, smallest first. Back is a move to an earlier version, Pre one that changes the prerelease
// part only.
const (
	Same Jump = iota
	Pre
	Patch
	Minor
	Major
	Back
)

var jumpNames = [...]string{"same", "prerelease", "patch", "minor", "major", "back"}

func (j Jump) String() string { return jumpNames[j] }

// MarshalText makes a Jump its name in JSON.
func (j Jump) MarshalText() ([]byte, error) { return []byte(j.String()), nil }

// UnmarshalText reads the name that MarshalText wrote.
func (j *Jump) UnmarshalText(text []byte) error {
	i := slices.Index(jumpNames[:], string(text))
	if i < 0 {
		return fmt.Errorf("%q is not the size of a jump", text)
	}
	*j = Jump(i)
	return nil
}

// An Error says where a version or constraint stops making sense.
type Error struct {
	Kind   string // "version" or "constraint"
	Text   string // the whole text
	Offset int    // the byte at which it stops making sense, from 0; len(Text) when the end came too early
	Reason string // what is wrong there
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s %q, byte %d: %s", e.Kind, e.Text, e.Offset+1, e.Reason)
}
