// Package assess decides what a goal means for an application: the standing of each package, and the evidence for it.
//
// A [Question] is an application, a goal and a view of the releases; it is built once, by Ask.
// Every standing is decided by solving the whole application, not by reading one line of metadata.
// The words are those of docs/words.md.
package assess

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Assessment says what a goal means for an application.
type Assessment struct {
	Scheme    version.Scheme
	Goal      project.Goal
	Release   string // the release of the goal that a resolution found; else the newest that the goal means
	Reachable bool
	Reached   bool           // what is locked is the goal already
	Tangle    *solve.Tangle  // why it is not, when no single package is to blame
	Runtimes  []RuntimeNeed  // needed for the goal, at the least
	Opens     []string       // what a newer runtime than that would open: a release with what it needs
	Packages  []Assessed     // in the order of the manifest, without the goal; then those that nobody declares
	Also      []project.Goal // the further goals
	// it does not resolve even by itself, which the tangle is about; the packages are judged as if
	// that were not in the way
	Alone   bool
	Waits   []Wait      // what to wait for, when it is out of reach because of single packages
	Remarks []fact.Fact // what is to be known of all of it
	Against []Doubtful  // what is taken though its date speaks against it, because nothing better goes with the rest
	Enough  bool        // whether releases of these alone would make it reachable
	Touches []Touch     // the facts of upgrade guides that touch the application
}

// An Assessed package is one declared package with its standing.
type Assessed struct {
	Name     string
	Group    string
	Declared string
	Locked   string
	Standing project.Standing
	To       string   // the release to move to, "" for none or no need
	First    string   // the first release that names the goal and resolves with it, "" for none
	Newest   string   // the newest such release
	Through  []string // of a blocked package: those that it brings in and that are why
	By       string   // of a package that nobody declares: the declared one over which it comes
	Older    string   // of a blocked package: the newest of the releases before the locked one that would go with the goal
	Preview  string   // a prerelease that would go with the goal, where only prereleases do
	Retires  *Retirement
	Held     bool // people keep it at the release that it has
	Evidence []Evidence
}

// Assess finds the standing of every declared package towards some goals, of which the first is the framework's, and of
// the transitive packages that stand in the way.
func Assess(ctx context.Context, source universe.Source, app project.Application,
	goals ...project.Goal) (*Assessment, error) {
	a, err := Ask(ctx, source, app, goals)
	if err != nil {
		return nil, err
	}
	got, err := a.Assess()
	if got != nil {
		got.Also = goals[1:]
	}
	return got, err
}

// EachGoal assesses every package that is a goal by itself, with the runtimes that are goals: each
// has standings of its own. It returns nil where there is one such goal. The goals themselves are
// left out of the packages.
func EachGoal(ctx context.Context, source universe.Source, app project.Application,
	goals []project.Goal) ([]*Assessment, error) {
	isRuntime := func(g project.Goal) bool { return slices.Contains(project.RuntimesOf(app), g.Name) }
	packages := slices.DeleteFunc(slices.Clone(goals), isRuntime)
	if len(packages) < 2 {
		return nil, nil
	}
	raised := slices.DeleteFunc(slices.Clone(goals), func(g project.Goal) bool { return !isRuntime(g) })
	var all []*Assessment
	for _, g := range packages {
		got, err := Assess(ctx, source, app, append([]project.Goal{g}, raised...)...)
		if err != nil {
			return nil, err
		}
		got.Packages = slices.DeleteFunc(got.Packages, func(a Assessed) bool {
			return slices.ContainsFunc(packages, func(g project.Goal) bool { return g.Name == a.Name })
		})
		all = append(all, got)
	}
	return all, nil
}

