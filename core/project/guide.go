package project

import (
	"fmt"
	"slices"
)

// A Guide is what a framework's upgrade guide says, as data: facts about going to one major.
type Guide struct {
	About     string // the framework
	To        string // the major
	Ecosystem string // that it is for, "" for any
	Facts     []Fact
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
	StopFact      FactKind = "stop"      // a release of the framework by which the way goes
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
		if f.Together {
			text = fmt.Sprintf("%s goes to %s together with it", f.Name, f.Needs)
		}
	case SymbolFact, OptionFact:
		text = fmt.Sprintf("%s becomes %s", f.Name, f.Becomes)
		if f.Becomes == "" {
			text = f.Name + " is gone"
		}
	case CommandFact:
		text = "run " + f.Run
	case LinkFact:
		text = "read " + f.Link
	case StopFact:
		text = "go by way of " + f.Name
	}
	if f.Says != "" {
		text += ": " + f.Says
	}
	return text
}

// Where says who says so, and how sure they are.
func (f Fact) Where() string { return fmt.Sprintf("advice: %s (%s)", f.Source, f.Confidence) }

// AdvisedStops lists the releases of a framework by which guides have the way go. What is only guessed does not count.
func AdvisedStops(guides []Guide, framework string) (stops []string) {
	for _, g := range guides {
		for _, f := range g.Facts {
			if g.About == framework && f.Kind == StopFact && f.Confidence != Guessed && !slices.Contains(stops, f.Name) {
				stops = append(stops, f.Name)
			}
		}
	}
	return stops
}
