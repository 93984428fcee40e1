package plan

import "molt/core/version"

// A Cut says how a plan is cut. The zero Cut freshens everything, and goes one major at a time.
type Cut struct {
	Fresh Fresh
	Leap  bool // to the goal in one leap
	Apart bool // each bridge in a stage of its own

	begun, goesOn bool // it is a part of a plan: not the first, not the last
}

// Fresh says how far to freshen what the goal does not need.
type Fresh string

// The ways to freshen.
const (
	FreshNone  Fresh = "none"
	FreshPatch Fresh = "patch"
	FreshMinor Fresh = "minor"
	FreshMajor Fresh = "major" // everything; the default
)

// Freshness lists them.
var Freshness = []Fresh{FreshNone, FreshPatch, FreshMinor, FreshMajor}

// most is the greatest jump of what the goal does not need.
func (c Cut) most() version.Jump {
	switch c.Fresh {
	case FreshNone:
		return version.Same
	case FreshPatch:
		return version.Patch
	case FreshMinor:
		return version.Minor
	}
	return version.Major
}
