package project

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/core/version"
)

// A Goal is a package and the constraint it is to reach.
type Goal struct {
	Name       string
	Constraint string
}

// ParseGoal reads "name@constraint"; a bare name has the constraint "".
func ParseGoal(text string) Goal {
	if at := strings.LastIndexByte(text, '@'); at > 0 {
		return Goal{text[:at], text[at+1:]}
	}
	return Goal{Name: text}
}

func (g Goal) String() string {
	if g.Constraint == "" {
		return g.Name
	}
	return g.Name + "@" + g.Constraint
}

// A GoalError says why a goal cannot be meant.
type GoalError struct {
	Goal   Goal
	Reason string
}

func (e *GoalError) Error() string { return fmt.Sprintf("goal %s: %s", e.Goal, e.Reason) }

// NoneFits says that no release is meant by a goal: what there is, and what is hidden and why.
func NoneFits(ctx context.Context, source universe.Source, app Application, goal Goal, p *universe.Package) error {
	says := fmt.Sprintf("no release of %s fits", goal.Name)
	hidden, err := Hidden(ctx, source, app, p.Name)
	switch {
	case err != nil:
		return err
	case hidden != "":
		return &GoalError{goal, says + " that may be used: " + hidden + "; what is left has the majors " +
			majors(p, app.Scheme)}
	}
	return &GoalError{goal, says + withdrawnOf(p, app.Scheme, goal.Constraint) + "; published majors: " +
		majors(p, app.Scheme)}
}

// withdrawnOf tells the newest release that a goal would mean if it were not withdrawn; "" when there is none.
func withdrawnOf(p *universe.Package, scheme version.Scheme, constraint string) string {
	meant, err := scheme.Goal(constraint)
	if err != nil {
		return ""
	}
	i := meant.Admit(p.Versions()).Minus(p.Standing()).Max()
	if i < 0 {
		return ""
	}
	return fmt.Sprintf(" that is not withdrawn: %s is (%s)", p.Version(i), p.At(i).Withdrawn)
}

func majors(p *universe.Package, scheme version.Scheme) string {
	var all []string
	stable, standing := map[string]bool{}, map[string]bool{}
	for i := range p.Len() {
		m := scheme.Major(p.Version(i))
		if !slices.Contains(all, m) {
			all = append(all, m)
		}
		if !p.Withdrawn(i) {
			standing[m] = true
			stable[m] = stable[m] || !p.Version(i).Prerelease()
		}
	}
	for i, m := range all {
		switch {
		case !standing[m]:
			all[i] = m + " (withdrawn)"
		case !stable[m]:
			all[i] = m + " (previews only)"
		}
	}
	return strings.Join(all, ", ")
}

// NotAmong adds the nearest of the names to a message.
func NotAmong(message, name string, names []string) string {
	if near := Nearest(name, names); near != "" && near != name {
		return message + "; did you mean " + near + "?"
	}
	return message
}

// A HeldError reports a goal for a package that people keep back.
type HeldError struct {
	Name, At, Reason string
	Goal             Goal
}

func (e *HeldError) Error() string {
	return fmt.Sprintf("%s is held at %s (%s), so %s is out of reach until that ends; molt hold %s --lift ends it", e.Name,
		e.At, e.Reason, e.Goal, e.Name)
}

// GoalTexts writes goals as people write them in a call.
func GoalTexts(goals []Goal) string {
	var all []string
	for _, g := range goals {
		all = append(all, g.String())
	}
	return strings.Join(all, " ")
}
