package plan

import (
	"context"
	"slices"
	"strings"
	"sync"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Behind is a declared package that a plan leaves at a release before the newest that would be a
// breaking move, and why.
type Behind struct {
	Name, At, Newest string
	Why              fact.Fact
}

// tail moves all that can move while the framework stays where it is: first what does not break,
// together; then the breaking moves, found in one joint optimum (as few packages as can be are left
// behind) and cut into the smallest groups that resolve; then what retires. What stays behind is
// listed with its reason.
func (p *planner) tail() error {
	plain := p.Judgement
	defer func() { p.Judgement = plain }()
	for stages := -1; stages < len(p.plan.Stages); { // a move may open another; nothing goes back, so this ends
		stages = len(p.plan.Stages)
		p.Judgement = plain
		if err := p.tailMinor(); err != nil {
			return err
		}
		p.Judgement = plain.Interpreting(p.now.Locked)
		if p.cut.most() < version.Major {
			break
		}
		t, err := p.targets()
		if err != nil {
			return err
		}
		if err := p.groups(t); err != nil {
			return err
		}
	}
	if p.plan.Reachable {
		if err := p.retire(); err != nil {
			return err
		}
	}
	return p.leftBehind()
}

// tailMinor moves everything that has newer releases which do not break, together.
func (p *planner) tailMinor() error {
	fresh, err := p.newer(func(name string, from, to version.Version) bool {
		return !p.App.Breaking(name, from, to) && p.App.Scheme.Jump(from, to) <= p.cut.most()
	})
	if err != nil || len(fresh) == 0 {
		return err
	}
	c, moving := p.exact(p.now), map[string]bool{}
	for name, versions := range fresh {
		c[name] = append(c[name], versions...)
		moving[name] = true
	}
	r, err := p.freshest(c, moving)
	if err != nil || r == nil {
		return err
	}
	_, err = p.stage(AfterStage, p.freeID("after-minor"), fact.New(NothingNew),
		versionsOf(r, p.Names()),
		because(NewestUnbroken))
	return err
}

// newer lists, for every declared package that may move, the stable later releases that a test lets
// through and that are compatible with the framework where it stands. The framework itself stays,
// unless it may grow, as does what is held, and what retires until it goes.
func (p *planner) newer(fits func(name string, from, to version.Version) bool) (map[string][]string, error) {
	target, err := p.standingAt()
	if err != nil {
		return nil, err
	}
	all := map[string][]string{}
	for _, name := range p.Names() {
		if name == p.Goal.Name && !p.mayGrow() || p.now.Gone[name] || slices.Contains(p.App.Held, name) ||
			p.assessed[name].Standing == project.Retires {
			continue
		}
		if v := project.VersionOf(p.now.Locked, name); p.Owned(name) && v == project.VersionOf(p.now.Locked, p.Goal.Name) {
			continue // it moves with the framework
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		at := pkg.Index(project.VersionOf(p.now.Locked, name))
		if at < 0 {
			continue
		}
		var later []string
		line := p.capOf(name, pkg)
		for i := at + 1; i < pkg.Len(); i++ {
			r := pkg.About(i)
			if below(pkg, line, i) && !r.Version.Prerelease() && r.Deprecated == "" && !pkg.Withdrawn(i) &&
				!p.Capped(name, r.Version) && fits(name, pkg.Version(at), r.Version) {
				later = append(later, r.Version.String())
			}
		}
		if name == p.Goal.Name {
			later = slices.DeleteFunc(later, func(v string) bool { return !slices.Contains(p.Meant(), v) })
		} else {
			later = p.Towards(name, pkg, later, target)
		}
		if len(later) > 0 {
			all[name] = later
		}
	}
	return all, p.abreast(all)
}

// mayGrow reports whether the framework, at the goal, may go on to newer releases that the goal
// means: the fewest breaking moves to the goal may have ended at an older one, which holds others
// back. Where its own packages share its numbers, they would all have to move in step.
func (p *planner) mayGrow() bool {
	return p.plan.Reachable && slices.Contains(p.Meant(), project.VersionOf(p.now.Locked, p.Goal.Name)) &&
		len(p.Also) == 0 &&
		!slices.ContainsFunc(p.Names(), func(name string) bool { return p.Owned(name) && !p.now.Gone[name] })
}

// standingAt returns the releases of the framework's major that it has at this point of the plan.
func (p *planner) standingAt() ([]string, error) {
	if p.Goal.Name == "" {
		return nil, nil
	}
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return nil, err
	}
	now := framework.Known(project.VersionOf(p.now.Locked, p.Goal.Name))
	if now == nil {
		return nil, nil
	}
	var all []string
	for i := range framework.Len() {
		if r := framework.About(i); !framework.Withdrawn(i) &&
			p.App.Scheme.Major(r.Version) == p.App.Scheme.Major(now.Version) {
			all = append(all, r.Version.String())
		}
	}
	return all, nil
}

// targets finds where the breaking moves lead that are possible together: one optimum over all of
// them, in which the fewest packages stay before their newest major, and then the fewest majors are
// missed. A package that has no later major may move within its own, for others to move.
func (p *planner) targets() (map[string]string, error) {
	later, err := p.newer(func(string, version.Version, version.Version) bool { return true })
	if err != nil {
		return nil, err
	}
	c, moving := p.exact(p.now), map[string]bool{}
	behind, missed := solve.Objective{Name: "packages left behind"}, solve.Objective{Name: "majors missed"}
	for _, name := range p.Names() {
		if later[name] == nil {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		now := pkg.Known(project.VersionOf(p.now.Locked, name)).Version
		lines := p.lines(name, pkg, later[name])
		all := append([]string{now.String()}, later[name]...)
		c[name] = all
		if !p.App.Breaking(name, now, lines[len(lines)-1][0]) {
			continue // no later major: it stays unless another needs it newer
		}
		moving[name] = true
		for i, line := range lines {
			from := slices.Index(all, line[0].String())
			o := &missed
			if i == len(lines)-1 {
				o = &behind
			}
			o.Soft = append(o.Soft, solve.SoftConstraint{As: name, Package: pkg.Name, Among: all[from:]})
		}
	}
	if len(moving) == 0 {
		return nil, nil
	}
	o := solve.NewOptimizer(p.Ctx, p.Source, p.Problem(c, assess.KeepExcept(p.now.Locked, moving)))
	o.Effort, o.Draft = tailEffort, true
	best, err := o.Minimize(behind, missed)
	if err != nil || best == nil {
		return nil, err
	}
	to := map[string]string{}
	for name := range later {
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		v := project.VersionOf(best.Resolution, name)
		if r := pkg.Known(v); r != nil && v != project.VersionOf(p.now.Locked, name) {
			to[name] = v
		}
	}
	return to, nil
}

// tailEffort bounds the work on the joint optimum, in steps of the solver.
const tailEffort = 400_000

// lines cuts later releases of a package into runs that do not break among themselves, ascending.
func (p *planner) lines(name string, pkg *universe.Package, later []string) [][]version.Version {
	var all [][]version.Version
	for _, text := range later {
		v := pkg.Known(text).Version
		if n := len(all); n > 0 && !p.App.Breaking(name, all[n-1][0], v) {
			all[n-1] = append(all[n-1], v)
		} else {
			all = append(all, []version.Version{v})
		}
	}
	return all
}

// groups adds a stage for each of the smallest sets of moves that resolve, until all are made.
func (p *planner) groups(to map[string]string) error {
	if err := p.alike(to); err != nil {
		return err
	}
	for len(to) > 0 {
		before := len(to)
		for _, f := range p.families(p.remaining(to)) {
			if to[f.names[0]] == "" {
				continue
			}
			if err := p.group(f, to); err != nil {
				return err
			}
		}
		if len(to) < before {
			continue
		}
		// None goes by itself: the smallest set around the first of them does.
		set, err := p.smallest(p.remaining(to)[0], to)
		if err != nil {
			return err
		}
		whole := slices.Clone(set) // with the families of its members, where these can come along
		for _, f := range p.families(p.remaining(to)) {
			if slices.ContainsFunc(f.names, func(name string) bool { return slices.Contains(set, name) }) {
				whole = append(whole, slices.DeleteFunc(f.names, func(name string) bool { return slices.Contains(whole, name) })...)
			}
		}
		ground := fact.New(OnlyTogether)
		if len(whole) > len(set) && p.added(func() error { return p.group(family{whole, ground}, to) }, &err) {
			continue
		}
		if err != nil {
			return err
		}
		f := family{names: set, ground: ground}
		if set == nil || !p.added(func() error { return p.group(f, to) }, &err) {
			delete(to, p.remaining(to)[0])
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// alike gives the members of each family the same number, the lowest that one of them gets to,
// where they all have a release of it.
func (p *planner) alike(to map[string]string) error {
	for _, f := range p.families(p.remaining(to)) {
		var lowest version.Version
		packages := map[string]*universe.Package{}
		for _, name := range f.names {
			pkg, err := p.Pkg(name)
			if err != nil {
				return err
			}
			packages[name] = pkg
			if v := pkg.Known(to[name]).Version; lowest == nil || v.Compare(lowest) < 0 {
				lowest = v
			}
		}
		if slices.ContainsFunc(f.names, func(name string) bool {
			pkg := packages[name]
			return pkg.Index(lowest.String()) <= pkg.Index(project.VersionOf(p.now.Locked, name))
		}) {
			continue
		}
		for _, name := range f.names {
			to[name] = lowest.String()
		}
	}
	return nil
}

// added reports whether something adds a stage.
func (p *planner) added(do func() error, err *error) bool {
	before := len(p.plan.Stages)
	*err = do()
	return len(p.plan.Stages) > before
}

// remaining lists the names of targets in the order of the manifest.
func (p *planner) remaining(to map[string]string) []string {
	return slices.DeleteFunc(p.Names(), func(name string) bool { return to[name] == "" })
}

// group adds a stage that moves a family to its targets, when it resolves with everything else as
// it is; the targets are taken off the list.
func (p *planner) group(f family, to map[string]string) error {
	c, targets, moving := p.exact(p.now), map[string]string{}, map[string]bool{}
	for _, name := range f.names {
		c[name], targets[name], moving[name] = []string{to[name]}, to[name], true
	}
	title := fact.New(AloneBreaks, f.names[0])
	if len(f.names) > 1 {
		title = fact.New(StepBreaks, strings.Join(f.names, ", "))
	}
	reason := func(name string) fact.Fact {
		if pkg, err := p.Pkg(name); err == nil {
			if newest := universe.NewestStable(pkg); newest != nil && newest.Version.String() == targets[name] {
				return fact.New(NewestOfAll)
			}
		}
		return fact.New(NewestFitting)
	}
	// Whether it resolves by all rules of judgement, and how the lock looks then, are two questions
	// that are asked at the same time: the answer to the first is nearly always yes.
	ctx, cancel := context.WithCancel(p.Ctx)
	defer cancel()
	var st *Stage
	var next project.Draft
	var failed error
	var made sync.WaitGroup
	made.Go(func() {
		st, next, failed = p.within(ctx).try(AfterStage, p.freeID("after-"+slug(f.names[0])), title, targets, reason)
	})
	r, _, err := p.Solve(c, assess.KeepExcept(p.now.Locked, moving))
	if err != nil || r == nil {
		cancel()
		made.Wait()
		return err
	}
	made.Wait()
	if failed != nil || st == nil || len(st.Changes) == 0 {
		return failed
	}
	if len(f.names) > 1 {
		st.Family = f.ground
	}
	p.plan.Stages, p.now = append(p.plan.Stages, *st), next
	for _, name := range f.names {
		delete(to, name)
	}
	return nil
}

// within returns the planner with another context.
func (p *planner) within(ctx context.Context) *planner {
	q, question := *p, *p.Judgement
	question.Ctx = ctx
	q.Judgement = &question
	return &q
}

// smallest returns the smallest set of packages, one of them given, that can go to their targets
// together while everything else stays; nil where there is none.
func (p *planner) smallest(name string, to map[string]string) ([]string, error) {
	c, moving := p.exact(p.now), map[string]bool{}
	stay := solve.Objective{Name: "packages that move"}
	for _, other := range p.remaining(to) {
		pkg, err := p.Pkg(other)
		if err != nil {
			return nil, err
		}
		moving[other] = true
		if other == name {
			c[other] = []string{to[other]}
			continue
		}
		stay.Soft = append(stay.Soft, solve.SoftConstraint{As: other, Package: pkg.Name, Among: c[other]})
		c[other] = append(slices.Clone(c[other]), to[other])
	}
	o := solve.NewOptimizer(p.Ctx, p.Source, p.Problem(c, p.now.Locked.Versions()))
	o.Effort, o.Draft = project.Effort, true
	best, err := o.Minimize(stay)
	if err != nil || best == nil {
		return nil, err
	}
	var set []string
	for _, other := range p.remaining(to) {
		if project.VersionOf(best.Resolution, other) == to[other] {
			set = append(set, other)
		}
	}
	return set, nil
}

// leftBehind lists the declared packages that do not get to their newest major, with the shortest reason for each.
func (p *planner) leftBehind() error {
	p.plan.Behind = nil
	pkg, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return err
	}
	framework := pkg.Known(project.VersionOf(p.now.Locked, p.Goal.Name))
	later, err := p.newer(func(string, version.Version, version.Version) bool { return true })
	if err != nil {
		return err
	}
	names := p.Names()
	found := make([]*Behind, len(names)) // each is a question of its own
	err = assess.SideBySide(len(names), func(i int) error {
		b, err := p.behind(names[i], framework, later)
		found[i] = b
		return err
	})
	for _, b := range found {
		if b != nil {
			p.plan.Behind = append(p.plan.Behind, *b)
		}
	}
	return err
}

// behind says whether and why a declared package does not get to its newest major; nil where it
// does. Later are the releases to which packages may move.
func (p *planner) behind(name string, framework *universe.Release, later map[string][]string) (*Behind, error) {
	if p.now.Gone[name] || name == p.Goal.Name {
		return nil, nil
	}
	if got := p.assessed[name]; got.Standing == project.Retires {
		_, lacks, err := p.successor(name)
		if err != nil || lacks.None() || !p.plan.Reachable {
			return nil, err
		}
		at := project.VersionOf(p.now.Locked, name)
		return &Behind{Name: name, At: at, Newest: at, Why: fact.New(assess.Both, got.Retires.Says, lacks)}, nil
	}
	pkg, err := p.Pkg(name)
	if err != nil {
		return nil, err
	}
	real := pkg
	if whole, err := p.Real.Package(p.Ctx, pkg.Name); err == nil { // also what is hidden from choosing
		real = whole
	}
	at, newest := pkg.Release(project.VersionOf(p.now.Locked, name)), universe.NewestStable(real)
	if at != nil && newest != nil && framework != nil && p.Ends(real, name, framework.Version) {
		return &Behind{name, at.Version.String(), newest.Version.String(),
			fact.New(NumbersEnd, p.Goal.Name, p.Goal.Name, p.App.Scheme.Major(framework.Version))}, nil
	}
	if at == nil || newest == nil || newest.Deprecated != "" || at.Version.Compare(newest.Version) >= 0 ||
		!p.App.Breaking(name, at.Version, newest.Version) && p.capOf(name, pkg) == "" {
		return nil, nil
	}
	if p.cut.most() < version.Major && p.Admitted(pkg, p.now, name).Count() > 0 && !slices.Contains(p.App.Held, name) {
		return nil, nil // nobody asked for more
	}
	why, err := p.whyBehind(name, pkg, newest, later)
	return &Behind{name, at.Version.String(), newest.Version.String(), why}, err
}

// whyBehind tells why a package does not get to a release.
func (p *planner) whyBehind(name string, pkg *universe.Package, newest *universe.Release,
	later map[string][]string) (why fact.Fact, err error) {
	framework := p.Goal.Name + " " + project.VersionOf(p.now.Locked, p.Goal.Name)
	switch {
	case slices.Contains(p.App.Held, name):
		return fact.New(assess.Held, p.App.Reasons[name]), nil
	case p.capOf(name, pkg) != "":
		return fact.New(LineKeeps, p.capOf(name, pkg)), nil
	case p.Capped(name, newest.Version):
		return fact.New(FollowsGoal, p.Goal.Name), nil
	case pkg.Index(newest.Version.String()) < 0 && p.App.Kin != nil:
		if about := p.App.Kin(pkg.Name).Describes; about != "" {
			return fact.New(NeverPasses, about), nil
		}
	}
	if about := p.Describes(name); about != "" && p.Declaration(about).As != "" {
		// what it is taken to ask for stands nowhere
		at := project.VersionOf(p.now.Locked, about)
		if other, err := p.Pkg(about); err == nil && other.Known(at) != nil &&
			p.App.Scheme.Major(other.Known(at).Version) != p.App.Scheme.Major(newest.Version) {
			return fact.New(DescribedStays, about, at), nil
		}
	}
	for _, other := range p.Names() {
		if other == name || other == p.Goal.Name || p.now.Gone[other] || slices.Contains(p.App.Held, other) ||
			p.Akin(name, other).None() || p.Akin(name, other).Is(assess.DeclaredFamily) {
			continue
		}
		its, err := p.Pkg(other)
		if err != nil {
			return fact.Fact{}, err
		}
		at, last := project.VersionOf(p.now.Locked, other), universe.NewestStable(its)
		mine := pkg.Known(project.VersionOf(p.now.Locked, name))
		if major := p.App.Scheme.Major; last != nil && mine != nil && major(last.Version) == major(mine.Version) &&
			major(newest.Version) != major(last.Version) && its.Known(at) != nil &&
			major(its.Known(at).Version) == major(mine.Version) {
			return fact.New(KinEnds, other, last.Version), nil
		}
	}
	for _, q := range newest.Runtimes {
		if d := p.App.Assumed()[q.Name]; len(d) > 0 && !p.App.Runtime(q.Name).SuitsAll(q.Text, d) {
			return fact.New(project.NeedsRuntime, newest.Version, q.Name, q.Text, d), nil
		}
	}
	target, err := p.standingAt()
	if err != nil {
		return fact.Fact{}, err
	}
	own := p.Towards(name, pkg, []string{newest.Version.String()}, target)
	if len(own) == 0 {
		for _, g := range p.plan.Also {
			if g.Name == name && !slices.Contains(p.Also[name], newest.Version.String()) {
				return fact.New(GoalKeeps, g), nil
			}
		}
		return fact.New(NotCompatible, newest.Version, framework), nil
	}
	c := p.exact(p.now)
	for other, versions := range later {
		c[other] = append(slices.Clone(c[other]), versions...)
	}
	c[name] = own
	problem := p.Problem(c, p.now.Locked.Versions())
	tangle, err := solve.Refute(p.Ctx, p.Source, problem)
	if err != nil {
		return fact.Fact{}, err
	}
	if tangle == nil {
		return p.onlyWith(name, problem)
	}
	return project.Brief(tangle, p.App, pkg.Name, newest.Version.String(), p.App.Fixed), nil
}

// onlyWith says with which others a package could get to a release, where a problem that has it
// there has a resolution and the plan has no such stage.
func (p *planner) onlyWith(name string, problem solve.Problem) (fact.Fact, error) {
	r, _, err := solve.Try(p.Ctx, p.Source, problem)
	if err != nil {
		return fact.Fact{}, err
	}
	var others []string
	for _, other := range p.Names() {
		if v := project.VersionOf(r, other); other != name && v != "" && v != project.VersionOf(p.now.Locked, other) {
			others = append(others, other+" "+v)
		}
	}
	if others == nil {
		return fact.New(CouldGo), nil
	}
	return fact.New(CouldGoWith, strings.Join(others, ", ")), nil
}

// acceptable returns the newest usable release of a package that states nothing against the goal.
func (p *planner) acceptable(pkg *universe.Package) (*universe.Release, error) {
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return nil, err
	}
	set, err := p.Target(framework)
	if err != nil {
		return nil, err
	}
	fit := p.Acceptors(pkg, framework, assess.Texts(framework, set)).All.And(p.Usable(pkg, ""))
	if i := universe.BestOf(pkg, fit); i >= 0 {
		return pkg.At(i), nil
	}
	return nil, nil
}