// Assess answers the question.
func (a *Judgement) Assess() (*Assessment, error) {
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return nil, err
	}
	set, err := a.Target(framework)
	if err != nil {
		return nil, err
	}
	a.lookAhead(framework)
	target := Texts(framework, set)
	out := &Assessment{Scheme: a.App.Scheme, Goal: a.Goal,
		Release: framework.Version(universe.BestOf(framework, set)).String()}
	out.Reached = slices.Contains(target, a.Locked(a.Goal.Name)) && a.OneAt(a.Base, target)
	if !inOrder(framework) {
		out.Remarks = append(out.Remarks,
			fact.New(DatesInDisorder, framework.Name))
	}
	old, err := a.inUse()
	if err != nil {
		return nil, err
	}
	// Packages are judged on the least runtime with which the goal resolves, as a plan has it; on any where it does not.
	if q, r, err := a.Least(project.Draft{Locked: a.Base}, target); err != nil {
		return nil, err
	} else if r != nil {
		seen := *a
		seen.Source = q.Source
		a = &seen
	}
	a, whole, err := a.InSight()
	if err != nil {
		return nil, err
	}
	for _, d := range a.App.Declared {
		// by several groups, or members of a workspace
		again := slices.ContainsFunc(out.Packages, func(other Assessed) bool { return other.Name == d.As })
		if d.As != a.Goal.Name && project.Registered(d) && !again {
			out.Packages = append(out.Packages, Assessed{Name: d.As, Group: d.Group, Declared: d.Text, Locked: a.Locked(d.As)})
		}
	}
	if err := SideBySide(len(out.Packages), func(i int) error {
		got := &out.Packages[i]
		p, err := a.Pkg(got.Name)
		if err != nil {
			return err
		}
		got.Retires, got.Held = a.RetirementOf(p), slices.Contains(a.App.Held, got.Name)
		return a.stand(got, p, crossing{framework, old, target}, whole)
	}); err != nil {
		return nil, err
	}
	for _, d := range a.App.Declared {
		if !project.Registered(d) {
			out.Packages = append(out.Packages,
				Assessed{Name: d.As, Group: d.Group, Declared: d.Text, Standing: project.Elsewhere,
					Evidence: []Evidence{{project.None, outside(d), fact.New(AtManifest)}}})
		}
	}
	if !out.Reached {
		if out.Against, err = a.against(out.Packages, framework, target); err != nil {
			return nil, err
		}
	}
	more, err := a.transitives(crossing{framework, old, target}, whole)
	if err != nil {
		return nil, err
	}
	out.Packages = append(out.Packages, more...)
	blame(out.Packages)
	out.Touches = a.touching()
	if err := a.conclude(out, target, whole); err != nil || out.Reachable || out.Alone {
		return out, err
	}
	out.Waits, out.Enough, err = a.waitList(out.Packages, framework, target)
	return out, err
}

// InSight returns the question with the surroundings in which standings are judged. It collects the
// releases that each declared package may choose from: any usable one that is not before the locked
// one, since nothing goes back unasked; a held package its own. Packages that are compatible with
// no release of the goal, and packages that retire, are left out. What keeps the goal by itself
// from resolving is set aside. With the question comes a sample resolution of all of them with the
// goal, or nil; then packages are judged with the framework only.
func (a *Judgement) InSight() (*Judgement, *solve.Resolution, error) {
	copied := *a
	a = &copied
	target := a.meant
	names := slices.DeleteFunc(a.Names(), func(n string) bool { return n == a.Goal.Name })
	free, allowed := make([][]string, len(names)), make([][]string, len(names)) // nil for those that are left out
	for i, name := range names {
		p, err := a.Pkg(name)
		if err != nil {
			return nil, nil, err
		}
		all := Texts(p, ahead(p, a.choosable(name, p, a.Locked(name)), a.Locked(name)))
		some := a.Towards(name, p, all, target)
		gone := a.RetirementOf(p)
		if len(some) > 0 && (gone == nil || gone.Kind == project.Abandoned) {
			// an abandoned package stays: nothing replaces it
			free[i], allowed[i] = all, some
		}
	}
	others, together, c := Choice{}, Choice{}, Choice{}
	solved := func() (*solve.Resolution, error) {
		others, together = Choice{}, Choice{}
		for i, name := range names {
			if free[i] != nil {
				others[name], together[name] = free[i], allowed[i]
			}
		}
		c = maps.Clone(together)
		c[a.Goal.Name] = target
		r, _, err := a.Solve(c, a.Base.Versions())
		return r, err
	}
	whole, err := solved()
	if err != nil {
		return nil, nil, err
	}
	if whole == nil {
		seen, t, err := a.alone(target)
		if err != nil {
			return nil, nil, err
		}
		if t != nil {
			a.impossible, a.Source = t, seen.Source
			if whole, err = solved(); err != nil {
				return nil, nil, err
			}
		}
	}
	if whole == nil { // some of them resolve with the goal not even by itself
		if err := SideBySide(len(names), func(i int) error {
			if free[i] == nil {
				return nil
			}
			alone, err := a.pair(names[i], allowed[i], target)
			if alone == nil {
				free[i] = nil
			}
			return err
		}); err != nil {
			return nil, nil, err
		}
		if whole, err = solved(); err != nil {
			return nil, nil, err
		}
	}
	if whole != nil {
		a.others, a.othersAtGoal, a.sample = others, together, whole
	}
	a.Together = together
	return a, whole, err
}

