package plan

import (
	"strconv"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/version"
)

// OwnJump says by which part the application's own version has to move after some changes, and why. What it is measured
// by is what those notice who run the application or build on it: a runtime that has to be raised first breaks a
// deployment (major); a declared package that came, went, or made a breaking move in the main group changes what the
// application is made of (minor); all else is a repair (patch). Without changes it is version.Same.
func OwnJump(scheme version.Scheme, mainGroup string, raised bool, changes []project.Change) (version.Jump, fact.Fact) {
	var jump, why = version.Same, fact.Fact{}
	weight := 0 // of what is named: what moved the most
	note := func(j version.Jump, heavy int, reason fact.Fact) {
		if j > jump || j == jump && heavy > weight {
			jump, weight, why = j, heavy, reason
		}
	}
	if raised {
		note(version.Major, 0, fact.New(NewerRuntime))
	}
	for _, c := range changes {
		before, _ := scheme.Parse(c.From.Version) // one that is no version is compared by nothing
		after, _ := scheme.Parse(c.To.Version)
		switch main := c.Group == mainGroup; {
		case main && c.From == (project.Point{}):
			note(version.Minor, 1, fact.New(WasAdded, c.Name))
		case main && c.To == (project.Point{}):
			note(version.Minor, 1, fact.New(WasRemoved, c.Name))
		case main && before != nil && after != nil && version.Breaking(scheme, before, after):
			note(version.Minor, 1+majorsBetween(scheme, before, after),
				fact.New(WentTo, c.Name, c.From.Version, c.To.Version))
		default:
			note(version.Patch, 0, fact.New(OnlyRepairs))
		}
	}
	return jump, why
}

// majorsBetween counts the majors from one version to another, at least 1.
func majorsBetween(scheme version.Scheme, before, after version.Version) int {
	from, errFrom := strconv.Atoi(scheme.Major(before))
	to, errTo := strconv.Atoi(scheme.Major(after))
	if errFrom != nil || errTo != nil || to <= from {
		return 1
	}
	return to - from
}
