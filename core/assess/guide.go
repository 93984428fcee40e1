package assess

import (
	"slices"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// guides returns the guides about the goal's framework, for the majors after the one in use up to
// the goal's, or for one major only.
func (a *Judgement) guides(major string) []project.Guide {
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
		inReach := slices.ContainsFunc(
			p.Versions()[:set.Max()+1], func(v version.Version) bool { return a.App.Scheme.Major(v) == g.To })
		if inReach && (at < 0 || a.App.Scheme.Major(p.Version(at)) != g.To) && a.after(g.To, p, at) {
			all = append(all, g)
		}
	}
	return all
}

// after reports whether some release of a major comes after a position.
func (a *Judgement) after(major string, p *universe.Package, at int) bool {
	return slices.ContainsFunc(p.Versions()[at+1:], func(v version.Version) bool { return a.App.Scheme.Major(v) == major })
}

// RetirementOf says whether a package retires: its maintainers say so, or a guide does.
func (a *Judgement) RetirementOf(p *universe.Package) *Retirement {
	said := RetirementOf(p, a.Goal.Name)
	if said != nil && said.Kind == project.Swallowed && a.later(universe.NewestStable(p).Deprecated) {
		said = nil
	}
	if about, runtime := a.described(p); about != "" && !runtime && a.Declaration(about).As != "" && said != nil &&
		said.Kind == project.Abandoned {
		said = a.selfDescribed(about)
	}
	if said != nil && said.Kind != project.Abandoned {
		return said
	}
	for _, g := range a.guides("") {
		for _, f := range g.Advice {
			if f.Name != p.Name || f.Confidence == project.Guessed {
				continue
			}
			switch f.Kind {
			case project.AboutRenamed:
				return &Retirement{Kind: project.Renamed, Successor: f.Becomes, Says: f.Said(), Where: f.Where(),
					Advised: true}
			case project.AboutSwallowed:
				return &Retirement{Kind: project.Swallowed, Says: f.Said(), Where: f.Where(), Advised: true}
			}
		}
	}
	return said
}

// later reports whether a sentence speaks of a version of the framework that comes after the goal.
func (a *Judgement) later(says string) bool {
	p, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return false
	}
	set, err := a.Target(p)
	if err != nil || set.Empty() {
		return false
	}
	goal := p.Version(set.Max())
	for _, v := range version.Mentions(a.App.Scheme, says) {
		if v.Compare(goal) > 0 && a.App.Scheme.Major(v) != a.App.Scheme.Major(goal) {
			return true
		}
	}
	return false
}

// companion filters releases of a package to those that guides recommend with some releases of the
// framework, and without those that they want to move together with a later major. A recommendation
// that no release fits is ignored.
func (a *Judgement) companion(p *universe.Package, releases, target []string) []string {
	for _, one := range a.recommended(p, target) {
		releases = slices.DeleteFunc(slices.Clone(releases), func(v string) bool {
			in := one.set.Has(p.Index(v))
			return one.here && !in || one.later && one.together && in && v != a.Locked(a.declaredAs(p.Name))
		})
	}
	return releases
}

// advises reports whether guides recommend a release of a package with some releases of the framework.
func (a *Judgement) advises(p *universe.Package, v string, target []string) bool {
	return slices.ContainsFunc(a.recommended(p, target), func(one recommendation) bool {
		return one.here && one.set.Has(p.Index(v))
	})
}

// inStep reports whether people say that a declared package moves together with the goal: advice, or a family that the
// framework is in.
func (a *Judgement) inStep(name string, p *universe.Package) bool {
	return !a.Akin(a.Goal.Name, name).None() ||
		slices.ContainsFunc(a.recommended(p, a.meant), func(one recommendation) bool { return one.here && one.together })
}

// A recommendation is which releases of a package guides recommend with a major of the framework:
// that of some releases in question (here), or one after it (later).
type recommendation struct {
	set                   version.Set
	here, later, together bool
	says                  fact.Fact
}

// Advised tells which guide wants a declared package off its release with some releases of the framework.
func (a *Judgement) Advised(name string, target []string) fact.Fact {
	p, err := a.Pkg(name)
	if err != nil {
		return fact.Fact{}
	}
	for _, one := range a.recommended(p, target) {
		if one.here && !one.set.Has(p.Index(a.Locked(name))) {
			return one.says
		}
	}
	return fact.Fact{}
}

// recommended returns what guides say that a package must be at, as seen from some releases of the
// framework. What is only guessed does not count.
func (a *Judgement) recommended(p *universe.Package, target []string) (all []recommendation) {
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil || len(target) == 0 {
		return nil
	}
	at := framework.Index(target[len(target)-1])
	if at < 0 {
		return nil
	}
	major := a.App.Scheme.Major(framework.Version(at))
	for _, g := range a.guides("") {
		for _, f := range g.Advice {
			if f.Kind != project.AboutCompanion || f.Name != p.Name || f.Confidence == project.Guessed {
				continue
			}
			if set, err := p.Admit(f.Needs); err == nil && !set.Empty() {
				all = append(all, recommendation{
					set, g.To == major, g.To != major && a.after(g.To, framework, at), f.Together,
					fact.New(AdvisedBy, f.Said(), f.Source)})
			}
		}
	}
	return all
}

// advised returns what guides recommend for a package, as evidence.
func (a *Judgement) advised(name string) []Evidence {
	var all []Evidence
	for _, g := range a.guides("") {
		for _, f := range g.Advice {
			if f.Name == name && f.Kind == project.AboutCompanion {
				all = append(all, Evidence{project.Advised, fact.New(Advises, g.About, g.To, f.Said()), f.Where()})
			}
		}
	}
	return all
}

// AdvisedRuntimes returns the runtimes that guides ask for, for one major or for all on the way.
func (a *Judgement) AdvisedRuntimes(major string) []RuntimeNeed {
	var all []RuntimeNeed
	for _, g := range a.guides(major) {
		for _, f := range g.Advice {
			if f.Kind != project.AboutRuntime || f.Confidence == project.Guessed {
				continue
			}
			n := RuntimeNeed{Runtime: a.App.Runtime(f.Name), Needs: f.Needs, By: f.Source, Deployed: a.App.Assumed()[f.Name]}
			n.Met = n.Deployed != nil && n.SuitsAll(f.Needs, n.Deployed)
			all = append(all, n)
		}
	}
	return all
}

// touching returns the advice of the guides that concerns the application: about its packages, about names that were
// found in its source, and what belongs to every such upgrade. Each comes with its major.
func (a *Judgement) touching() []Touch {
	var all []Touch
	locked := map[string][]string{}
	if a.Base != nil {
		locked = a.Base.Versions()
	}
	for _, g := range a.guides("") {
		for _, f := range g.Advice {
			touches := true
			switch f.Kind {
			case project.AboutRenamed, project.AboutSwallowed, project.AboutCompanion:
				touches = locked[f.Name] != nil || a.Declaration(f.Name).As != ""
			case project.AboutSymbol, project.AboutOption:
				touches = len(f.Found) > 0
			}
			if touches {
				all = append(all, Touch{g.About, g.To, f})
			}
		}
	}
	return all
}

// A Touch is advice that concerns the application.
type Touch struct {
	About, To string
	Advice    project.Advice
}