// ahead returns those of some releases that are not before a locked one.
func ahead(p *universe.Package, releases version.Set, locked string) version.Set {
	at := p.Index(locked)
	out := version.NewSet(p.Len())
	for i := range releases.All() {
		if i >= at {
			out.Add(i)
		}
	}
	return out
}

// SideBySide does something for each of the first n numbers, several at a time. It returns the
// error of the first of them.
func SideBySide(n int, do func(i int) error) error {
	errs := make([]error, n)
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		g.Go(func() error { errs[i] = do(i); return nil })
	}
	_ = g.Wait() // it has none
	return cmp.Or(errs...)
}

// inUse returns the releases of the framework that count as the one in use: the locked one and later ones that are not
// breaking.
func (a *Judgement) inUse() ([]string, error) {
	p, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return nil, err
	}
	return a.compatible(p, a.Locked(a.Goal.Name)), nil
}

// compatible returns the locked release and the later usable ones that do not break with it.
func (a *Judgement) compatible(p *universe.Package, current string) []string {
	at := p.Index(current)
	if at < 0 {
		return Texts(p, a.Usable(p, current))
	}
	all, admitted := []string{}, version.FullSet(p.Len())
	if line := a.App.CapOf(a.Goal.Name, p, at, func(d project.Declared) string { return d.Text }); line != "" {
		admitted, _ = p.Admit(line) // it was read
	}
	for i := range a.Usable(p, current).All() {
		if i >= at && admitted.Has(i) && (i == at || !a.App.Breaking(a.Goal.Name, p.Version(at), p.Version(i))) {
			all = append(all, p.Version(i).String())
		}
	}
	return all
}

// pair resolves a package at one of some releases, the framework at one of some releases, and the
// other declared packages at whatever they may choose. It returns nil where that is impossible.
func (a *Judgement) pair(name string, releases, framework []string) (*solve.Resolution, error) {
	if len(releases) == 0 || len(framework) == 0 {
		return nil, nil
	}
	c := Choice{}
	if slices.Equal(framework, a.meant) {
		if v := project.VersionOf(a.sample, name); v != "" && slices.Contains(releases, v) {
			return a.sample, nil // it shows that already
		}
		maps.Copy(c, a.othersAtGoal)
	} else {
		maps.Copy(c, a.others)
	}
	c[a.Goal.Name], c[name] = framework, releases
	r, _, err := a.Solve(c, a.Base.Versions())
	return r, err
}

// A crossing is a framework with its releases in use, and those of the goal.
type crossing struct {
	framework   *universe.Package
	old, target []string
}

