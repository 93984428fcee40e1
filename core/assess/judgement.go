package assess

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Judgement is an application with a goal, and the view of the releases under which it is
// answered. It does not change once it is built: who asks under other circumstances takes a copy
// that says so (Briefly, Deployed, Raising, AnyRuntime, InSight).
type Judgement struct {
	Ctx    context.Context
	Source universe.Source
	Full   universe.Source // also what the deployed runtimes do not suit
	Real   universe.Source // what the registry has, as far as the policy permits: locks are made from it
	App    project.Application
	Goal   project.Goal
	Also   map[string][]string        // further goals: the releases that these packages may have in the end
	Raised map[string]version.Version // further goals: versions to which runtimes are to be raised
	Base   *solve.Resolution

	kin          kin
	memo         *memo
	brief        bool              // standings alone are asked for, and not the first and the newest release that would do
	others       Choice            // what pair lets the other packages choose from, with the framework in use
	othersAtGoal Choice            // the same with the goal, where they may have less to choose from
	meant        []string          // the releases of the goal
	sample       *solve.Resolution // one with the goal and all of othersAtGoal; nil when there is none
	impossible   *solve.Tangle     // why the goal does not resolve even by itself; see alone.go
	Together     Choice            // those that should go with the goal together
	pairs        *pairing          // how far dates count between packages
	ceilings     map[string]string // releases above which packages do not go; see Below
}

// Impossible returns why the goal does not resolve even by itself, nil where it does; a judgement
// that InSight returned knows.
func (a *Judgement) Impossible() *solve.Tangle { return a.impossible }

// Briefly returns the judgement when standings alone are asked for: the first and the newest release
// that would do are not worked out.
func (a *Judgement) Briefly() *Judgement {
	other := *a
	other.brief = true
	return &other
}

// Below returns the judgement when some declared packages do not go above given releases; nil for no such limits.
func (a *Judgement) Below(ceilings map[string]string) *Judgement {
	other := *a
	other.ceilings = ceilings
	return &other
}

// Under reports whether a release of a declared package is not above its ceiling.
func (a *Judgement) Under(name string, p *universe.Package, i int) bool {
	limit, limited := a.ceilings[name]
	return !limited || i <= p.Index(limit)
}

// Deployed returns the judgement as seen with what is deployed: releases that this does not suit are hidden.
func (a *Judgement) Deployed() *Judgement {
	other := *a
	other.view()
	return &other
}

// Raising returns the judgement with other versions of a runtime deployed, nil where nobody can tell which.
func (a *Judgement) Raising(name string, d project.Deployed) *Judgement {
	other := *a
	set := func(runtimes project.Runtimes) project.Runtimes {
		runtimes = maps.Clone(runtimes)
		if d == nil {
			delete(runtimes, name)
		} else {
			runtimes[name] = d
		}
		return runtimes
	}
	if _, said := a.App.Runtimes[name]; said || a.App.InferredRuntimes[name] == nil {
		other.App.Runtimes = set(a.App.Runtimes)
	} else {
		other.App.InferredRuntimes = set(a.App.InferredRuntimes)
	}
	if a.App.Seen != nil {
		other.Real = a.App.Seen(other.App.Assumed())
	}
	other.view()
	return &other
}

// Names returns the declared names that the registry serves, each once, in the order of the manifest.
func (a *Judgement) Names() []string {
	var all []string
	for _, d := range a.App.Declared {
		if project.Registered(d) && !slices.Contains(all, d.As) {
			all = append(all, d.As)
		}
	}
	return all
}

// Declaration returns the first declaration of a name.
func (a *Judgement) Declaration(name string) project.Declared {
	for _, d := range a.App.Declared {
		if d.As == name {
			return d
		}
	}
	return project.Declared{}
}

// Pkg returns the package of a declared name, with all its releases.
func (a *Judgement) Pkg(name string) (*universe.Package, error) {
	return a.Full.Package(a.Ctx, a.Declaration(name).Package)
}

// Locked returns the version that a declared name has in the base, "" for none.
func (a *Judgement) Locked(name string) string { return project.VersionOf(a.Base, name) }

// Usable returns the releases of a package that a plan may choose: stable ones, the given current one, and
// prereleases where someone said so.
func (a *Judgement) Usable(p *universe.Package, current string) version.Set {
	s := p.Stable()
	if slices.Contains(a.App.Previews, p.Name) {
		s = p.Standing()
	}
	if i := p.Index(current); i >= 0 {
		s.Add(i)
	}
	return s
}

