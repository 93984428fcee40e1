package project

import (
	"slices"

	"molt/core/fact"
)

// A Standing is what a goal means for a package.
type Standing string

// The standings. Each is a fact about whole resolutions of the application: Bridge at a release means that one exists
// with that release and the framework in use, and another with that release and the goal.
const (
	Ready     Standing = "ready"    // the locked release is compatible with the goal too
	Bridge    Standing = "bridge"   // some release is compatible with both: upgrade it before
	Together  Standing = "together" // only releases that refuse the framework in use: move it with the goal
	Blocked   Standing = "blocked"  // no release is compatible with the goal
	Silent    Standing = "silent"   // states nothing about the framework, and the locked release resolves with the goal
	Retires   Standing = "retiring" // renamed, abandoned, or swallowed by the goal
	Elsewhere Standing = "outside"  // not from a registry: nobody here can judge it
	Leaves    Standing = "leaves"   // of a package that nobody declares: nothing needs it any more with the goal
)

// A Grade says how much a piece of evidence proves.
type Grade string

// The grades, best first.
const (
	Ran      Grade = "ran"      // the application's own checks passed with it here
	Stated   Grade = "stated"   // a bounded range names the goal, in a release younger than the goal's first
	Early    Grade = "early"    // a bounded range names it, in a release older than the goal's first
	Open     Grade = "open"     // an unbounded range merely fails to exclude it
	Inferred Grade = "inferred" // follows from what other releases say
	Refused  Grade = "refused"  // the range excludes it
	None     Grade = "none"     // nothing is said
	Advised  Grade = "advised"  // an upgrade guide says so
	SetAside Grade = "waived"   // the range would exclude it, and people set that aside
)

// RetirementKind says in which way a package retires.
type RetirementKind string

// The ways to retire.
const (
	Renamed   RetirementKind = "renamed"
	Swallowed RetirementKind = "swallowed"
	Abandoned RetirementKind = "abandoned"
)

// grades in their order, best first.
var grades = []Grade{Ran, Stated, Advised, Early, Inferred, Open, SetAside, None, Refused}

// Grades lists the grades that a policy can ask for.
var Grades = []Grade{Stated, Early, Open}

// Weaker reports whether a grade proves less than another.
func Weaker(a, b Grade) bool { return slices.Index(grades, a) > slices.Index(grades, b) }

// Blocks tells that a package stands in the way of a goal: people keep it back, or no release would do.
func Blocks(name, goal string, held bool) fact.Fact {
	if held {
		return fact.New(HeldBack, name, goal)
	}
	return fact.New(NoneCompatible, name, goal)
}
