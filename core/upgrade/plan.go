package upgrade

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A StageKind says why a stage is there.
type StageKind string

// The kinds of stage, in the order in which a plan has them. The last four repeat for every hop.
const (
	BaselineStage StageKind = "baseline" // lock what is there
	PatchStage    StageKind = "patch"    // patch releases, together
	MinorStage    StageKind = "minor"    // minor releases, together
	BridgeStage   StageKind = "bridge"   // a package that goes with both, before the framework
	RuntimeStage  StageKind = "runtime"  // raise a runtime; by hand
	GoalStage     StageKind = "goal"     // the framework, with exactly what cannot go before or wait
	AfterStage    StageKind = "after"    // what the goal opens
	RetireStage   StageKind = "retire"   // what the goal makes superfluous
)

// StageKinds lists the kinds of stage.
var StageKinds = []StageKind{BaselineStage, PatchStage, MinorStage, BridgeStage, RuntimeStage, GoalStage, AfterStage, RetireStage}

// A Plan leads from where an application stands to a goal.
type Plan struct {
	Goal      Goal
	Reachable bool
	Stages    []Stage
	Also      []Goal
	Wall      []string // when it is not reachable: what stands in the way, a line each
	Tangle    *solve.Tangle
	Beyond    []Stage  // when it is not reachable: what would follow if it were not for what is blocked; a sketch
	Costs     []string // what decisions of people cost, a sentence each
	Touches   []Touch  // the facts of upgrade guides that touch the application
}

// A Cut says how a plan is cut. The zero Cut freshens everything, and goes one major at a time.
type Cut struct {
	Fresh Fresh
	Leap  bool // to the goal in one leap
}

// Fresh says how far to freshen what the goal does not need.
type Fresh string

// The ways to freshen.
const (
	FreshNone  Fresh = "none"
	FreshPatch Fresh = "patch"
	FreshMinor Fresh = "minor"
	FreshMajor Fresh = "major" // everything; the default
)

// Freshness lists them.
var Freshness = []Fresh{FreshNone, FreshPatch, FreshMinor, FreshMajor}

// most is the greatest jump of what the goal does not need.
func (c Cut) most() version.Jump {
	switch c.Fresh {
	case FreshNone:
		return version.Same
	case FreshPatch:
		return version.Patch
	case FreshMinor:
		return version.Minor
	}
	return version.Major
}

// A Stage is a set of manifest changes after which the whole resolves.
type Stage struct {
	ID      string
	Kind    StageKind
	Title   string
	Changes []Change
	Raise   []RuntimeNeed     // of a runtime stage
	After   *solve.Resolution // nil for a runtime stage, which changes no package
	Locked  Moves
	Optimum *Optimum // of a goal stage
	Family  string   // the ground on which its packages move in step, "" where they do not
	Weakest Grade    // of the evidence for where its packages go, "" where there is none to be had
}

// A Change is what a stage does to one declaration. From is zero for an added one, To for a removed one.
type Change struct {
	Name     string
	Group    string
	From, To Point
	Jump     version.Jump
	Standing Standing
	Reason   string
}

// A Point is a constraint with the release that it leads to.
type Point struct{ Constraint, Version string }

// Moves counts what a stage does to the lock.
type Moves struct{ Added, Removed, Moved int }

// A line is the one identity of a declaration: a name may be declared in several files and groups, and under several
// conditions.
type line struct {
	File  string // of several manifest files, relative to the application; "" for the main one
	Group string
	Name  string
	When  string // the condition under which it holds, "" for always
}

// state is the application between two stages.
type state struct {
	lines  map[line]string // constraints of the manifest
	locked *solve.Resolution
	gone   map[string]bool
	added  []Declared
}

func (s state) clone() state {
	return state{maps.Clone(s.lines), s.locked, maps.Clone(s.gone), slices.Clone(s.added)}
}

// A planner collects stages.
type planner struct {
	*advisor
	assessed map[string]Assessed
	plan     *Plan
	now      state
	cut      Cut
	bridging family          // the one that is being looked at
	visited  map[string]bool // where families that were bridged have stood since the hop began
	bridged  map[string]bool // the families that a bridge of the hop has moved
	closed   map[string]bool // what opens found to have no resolution
}