// choosable is Usable for a declared name: a held one may only have the release that is locked.
func (a *Judgement) choosable(name string, p *universe.Package, current string) version.Set {
	i := p.Index(current)
	if i < 0 || !slices.Contains(a.App.Held, name) {
		return a.Usable(p, current)
	}
	s := version.NewSet(p.Len())
	s.Add(i)
	return s
}

// Texts returns the versions of some releases, ascending.
func Texts(p *universe.Package, s version.Set) []string {
	all := []string{} // not nil: no release is not the same as no choice
	for i := range s.All() {
		all = append(all, p.Version(i).String())
	}
	return all
}

// A Choice says which releases each declared name may have; a name that is not in it is left out.
type Choice map[string][]string

// Problem states the application with a choice of releases, near to the base where some are to be kept.
func (a *Judgement) Problem(c Choice, keep map[string][]string) solve.Problem {
	return a.ProblemFrom(a.Base, c, keep)
}

// ProblemFrom states the application with a choice of releases, near to a resolution where some are
// to be kept. The goal and its family are single.
func (a *Judgement) ProblemFrom(before *solve.Resolution, c Choice, keep map[string][]string) solve.Problem {
	p := solve.Problem{Strategy: a.App.Strategy, Keep: keep, Single: []string{a.Goal.Name}, Outside: a.App.Linked}
	for _, family := range a.App.Families {
		if slices.Contains(family, a.Goal.Name) {
			p.Single = family
		}
	}
	for _, d := range a.App.Declared {
		root := d.Root()
		if project.Registered(d) {
			among, ok := c[d.As]
			if !ok {
				continue
			}
			root.Among = among
			switch { // what a tangle shall say of it
			case d.As == a.Goal.Name && len(among) > 1:
				if meant, err := a.App.Scheme.Goal(a.Goal.Constraint); err == nil { // it was checked
					root.Text = meant.String()
				}
			case len(among) == 1:
				root.Text = among[0]
				if v, err := a.App.Scheme.Parse(among[0]); err == nil {
					root.Text = version.Only(a.App.Scheme, v)
				}
			default:
				root.Text = a.App.Scheme.Any()
			}
		}
		p.Roots = append(p.Roots, d.Roots(root, a.App.Scheme.Any(), a.App.Scheme.Any())...)
	}
	if keep != nil {
		p.Base = a.Continuing(before)
	}
	return p
}

// Continuing returns the base of a problem that continues a resolution. What one problem finds out
// about it serves the next.
func (a *Judgement) Continuing(r *solve.Resolution) *solve.Base {
	a.memo.mu.Lock()
	defer a.memo.mu.Unlock()
	for _, b := range a.memo.bases {
		if b.Resolution == r {
			return b
		}
	}
	b := solve.NewBase(r)
	if b != nil {
		const latest = 3
		a.memo.bases = append(a.memo.bases[max(0, len(a.memo.bases)-latest+1):], b)
	}
	return b
}

// OneAt reports whether the members of a workspace that stand apart have the framework, where they
// declare it, at one of some releases too.
func (a *Judgement) OneAt(r *solve.Resolution, releases []string) bool {
	return !slices.ContainsFunc(a.App.Declared, func(d project.Declared) bool {
		return d.Own == a.Goal.Name && !slices.Contains(releases, project.VersionOf(r, d.As))
	})
}

// Solve returns a resolution, or nil and the declared names that the refutation rests on.
func (a *Judgement) Solve(c Choice, keep map[string][]string) (*solve.Resolution, []string, error) {
	return solve.Try(a.Ctx, a.Source, a.Problem(c, keep))
}

// AskNone builds the judgement without a goal: what may move while nothing in particular is to be
// reached. Its base is the lock.
func AskNone(ctx context.Context, source universe.Source, app project.Application) *Judgement {
	source = project.Permitted(source, app)
	a := &Judgement{Ctx: ctx, Source: source, Full: source, Real: source, App: app, Base: app.Locked, memo: &memo{}}
	a.Full = a.following(a.Real)
	a.Source = a.Full
	return a
}

