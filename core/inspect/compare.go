package inspect

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A State is what an application, or something that it stands on, holds: releases by package.
type State struct {
	Packages map[string][]string // versions, in no order
	Declared []string            // packages that the application asks for itself
}

// StateOf returns the state of a resolution. A package with an extra is the package.
func StateOf(r *solve.Resolution) State {
	isExtra := func(name string) bool { return universe.NameOf(name).Extra != "" }
	s := State{Packages: r.Versions()}
	maps.DeleteFunc(s.Packages, func(name string, _ []string) bool { return isExtra(name) })
	for _, e := range r.Roots {
		if !isExtra(e.Package) && !slices.Contains(s.Declared, e.Package) {
			s.Declared = append(s.Declared, e.Package)
		}
	}
	return s
}

// A DifferenceKind says what became of a package.
type DifferenceKind string

// The kinds of difference, in the order in which they matter. The first four are jumps.
const (
	ByMajor   DifferenceKind = "major"
	ByMinor   DifferenceKind = "minor"
	ByPatch   DifferenceKind = "patch"
	ByPreview DifferenceKind = "prerelease"
	GoneBack  DifferenceKind = "back"
	Added     DifferenceKind = "added"
	Removed   DifferenceKind = "removed"
	Unclear   DifferenceKind = "cannot tell" // a version is none under the ecosystem's scheme
)

// DifferenceKinds lists them all, in their order.
var DifferenceKinds = []DifferenceKind{ByMajor, ByMinor, ByPatch, ByPreview, GoneBack, Added, Removed, Unclear}

// A Difference is what became of one package between two states. From and To hold the versions that only one side has,
// ascending; a package with several releases has moved from the newest that it lost to the newest that it gained.
type Difference struct {
	Name     string
	Declared bool // by either side
	Kind     DifferenceKind
	From, To []string
}

// Compare lists the packages in which two states differ: declared ones first, then by kind and name.
func Compare(scheme version.Scheme, before, after State) []Difference {
	var all []Difference
	for name := range both(before.Packages, after.Packages) {
		d := Difference{Name: name, Declared: slices.Contains(before.Declared, name) || slices.Contains(after.Declared, name)}
		d.From, d.To = without(before.Packages[name], after.Packages[name]),
			without(after.Packages[name], before.Packages[name])
		if len(d.From)+len(d.To) == 0 {
			continue
		}
		d.Kind = d.kind(scheme)
		all = append(all, d)
	}
	slices.SortFunc(all, func(a, b Difference) int {
		return cmp.Or(declaredFirst(a, b), slices.Index(DifferenceKinds, a.Kind)-slices.Index(DifferenceKinds, b.Kind),
			strings.Compare(a.Name, b.Name))
	})
	return all
}

func both(a, b map[string][]string) map[string]bool {
	names := map[string]bool{}
	for name := range a {
		names[name] = true
	}
	for name := range b {
		names[name] = true
	}
	return names
}

// without returns the versions of a that b lacks, each once.
func without(a, b []string) []string {
	var left []string
	for _, v := range a {
		if !slices.Contains(b, v) && !slices.Contains(left, v) {
			left = append(left, v)
		}
	}
	return left
}

// kind sorts the versions of a difference, and says what it is.
func (d *Difference) kind(scheme version.Scheme) DifferenceKind {
	from, ok1 := ascending(scheme, d.From)
	to, ok2 := ascending(scheme, d.To)
	switch {
	case !ok1 || !ok2:
		return Unclear
	case len(from) == 0:
		return Added
	case len(to) == 0:
		return Removed
	}
	switch scheme.Jump(from[len(from)-1], to[len(to)-1]) {
	case version.Major:
		return ByMajor
	case version.Minor:
		return ByMinor
	case version.Patch:
		return ByPatch
	case version.Back:
		return GoneBack
	}
	return ByPreview
}

// ascending sorts versions in place and returns them parsed, unless one cannot be.
func ascending(scheme version.Scheme, texts []string) ([]version.Version, bool) {
	var all []version.Version
	for _, text := range texts {
		v, err := scheme.Parse(text)
		if err != nil {
			slices.Sort(texts)
			return nil, false
		}
		all = append(all, v)
	}
	slices.SortFunc(all, version.Version.Compare)
	for i, v := range all {
		texts[i] = v.String()
	}
	return all, true
}

func declaredFirst(a, b Difference) int {
	switch {
	case a.Declared == b.Declared:
		return 0
	case a.Declared:
		return -1
	}
	return 1
}
