package upgrade

import (
	"fmt"
	"slices"

	"molt/core/universe"
)

// A Guide is what a framework's upgrade guide says, as data: facts about going to one major.
type Guide struct {
	About string // the framework
	To    string // the major
	Facts []Fact
}

// A FactKind says what a fact is about.
type FactKind string

// The kinds of fact.
const (
	RuntimeFact   FactKind = "runtime"   // a runtime that the major needs
	RenamedFact   FactKind = "renamed"   // a package that goes on under another name
	SwallowedFact FactKind = "swallowed" // a package that is part of the framework by then
	CompanionFact FactKind = "companion" // a package that must be at some release beside the major
	SymbolFact    FactKind = "symbol"    // a name in the source that changed
	OptionFact    FactKind = "option"    // a word in a settings file that changed
	CommandFact   FactKind = "command"   // something to run after the stage
	LinkFact      FactKind = "link"      // something to read
)

// Confidence says how sure the author of a fact is.
type Confidence string

// The degrees of confidence. What is only guessed is shown and changes nothing.
const (
	Sure     Confidence = "sure"
	Reported Confidence = "reported"
	Guessed  Confidence = "guessed"
)

// A Fact is one statement of a guide. Which fields it has depends on its kind.
type Fact struct {
	Kind       FactKind
	Name       string // runtime, package, symbol or option
	In         string // of a symbol: the package that has it
	Needs      string // of a runtime and a companion: the constraint
	Becomes    string // of what was renamed
	Files      string // of an option: a pattern of the files to look in
	Run        string // of a command
	Link       string
	Says       string // for people
	Source     string // who says so
	Confidence Confidence
	Found      []string // where in the application it matters, FILE:LINE; filled in by whoever reads the source
}

// Line says a fact in one sentence.
func (f Fact) Line() string {
	text := ""
	switch f.Kind {
	case RuntimeFact:
		text = fmt.Sprintf("needs %s %s", f.Name, f.Needs)
	case RenamedFact:
		text = fmt.Sprintf("%s goes on as %s", f.Name, f.Becomes)
	case SwallowedFact:
		text = f.Name + " is part of it"
	case CompanionFact:
		text = fmt.Sprintf("%s must be at %s", f.Name, f.Needs)
	case SymbolFact, OptionFact:
		text = fmt.Sprintf("%s becomes %s", f.Name, f.Becomes)
		if f.Becomes == "" {
			text = f.Name + " is gone"
		}
	case CommandFact:
		text = "run " + f.Run
	case LinkFact:
		text = "read " + f.Link
	}
	if f.Says != "" {
		text += ": " + f.Says
	}
	return text
}

// where says who says so, and how sure they are.
func (f Fact) where() string { return fmt.Sprintf("advice: %s (%s)", f.Source, f.Confidence) }

// guides returns the guides about the goal's framework, for the majors after the one in use up to the goal's, or for one
// major alone.
func (a *advisor) guides(major string) []Guide {
	p, err := a.pkg(a.goal.Name)
	if err != nil {
		return nil
	}
	set, err := a.target(p)
	if err != nil || set.Empty() {
		return nil
	}
	at := p.Index(a.locked(a.goal.Name))
	var all []Guide
	for _, g := range a.app.Guides {
		if g.About != a.goal.Name || major != "" && g.To != major {
			continue
		}
		inReach := slices.ContainsFunc(p.Releases[:set.Max()+1], func(r universe.Release) bool { return a.app.Scheme.Major(r.Version) == g.To })
		if inReach && (at < 0 || a.app.Scheme.Major(p.Releases[at].Version) != g.To) && a.after(g.To, p, at) {
			all = append(all, g)
		}
	}
	return all
}

// after reports whether some release of a major comes after a position.
func (a *advisor) after(major string, p *universe.Package, at int) bool {
	return slices.ContainsFunc(p.Releases[at+1:], func(r universe.Release) bool { return a.app.Scheme.Major(r.Version) == major })
}

// retirementOf says whether a package retires: its maintainers say so, or a guide does.
func (a *advisor) retirementOf(p *universe.Package) *Retirement {
	said := retirement(p, a.goal.Name)
	if said != nil && said.Kind == Swallowed && a.later(said.Says) {
		said = nil
	}
	if said != nil && said.Kind != Abandoned {
		return said
	}
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			if f.Name != p.Name || f.Confidence == Guessed {
				continue
			}
			switch f.Kind {
			case RenamedFact:
				return &Retirement{Kind: Renamed, Successor: f.Becomes, Says: f.Line(), Where: f.where(), Advised: true}
			case SwallowedFact:
				return &Retirement{Kind: Swallowed, Says: f.Line(), Where: f.where(), Advised: true}
			}
		}
	}
	return said
}

// later reports whether a sentence speaks of a version of the framework that comes after the goal.
func (a *advisor) later(says string) bool {
	p, err := a.pkg(a.goal.Name)
	if err != nil {
		return false
	}
	set, err := a.target(p)
	if err != nil || set.Empty() {
		return false
	}
	goal := p.Releases[set.Max()].Version
	for _, v := range a.app.Scheme.Mentions(says) {
		if v.Compare(goal) > 0 && a.app.Scheme.Major(v) != a.app.Scheme.Major(goal) {
			return true
		}
	}
	return false
}

// companion leaves of some releases of a package those that guides want beside some releases of the framework. A fact
// that no release fits counts for nothing.
func (a *advisor) companion(p *universe.Package, releases, target []string) []string {
	framework, err := a.pkg(a.goal.Name)
	if err != nil || len(target) == 0 {
		return releases
	}
	r := framework.Release(target[len(target)-1])
	if r == nil {
		return releases
	}
	for _, g := range a.guides(a.app.Scheme.Major(r.Version)) {
		for _, f := range g.Facts {
			if f.Kind != CompanionFact || f.Name != p.Name || f.Confidence == Guessed {
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

// advised returns what guides say about where a package goes, as evidence.
func (a *advisor) advised(name string) []Evidence {
	var all []Evidence
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			if f.Name == name && f.Kind == CompanionFact {
				all = append(all, Evidence{Advised, fmt.Sprintf("%s %s: %s", g.About, g.To, f.Line()), f.where()})
			}
		}
	}
	return all
}

// advisedRuntimes returns the runtimes that guides ask for, for one major or for all on the way.
func (a *advisor) advisedRuntimes(major string) []RuntimeNeed {
	var all []RuntimeNeed
	for _, g := range a.guides(major) {
		for _, f := range g.Facts {
			if f.Kind != RuntimeFact || f.Confidence == Guessed {
				continue
			}
			n := RuntimeNeed{Runtime: a.app.runtime(f.Name), Needs: f.Needs, By: f.Source, Deployed: a.app.Runtimes[f.Name]}
			n.Met = n.Deployed != nil && n.SuitsAll(f.Needs, n.Deployed)
			all = append(all, n)
		}
	}
	return all
}

// touching returns the facts of the guides that touch the application: about its packages, or found in its source, and
// what goes with every such upgrade. Each comes with its major.
func (a *advisor) touching() []Touch {
	var all []Touch
	locked := map[string][]string{}
	if a.base != nil {
		locked = a.base.Versions()
	}
	for _, g := range a.guides("") {
		for _, f := range g.Facts {
			touches := true
			switch f.Kind {
			case RenamedFact, SwallowedFact, CompanionFact:
				touches = locked[f.Name] != nil || a.declaration(f.Name).As != ""
			case SymbolFact, OptionFact:
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
	Fact      Fact
}