// NewPlan makes the plan for some goals, of which the first is the framework's. Every stage in it was solved. When the
// goal is out of reach the plan goes as far as it can, and Wall says what stands in the way.
func NewPlan(ctx context.Context, source universe.Source, app Application, goals []Goal, cut Cut) (*Plan, error) {
	a, err := newAdvisorFor(ctx, source, app, goals)
	if err != nil {
		return nil, err
	}
	assessment, err := a.assess()
	if err != nil {
		return nil, err
	}
	a.source = runnableFrom(a.full, app, a.base)
	p := &planner{advisor: a, assessed: map[string]Assessed{}, plan: &Plan{Goal: a.goal, Also: goals[1:], Tangle: assessment.Tangle, Touches: assessment.Touches}, cut: cut, closed: map[string]bool{}}
	for _, got := range assessment.Packages {
		p.assessed[got.Name] = got
	}
	p.now = state{lines: map[line]string{}, locked: a.base, gone: map[string]bool{}}
	for _, d := range app.Declared {
		p.now.lines[d.line()] = d.Text
	}
	if !app.Current() {
		p.plan.Stages = append(p.plan.Stages, Stage{ID: "baseline", Kind: BaselineStage, Title: "lock what the manifest asks for",
			After: a.base, Locked: MovesBetween(app.Locked, a.base)})
	}
	for _, step := range []func() error{p.patches, p.minors, p.hops} {
		if err := step(); err != nil {
			return nil, err
		}
	}
	if p.plan.Reachable {
		if err := p.after(); err != nil {
			return nil, err
		}
		return p.plan, p.weigh(p.plan.Stages)
	}
	if err := p.beyond(assessment); err != nil {
		return nil, err
	}
	if err := p.weigh(p.plan.Stages); err != nil {
		return nil, err
	}
	for _, got := range assessment.Packages {
		if got.Standing == Blocked {
			line := fmt.Sprintf("%s: no release goes with %s", got.Name, a.goal)
			if got.Preview != "" {
				line += fmt.Sprintf("; the prerelease %s would", got.Preview)
			}
			p.plan.Wall = append(p.plan.Wall, line)
		}
	}
	return p.plan, nil
}

// exact gives every declared name the release that it has.
func (p *planner) exact(s state) choice {
	c := choice{}
	for _, name := range p.names() {
		if v := versionOf(s.locked, name); v != "" && !s.gone[name] {
			c[name] = []string{v}
		}
	}
	return c
}

// patches and minors move everything that can move safely, together.
func (p *planner) patches() error { return p.freshen(PatchStage, version.Patch) }
func (p *planner) minors() error  { return p.freshen(MinorStage, version.Minor) }

func (p *planner) freshen(kind StageKind, most version.Jump) error {
	if most > p.cut.most() {
		return nil
	}
	c := p.exact(p.now)
	moving := map[string]bool{}
	for _, name := range p.names() {
		pkg, err := p.pkg(name)
		if err != nil {
			return err
		}
		current := versionOf(p.now.locked, name)
		at := pkg.Index(current)
		if at < 0 || p.pinned(name) || slices.Contains(p.app.Held, name) {
			continue
		}
		here := pkg.Releases[at].Version
		var fresh []string
		for i := range p.usable(pkg, current).All() {
			r := &pkg.Releases[i]
			jump := p.app.Scheme.Jump(here, r.Version)
			if i == at || i > at && jump <= most && !p.app.Scheme.Breaking(here, r.Version) && r.Deprecated == "" && !r.Version.Prerelease() {
				fresh = append(fresh, r.Version.String())
			}
		}
		c[name] = fresh
		if len(fresh) > 1 {
			moving[name] = true
		}
	}
	r, _, err := p.solve(c, keepExcept(p.now.locked, moving))
	if err != nil || r == nil {
		return err
	}
	_, err = p.stage(kind, string(kind), fmt.Sprintf("all %s releases, together", kind), versionsOf(r, p.names()),
		func(string) string { return fmt.Sprintf("newest %s release", kind) })
	return err
}

// pinned reports whether the manifest asks for exactly one release: someone meant that.
func (p *planner) pinned(name string) bool {
	pkg, err := p.pkg(name)
	if err != nil {
		return false
	}
	set := p.admitted(pkg, p.now, name)
	if set.Count() != 1 {
		return false
	}
	for _, d := range p.app.Declared {
		if d.As == name {
			return p.app.Scheme.StyleOf(p.now.lines[line{Group: d.Group, Name: name, When: d.When}]) == version.Exact
		}
	}
	return false
}

func versionsOf(r *solve.Resolution, names []string) map[string]string {
	all := map[string]string{}
	for _, name := range names {
		if v := versionOf(r, name); v != "" {
			all[name] = v
		}
	}
	return all
}

