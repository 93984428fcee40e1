// Package plan cuts the way to a goal into stages, each of which resolves as a whole, and finds the
// culprit when the checks of one fail. It also works out how to declare single packages ([Want]).
// It computes on values; files, registries, the clock and the terminal are elsewhere. The words are
// explained in docs/words.md.
package plan

import (
	"context"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Plan leads from where an application stands to a goal.
type Plan struct {
	Goal      project.Goal
	Reachable bool
	Stages    []Stage
	AtGoal    int      // how many of the stages lead to the goal; the others come after it
	Behind    []Behind // declared packages that do not get to their newest major
	Also      []project.Goal
	Wall      []fact.Fact // when it is not reachable: what stands in the way, a line each
	Tangle    *solve.Tangle
	Assessed  *assess.Assessment // that it rests on, without the first and the newest releases that would do
	// when it is not reachable: what would follow if it were not for what is blocked; a sketch
	Sketch  []Stage
	Touches []assess.Touch // the facts of upgrade guides that touch the application
}

// A planner collects stages.
type planner struct {
	*assess.Judgement // as it is asked at this point of the plan
	assessed          map[string]assess.Assessed
	plan              *Plan
	now               project.Draft
	cut               Cut
	enough            *assess.Judgement // with the least runtime that the hop under way needs
	bridging          family            // the one that is being looked at
	visited           map[string]bool   // where families that were bridged have stood since the hop began
	closed            map[string]bool   // what opens found to have no resolution
	destination       []string          // the releases of the goal, where it can be reached; nil where not
	closes            bool              // the stage that was tried last would have closed the goal
}

// NewPlan makes the plan for some goals, of which the first is the framework's. Every stage in it was solved. When the
// goal is out of reach the plan goes as far as it can, and Wall says what stands in the way.
func NewPlan(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal,
	cut Cut) (*Plan, error) {
	if p, err := inTurn(ctx, source, app, goals, cut); err != nil || p != nil {
		return p, err
	}
	p, err := newOne(ctx, source, app, goals, cut)
	if err != nil {
		return nil, err
	}
	return p.plan, nil
}

// newOne makes the plan for goals that are reached together, and returns the planner where it ends.
func newOne(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal,
	cut Cut) (*planner, error) {
	a, err := assess.Ask(ctx, source, app, goals)
	if err != nil {
		return nil, err
	}
	p, err := newPlan(a, goals, cut)
	if err == nil && !p.plan.Reachable && p.plan.Assessed.Reachable {
		// a stage on the way may need what dates between packages speak against
		return newPlan(a.Trusting(), goals, cut)
	}
	return p, err
}

func newPlan(a *assess.Judgement, goals []project.Goal, cut Cut) (*planner, error) {
	app := a.App
	assessment, err := a.Briefly().Assess()
	if err != nil {
		return nil, err
	}
	assessment.Also = goals[1:]
	a = a.Deployed()
	p := &planner{Judgement: a, assessed: map[string]assess.Assessed{},
		plan: &Plan{Goal: a.Goal, Also: goals[1:], Tangle: assessment.Tangle, Assessed: assessment,
			Touches: assessment.Touches}, cut: cut, closed: map[string]bool{}}
	for _, got := range assessment.Packages {
		p.assessed[got.Name] = got
	}
	p.now = project.Draft{Lines: map[project.Line]string{}, Locked: a.Base, Gone: map[string]bool{}}
	for _, d := range app.Declared {
		p.now.Lines[d.Line()] = d.Text
	}
	if assessment.Reachable {
		framework, err := p.Pkg(a.Goal.Name)
		if err != nil {
			return nil, err
		}
		set, err := p.Target(framework)
		if err != nil {
			return nil, err
		}
		p.destination = assess.Texts(framework, set)
	}
	if !app.Current() && !cut.begun {
		p.plan.Stages = append(p.plan.Stages,
			Stage{ID: "baseline", Kind: BaselineStage, Title: fact.New(LockManifest),
				After: a.Base, Locked: project.MovesBetween(app.Locked, a.Base)})
	}
	steps := []func() error{p.patches, p.minors, p.hops}
	if cut.begun {
		steps = steps[2:]
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return nil, err
		}
	}
	p.destination = nil // what comes after is another matter
	if p.plan.Reachable {
		p.plan.AtGoal = len(p.plan.Stages)
		follow := p.tail
		if cut.goesOn { // what goes with this goal goes now
			follow = p.retire
		}
		if err := follow(); err != nil {
			return nil, err
		}
		return p, p.weigh(p.plan.Stages)
	}
	if err := p.tail(); err != nil { // what can be done with the major in use
		return nil, err
	}
	if err := p.sketch(assessment); err != nil {
		return nil, err
	}
	if err := p.weigh(p.plan.Stages); err != nil {
		return nil, err
	}
	if assessment.Alone {
		p.plan.Wall = append(p.plan.Wall,
			fact.New(Irresolvable, a.Goal))
	}
	for _, got := range assessment.Packages {
		if got.Standing == project.Blocked {
			line := project.Blocks(got.Name, project.GoalTexts(append([]project.Goal{a.Goal}, p.plan.Also...)), got.Held)
			if got.Preview != "" && !got.Held {
				line = fact.New(PreviewWould, line, got.Preview)
			}
			p.plan.Wall = append(p.plan.Wall, line)
		}
	}
	return p, nil
}

