package assess

import (
	"fmt"
	"slices"
	"sync"
	"time"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// Dates count: what a release leaves open, or is silent about though its package speaks of it
// elsewhere, is no promise about a major of the framework that was born after it. That is a
// preference, and no filter: a release that promises is taken where the goal can be reached with
// one, whatever it costs in majors, and otherwise dates are given up for as few packages as
// possible. Which these are is found out once for some releases of the framework, so that
// standings, plans and ways out judge alike.

// A reliance is for which declared packages dates are given up, because no release that promises goes with the rest.
type reliance struct {
	once  sync.Once
	names map[string]bool
	err   error
}

// A window is the time of a major of the framework: from its first release to that of the next; to
// is zero where there is no next one.
type window struct{ from, to time.Time }

// windowOf returns in which time the newest major of the framework was that of some of its
// releases; false where dates tell nothing.
func (a *Judgement) windowOf(framework *universe.Package, target []string) (w window, ok bool) {
	if len(target) == 0 || !inOrder(framework) {
		return w, false
	}
	last := framework.Known(target[len(target)-1])
	if last == nil {
		return w, false
	}
	major := a.App.Scheme.Major(last.Version)
	for i := range framework.Len() {
		v, published := framework.Version(i), framework.Published(i)
		switch {
		case v.Prerelease() || published.IsZero():
		case a.App.Scheme.Major(v) == major:
			if w.from.IsZero() {
				w.from = published
			}
		case w.to.IsZero() && a.pastMajor(v, last.Version):
			w.to = published
		}
	}
	return w, !w.from.IsZero()
}

// A promiseKey is what Promises is asked.
type promiseKey struct {
	p, framework      *universe.Package
	name, first, last string
}

// Promises returns the releases of a declared package that promise to go with some releases of the
// framework, as far as they don't refuse them: what they state has an end, or names them, or was
// made when they existed already; people or guides say so; or they have nothing to do with the
// framework.
func (a *Judgement) Promises(name string, p, framework *universe.Package, target []string) version.Set {
	key := promiseKey{p, framework, name, target[0], target[len(target)-1]}
	if known, ok := a.memo.statements.Load(key); ok {
		return known.(version.Set)
	}
	out := a.promises(name, p, framework, target)
	a.memo.statements.Store(key, out)
	return out
}

func (a *Judgement) promises(name string, p, framework *universe.Package, target []string) version.Set {
	all := version.FullSet(p.Len())
	if a.overridden(p, framework) {
		if own := a.ofItself(p, framework, target); !own.Empty() {
			return own
		}
		return all
	}
	return a.dates(name, p, framework, target).And(a.ofOneMajor(p, framework, target))
}

// ofOneMajor leaves out releases that have one of the framework's own packages as a need, at
// another major than the wanted, where there are releases that have it at that: a tool of the
// framework's resolves with a copy of its own, and builds for the framework that this belongs to.
func (a *Judgement) ofOneMajor(p, framework *universe.Package, target []string) version.Set {
	all := version.FullSet(p.Len())
	if a.App.Strategy.Single || p.Name == framework.Name || a.kin.siblings[p.Name] {
		return all // where there is one release of each, it does not resolve
	}
	wanted, out, accepted := a.setOf(framework, target), version.NewSet(p.Len()), false
	for i := range p.Len() {
		speaks, refuses := false, false
		for _, d := range p.Needs(i) {
			if d.Package != framework.Name && a.kin.siblings[d.Package] && !d.Foreign {
				set, err := framework.Admit(d.Text)
				speaks, refuses = true, refuses || err != nil || !set.Meets(wanted)
			}
		}
		if !refuses || a.reached(framework, wanted) && i <= p.Index(a.Locked(a.declaredAs(p.Name))) { // that works today
			accepted = accepted || speaks
			out.Add(i)
		}
	}
	if !accepted {
		return all
	}
	return out
}

// dates is what promises says by dates and by the majors that releases name.
func (a *Judgement) dates(name string, p, framework *universe.Package, target []string) version.Set {
	all := version.FullSet(p.Len())
	w, dated := a.windowOf(framework, target)
	about, _ := a.described(p)
	if about != "" || p.Name == framework.Name || a.kin.siblings[p.Name] || slices.Contains(a.App.Trusted, name) ||
		a.App.Aside(p.Name, framework.Name) {
		return all
	}
	wanted := a.setOf(framework, target)
	statements := a.statements(p, framework)
	names, speaks := false, false
	for i := range statements.all {
		names = names || !statements.all[i].named.Empty()
		speaks = speaks || len(statements.all[i].demands) > 0
	}
	related := names || speaks || a.related(p, framework)
	if !dated || !inOrder(p) {
		if out, tells := a.byTests(p, framework, wanted, p.Index(a.Locked(name))); related && tells {
			return out
		}
		if at := p.Index(a.Locked(name)); at >= 0 && len(statements.all[at].demands) == 0 &&
			statements.all[at].named.Empty() {
			return a.byNumber(name, p, framework, target)
		}
		return all
	}
	reached := a.reached(framework, wanted)
	at, floor := p.Index(a.Locked(name)), -1
	if !reached {
		floor = a.floor(p, framework, wanted)
	}
	out := version.NewSet(p.Len())
	for i := range statements.all {
		s := &statements.all[i]
		published := p.Published(i)
		from := w.from
		if names { // who names majors takes a while for it
			from = from.Add(namingTime)
		}
		old := published.Before(from)
		if fits, tells := a.tested(p, framework, i, wanted); tells && related && len(s.demands) == 0 && s.named.Empty() &&
			!(reached && i <= at) && !a.advises(p, p.Version(i).String(), target) {
			if fits {
				out.Add(i)
			}
			continue
		}
		switch {
		case reached && i <= at, published.IsZero(), a.advises(p, p.Version(i).String(), target), s.named.Meets(wanted):
		case !s.named.Empty():
			continue // it leaves the wanted one out
		case s.bounded:
		case i < floor: // support began there
			continue
		case len(s.demands) > 0 && old, len(s.demands) == 0 && related && (old || !w.to.IsZero() && !published.Before(w.to)):
			continue
		}
		out.Add(i)
	}
	return out
}

// tested reports whether a silent release of a relative of the framework's is developed with some
// releases of it, and whether that can be told: by a range with an end. Its authors say of nothing
// else that it is for the framework.
func (a *Judgement) tested(p, framework *universe.Package, i int, wanted version.Set) (fits, tells bool) {
	if p.IsCostly() {
		return false, false
	}
	for _, d := range a.ofFramework(p.At(i).Tested) {
		c, err := a.App.Scheme.Constrain(d.Text)
		if err != nil || !c.Bounded() {
			continue
		}
		if set, err := framework.Admit(d.Text); err == nil {
			fits, tells = fits || set.Meets(wanted), true
		}
	}
	return fits, tells
}

// byTests is tested for all releases, where no dates can tell; false where it tells nothing of any,
// or that none fits. The release in use, at a position, works with the framework in use.
func (a *Judgement) byTests(p, framework *universe.Package, wanted version.Set, at int) (out version.Set, tells bool) {
	out = version.NewSet(p.Len())
	some, reached := false, a.reached(framework, wanted)
	for i, s := range a.statements(p, framework).all {
		fits, known := a.tested(p, framework, i, wanted)
		if silent := len(s.demands) == 0 && s.named.Empty(); silent && known {
			some = some || fits
			if tells = true; !fits && !(reached && i <= at) {
				continue
			}
		}
		out.Add(i)
	}
	return out, tells && some
}

// testedWith says with which releases of the framework the authors of a release develop it; "" where nothing tells.
func (a *Judgement) testedWith(p, framework *universe.Package, i int) string {
	if i < 0 || p.IsCostly() {
		return ""
	}
	for _, d := range a.ofFramework(p.At(i).Tested) {
		if c, err := a.App.Scheme.Constrain(d.Text); err == nil && c.Bounded() {
			return asked(d)
		}
	}
	return ""
}

// byNumber is what can be said without dates of a package of the framework's that states nothing in
// the release in use and numbers its majors as the framework does: it goes with a major by its
// number, as far as that states nothing else.
func (a *Judgement) byNumber(name string, p, framework *universe.Package, target []string) version.Set {
	all, out := version.FullSet(p.Len()), version.NewSet(p.Len())
	wanted := a.setOf(framework, target)
	at, here := p.Known(a.Locked(name)), framework.Known(a.Locked(a.Goal.Name))
	major := a.App.Scheme.Major
	if !a.kin.capped[name] || at == nil || here == nil || wanted.Empty() || major(at.Version) != major(here.Version) ||
		a.reached(framework, wanted) {
		return all
	}
	speaking := false
	for i := range p.Stable().All() {
		if major(p.Version(i)) == major(framework.Version(wanted.Max())) && !p.Deprecated(i) {
			s := a.statements(p, framework).all[i]
			speaking = speaking || len(s.demands) > 0 && !s.admits.Meets(wanted)
			out.Add(i)
		}
	}
	if out.Empty() || speaking {
		return all
	}
	return out
}

// floor returns the position of the first release whose range begins at one of the wanted releases
// of the framework, after the one in use: what releases before it leave open is no promise. It is
// -1 where there is none.
func (a *Judgement) floor(p, framework *universe.Package, wanted version.Set) int {
	here := framework.Index(a.Locked(a.Goal.Name))
	first := framework.Published(wanted.Min())
	for i, s := range a.statements(p, framework).all {
		if len(s.demands) > 0 && here >= 0 && s.admits.Min() > here && s.admits.Meets(wanted) &&
			s.admits.Min() >= wanted.Min() && !p.Version(i).Prerelease() && !p.Deprecated(i) {
			if at := p.Published(i); !at.IsZero() && !first.IsZero() && at.After(first.Add(floorTime)) {
				return -1
			}
			return i
		}
	}
	return -1
}

// floorTime is how long after a major's first release a range that begins there tells when support
// of it began: later, support of the one before ended.
const floorTime = 365 * 24 * time.Hour

// namingTime is how long people who name the majors that their releases are for take to do so for a new one.
const namingTime = 90 * 24 * time.Hour

// related reports whether a package is one of the framework's scope, or is named after it.
func (a *Judgement) related(p, framework *universe.Package) bool {
	if a.App.Kin == nil {
		return false
	}
	k, of := a.App.Kin(p.Name), a.App.Kin(framework.Name)
	return k.Common(of) != "" || k.Scope != "" && k.Owner == framework.Name
}

// dated filters releases to those that promise to go with some releases of the framework, unless
// dates are given up for the package.
func (a *Judgement) dated(name string, p, framework *universe.Package, releases, target []string) []string {
	if len(target) == 0 || len(releases) == 0 {
		return releases
	}
	given, err := a.relyingOn(target)
	if err != nil || given[name] {
		return releases // the caller meets the error too
	}
	sure := a.Promises(name, p, framework, target)
	return slices.DeleteFunc(slices.Clone(releases),
		func(v string) bool { i := p.Index(v); return i >= 0 && !sure.Has(i) })
}

// relyingOn returns for which declared packages dates are given up with some releases of the framework.
func (a *Judgement) relyingOn(target []string) (map[string]bool, error) {
	key := fmt.Sprint("relying ", a.pairs, " ", target[0], " ", target[len(target)-1])
	known, _ := a.memo.statements.LoadOrStore(key, &reliance{})
	r := known.(*reliance)
	r.once.Do(func() { r.names, r.err = a.findReliance(target) })
	return r.names, r.err
}

func (a *Judgement) findReliance(target []string) (map[string]bool, error) {
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return nil, err
	}
	names := slices.DeleteFunc(a.Names(), func(n string) bool { return n == a.Goal.Name })
	all, strict := Choice{a.Goal.Name: target}, Choice{a.Goal.Name: target}
	given := map[string]bool{}
	var soft []solve.SoftConstraint
	for _, name := range names {
		p, err := a.Pkg(name)
		if err != nil {
			return nil, err
		}
		allowed := a.towards(name, p, Texts(p, ahead(p, a.choosable(name, p, a.Locked(name)), a.Locked(name))), target)
		gone := a.RetirementOf(p)
		if len(allowed) == 0 || gone != nil && gone.Kind != project.Abandoned {
			given[name] = true // it stands in nobody's way
			continue
		}
		sure := a.Promises(name, p, framework, target)
		among := slices.DeleteFunc(slices.Clone(allowed), func(v string) bool { return !sure.Has(p.Index(v)) })
		all[name], strict[name] = allowed, among
		switch {
		case len(among) == 0:
			given[name], strict[name] = true, allowed
		case len(among) < len(allowed):
			soft = append(soft, solve.SoftConstraint{As: name, Package: p.Name, Among: among})
		}
	}
	if len(soft) == 0 {
		return given, nil
	}
	if len(a.Raised) == 0 { // a promise is not worth a newer runtime, where the goal needs none
		here := a.Deployed()
		if r, _, err := here.Solve(all, a.Base.Versions()); err != nil {
			return nil, err
		} else if r != nil {
			a = here
		}
	}
	if r, _, err := a.Solve(strict, a.Base.Versions()); err != nil || r != nil {
		return given, err
	}
	o := solve.NewOptimizer(a.Ctx, a.Source, a.Problem(all, a.Base.Versions()))
	o.Draft = true
	best, err := o.Minimize(solve.Objective{Name: "promises that dates do not bear out", Soft: soft})
	if err != nil {
		return nil, err
	}
	for _, one := range soft {
		if best != nil {
			given[one.As] = !slices.Contains(one.Among, project.VersionOf(best.Resolution, one.As))
			continue
		}
		// The goal is out of reach. Dates count for what could go with it all the same.
		r, _, err := a.Solve(Choice{a.Goal.Name: target, one.As: one.Among}, nil)
		if err != nil {
			return nil, err
		}
		given[one.As] = r == nil
	}
	return given, nil
}

