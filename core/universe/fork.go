package universe

import "strings"

// Where no release of a package suits all environments of an application, the package is forked: it
// is several packages to the resolver, each with the releases of the package, and each for some of
// the environments. The first has the package's own name, the others the names that ForkName makes.

const forkWord = " in "

// ForkName returns the name of a package for some environments, "keel in desk". No package of a
// registry has a name with a space.
func ForkName(name, environments string) string { return name + forkWord + environments }

// Plain returns the name that a registry knows a package by: without an extra, and without the environments of a fork.
func Plain(name string) string {
	name, _ = SplitExtra(name)
	name, _, _ = strings.Cut(name, forkWord)
	return name
}