// Problem states the application with a choice of releases, as it stands at this point of the plan.
func (p *planner) Problem(c assess.Choice, keep map[string][]string) solve.Problem {
	return p.ProblemFrom(p.now.Locked, c, keep)
}

// Solve returns a resolution, or nil and the declared names that the refutation rests on.
func (p *planner) Solve(c assess.Choice, keep map[string][]string) (*solve.Resolution, []string, error) {
	return solve.Try(p.Ctx, p.Source, p.Problem(c, keep))
}

// reasons tells why a stage moves each package.
type reasons func(name string) fact.Fact

// because gives one reason for all packages of a stage.
func because(kind fact.Kind, of ...any) reasons {
	return func(string) fact.Fact { return fact.New(kind, of...) }
}

// stage turns target versions into manifest changes, solves what the manifest then says, and adds the stage when that
// works out. It reports whether it did; a stage that changes nothing is not added, and is no failure.
func (p *planner) stage(kind StageKind, id string, title fact.Fact, to map[string]string,
	reason reasons) (bool, error) {
	p.closes = false
	st, next, err := p.inStep(kind, id, title, to, reason)
	if err != nil || st == nil {
		return false, err
	}
	if len(st.Changes) > 0 {
		if next, err = p.withoutTypes(st, next); err != nil {
			return false, err
		}
		if open, err := p.open(next); err != nil || !open {
			p.closes = err == nil
			return false, err
		}
		p.plan.Stages = append(p.plan.Stages, *st)
		p.now = next
	}
	return true, nil
}

// try makes a stage without adding it; nil when it does not resolve.
func (p *planner) try(kind StageKind, id string, title fact.Fact, to map[string]string,
	reason reasons) (*Stage, project.Draft, error) {
	next := p.now.Clone()
	st := &Stage{ID: id, Kind: kind, Title: title}
	for _, d := range p.App.Declared {
		target, listed := to[d.As]
		from := project.VersionOf(p.now.Locked, d.As)
		if p.now.Gone[d.As] || !project.Registered(d) || !listed || target == from {
			continue
		}
		change := project.Change{Name: d.As, Group: d.Group,
			From: project.Point{Constraint: p.now.Lines[d.Line()], Version: from}, Standing: p.assessed[d.As].Standing,
			Reason: reason(d.As)}
		if err := p.complete(&change, target); err != nil {
			return nil, next, err
		}
		next.Lines[d.Line()] = change.To.Constraint
		st.Changes = append(st.Changes, change)
	}
	return p.seal(st, next, to)
}

// complete fills in where a change leads.
func (p *planner) complete(change *project.Change, target string) error {
	pkg, err := p.Pkg(change.Name)
	if err != nil {
		return err
	}
	after := pkg.Release(target)
	change.To = project.Point{Constraint: version.Restyled(p.App.Scheme, change.From.Constraint, after.Version), Version: target}
	if after.Deprecated != "" {
		change.Reason = fact.Joined(change.Reason, fact.New(NoneElse, after.Deprecated))
	}
	if before := pkg.Release(change.From.Version); before != nil {
		change.Jump = p.App.JumpOf(change.Name, before.Version, after.Version)
	}
	return nil
}

// seal solves the manifest as a stage leaves it, each changed package at its target and everything else as it is
// locked where that is possible. Execution solves the same problem again.
func (p *planner) seal(st *Stage, next project.Draft, to map[string]string) (*Stage, project.Draft, error) {
	r, err := project.TryStage(p.Ctx, p.Real, p.App,
		project.StageDemand{Declared: p.declared(next), To: to, Before: p.now.Locked, Base: p.Continuing(p.now.Locked)})
	if err != nil || r == nil {
		return nil, next, err
	}
	st.After, st.Locked = r, project.MovesBetween(p.now.Locked, r)
	next.Locked = r
	st.Companions, err = p.companions(st, next)
	return st, next, err
}

// declared returns the declarations of a state.
func (p *planner) declared(s project.Draft) []project.Declared {
	var all []project.Declared
	for _, d := range slices.Concat(p.App.Declared, s.Added) {
		if !s.Gone[d.As] {
			d.Text = s.Lines[d.Line()]
			all = append(all, d)
		}
	}
	return all
}