// AskOne is Ask for one goal. A goal without a constraint means the newest stable major.
func AskOne(ctx context.Context, source universe.Source, app project.Application,
	goal project.Goal) (*Judgement, error) {
	if !slices.Contains(app.Frameworks, goal.Name) {
		app.Frameworks = append(slices.Clone(app.Frameworks), goal.Name)
	}
	original := source
	source = project.Permitted(source, app)
	a := &Judgement{Ctx: ctx, Source: source, Full: source, Real: source, App: app, Goal: goal, memo: &memo{}}
	var names []string
	for _, d := range app.Declared {
		names = append(names, d.As)
	}
	if !slices.Contains(names, goal.Name) {
		for _, r := range app.Known {
			if r.Name == goal.Name {
				return nil, &project.GoalError{
					Goal: goal, Reason: "it is a runtime, and no goal of its own: name the framework's before it, such as " +
						"brackwater@5 " + goal.String()}
			}
		}
		return nil, &project.GoalError{
			Goal: goal, Reason: project.NotAmong("no declared package has this name", goal.Name, names)}
	}
	if d := a.Declaration(goal.Name); !project.Registered(d) {
		return nil, &project.GoalError{
			Goal: goal, Reason: fmt.Sprintf("%s does not come from the registry (%s)", goal.Name, d.Text)}
	}
	p, err := a.Pkg(goal.Name)
	if err != nil {
		return nil, err
	}
	if goal.Constraint == "" {
		newest := p.Newest()
		if newest == nil {
			return nil, &project.GoalError{Goal: goal, Reason: "it has no releases"}
		}
		a.Goal.Constraint = app.Scheme.Major(newest.Version)
	}
	if _, err := app.Scheme.Goal(a.Goal.Constraint); err != nil {
		return nil, &project.GoalError{Goal: goal, Reason: err.Error()}
	}
	if set, err := a.Target(p); err != nil || set.Empty() {
		return nil, project.NoneFits(ctx, original, app, goal, p)
	}
	if a.Base, err = project.Baseline(ctx, source, app); err != nil {
		return nil, err
	}
	set, err := a.Target(p)
	if err != nil || set.Max() < p.Index(a.Locked(goal.Name)) {
		return nil, &project.GoalError{
			Goal: a.Goal, Reason: fmt.Sprintf("it is older than what is in use, %s; molt back and molt want lead back",
				a.Locked(goal.Name))}
	}
	a.meant = Texts(p, set)
	if slices.Contains(app.Held, goal.Name) && !slices.Contains(a.meant, a.Locked(goal.Name)) {
		return nil, &project.HeldError{Name: goal.Name, At: a.Locked(goal.Name), Reason: app.Reasons[goal.Name], Goal: a.Goal}
	}
	a.lookAtEnds()
	if err := a.relatives(); err != nil {
		return nil, err
	}
	a.Full = a.following(a.Real)
	a.Source = a.Full
	return a, nil
}

// view sets the sources to those seen with the runtimes that are taken to be deployed.
func (a *Judgement) view() {
	v := a.memo.view(a.pairs, a.App.Assumed(), a.Raised, func() view {
		full := a.following(a.Real)
		return view{full, a.runnable(a.paired(full), a.App.Assumed())}
	})
	a.Full, a.Source = v.full, v.source
}

// runnable returns what of a source runs on some runtimes.
func (a *Judgement) runnable(source universe.Source, runtimes project.Runtimes) universe.Source {
	app := a.App
	app.Runtimes = runtimes
	return project.RunnableFrom(source, app, a.Base)
}

// Meant lists the releases that the goal means, ascending.
func (a *Judgement) Meant() []string { return a.meant }

// Target returns the releases that the goal means; withdrawn ones only where it names one exactly.
func (a *Judgement) Target(p *universe.Package) (version.Set, error) {
	meant, err := a.App.Scheme.Goal(a.Goal.Constraint)
	if err != nil {
		return version.Set{}, err
	}
	set := meant.Admit(p.Versions())
	if a.App.Scheme.StyleOf(a.Goal.Constraint) != version.Exact {
		set = set.And(p.Standing())
	}
	if set.Empty() { // a major of which there are only previews, when these are allowed
		set = version.NewSet(p.Len())
		for i := range a.Usable(p, "").All() {
			if a.App.Scheme.Major(p.Version(i)) == a.Goal.Constraint {
				set.Add(i)
			}
		}
	}
	return set, nil
}
