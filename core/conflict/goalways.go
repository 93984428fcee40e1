package conflict

import (
	"context"
	"maps"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// Reach asks whether some goals, of which the first is the framework's, resolve with everything
// that is declared. Packages that are compatible with no release of the goal, even by itself, are
// returned as blocked.
func Reach(ctx context.Context, source universe.Source, app project.Application,
	goals []project.Goal) (r *solve.Resolution, blocked []string, a *assess.Judgement, err error) {
	if a, err = assess.Ask(ctx, source, app, goals); err != nil {
		return nil, nil, nil, err
	}
	a, r, err = a.InSight()
	if err != nil {
		return nil, nil, nil, err
	}
	for _, name := range a.Names() {
		p, err := a.Pkg(name)
		if err != nil {
			return nil, nil, nil, err
		}
		gone := a.RetirementOf(p)
		if _, goes := a.Together[name]; !goes && name != goals[0].Name && (gone == nil || gone.Kind == project.Abandoned) {
			blocked = append(blocked, name)
		}
	}
	if len(blocked) > 0 || a.Impossible() != nil {
		r = nil
	}
	return r, blocked, a, nil
}

// A remedy is one thing to do about one declared package that keeps a goal out of reach.
type remedy struct {
	kind  WayKind
	title fact.Fact
	apply func(*project.Application)
	way   func(*WayOut)
}

// GoalWays solves what people could do about goals that are out of reach together, of which the
// first is the framework's, and returns at most five ways, the cheapest first. It returns none for
// goals that can be reached.
func GoalWays(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal,
	t *solve.Tangle) ([]WayOut, error) {
	r, blocked, a, err := Reach(ctx, source, app, goals)
	if err != nil || r != nil {
		return nil, err
	}
	f := &finder{Judgement: a, tangle: &solve.Tangle{}}
	if t != nil {
		f.tangle = t
	}
	if t := a.Impossible(); t != nil { // nothing that is declared is to blame
		f.tangle = t
		if f.Judgement, err = assess.Ask(ctx, source, app, goals); err != nil { // which sets nothing aside
			return nil, err
		}
		if err := f.less(goals); err != nil {
			return nil, err
		}
		return f.andWaivers(f.ways, func() error { return f.waiversFor(goals, nil) })
	}
	names := blocked
	if len(names) == 0 { // each could go, but not all together: one of them has to give way
		names = slices.DeleteFunc(f.declaredInTangle(), func(n string) bool {
			return slices.ContainsFunc(goals, func(g project.Goal) bool { return g.Name == n })
		})
	}
	var remedies [][]remedy
	for _, name := range names {
		some := f.remedies(name)
		if slices.ContainsFunc(goals, func(g project.Goal) bool { return g.Name == name }) {
			// what is to get somewhere is neither taken out nor set back
			some = slices.DeleteFunc(some, func(r remedy) bool { return r.kind == DropWay || r.kind == BackWay })
		}
		remedies = append(remedies, some)
	}
	if len(blocked) > 0 {
		err = f.product(goals, remedies, nil)
	} else {
		for _, some := range remedies {
			if err = f.product(goals, [][]remedy{some}, nil); err != nil {
				break
			}
		}
	}
	if err != nil {
		return nil, err
	}
	if err := f.less(goals); err != nil {
		return nil, err
	}
	ways, err := f.waitFor(blocked)
	if len(f.ways) > 0 {
		ways, err = f.ranked()
	}
	if err != nil {
		return nil, err
	}
	return f.andWaivers(ways, func() error { return f.waiversFor(goals, blocked) })
}

// waitFor is the way out to wait for new releases: of one package where that is enough, else of all of them together.
func (f *finder) waitFor(blocked []string) ([]WayOut, error) {
	if len(blocked) == 0 {
		return nil, nil
	}
	framework, err := f.Pkg(f.Goal.Name)
	if err != nil {
		return nil, err
	}
	set, err := f.Target(framework)
	if err != nil {
		return nil, err
	}
	lenient, c := f.Source, assess.Choice{f.Goal.Name: assess.Texts(framework, set)}
	for name, releases := range f.Together {
		c[name] = releases
	}
	for _, name := range blocked {
		p, err := f.Pkg(name)
		if err != nil {
			return nil, err
		}
		lenient = universe.Replaced(lenient, universe.Table{p.Name: assess.Indifferent(p, framework.Name)})
		c[name] = assess.Texts(p, f.Usable(p, f.Locked(name)))
	}
	r, _, err := solve.Try(f.Ctx, lenient, f.Judgement.Problem(c, nil))
	if err != nil {
		return nil, err
	}
	title := fact.New(WaitRelease, blocked[0], f.Goal)
	if len(blocked) > 1 {
		title = fact.New(WaitReleases, f.Goal, strings.Join(blocked, ", "))
	}
	if r == nil {
		title = fact.New(WaitAndMore, title)
	}
	return []WayOut{{Kind: WaitWay, Title: title}}, nil
}

// remedies lists what could be done about one package.
func (f *finder) remedies(name string) []remedy {
	d := f.Declaration(name)
	without := func(app *project.Application) {
		app.Declared = slices.DeleteFunc(slices.Clone(app.Declared), func(x project.Declared) bool { return x.As == name })
	}
	all := []remedy{
		{PreviewWay, fact.New(AllowPreviews, name), func(app *project.Application) {
			app.Previews = append(slices.Clone(app.Previews), name)
		},
			func(w *WayOut) { w.Preview = append(w.Preview, name) }},
		{DropWay, fact.New(TakeOut, name), without, func(w *WayOut) {
			w.Changes = append(w.Changes, project.Change{
				Name: name, Group: d.Group, From: project.Point{Constraint: d.Text, Version: f.Locked(name)},
				Reason: fact.New(OneOfWays)})
		}},
	}
	if !f.previewMayHelp(name) {
		all = all[1:]
	}
	if older := f.Older(name); older != "" {
		p, err := f.Pkg(name)
		if err == nil {
			to := project.Point{Constraint: version.Restyled(f.App.Scheme, d.Text, p.Known(older).Version), Version: older}
			all = append(all, remedy{BackWay, fact.New(GoBack, name, older), func(app *project.Application) {
				fixed := maps.Clone(app.Fixed)
				if fixed == nil {
					fixed = map[string]string{}
				}
				fixed[d.Package] = older
				app.Fixed, app.Declared = fixed, slices.Clone(app.Declared)
				for i := range app.Declared {
					if app.Declared[i].As == name {
						app.Declared[i].Text = to.Constraint
					}
				}
			}, func(w *WayOut) {
				w.Changes = append(w.Changes, project.Change{
					Name: name, Group: d.Group, From: project.Point{Constraint: d.Text, Version: f.Locked(name)},
					To: to, Reason: fact.New(OneOfWays)})
			}})
		}
	}
	if slices.Contains(f.App.Held, name) {
		all = append([]remedy{{HoldWay, fact.New(LiftHold, f.App.HeldFor(name)), func(app *project.Application) {
			app.Held = slices.DeleteFunc(slices.Clone(app.Held), func(n string) bool { return n == name })
		}, func(w *WayOut) { w.Unhold = append(w.Unhold, name) }}}, all...)
	}
	return all
}

// previewMayHelp reports whether a package has a prerelease that does not refuse the goal by what it states.
func (f *finder) previewMayHelp(name string) bool {
	p, err := f.Pkg(name)
	if err != nil || slices.Contains(f.App.Previews, p.Name) {
		return false
	}
	framework, err := f.Pkg(f.Goal.Name)
	if err != nil {
		return false
	}
	set, err := f.Target(framework)
	if err != nil {
		return false
	}
	accepting := f.Acceptors(p, framework, assess.Texts(framework, set)).All
	for i := p.Index(f.Locked(name)) + 1; i < p.Len(); i++ {
		if p.Version(i).Prerelease() && accepting.Has(i) {
			return true
		}
	}
	return false
}

// mostRemedies is for how many packages something is done at once.
const mostRemedies = 4

// product tries every way to apply one remedy to each package, where these are few.
func (f *finder) product(goals []project.Goal, remedies [][]remedy, chosen []remedy) error {
	if len(chosen)+len(remedies) > mostRemedies {
		return nil
	}
	if err := f.Ctx.Err(); err != nil {
		return err
	}
	if len(remedies) > 0 {
		for _, r := range remedies[0] {
			if err := f.product(goals, remedies[1:], append(slices.Clone(chosen), r)); err != nil {
				return err
			}
		}
		return nil
	}
	app := f.App
	way := WayOut{Kind: chosen[0].kind}
	var titles []fact.Fact
	for _, r := range chosen {
		r.apply(&app)
		r.way(&way)
		titles = append(titles, r.title)
		if r.kind == DropWay || r.kind == BackWay && way.Kind != DropWay {
			way.Kind = r.kind
		}
	}
	if app.Locked != nil && !app.Current() { // what was taken out is no longer locked
		base, err := project.Baseline(f.Ctx, f.Source, app)
		if solve.AsTangle(err) != nil {
			return nil
		}
		if err != nil {
			return err
		}
		app.Locked = base
	}
	r, _, _, err := Reach(f.Ctx, f.Source, app, goals)
	if err != nil || r == nil {
		return err
	}
	way.Title, way.After = allOf(titles), r
	way.Cost = f.cost(way)
	f.ways = append(f.ways, way)
	return nil
}

// less looks for lesser goals that can be reached: without a further one, else with the greatest
// major before that of the framework's.
func (f *finder) less(goals []project.Goal) error {
	for i := 1; i < len(goals); i++ {
		if found, err := f.lesser(fact.New(WithoutGoal, goals[i]),
			slices.Delete(slices.Clone(goals), i, i+1)); err != nil || found {
			return err
		}
	}
	goal := goals[0]
	p, err := f.Pkg(goal.Name)
	if err != nil {
		return err
	}
	set, err := f.Target(p)
	if err != nil {
		return err
	}
	at := p.Index(f.Locked(goal.Name))
	tried := map[string]bool{f.App.Scheme.Major(p.Version(set.Max())): true}
	for i := set.Min() - 1; i > at; i-- {
		m := f.App.Scheme.Major(p.Version(i))
		if at >= 0 && m == f.App.Scheme.Major(p.Version(at)) {
			break
		}
		if tried[m] || p.Version(i).Prerelease() {
			continue
		}
		tried[m] = true
		lesser := slices.Clone(goals)
		lesser[0].Constraint = m
		if found, err := f.lesser(fact.New(OnlyAsFar, lesser[0]), lesser); err != nil || found {
			return err
		}
	}
	return nil
}

// lesser adds other goals as a way out, where they can be reached.
func (f *finder) lesser(title fact.Fact, goals []project.Goal) (bool, error) {
	r, _, _, err := Reach(f.Ctx, f.Source, f.App, goals)
	if err != nil || r == nil {
		return false, err
	}
	way := WayOut{Kind: LessWay, Title: title, Goals: goals, After: r}
	way.Cost = f.cost(way)
	f.ways = append(f.ways, way)
	return true, nil
}
