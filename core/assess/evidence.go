package assess

import (
	"maps"
	"slices"
	"time"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// Evidence is what a standing rests on.
type Evidence struct {
	Grade project.Grade
	Says  fact.Fact // what proves it
	Where fact.Fact // where it was read
}

// prove collects the evidence for a standing.
func (a *Judgement) prove(got *Assessed, p, framework *universe.Package, target []string) {
	if got.Retires != nil && got.Standing == project.Retires {
		grade := project.Stated
		if got.Retires.Advised {
			grade = project.Advised
		}
		got.Evidence = append(got.Evidence, Evidence{grade, got.Retires.Says, got.Retires.Where})
	}
	var subject string
	switch got.Standing {
	case project.Bridge, project.Together:
		subject = got.To
	case project.Blocked:
		if slices.Contains(a.App.Held, got.Name) { // it is not for want of a release
			subject = got.Locked
			break
		}
		newest := p.Newest()
		if newest == nil {
			return
		}
		subject = newest.Version.String()
	default:
		subject = got.Locked
	}
	if slices.Contains(a.App.Held, got.Name) {
		got.Evidence = append(got.Evidence, Evidence{project.None, fact.New(Held, a.App.Reasons[got.Name]), fact.New(AtHold)})
	}
	if got.Standing != project.Blocked {
		if e, ran := a.Ran(got.Name, subject, target); ran {
			got.Evidence = append(got.Evidence, e)
		}
	}
	about := a.About(p, framework, subject, target)
	if d, _ := a.described(p); d != "" && got.Standing == project.Retires {
		// what it says of the framework is no reason then
		about = nil
	}
	if got.Standing == project.Blocked && got.Group != transitive {
		if e := a.between(got.Name, p, about, target); e != nil {
			about = []Evidence{*e}
		}
	}
	more := a.aboutOthers(got.Name, p, subject)
	if len(more) > 0 || got.Standing == project.Retires { // that it says nothing of the framework is no news then
		about = slices.DeleteFunc(about, func(e Evidence) bool { return e.Grade == project.None })
	}
	got.Evidence = append(slices.Concat(got.Evidence, about, more), a.advised(p.Name)...)
	if got.Standing == project.Bridge || got.Standing == project.Together {
		if doubt := a.doubt(p, framework, got.Locked, target); doubt != nil { // why it cannot stay
			got.Evidence = append(got.Evidence, *doubt)
		} else if says := a.undated(p, framework, got.Locked, target); !says.None() {
			grade := project.Open
			switch {
			case !a.ofOneMajor(p, framework, target).Has(p.Index(got.Locked)):
				grade = project.Refused
			case a.related(p, framework) && a.testedWith(p, framework, p.Index(got.Locked)) != "":
				grade = project.Inferred
			case a.overridden(p, framework):
				grade, says = project.SetAside, fact.New(NoPromise, says)
			default:
				says = fact.New(NoPromise, says)
			}
			got.Evidence = append(got.Evidence, Evidence{grade, says, atRelease(p, got.Locked)})
		}
		got.Evidence = append(got.Evidence, a.unsuited(p, subject)...)
	}
	if got.Older != "" {
		older := fact.New(OnlyOlder, got.Older)
		if r := p.Release(got.Older); r != nil && len(a.onFramework(r)) == 0 {
			older.Kind = OnlyOlderMute
		}
		got.Evidence = append(got.Evidence, Evidence{project.None, older, atRelease(p, got.Older)})
	}
	if got.Standing == project.Blocked && got.Group != transitive {
		hidden, err := project.Hidden(a.Ctx, a.Real, a.App, p.Name)
		says := fact.Quote(hidden)
		if err != nil || says.None() {
			says = a.lastOf(p, framework, target)
		}
		if !says.None() {
			got.Evidence = append(got.Evidence, Evidence{project.None, says, fact.New(AtPackage, p.Name)})
		}
	}
	if got.Preview != "" {
		for _, e := range a.About(p, framework, got.Preview, target) {
			e.Says = fact.New(OnlyPreview, got.Preview, e.Says)
			got.Evidence = append(got.Evidence, e)
		}
	}
}

// aboutOthers is the evidence of what a release states about further goals, or that its package is one.
func (a *Judgement) aboutOthers(name string, p *universe.Package, subject string) (all []Evidence) {
	r := p.Release(subject)
	if r == nil {
		return nil
	}
	if allowed := a.Also[name]; allowed != nil {
		if slices.Contains(allowed, subject) {
			all = append(all, Evidence{project.Stated, fact.New(IsGoal), fact.New(AtGoals)})
		}
		return all
	}
	for _, other := range slices.Sorted(maps.Keys(a.Also)) {
		goal, err := a.Pkg(other)
		if err != nil {
			continue // the caller meets the error too
		}
		for _, d := range slices.Concat(r.Peers, r.Needs) {
			if d.Package == goal.Name {
				e := Evidence{Where: atRelease(p, subject)}
				e.Grade, e.Says = a.grade(r, d, goal, a.firstOf(goal, a.Also[other]), a.Also[other])
				all = append(all, e)
			}
		}
	}
	return all
}

// between is the evidence for a package that is blocked by what others ask for, though it does not
// refuse the goal itself; nil where it does, or where people hold it.
func (a *Judgement) between(name string, p *universe.Package, about []Evidence, target []string) *Evidence {
	if slices.Contains(a.App.Held, name) ||
		slices.ContainsFunc(about, func(e Evidence) bool {
			return e.Grade == project.Refused || e.Grade == project.Inferred
		}) {
		return nil
	}
	_, free := a.Scopes(p, project.Draft{Locked: a.Base}, name)
	free = a.Towards(name, p, free, target)
	if len(free) == 0 {
		return nil
	}
	c := Choice{}
	maps.Copy(c, a.othersAtGoal)
	c[a.Goal.Name], c[name] = target, free
	tangle, err := solve.Refute(a.Ctx, a.Source, a.Problem(c, nil))
	if err != nil || tangle == nil {
		return nil // who asks for more than a reason meets the error too
	}
	newest := free[len(free)-1]
	return &Evidence{project.Refused, project.Brief(tangle, a.App, p.Name, newest, a.App.Fixed),
		atRelease(p, newest)}
}

// Ran tells of the latest time that the application's checks passed with a release of a declared
// package together with one of some releases of the framework.
func (a *Judgement) Ran(name, v string, target []string) (Evidence, bool) {
	for _, r := range slices.Backward(a.App.Ran) {
		if framework := r.Versions[a.Goal.Name]; v != "" && r.Versions[name] == v && slices.Contains(target, framework) {
			return Evidence{project.Ran, fact.New(PassedWith, a.Goal.Name, framework, r.On.Format(time.DateOnly)),
				fact.New(AtHome)}, true
		}
	}
	return Evidence{}, false
}

// lastOf tells for how long nothing has been published of a package that the goal waits for; none where the dates are
// not credible.
func (a *Judgement) lastOf(p, framework *universe.Package, target []string) fact.Fact {
	newest, first := universe.NewestStable(p), a.firstOf(framework, target)
	if newest == nil || newest.Published.IsZero() || first == nil || first.Published.IsZero() || !inOrder(p) ||
		!inOrder(framework) || !newest.Published.Before(first.Published) {
		return fact.Fact{}
	}
	return fact.New(LastRelease, newest.Version, newest.Published.Format(time.DateOnly), framework.Name, first.Version)
}

// unsuited lists the runtimes that a release requires and that are not deployed.
func (a *Judgement) unsuited(p *universe.Package, subject string) (all []Evidence) {
	r := p.Release(subject)
	if r == nil {
		return nil
	}
	for _, q := range r.Runtimes {
		if deployed, known := a.App.Assumed()[q.Name]; known && !a.App.Runtime(q.Name).SuitsAll(q.Text, deployed) {
			all = append(all, Evidence{project.Refused, fact.New(NeedsDeployed, q.Name, q.Text, deployed),
				fact.New(AtRuntimes, p.Name, subject)})
		}
	}
	return all
}

// About collects what one release states about the goal.
func (a *Judgement) About(p, framework *universe.Package, subject string, target []string) []Evidence {
	r := p.Release(subject)
	if r == nil {
		return nil
	}
	if about, _ := a.described(p); about == framework.Name {
		return []Evidence{{project.Inferred, fact.New(Describing, about), fact.New(AtName)}}
	}
	if w := a.App.Waiver(p.Name, framework.Name); w != nil {
		return []Evidence{{project.SetAside, fact.New(SetAsideFor, framework.Name, w.Reason), fact.New(AtSettings)}}
	}
	demands := append(a.onFramework(r), a.ofFramework(r.Covered)...)
	if doubt := a.doubt(p, framework, subject, target); doubt != nil {
		return []Evidence{*doubt}
	}
	claim := a.claim(r, p, framework, target)
	if len(demands) == 0 && claim != nil {
		return []Evidence{*claim}
	}
	if len(demands) == 0 {
		if p.Name == framework.Name { // a member of a workspace that stands apart has another release of it
			return []Evidence{{project.Stated, fact.New(IsFramework), fact.New(AtManifest)}}
		}
		says := fact.New(ReleaseSilent, p.Name, subject, a.Goal.Name)
		if with := a.testedWith(p, framework, p.Index(subject)); with != "" && a.related(p, framework) {
			return []Evidence{{project.Inferred, fact.New(DevelopedWith, says, with), atRelease(p, subject)}}
		}
		return []Evidence{{project.None, says, atRelease(p, subject)}}
	}
	first := a.firstOf(framework, target)
	if r.Published.IsZero() { // the short documents of packages that nobody declares have no dates
		if dated, err := universe.WithDates(a.Ctx, a.Full, p.Name); err == nil {
			if same := dated.Release(subject); same != nil && !same.Published.IsZero() {
				with := *r
				with.Published = same.Published
				r = &with
			}
		}
	}
	var all []Evidence
	if claim != nil {
		all = append(all, *claim)
	}
	bound := map[string]bool{} // by overrides that exclude the goal
	for _, d := range demands {
		over := a.overriding(p, subject, d.As)
		kind := "needs"
		if slices.Contains(r.Peers, d) || slices.Contains(r.Covered, d) {
			kind = "peers"
		}
		e := Evidence{Where: fact.New(AtDemands, p.Name, subject, kind)}
		e.Grade, e.Says = a.grade(r, d, framework, first, target)
		if over != nil && !slices.Contains(r.Covered, d) { // what the manifest says in its place is no statement
			if e.Grade != project.Refused {
				continue
			}
			e.Says, bound[d.As] = fact.New(Overridden, over.Key(), over.Written), true
		} else if bound[d.As] {
			continue
		} else if over != nil && e.Grade == project.Refused {
			e.Grade, e.Says = project.SetAside, fact.New(AndOverridden, e.Says, over.Key(), over.Written)
		}
		if claim != nil && e.Grade == project.Open {
			continue // the claim says more
		}
		if kind == "needs" {
			e.Says = a.secondCopy(e.Says, d, framework, target)
		}
		all = append(all, e)
	}
	return all
}

// doubt is the evidence that a release promises nothing for the goal, though it does not exclude
// it; nil where nothing tells.
func (a *Judgement) doubt(p, framework *universe.Package, subject string, target []string) *Evidence {
	wanted := a.setOf(framework, target)
	i := a.infer(p, framework, p.Index(subject), wanted)
	if i == nil {
		return nil
	}
	earlier, later := a.sayings(p, framework, i)
	return &Evidence{project.Inferred, fact.New(SoNotTaken, earlier, later, subject, a.Goal),
		atRelease(p, p.Version(i.by).String())}
}

// Doubt tells why a release that states nothing against some releases of the framework, or nothing
// at all, is not taken to be compatible with them; none where it is, or excludes them itself.
func (a *Judgement) Doubt(name, v string, target []string) fact.Fact {
	p, err := a.Pkg(name)
	if err != nil {
		return fact.Fact{}
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return fact.Fact{}
	}
	wanted := a.setOf(framework, target)
	i := a.infer(p, framework, p.Index(v), wanted)
	if i == nil {
		return a.undated(p, framework, v, target)
	}
	earlier, later := a.sayings(p, framework, i)
	return fact.New(Both, earlier, later)
}

// claim is the evidence of what a release claims about the goal; nil where it claims nothing of it.
func (a *Judgement) claim(r *universe.Release, p, framework *universe.Package, target []string) *Evidence {
	i := p.Index(r.Version.String())
	named := a.claimed(p, i, framework)
	if !slices.ContainsFunc(target, func(v string) bool { return named.Has(framework.Index(v)) }) {
		return nil
	}
	e := Evidence{Where: fact.New(AtClaims, p.Name, r.Version)}
	e.Grade, e.Says = datedGrade(r, framework, a.firstOf(framework, target), fact.New(Names, a.namesOf(p, i, framework)))
	return &e
}

// secondCopy adds the remark on a release that needs the framework instead of having it as a peer.
func (a *Judgement) secondCopy(says fact.Fact, d universe.Demand, framework *universe.Package, target []string) fact.Fact {
	if a.App.Strategy.Single {
		return says
	}
	if d.Package != framework.Name {
		return fact.New(OwnCopy, says)
	}
	set, err := framework.Admit(d.Text)
	if err == nil && slices.ContainsFunc(target, func(v string) bool { return set.Has(framework.Index(v)) }) {
		return fact.New(SecondCopy, says)
	}
	return fact.New(NoSecondCopy, says, framework.Name)
}

// grade grades one demand on the framework.
func (a *Judgement) grade(r *universe.Release, d universe.Demand, framework *universe.Package, first *universe.Release,
	target []string) (project.Grade, fact.Fact) {
	says := fact.New(Asks, asked(d))
	set, err := framework.Admit(d.Text)
	admits := slices.ContainsFunc(target, func(v string) bool { return set.Has(framework.Index(v)) })
	switch {
	case err != nil:
		return project.Refused, fact.New(Unreadable, says)
	case !admits:
		return project.Refused, says
	}
	if c, err := a.App.Scheme.Constrain(d.Text); err != nil || !c.Bounded() {
		if first != nil && !first.Published.IsZero() && !r.Published.IsZero() && inOrder(framework) {
			if days := int(first.Published.Sub(r.Published) / (24 * time.Hour)); days > 0 {
				return project.Open, fact.New(AskedBefore, says, r.Published.Format(time.DateOnly), fact.Counted{N: days, Of: "day"},
					framework.Name, first.Version)
			}
		}
		return project.Open, fact.New(AsksOpenly, says)
	}
	return datedGrade(r, framework, first, says)
}

// asked writes what a demand asks for.
func asked(d universe.Demand) string {
	if d.Text == "" {
		return d.As + " at any release"
	}
	return d.As + " " + d.Text
}

// datedGrade grades a statement that names the goal by when it was made.
func datedGrade(r *universe.Release, framework *universe.Package, first *universe.Release,
	says fact.Fact) (project.Grade, fact.Fact) {
	if first == nil || first.Published.IsZero() || r.Published.IsZero() {
		return project.Stated, says
	}
	if !inOrder(framework) {
		return project.Stated, says // the assessment says so, once
	}
	days := int(r.Published.Sub(first.Published) / (24 * time.Hour))
	grade, kind := project.Stated, DaysAfter
	if days < 0 {
		grade, kind, days = project.Early, DaysBefore, -days
	}
	return grade, fact.New(kind, says, r.Published.Format(time.DateOnly), fact.Counted{N: days, Of: "day"}, framework.Name,
		first.Version)
}

func atRelease(p *universe.Package, release string) fact.Fact {
	return fact.New(AtRelease, p.Name, release)
}

// firstOf returns the first stable release among the target's.
func (a *Judgement) firstOf(framework *universe.Package, target []string) *universe.Release {
	for i := range framework.Len() {
		if r := framework.About(i); slices.Contains(target, r.Version.String()) {
			return r
		}
	}
	return nil
}

// inOrder reports whether the first releases of a package's majors came out in order.
func inOrder(p *universe.Package) bool {
	var last time.Time
	major := ""
	for i := range p.Len() {
		v, published := p.Version(i), p.Published(i)
		m := p.Scheme.Major(v)
		if v.Prerelease() || m == major || published.IsZero() {
			continue
		}
		if published.Before(last) {
			return false
		}
		major, last = m, published
	}
	return true
}

// trusted filters releases to those whose evidence about the framework is strong enough for the policy.
func (a *Judgement) trusted(p *universe.Package, releases, target []string) []string {
	if a.App.Rules.Evidence == "" {
		return releases
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return releases
	}
	first := a.firstOf(framework, target)
	return slices.DeleteFunc(slices.Clone(releases), func(v string) bool {
		r := p.Release(v)
		if r == nil {
			return false
		}
		return slices.ContainsFunc(a.onFramework(r), func(d universe.Demand) bool {
			grade, _ := a.grade(r, d, framework, first, target)
			return grade != project.Refused && project.Weaker(grade, a.App.Rules.Evidence)
		})
	})
}