// undated tells why a release promises nothing about some releases of the framework, by its date; none
// where it does promise something.
func (a *Judgement) undated(p, framework *universe.Package, subject string, target []string) fact.Fact {
	name := a.declaredAs(p.Name)
	i := p.Index(subject)
	if name == "" || i < 0 || len(target) == 0 || a.Promises(name, p, framework, target).Has(i) {
		return fact.Fact{}
	}
	if a.overridden(p, framework) {
		for _, d := range a.ofFramework(p.At(i).Covered) {
			if over := a.overriding(p, subject, d.As); over != nil {
				return fact.New(AndOverridden, fact.New(ReleaseAsks, p.Name, subject, asked(d)), over.Key(), over.Written)
			}
		}
	}
	if !a.ofOneMajor(p, framework, target).Has(i) {
		return a.says(p, i, framework)
	}
	if with := a.testedWith(p, framework, i); with != "" && a.related(p, framework) && len(a.onFramework(p.At(i))) == 0 {
		return fact.New(DevelopedWith, a.says(p, i, framework), with)
	}
	if _, dated := a.windowOf(framework, target); !dated || !inOrder(p) {
		return fact.New(GoesByMajors, a.says(p, i, framework), framework.Name)
	}
	if floor := a.floor(p, framework, a.setOf(framework, target)); i < floor {
		return fact.New(BeginsAt, a.says(p, i, framework), a.says(p, floor, framework))
	}
	first, says := a.firstOf(framework, target), a.says(p, i, framework)
	days := int(first.Published.Sub(p.About(i).Published) / (24 * time.Hour))
	on := p.About(i).Published.Format(time.DateOnly)
	switch {
	case a.namesOf(p, i, framework) != "":
		return fact.New(NamesOthers, says, a.App.Scheme.Major(first.Version))
	case days > 0:
		return fact.New(DaysBefore, says, on, fact.Counted{N: days, Of: "day"}, framework.Name, first.Version)
	}
	return fact.New(AmongLater, says, on, framework.Name, a.App.Scheme.Major(first.Version))
}

// setOf returns some releases of the framework by their positions.
func (a *Judgement) setOf(framework *universe.Package, target []string) version.Set {
	wanted := version.NewSet(framework.Len())
	for _, v := range target {
		wanted.Add(framework.Index(v))
	}
	return wanted
}

// A Doubtful package is one for which dates are given up on the way to a goal.
type Doubtful struct {
	Name string
	Says fact.Fact
}

// against lists the declared packages of which the goal has a release that promises nothing about it, by its date.
func (a *Judgement) against(packages []Assessed, framework *universe.Package,
	target []string) (all []Doubtful, err error) {
	for _, got := range packages {
		if got.Standing != project.Ready && got.Standing != project.Silent && got.Standing != project.Together &&
			got.Standing != project.Bridge || got.Group == transitive {
			continue
		}
		p, err := a.Pkg(got.Name)
		if err != nil {
			return nil, err
		}
		subject := got.To
		if subject == "" {
			subject = got.Locked
		}
		if says := a.undated(p, framework, subject, target); !says.None() {
			all = append(all, Doubtful{got.Name, says})
		}
	}
	return all, nil
}
