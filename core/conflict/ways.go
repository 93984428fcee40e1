package conflict

import (
	"context"
	"errors"
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

// WayKind says what a way out asks of people.
type WayKind string

// The kinds of way out.
const (
	MoveWay    WayKind = "move"    // another release of a declared package, with the line changed
	PreviewWay WayKind = "preview" // a prerelease of a declared package
	HoldWay    WayKind = "hold"    // lift a hold
	BuildWay   WayKind = "build"   // allow that packages without a file that can be used are built from their source
	RaiseWay   WayKind = "raise"   // a newer runtime; by hand
	ReplaceWay WayKind = "replace" // put a successor in the place of a retiring package
	DropWay    WayKind = "drop"    // take a declared package out
	LessWay    WayKind = "less"    // go only as far as another major of the goal, or without a further goal
	BackWay    WayKind = "back"    // go back to an earlier release of a declared package
	WaiveWay   WayKind = "waive"   // set aside what packages ask of others
	WaitWay    WayKind = "wait"    // something has to be published first
)

// A WayOut is a change after which the whole resolves. Each was solved.
type WayOut struct {
	Kind    WayKind
	Title   fact.Fact
	Changes []project.Change     // of the manifest
	Preview []string             // packages whose previews are to be allowed
	Unhold  []string             // packages whose holds are to be lifted
	Build   []string             // packages that may be built
	Waive   []project.Waiver     // statements that are to be set aside, without a reason
	Raise   []assess.RuntimeNeed // runtimes that are to be raised
	Goals   []project.Goal       // the lesser goals
	After   *solve.Resolution
	Cost    Cost
}

// A Cost is what a way out takes, compared with what is locked.
type Cost struct {
	Lines  int // declarations that change
	Majors int // declared packages that make a breaking move
	Locked int // packages of the lock that come, go or move
}

// mostWays is how many ways out are shown.
const mostWays = 5

// A finder collects ways out of one tangle.
type finder struct {
	*assess.Judgement
	problem solve.Problem
	tangle  *solve.Tangle
	ways    []WayOut
	blamed  []string // declared names that stood in the way of what was tried
	spent   error    // an *UndecidedError once a try was given up: then no more are made
}

// try is solve.Try. What cannot be decided is no way out.
func (f *finder) try(source universe.Source, p solve.Problem) (*solve.Resolution, []string, error) {
	if f.spent != nil {
		return nil, nil, nil
	}
	r, blame, err := solve.Try(f.Ctx, source, p)
	var undecided *solve.UndecidedError
	if errors.As(err, &undecided) {
		f.spent, err = undecided, nil
	}
	return r, blame, err
}

// WaysOut solves what people could do about a manifest that does not resolve, and returns at most
// five ways, the cheapest first. When nothing that is published would do, it says what would have
// to be. An *solve.UndecidedError comes with the ways that were found, when trying others was given
// up.
func WaysOut(ctx context.Context, source universe.Source, app project.Application, t *solve.Tangle) ([]WayOut, error) {
	a := &assess.Judgement{Ctx: ctx, Source: project.Runnable(source, app), Full: source, App: app, Base: app.Locked}
	f := &finder{Judgement: a, problem: app.Problem(), tangle: t}
	for _, size := range []int{1, 2, 3} {
		if err := f.MovesBetween(size); err != nil {
			return nil, err
		}
		if len(f.ways) > 0 {
			break
		}
	}
	for _, find := range []func() error{f.builds, f.raises, f.previews, f.replacements, f.drops} {
		if err := find(); err != nil {
			return nil, err
		}
	}
	if len(f.ways) == 0 {
		if err := f.combined(); err != nil {
			return nil, err
		}
	}
	ways, err := f.ranked()
	if err == nil {
		ways, err = f.andWaivers(ways, f.waivers)
	}
	if err == nil {
		err = f.spent
	}
	return ways, err
}

// declaredInTangle returns the declared names that the tangles speak of, each once.
func (f *finder) declaredInTangle() []string {
	var names []string
	for _, t := range append([]*solve.Tangle{f.tangle}, f.tangle.Others...) {
		for _, d := range t.Demands {
			if d.Kind == solve.Declared && d.Group != project.RuntimeGroup && !slices.Contains(names, d.As) {
				names = append(names, d.As)
			}
		}
	}
	return names
}

// with returns the problem with other releases for some declared names; an empty list takes the name out.
func (f *finder) with(c assess.Choice) solve.Problem {
	p := f.problem
	p.Roots = nil
	for _, r := range f.problem.Roots {
		as := universe.NameOf(r.As)
		name, extra := as.Base(), as.Extra
		among, changed := c[name]
		switch {
		case changed && len(among) == 0:
			continue
		case changed && extra == "":
			r.Among = among
		}
		p.Roots = append(p.Roots, r)
	}
	return p
}

// mostNames bounds how many declared packages are combined.
const mostNames = 12

// moves tries every set of so many declared packages at any usable release: those of the tangle,
// and those that stood in the way of smaller sets, which may be in a tangle of their own.
func (f *finder) MovesBetween(size int) error {
	names := f.declaredInTangle()
	for _, name := range f.blamed {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	names = slices.DeleteFunc(names, func(n string) bool { return slices.Contains(f.App.Held, n) })
	names = names[:min(len(names), mostNames)]
	return combinations(names, size, func(set []string) error {
		c := assess.Choice{}
		for _, name := range set {
			p, err := universe.LookUp(f.Ctx, f.Full, f.Declaration(name).Package)
			if err != nil {
				return err
			}
			if p == nil {
				return nil
			}
			c[name] = assess.Texts(p, f.Usable(p, f.Locked(name)))
			if len(c[name]) == 0 {
				return nil
			}
		}
		return f.attempt(MoveWay, c, nil)
	})
}

// attempt solves a choice, and keeps it as a way out when it resolves.
func (f *finder) attempt(kind WayKind, c assess.Choice, previews []string) error {
	p := f.with(c)
	r, blame, err := f.try(f.Source, p)
	f.blamed = append(f.blamed, blame...)
	if errors.Is(err, solve.ErrEndless) {
		return nil
	}
	if err != nil || r == nil {
		return err
	}
	way := WayOut{Kind: kind, After: r, Preview: previews}
	var titles []fact.Fact
	for _, d := range f.App.Declared {
		among, changed := c[d.As]
		if !changed {
			continue
		}
		change := project.Change{Name: d.As, Group: d.Group, From: project.Point{Constraint: d.Text, Version: f.Locked(d.As)},
			Reason: fact.New(OneOfWays)}
		if len(among) == 0 {
			way.Changes = append(way.Changes, change)
			titles = append(titles, fact.New(TakeOut, d.As))
			continue
		}
		v := project.VersionOf(r, d.As)
		pkg, err := f.Pkg(d.As)
		if err != nil {
			return err
		}
		release := pkg.Release(v)
		change.To = project.Point{Constraint: version.Restyled(f.App.Scheme, d.Text, release.Version), Version: v}
		if set, err := pkg.Admit(d.Text); err == nil && set.Has(pkg.Index(v)) {
			continue // its line can stay after all
		}
		if from := pkg.Release(f.Locked(d.As)); from != nil {
			change.Jump = f.App.Scheme.Jump(from.Version, release.Version)
		}
		way.Changes = append(way.Changes, change)
		titles = append(titles, fact.New(LineBecomes, d.As, d.Text, change.To.Constraint))
	}
	way.Title = allOf(titles)
	if len(previews) > 0 {
		way.Title = fact.New(WithPreviews, strings.Join(previews, ", "), way.Title)
	}
	return f.keep(way)
}

// keep solves a way out once more as its manifest will say it, and adds what it costs.
func (f *finder) keep(way WayOut) error {
	declared := slices.Clone(f.App.Declared)
	to := map[string]string{}
	for _, c := range way.Changes {
		i := slices.IndexFunc(declared, func(d project.Declared) bool { return d.As == c.Name && d.Group == c.Group })
		switch {
		case c.To == (project.Point{}):
			declared = slices.Delete(declared, i, i+1)
		case i < 0:
			declared = append(declared, project.Declared{
				Demand: universe.Demand{As: c.Name, Package: c.Name, Text: c.To.Constraint}, Group: c.Group})
		default:
			declared[i].Text = c.To.Constraint
		}
		if c.To.Version != "" {
			to[c.Name] = c.To.Version
		}
	}
	r, err := project.LockStage(f.Ctx, f.Full, f.App,
		project.StageDemand{Declared: declared, To: to, Before: f.App.Locked})
	if solve.AsTangle(err) != nil || errors.Is(err, solve.ErrEndless) {
		return nil
	}
	if err != nil {
		return err
	}
	way.After = r
	way.Cost = f.cost(way)
	if !slices.ContainsFunc(f.ways, func(w WayOut) bool { return w.Title.Equal(way.Title) }) {
		f.ways = append(f.ways, way)
	}
	return nil
}

func (f *finder) cost(way WayOut) Cost {
	m := project.MovesBetween(f.App.Locked, way.After)
	cost := Cost{Lines: len(way.Changes), Locked: m.Added + m.Removed + m.Moved}
	for _, d := range f.App.Declared {
		from, to := f.Locked(d.As), project.VersionOf(way.After, d.As)
		p, err := f.Pkg(d.As)
		if err != nil || from == "" || to == "" || p.Release(from) == nil || p.Release(to) == nil {
			continue
		}
		if f.App.Breaking(d.As, p.Known(from).Version, p.Known(to).Version) {
			cost.Majors++
		}
	}
	return cost
}

// previews tries a declared package of the tangle at prereleases.
func (f *finder) previews() error {
	for _, name := range f.declaredInTangle() {
		p, err := universe.LookUp(f.Ctx, f.Full, f.Declaration(name).Package)
		if err != nil {
			return err
		}
		if p == nil || slices.Contains(f.App.Held, name) {
			continue
		}
		only := assess.Texts(p, p.Previews())
		if len(only) == 0 {
			continue
		}
		if err := f.attempt(PreviewWay, assess.Choice{name: only}, []string{name}); err != nil {
			return err
		}
	}
	return nil
}

// mostBuilt is how many packages are to be built at once.
const mostBuilt = 6

// builds tries what there is when packages that have to be built count as built: those that the
// tangle speaks of, and those that then are in the way.
func (f *finder) builds() error {
	var names []string
	add := func(t *solve.Tangle) (more bool) {
		for _, one := range append([]*solve.Tangle{t}, t.Others...) {
			for _, d := range one.Demands {
				name := universe.NameOf(d.By).Base()
				if universe.IsUnbuilt(d.Package) && !slices.Contains(names, name) {
					names, more = append(names, name), true
				}
			}
		}
		return more
	}
	for t := f.tangle; t != nil && len(names) < mostBuilt && add(t); {
		source := universe.Built(f.Source, names)
		r, _, err := f.try(source, f.problem)
		if err != nil {
			return err
		}
		if r != nil {
			slices.Sort(names)
			way := WayOut{Kind: BuildWay, After: r, Build: names,
				Title: fact.New(BuildSource, strings.Join(names, ", "))}
			way.Cost = f.cost(way)
			f.ways = append(f.ways, way)
			return nil
		}
		if f.spent != nil {
			return nil
		}
		if t, err = solve.Refute(f.Ctx, source, f.problem); err != nil {
			return err
		}
	}
	return nil
}

// raises tries what there is when runtimes need not be the deployed ones: each by itself, then all.
func (f *finder) raises() error {
	names := slices.Sorted(maps.Keys(f.App.Runtimes))
	for _, some := range append(slices.Collect(slices.Chunk(names, 1)), names) {
		app := f.App
		app.Runtimes = maps.Clone(f.App.Runtimes)
		for _, name := range some {
			delete(app.Runtimes, name)
		}
		r, err := project.Relock(f.Ctx, f.Full, app)
		if solve.AsTangle(err) != nil || errors.Is(err, solve.ErrEndless) || len(some) == 0 {
			continue
		}
		if err != nil {
			return err
		}
		way := WayOut{Kind: RaiseWay, After: r}
		var titles []fact.Fact
		for _, name := range some {
			to, err := project.LeastRuntime(f.Ctx, f.Full, f.App.Runtime(name), r)
			if err != nil {
				return err
			}
			title := fact.New(RaiseTo, name, f.App.Runtimes[name], to)
			if to == "" {
				to, title = "newer", fact.New(RaiseSomehow, name, f.App.Runtimes[name])
			}
			way.Raise = append(way.Raise, assess.RuntimeNeed{
				Runtime: f.App.Runtime(name), Needs: to, Deployed: f.App.Runtimes[name]})
			titles = append(titles, title)
		}
		way.Title = allOf(titles)
		way.Cost = f.cost(way)
		way.Cost.Lines = len(some) // of the configuration
		f.ways = append(f.ways, way)
		return nil
	}
	return nil
}

// replacements tries the successors of renamed packages.
func (f *finder) replacements() error {
	for _, name := range f.declaredInTangle() {
		d := f.Declaration(name)
		p, err := universe.LookUp(f.Ctx, f.Full, d.Package)
		if err != nil {
			return err
		}
		if p == nil {
			continue
		}
		gone := f.RetirementOf(p)
		if gone == nil || gone.Successor == "" || f.Declaration(gone.Successor).As != "" {
			continue
		}
		next, err := universe.LookUp(f.Ctx, f.Full, gone.Successor)
		if err != nil {
			return err
		}
		if next == nil {
			continue
		}
		problem := f.with(assess.Choice{name: {}})
		problem.Roots = append(problem.Roots,
			solve.Root{Demand: universe.Demand{As: next.Name, Package: next.Name, Text: f.App.Scheme.Any()}, Group: d.Group,
				Among: assess.Texts(next, f.Usable(next, ""))})
		r, _, err := f.try(f.Source, problem)
		if err != nil {
			return err
		}
		if r == nil {
			continue
		}
		v := next.Release(project.VersionOf(r, next.Name))
		to := project.Point{Constraint: f.App.Scheme.Styled(version.NextMinor, v.Version), Version: v.Version.String()}
		if err := f.keep(WayOut{Kind: ReplaceWay, Title: fact.New(ReplacedBy, name, next.Name, to.Constraint),
			Changes: []project.Change{
				{Name: name, Group: d.Group, From: project.Point{Constraint: d.Text, Version: f.Locked(name)}, Reason: gone.Says},
				{Name: next.Name, Group: d.Group, To: to, Reason: fact.New(SuccessorOf, name)},
			}}); err != nil {
			return err
		}
	}
	return nil
}

// drops tries to do without one declared package of the tangle.
func (f *finder) drops() error {
	for _, name := range f.declaredInTangle() {
		if err := f.attempt(DropWay, assess.Choice{name: {}}, nil); err != nil {
			return err
		}
	}
	return nil
}

// ranked puts the cheapest first: what does all that was asked before what falls short of it, then
// fewer breaking moves, fewer lines, fewer locked packages. Without any way it looks for what would
// have to be published.
func (f *finder) ranked() ([]WayOut, error) {
	if len(f.ways) == 0 {
		return f.waits()
	}
	order := []WayKind{MoveWay, BuildWay, HoldWay, RaiseWay, ReplaceWay, PreviewWay, LessWay, BackWay, DropWay}
	slices.SortStableFunc(f.ways, func(a, b WayOut) int {
		for _, d := range []int{
			short(a) - short(b), a.Cost.Majors - b.Cost.Majors, a.Cost.Lines - b.Cost.Lines, a.Cost.Locked - b.Cost.Locked,
			slices.Index(order, a.Kind) - slices.Index(order, b.Kind),
		} {
			if d != 0 {
				return d
			}
		}
		return strings.Compare(a.Title.String(), b.Title.String())
	})
	return f.ways[:min(len(f.ways), mostWays)], nil
}

// allOf is the title of a way out that does several things at once.
func allOf(titles []fact.Fact) fact.Fact {
	if len(titles) == 1 {
		return titles[0]
	}
	return fact.List(AllOfThese, titles)
}

// short ranks what falls short of what was asked: a lesser goal, and more so to do without a package.
func short(w WayOut) int {
	switch w.Kind {
	case DropWay:
		return 2
	case LessWay:
		return 1
	}
	return 0
}

// combinations calls f with every set of k names, until it fails.
func combinations(names []string, k int, f func([]string) error) error {
	var set []string
	var from func(i int) error
	from = func(i int) error {
		if len(set) == k {
			return f(slices.Clone(set))
		}
		for ; i < len(names); i++ {
			set = append(set, names[i])
			if err := from(i + 1); err != nil {
				return err
			}
			set = set[:len(set)-1]
		}
		return nil
	}
	return from(0)
}