func (a *Judgement) stand(got *Assessed, p *universe.Package, over crossing, whole *solve.Resolution) error {
	framework, target := over.framework, over.target
	usable := a.choosable(got.Name, p, got.Locked)
	at := p.Index(got.Locked)
	// What is better than the release in use is better here too: what shares the framework's
	// numbers does not stay where there is a release of the goal's.
	current := slices.DeleteFunc(a.Towards(got.Name, p, Texts(p, ahead(p, usable, got.Locked)), target),
		func(v string) bool { return v != got.Locked })
	accepts := a.Acceptors(p, framework, target)
	defer func() { a.prove(got, p, framework, target) }()
	ready := whole
	var err error
	if whole == nil || project.VersionOf(whole, got.Name) != got.Locked || len(current) == 0 {
		ready, err = a.pair(got.Name, current, target)
	}
	if err == nil && !a.brief {
		err = a.solved(got, p, accepts, target, ready != nil)
	}
	switch {
	case err != nil:
		return err
	case got.Retires == nil && whole != nil && a.Describes(got.Name) != "" && ended(p):
		about := a.Describes(got.Name)
		if says, where := a.DescribesItself(about, project.VersionOf(whole, about)); !says.None() {
			got.Retires = &Retirement{Kind: project.Swallowed, Says: says, Where: where}
		}
	}
	switch {
	case got.Retires != nil && (ready != nil || got.Retires.Kind != project.Abandoned):
		got.Standing = project.Retires
		got.To = got.Retires.Successor
		return nil
	case ready != nil:
		got.Standing = project.Ready
		if at >= 0 && !a.mentions(p.At(at)) {
			got.Standing = project.Silent
		}
		return nil
	}
	later := version.NewSet(p.Len())
	for i := range usable.All() {
		if i > at {
			later.Add(i)
		}
	}
	gentle := version.NewSet(p.Len()) // a plan makes no breaking move that need not be
	for i := range later.All() {
		if at >= 0 && !a.App.Breaking(got.Name, p.Version(at), p.Version(i)) {
			gentle.Add(i)
		}
	}
	allowed := a.Towards(got.Name, p, Texts(p, later), target)
	best, err := a.pair(got.Name, slices.DeleteFunc(
		slices.Clone(allowed), func(v string) bool { return !gentle.Has(p.Index(v)) }), target)
	if err == nil && best == nil {
		best, err = a.pair(got.Name, allowed, target)
	}
	if err != nil {
		return err
	}
	if best != nil {
		got.Standing, got.To = project.Together, project.VersionOf(best, got.Name)
		if a.Owned(got.Name) || a.inStep(got.Name, p) { // it arrives with the framework
			return nil
		}
		for _, among := range []version.Set{gentle, later} {
			bridge, err := a.bridge(got.Name, p, among, accepts.All, over)
			if err != nil {
				return err
			}
			if bridge != "" {
				got.Standing, got.To = project.Bridge, bridge
				break
			}
		}
		return nil
	}
	got.Standing = project.Blocked
	if got.Older, err = a.older(got.Name, p, usable.Minus(later), target); err != nil {
		return err
	}
	previews := p.Previews().And(later.Not())
	var newer []string
	for i := range previews.All() {
		if i > at {
			newer = append(newer, p.Version(i).String())
		}
	}
	if slices.Contains(a.App.Held, got.Name) {
		return nil
	}
	r, err := a.pair(got.Name, newer, target)
	if r != nil {
		got.Preview = project.VersionOf(r, got.Name)
	}
	return err
}

// Older returns the newest release before the one in use of a declared package that resolves with
// the framework in use and with the goal; "" for none. Nobody goes there unasked.
func (a *Judgement) Older(name string) string {
	p, err := a.Pkg(name)
	if err != nil || slices.Contains(a.App.Held, name) {
		return ""
	}
	before := version.NewSet(p.Len())
	for i := range a.Usable(p, a.Locked(name)).All() {
		if i < p.Index(a.Locked(name)) {
			before.Add(i)
		}
	}
	v, err := a.older(name, p, before, a.meant)
	if err != nil || v == "" {
		return ""
	}
	here, err := a.inUse()
	if err != nil {
		return ""
	}
	if r, err := a.pair(name, []string{v}, here); err != nil || r == nil {
		return ""
	}
	return v
}

// older returns the newest release before the one in use with which the goal resolves, "" for none.
func (a *Judgement) older(name string, p *universe.Package, before version.Set, target []string) (string, error) {
	if slices.Contains(a.App.Held, name) {
		return "", nil
	}
	r, err := a.pair(name, a.Towards(name, p, Texts(p, before), target), target)
	return project.VersionOf(r, name), err
}

// onFramework returns what a release demands of the framework itself.
func (a *Judgement) onFramework(r *universe.Release) []universe.Demand {
	return append(a.ofFramework(r.Peers), a.ofFramework(r.Needs)...)
}

