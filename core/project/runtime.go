// Package project holds an application as values: what it declares, on which runtimes it runs, and what people decided
// about it. Nothing here reads a file or knows an ecosystem. The words are explained in docs/words.md.
package project

import (
	"maps"
	"slices"
	"strings"

	"molt/core/version"
)

// A Runtime is a language runtime, or a tool, that releases may require. It is no package of a registry, and may have
// another rule for versions than the packages have.
type Runtime struct {
	Name   string
	Scheme version.Scheme
	// Known are releases of it, ascending. They tell which of two requirements asks for more, and what a requirement would
	// take in place of what is deployed. The list need not be complete, and may be empty.
	Known version.List
	// Newest names the newest release of a version's major, whichever that is, in a way that the
	// scheme can complete. It may be nil.
	Newest func(v version.Version) string
}

// Deployable names the release to which people raise the runtime where a version would do: the
// newest of its major, as far as that can be named.
func (r Runtime) Deployable(v version.Version) string {
	if r.Newest != nil {
		return r.Newest(v)
	}
	return v.String()
}

// Suits reports whether a requirement admits a version, of which the last parts may be missing. A
// requirement that can't be read is not held against a version: nobody can tell.
func (r Runtime) Suits(requirement, text string) bool {
	c, err := r.Scheme.Constrain(requirement)
	if err != nil {
		return true
	}
	v, err := version.Complete(r.Scheme, text)
	return err == nil && version.Admits(c, v)
}

// Least returns the position of the first known release that a requirement admits, or -1.
func (r Runtime) Least(requirement string) int {
	c, err := r.Scheme.Constrain(requirement)
	if err != nil {
		return -1
	}
	return c.Admit(r.Known).Min()
}

// SuitsAll reports whether a requirement admits what every environment has.
func (r Runtime) SuitsAll(requirement string, d Deployed) bool {
	for _, v := range d {
		if !r.Suits(requirement, v) {
			return false
		}
	}
	return true
}

// Runtimes are the versions that are deployed, by runtime.
type Runtimes map[string]Deployed

// Deployed are the versions of one runtime by environment. The only environment may have no name.
type Deployed map[string]string

// Everywhere is one version of a runtime, in an environment without a name.
func Everywhere(release string) Deployed { return Deployed{"": release} }

// String names the versions, and the environments when these have names: "20.11.1", "production
// 20.11.1, staging 22.1.0".
func (d Deployed) String() string {
	var all []string
	for _, environment := range slices.Sorted(maps.Keys(d)) {
		all = append(all, strings.TrimSpace(environment+" "+d[environment]))
	}
	return strings.Join(all, ", ")
}

// A Pin is a version of a runtime or tool that a file of the application names.
type Pin struct{ Name, Version, Where string }
