package assess

import (
	"fmt"
	"slices"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// guides returns the guides about the goal's framework, for the majors after the one in use up to the goal's, or for one
// major alone.
func (a *Question) guides(major string) []project.Guide {
	p, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return nil
	}
	set, err := a.Target(p)
	if err != nil || set.Empty() {
		return nil
	}
	at := p.Index(a.Locked(a.Goal.Name))
	var all []project.Guide
	for _, g := range a.App.Guides {
		if g.About != a.Goal.Name || major != "" && g.To != major {
			continue
		}
		inReach := slices.ContainsFunc(p.Versions()[:set.Max()+1], func(v version.Version) bool { return a.App.Scheme.Major(v) == g.To })
		if inReach && (at < 0 || a.App.Scheme.Major(p.Version(at)) != g.To) && a.after(g.To, p, at) {
			all = append(all, g)
		}
	}
	return all
}

// after reports whether some release of a major comes after a position.
func (a *Question) after(major string, p *universe.Package, at int) bool {
	return slices.ContainsFunc(p.Versions()[at+1:], func(v version.Version) bool { return a.App.Scheme.Major(v) == major })
}

// RetirementOf says whether a package retires: its maintainers say so, or a guide does.
func (a *Question) RetirementOf(p *universe.Package) *Retirement {
	said := RetirementOf(p, a.Goal.Name)
	if said != nil && said.Kind == project.Swallowed && a.later(said.Says) {
		said = nil
	}
	if said != nil && said.Kind != project.Abandoned {
		return said
	}
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			if f.Name != p.Name || f.Confidence == project.Guessed {
				continue
			}
			switch f.Kind {
			case project.RenamedFact:
				return &Retirement{Kind: project.Renamed, Successor: f.Becomes, Says: f.Line(), Where: f.Where(), Advised: true}
			case project.SwallowedFact:
				return &Retirement{Kind: project.Swallowed, Says: f.Line(), Where: f.Where(), Advised: true}
			}
		}
	}
	return said
}

// later reports whether a sentence speaks of a version of the framework that comes after the goal.
func (a *Question) later(says string) bool {
	p, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return false
	}
	set, err := a.Target(p)
	if err != nil || set.Empty() {
		return false
	}
	goal := p.Version(set.Max())
	for _, v := range a.App.Scheme.Mentions(says) {
		if v.Compare(goal) > 0 && a.App.Scheme.Major(v) != a.App.Scheme.Major(goal) {
			return true
		}
	}
	return false
}

// companion filters releases of a package to those that guides recommend with some releases of the framework. A recommendation
// that no release fits is ignored.
func (a *Question) companion(p *universe.Package, releases, target []string) []string {
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil || len(target) == 0 {
		return releases
	}
	r := framework.Release(target[len(target)-1])
	if r == nil {
		return releases
	}
	for _, g := range a.guides(a.App.Scheme.Major(r.Version)) {
		for _, f := range g.Facts {
			if f.Kind != project.CompanionFact || f.Name != p.Name || f.Confidence == project.Guessed {
				continue
			}
			set, err := p.Admit(f.Needs)
			if err != nil || set.Empty() {
				continue
			}
			releases = slices.DeleteFunc(slices.Clone(releases), func(v string) bool { return !set.Has(p.Index(v)) })
		}
	}
	return releases
}

// advises reports whether guides recommend a release of a package with some releases of the framework.
func (a *Question) advises(p *universe.Package, v string, target []string) bool {
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil || len(target) == 0 {
		return false
	}
	r := framework.Release(target[len(target)-1])
	if r == nil {
		return false
	}
	for _, g := range a.guides(a.App.Scheme.Major(r.Version)) {
		for _, f := range g.Facts {
			if f.Kind == project.CompanionFact && f.Name == p.Name && f.Confidence != project.Guessed {
				if set, err := p.Admit(f.Needs); err == nil && set.Has(p.Index(v)) {
					return true
				}
			}
		}
	}
	return false
}

// advised returns what guides recommend for a package, as evidence.
func (a *Question) advised(name string) []Evidence {
	var all []Evidence
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			if f.Name == name && f.Kind == project.CompanionFact {
				all = append(all, Evidence{project.Advised, fmt.Sprintf("%s %s: %s", g.About, g.To, f.Line()), f.Where()})
			}
		}
	}
	return all
}

// AdvisedRuntimes returns the runtimes that guides ask for, for one major or for all on the way.
func (a *Question) AdvisedRuntimes(major string) []RuntimeNeed {
	var all []RuntimeNeed
	for _, g := range a.guides(major) {
		for _, f := range g.Facts {
			if f.Kind != project.RuntimeFact || f.Confidence == project.Guessed {
				continue
			}
			n := RuntimeNeed{Runtime: a.App.Runtime(f.Name), Needs: f.Needs, By: f.Source, Deployed: a.App.Assumed()[f.Name]}
			n.Met = n.Deployed != nil && n.SuitsAll(f.Needs, n.Deployed)
			all = append(all, n)
		}
	}
	return all
}

// touching returns the facts of the guides that concern the application: facts about its packages, facts whose names were found in
// its source, and facts that belong to every such upgrade. Each comes with its major.
func (a *Question) touching() []Touch {
	var all []Touch
	locked := map[string][]string{}
	if a.Base != nil {
		locked = a.Base.Versions()
	}
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			touches := true
			switch f.Kind {
			case project.RenamedFact, project.SwallowedFact, project.CompanionFact:
				touches = locked[f.Name] != nil || a.Declaration(f.Name).As != ""
			case project.SymbolFact, project.OptionFact:
				touches = len(f.Found) > 0
			}
			if touches {
				all = append(all, Touch{g.About, g.To, f})
			}
		}
	}
	return all
}

// A Touch is a fact that touches the application.
type Touch struct {
	About, To string
	Fact      project.Fact
}
