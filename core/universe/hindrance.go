package universe

import (
	"slices"
	"strings"
)

// A release that cannot be used, for a reason that only shows when it is looked at, says so by a
// demand that nothing serves: a hindrance. Its name is a sentence about the release, behind a mark
// that no package's name begins with. One that a build of the release would take away has a mark of
// its own, and so has one that says that it was not looked at.

const (
	hindrance = "! "
	unbuilt   = "!+ "
	notSeen   = "!? "
)

// Hindrance returns the demand of a release that cannot be used. What it says is what follows the
// release's name in a sentence: "has no archive".
func Hindrance(says string) Demand { return Demand{As: hindrance + says, Package: hindrance + says} }

// Unbuilt returns the demand of a release that can be used once it was built.
func Unbuilt(says string) Demand { return Demand{As: unbuilt + says, Package: unbuilt + says} }

// Unseen returns the demand of a release that was not looked at.
func Unseen(says string) Demand { return Demand{As: notSeen + says, Package: notSeen + says} }

// IsUnseen reports whether what a name says is that a release was not looked at.
func IsUnseen(name string) bool { return strings.HasPrefix(name, notSeen) }

// Hinders returns what a hindrance says, by the name that it demands.
func Hinders(name string) (says string, ok bool) {
	for _, mark := range []string{unbuilt, notSeen, hindrance} {
		if says, ok = strings.CutPrefix(name, mark); ok {
			return says, true
		}
	}
	return name, false
}

// IsUnbuilt reports whether what a name says is that a release has to be built.
func IsUnbuilt(name string) bool { return strings.HasPrefix(name, unbuilt) }

// Built returns a source in which the releases of some packages count as built. What they would
// turn out to need nobody knows.
func Built(s Source, names []string) Source {
	return Changed(s, func(p *Package) (*Package, error) {
		if !slices.Contains(names, NameOf(p.Name).Base()) {
			return p, nil
		}
		return p.Rewritten(func(_ int, all []Demand) []Demand {
			if !slices.ContainsFunc(all, func(d Demand) bool { return IsUnbuilt(d.Package) }) {
				return all
			}
			return slices.DeleteFunc(slices.Clone(all), func(d Demand) bool { return IsUnbuilt(d.Package) })
		}, nil), nil
	})
}
