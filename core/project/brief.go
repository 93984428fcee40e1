package project

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/fact"
	"molt/core/solve"
	"molt/core/universe"
)

// Brief tells why a package cannot have a release, by the demand of a tangle that
// says most: one on the package by another, else what the release itself asks for. Fixed are
// releases that are given from outside, by package.
func Brief(t *solve.Tangle, app Application, name, at string, fixed map[string]string) fact.Fact {
	asks := func(d solve.Demand) string { return strings.TrimSpace(d.As + " " + d.Constraint) }
	for _, d := range t.Demands {
		if d.Package != name || d.By == "" {
			continue
		}
		said := asks(d)
		for _, other := range t.Demands { // by other releases of it
			if other.By == d.By && other.As == d.As && other.Constraint != d.Constraint {
				said += " or " + other.Constraint
			}
		}
		return fact.New(AsksFor, d.By, said)
	}
	for _, d := range t.Demands {
		if d.By != name {
			continue
		}
		if says, hinders := universe.Hinders(d.Package); hinders {
			return fact.New(Unusable, at, says)
		}
		if runtime, ok := RuntimeOf(d.Package); ok {
			return fact.New(NeedsRuntime, at, runtime, d.Constraint,
				app.deployedIn(t, d.Package, runtime))
		}
		if v := fixed[d.Package]; v != "" {
			return fact.New(AsksForGiven, at, asks(d), v)
		}
		for _, e := range t.Demands {
			if e.Package != d.Package || e.By == name || e.Constraint == app.Scheme.Any() {
				continue
			}
			switch {
			case e.By != "":
				return fact.New(AsksForOther, at, asks(d), e.By, e.Constraint)
			case slices.ContainsFunc(app.Declared, func(x Declared) bool { return x.As == e.As && x.Text == e.Constraint }):
				return fact.New(AsksForDeclared, at, asks(d), e.Constraint)
			}
			return fact.New(AsksForStaying, at, asks(d), e.As, e.Constraint)
		}
		for _, e := range t.Demands {
			if e.By == d.Package {
				return fact.New(AsksForOnward, at, asks(d), asks(e))
			}
		}
		return fact.New(AsksInVain, at, asks(d))
	}
	for _, d := range t.Demands {
		if d.By != "" {
			return fact.New(AsksFor, d.By, asks(d))
		}
	}
	return fact.New(Unresolved, at)
}

// deployedIn returns what is deployed of a runtime, as a tangle has it, by the name under which it
// speaks of the runtime, or else as is assumed.
func (app Application) deployedIn(t *solve.Tangle, named, runtime string) string {
	for _, d := range t.Demands {
		if d.Package == named && d.Group == RuntimeGroup {
			return d.Constraint
		}
	}
	return fmt.Sprint(app.Assumed()[runtime])
}
