package history

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/core/plan"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// A Tally counts, over histories, how what was decided from metadata fares in truth.
type Tally struct {
	Policy     string
	Histories  int
	Stages     int // up to the goal, in all plans
	Broken     int // of these, what does not run
	Told       int // of these, those of which what is published tells that
	Goals      int // sets of releases with which a goal is said to be reached
	GoalBreaks int // of these, what does not run
	Possible   int // histories in which the goal can be reached in truth
	Walls      int // of these, those in which it is said that it cannot be, though what is stated admits it
	Standings  int // of declared packages: that they stay, or that a release goes with both majors
	Wrong      int // of these, what is not so
	// breaking moves beyond what truth needs within what is admitted, in plans that reach the goal;
	// negative where a plan does with fewer than run
	Majors     int
	Compared   int // these plans
	Downgrades int
}

// Believed is the policy of a resolver that believes what is stated. It comes first, since what it
// reaches is what is stated to be possible.
const Believed = "metadata believed"

// TallyHead names the columns of Tally.String.
const TallyHead = "policy            histories  stages broken    told    goals broken   false walls  standings wrong " +
	" majors beyond  downgrades"

func (t Tally) String() string {
	share := func(n, of int) string { return fmt.Sprintf("%5.1f %%", 100*float64(n)/float64(max(of, 1))) }
	return fmt.Sprintf("%-18s %8d %7d %s %s  %5d %s     %s      %6d %s        %+.2f %11d", t.Policy, t.Histories, t.Stages,
		share(t.Broken, t.Stages), share(t.Told, t.Stages), t.Goals,
		share(t.GoalBreaks, t.Goals), share(t.Walls, t.Possible), t.Standings, share(t.Wrong, t.Standings),
		float64(t.Majors)/float64(max(t.Compared, 1)), t.Downgrades)
}

// Need is what a goal takes in truth.
type Need struct {
	Possible bool // there is a set of releases that runs
	Majors   int  // the fewest breaking moves besides the framework's to one that is admitted too; -1 where there is none
}

// Need finds out what the goal takes.
func (h *History) Need(ctx context.Context) (Need, error) {
	any, err := h.fewest(ctx, h.Truth())
	if err != nil || any < 0 {
		return Need{false, -1}, err
	}
	admitted, err := h.fewest(ctx, h.Admitted())
	return Need{true, admitted}, err
}

// fewest returns how few breaking moves lead to the goal where all releases state what they run with; -1 for none.
func (h *History) fewest(ctx context.Context, truth universe.Table) (majors int, err error) {
	app := h.App
	app.Kin, app.Locked = nil, nil // names prove nothing where everything is stated
	problem := app.Problem()
	for i := range problem.Roots {
		problem.Roots[i].Among = []string{project.VersionOf(h.App.Locked, problem.Roots[i].As)}
	}
	if app.Locked, err = solve.Resolve(ctx, truth, problem); err != nil {
		return 0, fmt.Errorf("the application does not run where it stands: %w", err)
	}
	p, err := plan.NewPlan(ctx, truth, app, []project.Goal{h.Goal}, plan.Cut{Fresh: plan.FreshNone, Leap: true})
	if err != nil || !p.Reachable {
		return -1, err
	}
	return h.majors(p.Stages[p.AtGoal-1].After), nil
}

// majors counts the declared packages besides the framework that a resolution moves by a breaking jump.
func (h *History) majors(r *solve.Resolution) (n int) {
	for _, d := range h.App.Declared {
		p := h.Universe[d.Package]
		from, to := p.Known(project.VersionOf(h.App.Locked, d.As)), p.Known(project.VersionOf(r, d.As))
		if d.As != framework && from != nil && to != nil && h.App.Breaking(d.As, from.Version, to.Version) {
			n++
		}
	}
	return n
}

