package assess

import (
	"maps"
	"slices"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// transitive is the group of packages in an assessment that nobody declares.
const transitive = "transitive"

// transitives finds the standings of packages that nobody declares and that speak of the framework: those whose locked
// release refuses the goal, since something has to happen to them. Whole is a resolution with the goal, nil for none.
func (a *Judgement) transitives(over crossing, whole *solve.Resolution) ([]Assessed, error) {
	var all []Assessed
	seen := map[string]bool{}
	for _, n := range a.Base.Packages {
		if seen[n.Name] || n.Name == over.framework.Name ||
			slices.ContainsFunc(a.App.Declared, func(d project.Declared) bool { return d.Package == n.Name }) {
			continue
		}
		seen[n.Name] = true
		if universe.NameOf(n.Name).Extra != "" { // the package itself is judged
			continue
		}
		p, err := universe.LookUp(a.Ctx, a.Full, n.Name)
		if err != nil {
			return nil, err
		}
		if p == nil { // gone from the registry
			continue
		}
		r := p.Release(n.Version)
		if r == nil || !a.mentions(r) || a.Acceptors(p, over.framework, over.target).All.Has(p.Index(n.Version)) {
			continue
		}
		got := Assessed{Name: n.Name, Group: transitive, Locked: n.Version, By: a.broughtBy(n.Name)}
		if err := a.standTransitive(&got, p, over, whole); err != nil {
			return nil, err
		}
		all = append(all, got)
	}
	return all, nil
}

func (a *Judgement) standTransitive(got *Assessed, p *universe.Package, over crossing, whole *solve.Resolution) error {
	framework, old, target := over.framework, over.old, over.target
	accepts := a.Acceptors(p, framework, target)
	a.bounds(got, p, accepts)
	defer func() { a.prove(got, p, framework, target) }()
	if whole != nil {
		versions := whole.Versions()[p.Name]
		if len(versions) == 0 {
			return a.standLeft(got, p, framework, target, accepts)
		}
		got.Standing, got.To = project.Together, versions[len(versions)-1]
		if both := accepts.All.And(a.Acceptors(p, framework, old).All); both.Has(p.Index(got.To)) {
			got.Standing = project.Bridge
		}
		return nil
	}
	// It stands in the way when the goal resolves as soon as this package alone no longer minds.
	c := Choice{a.Goal.Name: target}
	for name, releases := range a.Together {
		c[name] = releases
	}
	r, _, err := solve.Try(a.Ctx, universe.Replaced(a.Source, universe.Table{p.Name: Indifferent(p, framework.Name)}),
		a.Problem(c, nil))
	if err != nil {
		return err
	}
	got.Standing = project.Together
	if r != nil || accepts.All.Empty() {
		got.Standing = project.Blocked
	}
	return nil
}

// standLeft decides on a package that is missing from the resolution with the goal: either nothing
// needs it any more, or the packages that need it were left out because of it.
func (a *Judgement) standLeft(got *Assessed, p, framework *universe.Package, target []string,
	accepts Acceptance) error {
	got.Standing = project.Leaves
	if _, goes := a.Together[got.By]; goes || got.By == a.Goal.Name || got.By == "" {
		return nil
	}
	by, err := a.Pkg(got.By)
	if err != nil {
		return err
	}
	c := maps.Clone(a.Together)
	c[a.Goal.Name], c[got.By] = target, Texts(by, a.Usable(by, a.Locked(got.By)))
	r, _, err := solve.Try(a.Ctx, universe.Replaced(a.Source, universe.Table{p.Name: Indifferent(p, framework.Name)}),
		a.Problem(c, nil))
	if r != nil || accepts.All.Empty() {
		got.Standing = project.Blocked
	}
	return err
}

// blame records which transitive package blocks a declared one.
func blame(packages []Assessed) {
	for _, t := range packages {
		if t.Group != transitive || t.Standing != project.Blocked {
			continue
		}
		for i := range packages {
			if by := &packages[i]; by.Name == t.By && by.Standing == project.Blocked && by.Group != transitive {
				by.Through = append(by.Through, t.Name)
				by.Evidence = append(by.Evidence,
					Evidence{project.Refused, fact.New(BringsIn, t.Name, t.Locked), fact.New(AtRelease, by.Name, by.Locked)})
			}
		}
	}
}

// Indifferent returns the package with all statements about another one removed.
func Indifferent(p *universe.Package, about string) *universe.Package {
	other := func(_ int, all []universe.Demand) []universe.Demand {
		return slices.DeleteFunc(slices.Clone(all), func(d universe.Demand) bool { return d.Package == about })
	}
	return p.Rewritten(other, other)
}

// broughtBy names the declared package over which a locked one is needed.
func (a *Judgement) broughtBy(name string) string {
	ids := map[string]*solve.Node{}
	for i := range a.Base.Packages {
		ids[a.Base.Packages[i].ID] = &a.Base.Packages[i]
	}
	for _, root := range a.Base.Roots {
		seen := map[string]bool{}
		var reaches func(id string) bool
		reaches = func(id string) bool {
			n := ids[id]
			if n == nil || seen[id] {
				return false
			}
			seen[id] = true
			return n.Name == name || slices.ContainsFunc(n.Needs, func(e solve.Edge) bool { return reaches(e.To) })
		}
		if reaches(root.To) {
			return root.Name
		}
	}
	return ""
}

// bounds finds the first and the newest release that state compatibility with the goal.
func (a *Judgement) bounds(got *Assessed, p *universe.Package, accepts Acceptance) {
	serve := accepts.stated.And(a.Usable(p, got.Locked))
	if first := serve.Min(); first >= 0 {
		got.First = p.Version(first).String()
	}
	if last := universe.BestOf(p, serve); last >= 0 {
		got.Newest = p.Version(last).String()
	}
}

// solved narrows the first and the newest release to those with which the whole application
// resolves. Ready says that the locked release does.
func (a *Judgement) solved(got *Assessed, p *universe.Package, accepts Acceptance, target []string, ready bool) error {
	serve := accepts.stated.And(a.Usable(p, got.Locked))
	if at := p.Index(got.Locked); at >= 0 { // nobody goes back to an open range of long ago
		later := version.NewSet(p.Len())
		for i := range serve.All() {
			if i >= at {
				later.Add(i)
			}
		}
		if !later.Empty() {
			serve = later
		}
	}
	candidates := a.Towards(got.Name, p, Texts(p, serve), target)
	find := func(versions []string) (string, error) {
		for _, v := range versions {
			if ready && v == got.Locked {
				return v, nil
			}
			r, err := a.pair(got.Name, []string{v}, target)
			if err != nil {
				return "", err
			}
			if r != nil {
				return v, nil
			}
		}
		return "", nil
	}
	var err error
	if got.First, err = find(candidates); err != nil || got.First == "" {
		got.Newest = ""
		return err
	}
	backwards := slices.Clone(candidates)
	slices.Reverse(backwards)
	got.Newest, err = find(backwards)
	return err
}

// A Wait is a package whose next release decides whether a goal can be reached.
type Wait struct {
	Package string
	For     fact.Fact // what that release has to do
}

// waitList names the packages without whose next release the goal stays out of reach, and reports whether releases of
// these alone would do, which is solved.
func (a *Judgement) waitList(packages []Assessed, framework *universe.Package, target []string) ([]Wait, bool, error) {
	var waits []Wait
	lenient := a.Source
	c := Choice{a.Goal.Name: target}
	for name, releases := range a.Together {
		c[name] = releases
	}
	for _, got := range packages {
		if got.Standing != project.Blocked || slices.Contains(a.App.Held, got.Name) ||
			slices.ContainsFunc(waits, func(w Wait) bool { return w.Package == got.Name }) {
			continue
		}
		name := got.Name
		if d := a.Declaration(got.Name); d.As != "" {
			name = d.Package
		}
		p, err := a.Full.Package(a.Ctx, name)
		if err != nil {
			return nil, false, err
		}
		next := fact.New(Accepting, a.Goal.Name, a.Goal.Constraint)
		if got.Preview != "" {
			next = fact.New(AcceptingAs, next, got.Preview)
		}
		if minds := !a.Acceptors(p, framework, target).All.Meets(a.Usable(p, got.Locked)); minds || got.Through == nil {
			waits = append(waits, Wait{got.Name, next})
		}
		lenient = universe.Replaced(lenient, universe.Table{p.Name: Indifferent(p, framework.Name)})
		if got.Group != transitive {
			c[got.Name] = Texts(p, a.Usable(p, got.Locked))
		}
	}
	if waits == nil {
		return nil, false, nil
	}
	r, _, err := solve.Try(a.Ctx, lenient, a.Problem(c, nil))
	return waits, r != nil, err
}