// stage turns target versions into manifest changes, solves what the manifest then says, and adds the stage when that
// works out. It reports whether it did; a stage that changes nothing is not added, and is no failure.
func (p *planner) stage(kind StageKind, id, title string, to map[string]string, reason func(name string) string) (bool, error) {
	st, next, err := p.inStep(kind, id, title, to, reason)
	if err != nil || st == nil {
		return false, err
	}
	if len(st.Changes) > 0 {
		p.plan.Stages = append(p.plan.Stages, *st)
		p.now = next
	}
	return true, nil
}

// try makes a stage without adding it; nil when it does not resolve.
func (p *planner) try(kind StageKind, id, title string, to map[string]string, reason func(name string) string) (*Stage, state, error) {
	next := p.now.clone()
	st := &Stage{ID: id, Kind: kind, Title: title}
	for _, d := range p.app.Declared {
		target, listed := to[d.As]
		from := versionOf(p.now.locked, d.As)
		if p.now.gone[d.As] || !registered(d) || !listed || target == from {
			continue
		}
		change := Change{Name: d.As, Group: d.Group, From: Point{p.now.lines[d.line()], from}, Standing: p.assessed[d.As].Standing, Reason: reason(d.As)}
		if err := p.complete(&change, target); err != nil {
			return nil, next, err
		}
		next.lines[d.line()] = change.To.Constraint
		st.Changes = append(st.Changes, change)
	}
	return p.seal(st, next, to)
}

// complete fills in where a change leads.
func (p *planner) complete(change *Change, target string) error {
	pkg, err := p.pkg(change.Name)
	if err != nil {
		return err
	}
	after := pkg.Release(target)
	change.To = Point{p.app.Scheme.Restyle(change.From.Constraint, after.Version), target}
	if before := pkg.Release(change.From.Version); before != nil {
		change.Jump = p.app.Scheme.Jump(before.Version, after.Version)
	}
	return nil
}

// seal solves the manifest as a stage leaves it, each changed package at its target and everything else as it is
// locked where that is possible. Execution solves the same problem again.
func (p *planner) seal(st *Stage, next state, to map[string]string) (*Stage, state, error) {
	r, err := LockStage(p.ctx, p.full, p.app, p.declared(next), p.now.locked, to)
	if asTangle(err) != nil {
		return nil, next, nil
	}
	if err != nil {
		return nil, next, err
	}
	st.After, st.Locked = r, MovesBetween(p.now.locked, r)
	next.locked = r
	return st, next, nil
}

// declared returns the declarations of a state.
func (p *planner) declared(s state) []Declared {
	var all []Declared
	for _, d := range slices.Concat(p.app.Declared, s.added) {
		if !s.gone[d.As] {
			d.Text = s.lines[d.line()]
			all = append(all, d)
		}
	}
	return all
}

// LockStage solves the declarations that a stage leaves behind, with the named targets and otherwise as near to what was
// locked before as can be found. It is what a plan computes and what carrying it out computes again.
func LockStage(ctx context.Context, source universe.Source, app Application, declared []Declared, before *solve.Resolution, to map[string]string) (*solve.Resolution, error) {
	app.Declared = declared
	p := solve.Problem{Tenancy: app.Tenancy, Single: app.singles(before, to)}
	if before != nil {
		p.Keep, p.KeepEdges = before.Versions(), keepEdges(before)
	}
	for _, d := range declared {
		root := solve.Root{Demand: d.Demand, Group: d.Group}
		if v, ok := to[d.As]; ok && registered(d) {
			root.Among = []string{v}
		}
		p.Roots = append(p.Roots, root)
	}
	if before == nil {
		return resolveRunnable(ctx, source, app, p)
	}
	o := solve.NewOptimizer(ctx, runnableFrom(source, app, before), p)
	o.Effort = effort
	best, err := o.Minimize(keepLocked(before))
	if err != nil {
		return nil, err
	}
	if best == nil {
		return resolveRunnable(ctx, source, app, p) // for the tangle
	}
	return best.Resolution, nil
}

// MovesBetween compares two resolutions package by package: a package at another release has moved.
func MovesBetween(before, after *solve.Resolution) Moves {
	var m Moves
	was, is := map[string][]string{}, after.Versions()
	if before != nil {
		was = before.Versions()
	}
	for name, versions := range is {
		slices.Sort(versions)
		old := was[name]
		slices.Sort(old)
		switch {
		case old == nil:
			m.Added++
		case !slices.Equal(slices.Compact(old), slices.Compact(versions)):
			m.Moved++
		}
	}
	for name := range was {
		if is[name] == nil {
			m.Removed++
		}
	}
	return m
}
