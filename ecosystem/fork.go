package ecosystem

import (
	"slices"
	"strings"

	"molt/core/universe"
)

// Forks are the packages that have several releases in a lock, each for some environments, by name.
type Forks map[string][]Fork

// A Fork is one of them.
type Fork struct {
	Package      string   // the package's own name for the first, else with the environments (universe.Name.In)
	Environments []string // by name, sorted
}

// A Forker is an ecosystem that can resolve a package apart for some environments: what
// Detail.Forks names, its source serves under the names that a Fork has, and it demands these in
// place of the package.
type Forker interface {
	Conditional
	// Forked returns what a demand of a group asks for where its package is forked: a demand on
	// each fork in whose environments its condition holds and the group may be installed. It is the
	// demand itself where the package is not forked.
	Forked(d universe.Demand, group string, forks Forks, environments []Environment) []universe.Demand
	// Alike reports whether no condition and no file can tell two environments apart.
	Alike(a, b Environment) bool
}

// NewFork returns a fork of a package: the first one, or another.
func NewFork(name string, environments []string, first bool) Fork {
	f := Fork{Package: name, Environments: environments}
	if !first {
		// brackets are for extras
		in := strings.NewReplacer("[", "(", "]", ")").Replace(strings.Join(environments, "+"))
		f.Package = universe.Name{Package: name, In: in}.String()
	}
	return f
}

// Of returns the fork that is a package, nil where it is none.
func (f Forks) Of(name string) *Fork {
	all := f[universe.Plain(name)]
	for i := range all {
		if all[i].Package == name {
			return &all[i]
		}
	}
	return nil
}

// In returns the fork of a package that has an environment, nil for none.
func (f Forks) In(name, environment string) *Fork {
	for i := range f[name] {
		if slices.Contains(f[name][i].Environments, environment) {
			return &f[name][i]
		}
	}
	return nil
}