func (h *History) downgrades(r *solve.Resolution) (n int) {
	for _, d := range h.App.Declared {
		p := h.Universe[d.Package]
		if to := project.VersionOf(r, d.As); to != "" && p.Index(to) < p.Index(project.VersionOf(h.App.Locked, d.As)) {
			n++
		}
	}
	return n
}

// Plan tallies the plan for the goal.
func (t *Tally) Plan(ctx context.Context, h *History, need Need, cut plan.Cut) (*plan.Plan, error) {
	p, err := plan.NewPlan(ctx, h.Universe, h.App, []project.Goal{h.Goal}, cut)
	if err != nil {
		return nil, err
	}
	var last *solve.Resolution
	for _, st := range p.Stages[:p.AtGoal] {
		if st.After == nil {
			continue
		}
		last = st.After
		t.stage(h, st.After)
	}
	t.reached(h, p.Reachable, last, need)
	for _, a := range p.Assessed.Packages {
		to := a.Locked
		switch a.Standing {
		case project.Ready:
		case project.Bridge:
			if to = a.To; !h.Fits(a.Name, to, framework, project.VersionOf(h.App.Locked, framework)) {
				t.Wrong++
				t.Standings++
				continue
			}
		default:
			continue
		}
		t.Standings++
		if !h.Fits(a.Name, to, framework, p.Assessed.Release) {
			t.Wrong++
		}
	}
	return p, nil
}

// stage tallies one stage.
func (t *Tally) stage(h *History, r *solve.Resolution) {
	t.Stages++
	if breaks := h.Breaks(r); len(breaks) > 0 {
		t.Broken++
		if slices.ContainsFunc(breaks, func(b Break) bool { return b.Told }) {
			t.Told++
		}
	}
}

// reached tallies the set of releases with which a goal is reached, if it is.
func (t *Tally) reached(h *History, reached bool, r *solve.Resolution, need Need) {
	t.Histories++
	if need.Possible {
		t.Possible++
	}
	if !reached {
		if need.Possible && h.admitted {
			t.Walls++
		}
		return
	}
	t.Goals++
	if len(h.Breaks(r)) > 0 {
		t.GoalBreaks++
	}
	t.Downgrades += h.downgrades(r)
	if need.Majors >= 0 {
		t.Majors += h.majors(r) - need.Majors
		t.Compared++
	}
}

// Newest tallies what comes of raising every declared package to its newest release, as many as resolve.
func (t *Tally) Newest(ctx context.Context, h *History, need Need) error {
	return t.resolved(ctx, h, need, func(p *universe.Package, at int) []string {
		return []string{p.Newest().Version.String()}
	})
}

// Resolver tallies what a resolver makes of it that believes all that is stated, and moves what it has to.
func (t *Tally) Resolver(ctx context.Context, h *History, need Need) error {
	return t.resolved(ctx, h, need, func(p *universe.Package, at int) (all []string) {
		for _, v := range p.Versions()[at:] {
			all = append(all, v.String())
		}
		return all
	})
}

func (t *Tally) resolved(ctx context.Context, h *History, need Need,
	among func(p *universe.Package, at int) []string) error {
	problem := h.App.Problem()
	problem.Keep, problem.Single = h.App.Locked.Versions(), []string{framework}
	for i := range problem.Roots {
		root := &problem.Roots[i]
		p := h.Universe[root.Package]
		root.Among = among(p, p.Index(project.VersionOf(h.App.Locked, root.As)))
		if root.As == framework {
			root.Among = nil
			for _, v := range p.Versions() {
				if strings.HasPrefix(v.String(), h.Goal.Constraint+".") {
					root.Among = append(root.Among, v.String())
				}
			}
			slices.Reverse(root.Among)
		}
	}
	r, _, err := solve.Try(ctx, h.Universe, problem)
	if err != nil {
		return err
	}
	if t.Policy == Believed {
		h.admitted = r != nil
	}
	if t.reached(h, r != nil, r, need); r != nil {
		t.stage(h, r)
	}
	return nil
}
