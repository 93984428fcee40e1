package plan

import (
	"context"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// sketch sketches what would follow the wall: the way on, as if what is blocked were not there.
func (p *planner) sketch(got *assess.Assessment) error {
	var blocked []string
	for _, one := range got.Packages {
		if one.Standing == project.Blocked && !slices.Contains(blocked, one.Name) {
			blocked = append(blocked, one.Name)
		}
	}
	if blocked == nil {
		return nil
	}
	done, now, question := slices.Clone(p.plan.Stages), p.now.Clone(), p.Judgement
	p.now = p.without(blocked)
	err := p.hops()
	if err == nil && p.plan.Reachable {
		p.plan.Sketch = slices.Clone(p.plan.Stages[len(done):])
	}
	p.plan.Stages, p.plan.Reachable = done, false
	p.now, p.Judgement = now, question
	return err
}

// weigh notes for each stage how weak the evidence is for where its packages go.
func (p *planner) weigh(stages []Stage) error {
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return err
	}
	set, err := p.Target(framework)
	if err != nil {
		return err
	}
	target := assess.Texts(framework, set)
	for i := range stages {
		st := &stages[i]
		for _, c := range st.Changes {
			if c.To == (project.Point{}) || c.Name == p.Goal.Name || st.Kind == PatchStage || st.Kind == MinorStage {
				continue
			}
			name := c.Name
			if d := p.Declaration(name); d.As != "" {
				name = d.Package
			}
			pkg, err := p.Full.Package(p.Ctx, name)
			if err != nil {
				return err
			}
			if _, ran := p.Ran(c.Name, c.To.Version, target); ran { // nothing weighs more
				if st.Weakest == "" {
					st.Weakest = project.Ran
				}
				continue
			}
			for _, e := range p.About(pkg, framework, c.To.Version, target) {
				// A release for a hop on the way refuses the goal by right.
				if e.Grade != project.None && e.Grade != project.Refused &&
					(st.Weakest == "" || project.Weaker(e.Grade, st.Weakest)) {
					st.Weakest = e.Grade
				}
			}
		}
	}
	return nil
}

// Costs says what each decision of people costs: how the plan, which is for some goals and cut in
// some way, would be without it.
func (p *Plan) Costs(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal,
	cut Cut) ([]fact.Fact, error) {
	type decision struct {
		what    fact.Fact
		without project.Application
	}
	var all []decision
	for _, name := range app.Held {
		without := app
		without.Held = slices.DeleteFunc(slices.Clone(app.Held), func(n string) bool { return n == name })
		all = append(all, decision{fact.New(HoldOf, app.HeldFor(name)), without})
	}
	if without := app; len(app.Fixed) > 0 {
		without.Fixed = nil
		all = append(all, decision{fact.New(GivenSet), without})
	}
	if without := app; app.Rules.Any() || app.Rules.Evidence != "" {
		without.Rules = project.Policy{}
		all = append(all, decision{fact.New(PolicyRule), without})
	}
	costs := make([]fact.Fact, len(all))
	err := assess.SideBySide(len(all), func(i int) error {
		says, err := p.CostOf(ctx, source, all[i].without, goals, cut)
		if !says.None() {
			costs[i] = fact.New(Without, all[i].what, says)
		}
		return err
	})
	return slices.DeleteFunc(costs, fact.Fact.None), err
}

// CostOf tells how the plan would be without a decision, given the application and the source
// without it; none when it would be the same.
func (p *Plan) CostOf(ctx context.Context, source universe.Source, without project.Application, goals []project.Goal,
	cut Cut) (fact.Fact, error) {
	other, err := NewPlan(ctx, source, without, goals, cut)
	if solve.AsTangle(err) != nil {
		return fact.Fact{}, nil
	}
	if err != nil {
		return fact.Fact{}, err
	}
	return difference(p, other), nil
}

// difference says in what another plan differs that counts: whether the goal can be reached, how many stages it takes,
// and where packages end.
func difference(plan, other *Plan) fact.Fact {
	var parts []fact.Fact
	if plan.Reachable != other.Reachable {
		if other.Reachable {
			parts = append(parts, fact.New(GoalOpens))
		} else {
			parts = append(parts, fact.New(GoalCloses))
		}
	} else if n := len(other.Stages) - len(plan.Stages); n != 0 {
		kind := MoreStages
		if n < 0 {
			n, kind = -n, LessStages
		}
		parts = append(parts, fact.New(kind, fact.Counted{N: n, Of: "stage"}))
	}
	ends, others := plan.ends(), other.ends()
	var moved []string
	for _, name := range sortedNames(ends, others) {
		if v := others[name]; v != ends[name] && v != "" {
			moved = append(moved, name+" "+v)
		}
	}
	if n := len(moved) - 3; n > 0 {
		parts = append(parts, fact.New(EndsAtMore, strings.Join(moved[:3], ", "), n))
	} else if moved != nil {
		parts = append(parts, fact.New(EndsAt, strings.Join(moved, ", ")))
	}
	return fact.Joined(parts...)
}

// ends returns the version at which a plan leaves each package that it moves.
func (p *Plan) ends() map[string]string {
	all := map[string]string{}
	for _, st := range p.Stages {
		for _, c := range st.Changes {
			all[c.Name] = c.To.Version
		}
	}
	return all
}

func sortedNames(maps ...map[string]string) []string {
	var names []string
	for _, m := range maps {
		for name := range m {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}
