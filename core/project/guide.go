package project

import (
	"slices"

	"molt/core/fact"
)

// A Guide is what a framework's upgrade guide says of going to one major, as data.
type Guide struct {
	About     string // the framework
	To        string // the major
	Ecosystem string // that it is for, "" for any
	Advice    []Advice
}

// An AdviceKind says what a piece of advice is about.
type AdviceKind string

// The kinds of advice.
const (
	AboutRuntime   AdviceKind = "runtime"   // a runtime that the major needs
	AboutRenamed   AdviceKind = "renamed"   // a package that goes on under another name
	AboutSwallowed AdviceKind = "swallowed" // a package that is part of the framework by then
	AboutCompanion AdviceKind = "companion" // a package that must be at some release with the major
	AboutSymbol    AdviceKind = "symbol"    // a name in the source that changed
	AboutOption    AdviceKind = "option"    // a word in a settings file that changed
	AboutCommand   AdviceKind = "command"   // something to run after the stage
	AboutLink      AdviceKind = "link"      // something to read
	AboutStop      AdviceKind = "stop"      // a release of the framework by which the way goes
)

// Confidence says how sure the author of advice is.
type Confidence string

// The degrees of confidence. What is only guessed is shown and changes nothing.
const (
	Sure     Confidence = "sure"
	Reported Confidence = "reported"
	Guessed  Confidence = "guessed"
)

// An Advice is one statement of a guide. Which fields it has depends on its kind.
type Advice struct {
	Kind       AdviceKind
	Name       string // runtime, package, symbol or option
	In         string // of a symbol: the package that has it
	Needs      string // of a runtime and a companion: the constraint
	Together   bool   // of a companion: it goes to such a release with the major, and not before
	Becomes    string // of what was renamed
	Files      string // of an option: a pattern of the files to look in
	Run        string // of a command
	Link       string
	Says       string // for people
	Source     string // who says so
	Confidence Confidence
	Found      []string // where in the application it matters, FILE:LINE; filled in by whoever reads the source
}

// Said returns what a guide says here.
func (a Advice) Said() fact.Fact {
	var said fact.Fact
	switch a.Kind {
	case AboutRuntime:
		said = fact.New(GuideRuntime, a.Name, a.Needs)
	case AboutRenamed:
		said = fact.New(GuideRenamed, a.Name, a.Becomes)
	case AboutSwallowed:
		said = fact.New(GuideTaken, a.Name)
	case AboutCompanion:
		said = fact.New(GuideBeside, a.Name, a.Needs)
		if a.Together {
			said.Kind = GuideTogether
		}
	case AboutSymbol, AboutOption:
		said = fact.New(GuideBecomes, a.Name, a.Becomes)
		if a.Becomes == "" {
			said = fact.New(GuideGone, a.Name)
		}
	case AboutCommand:
		said = fact.New(GuideRun, a.Run)
	case AboutLink:
		said = fact.New(GuideRead, a.Link)
	case AboutStop:
		said = fact.New(GuideStop, a.Name)
	}
	if a.Says != "" {
		said = fact.New(GuideAdds, said, a.Says)
	}
	return said
}

// Where tells who says so, and how sure they are.
func (a Advice) Where() fact.Fact { return fact.New(GuideSource, a.Source, string(a.Confidence)) }

// AdvisedStops lists the releases of a framework by which guides have the way go. What is only guessed does not count.
func AdvisedStops(guides []Guide, framework string) (stops []string) {
	for _, g := range guides {
		for _, a := range g.Advice {
			if g.About == framework && a.Kind == AboutStop && a.Confidence != Guessed && !slices.Contains(stops, a.Name) {
				stops = append(stops, a.Name)
			}
		}
	}
	return stops
}
