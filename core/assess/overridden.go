package assess

import (
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// A manifest's override binds edges to a package whatever those who make them ask for. That it
// resolves with the goal then proves nothing: a release that is compatible by what it asks for
// itself is preferred, and where there is none, the evidence says what it asks for.

// overriding returns the override that binds the edge of a release to a name; nil for none.
func (a *Judgement) overriding(p *universe.Package, release, as string) *universe.Override {
	var found *universe.Override
	for i, o := range a.App.Overrides {
		if o.Binds(p, p.Index(release), as) && (found == nil || found.By == "") {
			// one of this package's edges alone comes first
			found = &a.App.Overrides[i]
		}
	}
	return found
}

// overridden reports whether the manifest overrides what a package asks of the framework.
func (a *Judgement) overridden(p, framework *universe.Package) bool {
	return slices.ContainsFunc(a.App.Overrides, func(o universe.Override) bool {
		return o.Package == framework.Name && (o.By == "" || o.By == p.Name)
	}) &&
		slices.ContainsFunc(p.Copies(), func(r universe.Release) bool { return len(a.ofFramework(r.Covered)) > 0 })
}

// ofItself returns the releases that would be compatible with some releases of the framework if
// nothing were overridden.
func (a *Judgement) ofItself(p, framework *universe.Package, target []string) version.Set {
	wanted, out := a.setOf(framework, target), version.NewSet(p.Len())
	for i := range p.Len() {
		refuses := func(d universe.Demand) bool {
			set, err := framework.Admit(d.Text)
			return d.Package == framework.Name && (err != nil || !set.Meets(wanted))
		}
		if !slices.ContainsFunc(a.ofFramework(p.At(i).Covered), refuses) {
			out.Add(i)
		}
	}
	return out
}
