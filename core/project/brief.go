package project

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
)

// Brief says in one sentence why a package cannot have a release, by the demand of a tangle that
// says most: one on the package by another, else what the release itself asks for. Fixed are
// releases that are given from outside, by package.
func Brief(t *solve.Tangle, app Application, name, at string, fixed map[string]string) string {
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
		return fmt.Sprintf("%s asks for %s", d.By, said)
	}
	for _, d := range t.Demands {
		if d.By != name {
			continue
		}
		if says, hinders := universe.Hinders(d.Package); hinders {
			return at + " " + says
		}
		if runtime, ok := RuntimeOf(d.Package); ok {
			return fmt.Sprintf("%s needs %s %s, and %s is deployed", at, runtime, d.Constraint,
				app.deployedIn(t, d.Package, runtime))
		}
		if v := fixed[d.Package]; v != "" {
			return fmt.Sprintf("%s asks for %s, and %s is given from outside", at, asks(d), v)
		}
		for _, e := range t.Demands {
			if e.Package != d.Package || e.By == name || e.Constraint == app.Scheme.Any() {
				continue
			}
			switch {
			case e.By != "":
				return fmt.Sprintf("%s asks for %s, and %s for %s", at, asks(d), e.By, e.Constraint)
			case slices.ContainsFunc(app.Declared, func(x Declared) bool { return x.As == e.As && x.Text == e.Constraint }):
				return fmt.Sprintf("%s asks for %s, and the manifest for %s", at, asks(d), e.Constraint)
			}
			return fmt.Sprintf("%s asks for %s, and %s stays at %s", at, asks(d), e.As, e.Constraint)
		}
		for _, e := range t.Demands {
			if e.By == d.Package {
				return fmt.Sprintf("%s asks for %s, and that for %s", at, asks(d), asks(e))
			}
		}
		return fmt.Sprintf("%s asks for %s, which does not resolve here", at, asks(d))
	}
	for _, d := range t.Demands {
		if d.By != "" {
			return fmt.Sprintf("%s asks for %s", d.By, asks(d))
		}
	}
	return at + " does not resolve with everything else"
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