// ofFramework returns the demands that are on the framework.
func (a *Judgement) ofFramework(demands []universe.Demand) []universe.Demand {
	var all []universe.Demand
	framework := a.Declaration(a.Goal.Name).Package
	for _, d := range demands {
		if (d.Package == framework || a.kin.siblings[d.Package]) && !d.Foreign {
			all = append(all, d)
		}
	}
	return all
}

func (a *Judgement) mentions(r *universe.Release) bool {
	for other := range a.Also {
		if pkg := a.Declaration(other).Package; slices.ContainsFunc(
			slices.Concat(r.Needs, r.Peers), func(d universe.Demand) bool { return d.Package == pkg }) {
			return true
		}
	}
	claims := slices.ContainsFunc(
		r.Claims, func(c universe.Claim) bool { return c.Package == a.Declaration(a.Goal.Name).Package })
	return claims || len(a.onFramework(r))+len(a.ofFramework(r.Covered)) > 0
}

// conclude decides whether the goal is reachable: no declared package is blocked, and all of them
// resolve together with it.
func (a *Judgement) conclude(out *Assessment, target []string, whole *solve.Resolution) error {
	if a.impossible != nil {
		out.Tangle, out.Alone = a.impossible, true
		return nil
	}
	if whole == nil {
		c := maps.Clone(a.Together)
		c[a.Goal.Name] = target
		_, err := solve.Resolve(a.Ctx, a.Source, a.Problem(c, nil))
		if out.Tangle = solve.AsTangle(err); out.Tangle == nil {
			return err
		}
		return nil
	}
	out.Release = project.VersionOf(whole, a.Goal.Name)
	out.Reachable = !slices.ContainsFunc(out.Packages, func(got Assessed) bool { return got.Standing == project.Blocked })
	c := maps.Clone(a.Together)
	c[a.Goal.Name] = target
	least, r, err := a.Sufficient(c)
	if err != nil {
		return err
	}
	if r == nil {
		r, least = whole, a
	}
	needs, err := RuntimeNeeds(a.Ctx, a.Real, a.App, a.Base, r)
	out.Runtimes = a.pinned(slices.Concat(a.Raises(), needs, a.AdvisedRuntimes("")))
	out.Opens = a.opens(least, target)
	if err == nil && out.Reachable && !a.brief {
		return least.jointly(out, target)
	}
	return err
}

// jointly takes the releases of what goes together with the framework from the optimum that a plan
// goes by: one by one, each could be newer than all of them are.
func (a *Judgement) jointly(out *Assessment, target []string) error {
	s := project.Draft{Locked: a.Base, Lines: map[project.Line]string{}}
	for _, d := range a.App.Declared {
		s.Lines[d.Line()] = d.Text
	}
	r, _, err := a.Optimum(s, target, true)
	if undecided := (*solve.UndecidedError)(nil); errors.As(err, &undecided) { // what was found one by one stands
		return nil
	}
	if err != nil || r == nil {
		return err
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return err
	}
	out.Release = project.VersionOf(r, a.Goal.Name)
	together := func(name string) bool {
		return slices.ContainsFunc(out.Packages,
			func(got Assessed) bool { return got.Name == name && got.Standing == project.Together })
	}
	for i := range out.Packages {
		got := &out.Packages[i]
		// What it describes, or moves in step with, cannot go ahead, so neither can it.
		if got.Standing == project.Bridge &&
			(together(a.Describes(got.Name)) || slices.ContainsFunc(out.Packages, func(other Assessed) bool {
				return other.Standing == project.Together && other.By == "" && other.Name != got.Name &&
					!a.Akin(got.Name, other.Name).None()
			})) {
			got.Standing = project.Together
		}
		if v := project.VersionOf(r, got.Name); got.Standing == project.Together && got.By == "" && v != "" &&
			v != got.Locked {
			p, err := a.Pkg(got.Name)
			if err != nil {
				return err
			}
			if v = a.BesideFramework(got.Name, v, out.Release); v != got.To { // and its evidence is about that release
				got.To, got.Evidence = v, nil
				a.prove(got, p, framework, target)
			}
		}
	}
	return nil
}

// outside tells why a declaration is not judged.
func outside(d project.Declared) fact.Fact {
	if d.Absent {
		return fact.New(AbsentOptional)
	}
	return fact.New(FromElsewhere, d.Text)
}
