package assess

import (
	"molt/core/fact"
	"molt/core/project"
	"molt/core/prose"
	"molt/core/universe"
)

// A Retirement is what the maintainers' deprecation of a whole package comes to.
type Retirement struct {
	Kind      project.RetirementKind
	Successor string // for a renamed package
	Says      fact.Fact
	Where     fact.Fact
	Advised   bool // a guide says so, and not the maintainers
}

// RetirementOf says whether a package was renamed, swallowed by a framework or abandoned; nil when
// none of these. It reads the deprecation of the package's newest stable release: one that names
// the framework as its new home is swallowed; one that names another package is renamed; any other
// is abandoned. The framework may be "".
func RetirementOf(p *universe.Package, framework string) *Retirement {
	newest := universe.NewestStable(p)
	if newest == nil || newest.Deprecated == "" {
		return nil
	}
	r := &Retirement{Kind: project.Abandoned, Says: fact.Quote(newest.Deprecated),
		Where: fact.New(AtDeprecation, p.Name, newest.Version)}
	if prose.Absorbed(newest.Deprecated, framework) {
		r.Kind = project.Swallowed
		return r
	}
	if name := prose.Successor(newest.Deprecated); name != "" && name != p.Name {
		r.Kind, r.Successor = project.Renamed, name
	}
	return r
}

// selfDescribed is the retirement of a package that describes a declared one. Its maintainers end
// all of its releases at once, when the newest release of the other needs none; so it retires where
// the release in use of the other, or the goal's, brings its own type declarations. Those that are
// maintained have more than that release brings.
func (a *Judgement) selfDescribed(about string) *Retirement {
	releases := []string{a.Locked(about)}
	if about == a.Goal.Name && len(a.meant) > 0 {
		releases = append(releases, a.meant[len(a.meant)-1])
	}
	for _, v := range releases {
		if says, where := a.DescribesItself(about, v); !says.None() {
			return &Retirement{Kind: project.Swallowed, Says: says, Where: where}
		}
	}
	return nil
}

// ended reports whether the maintainers of a package call its newest release deprecated.
func ended(p *universe.Package) bool {
	newest := universe.NewestStable(p)
	return newest != nil && newest.Deprecated != ""
}

// Ended is that for a declared name.
func (a *Judgement) Ended(name string) bool {
	p, err := a.Pkg(name)
	return err == nil && ended(p)
}

// DescribesItself tells that a release of a declared package brings its own type declarations, and
// where that was read; none where it is not said to.
func (a *Judgement) DescribesItself(name, v string) (says, where fact.Fact) {
	p, err := a.Pkg(name)
	if err != nil {
		return says, where
	}
	if r := p.Known(v); r == nil || !r.Typed {
		return says, where
	}
	return fact.New(BringsTypes, p.Name, v), atRelease(p, v)
}
