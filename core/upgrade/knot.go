package upgrade

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Knot is a tangle made ready for people: what is asked for more often than one release can serve, by whom, and how
// each of them came to be asked.
type Knot struct {
	Contested []Contest
	Tangles   int // how many tangles there are that share no demand
}

// A Contest is a package on which demands exclude each other, or one that nothing can serve.
type Contest struct {
	Name  string
	Sides []Side // in the order of the tangle
}

// A Side is one demand of a contest.
type Side struct {
	Demand   solve.Demand
	Releases string         // the releases of the package that asks so, in words; "" for the application
	Admits   string         // the releases that the demand admits, in words; "" for a runtime
	Chain    []solve.Demand // from the manifest down to the demand, both included
}

// Untie makes a tangle ready for people. Releases that rules or what is given from outside keep out of it have no part in it.
func Untie(ctx context.Context, source universe.Source, app Application, t *solve.Tangle) (*Knot, error) {
	source = Permitted(source, app)
	k := &Knot{}
	for _, one := range append([]*solve.Tangle{t}, t.Others...) {
		contested, err := contests(ctx, source, one)
		if err != nil {
			return nil, err
		}
		k.Contested = append(k.Contested, contested...)
		k.Tangles++
	}
	return k, nil
}

func contests(ctx context.Context, source universe.Source, t *solve.Tangle) ([]Contest, error) {
	var contested []Contest
	var names []string
	sides := map[string][]Side{}
	for _, d := range t.Demands {
		side, err := newSide(ctx, source, t, d)
		if err != nil {
			return nil, err
		}
		if sides[d.As] == nil {
			names = append(names, d.As)
		}
		sides[d.As] = append(sides[d.As], side)
	}
	for _, name := range names {
		alone := len(sides[name]) == 1
		if alone && sides[name][0].Admits != nothing && len(names) > 1 {
			continue // it only leads to where the demands meet
		}
		contested = append(contested, Contest{name, sides[name]})
	}
	return contested, nil
}

// nothing is how an empty set of releases is described.
var nothing = version.List{}.Describe(version.Set{})

func newSide(ctx context.Context, source universe.Source, t *solve.Tangle, d solve.Demand) (Side, error) {
	side := Side{Demand: d, Admits: nothing, Chain: chainTo(t, d)}
	p, err := lookUp(ctx, source, d.Package)
	if err != nil {
		return side, err
	}
	runtime, ofRuntime := runtimeOf(d.Package)
	switch {
	case ofRuntime:
		side.Admits = ""
	case p != nil:
		set, _ := p.Admit(d.Constraint) // what cannot be read admits nothing
		side.Admits = p.Versions().Describe(set)
	}
	if d.By == "" {
		return side, nil
	}
	by, err := lookUp(ctx, source, d.By)
	if err != nil || by == nil {
		return side, err
	}
	asks := version.NewSet(len(by.Releases))
	for i := range by.Releases {
		if ofRuntime {
			if slices.Contains(by.Releases[i].Runtimes, universe.Requirement{Name: runtime, Text: d.Constraint}) {
				asks.Add(i)
			}
			continue
		}
		all := by.Releases[i].Needs
		if d.Kind == solve.Peer {
			all = by.Releases[i].Peers
		}
		if slices.ContainsFunc(all, func(x universe.Demand) bool { return x.As == d.As && x.Package == d.Package && x.Text == d.Constraint }) {
			asks.Add(i)
		}
	}
	// Releases that nothing in the tangle admits have no part in it.
	admitted := version.NewSet(len(by.Releases))
	for _, x := range t.Demands {
		if x.Package == d.By {
			set, _ := by.Admit(x.Constraint)
			admitted = admitted.Or(set)
		}
	}
	if some := asks.And(admitted); !some.Empty() {
		asks = some
	}
	side.Releases = by.Versions().Describe(asks)
	return side, nil
}

// lookUp returns a package, or nil for one that does not exist.
func lookUp(ctx context.Context, source universe.Source, name string) (*universe.Package, error) {
	p, err := source.Package(ctx, name)
	if _, unknown := err.(*universe.UnknownError); unknown {
		return nil, nil
	}
	return p, err
}

// chainTo finds the shortest chain of the tangle's own demands that leads from the application to a demand. A tangle is
// minimal, so whoever asks in it is there because another demand of it says so.
func chainTo(t *solve.Tangle, d solve.Demand) []solve.Demand {
	chain := map[string][]solve.Demand{"": nil} // by package
	for grew := true; grew; {
		grew = false
		for _, x := range t.Demands {
			above, reached := chain[x.By]
			if _, known := chain[x.Package]; reached && !known {
				chain[x.Package] = append(slices.Clone(above), x)
				grew = true
			}
		}
	}
	return append(slices.Clone(chain[d.By]), d)
}

// WayKind says what a way out asks of people.
type WayKind string

// The kinds of way out.
const (
	MoveWay    WayKind = "move"    // another release of a declared package, with the line changed
	PreviewWay WayKind = "preview" // a prerelease of a declared package
	HoldWay    WayKind = "hold"    // lift a hold
	RaiseWay   WayKind = "raise"   // a newer runtime; by hand
	ReplaceWay WayKind = "replace" // put a successor in the place of a retiring package
	DropWay    WayKind = "drop"    // take a declared package out
	LessWay    WayKind = "less"    // go only as far as another major of the goal
	WaitWay    WayKind = "wait"    // something has to be published first
)

// A WayOut is a change after which the whole resolves. Each was solved.
type WayOut struct {
	Kind    WayKind
	Title   string
	Changes []Change      // of the manifest
	Preview []string      // packages whose previews are to be allowed
	Unhold  []string      // packages whose holds are to be lifted
	Raise   []RuntimeNeed // runtimes that are to be raised
	Goal    *Goal         // the lesser goal
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
	*advisor
	problem solve.Problem
	tangle  *solve.Tangle
	ways    []WayOut
	blamed  []string // declared names that stood in the way of what was tried
}

// WaysOut solves what people could do about a manifest that does not resolve, and returns at most five ways, the
// cheapest first. When nothing that is published would do, it says what would have to be.
func WaysOut(ctx context.Context, source universe.Source, app Application, t *solve.Tangle) ([]WayOut, error) {
	a := &advisor{ctx: ctx, source: Runnable(source, app), full: source, app: app, base: app.Locked}
	f := &finder{advisor: a, problem: app.Problem(), tangle: t}
	for _, size := range []int{1, 2, 3} {
		if err := f.MovesBetween(size); err != nil {
			return nil, err
		}
		if len(f.ways) > 0 {
			break
		}
	}
	for _, find := range []func() error{f.raises, f.previews, f.replacements, f.drops} {
		if err := find(); err != nil {
			return nil, err
		}
	}
	if len(f.ways) == 0 {
		if err := f.combined(); err != nil {
			return nil, err
		}
	}
	return f.ranked()
}

// declaredInTangle returns the declared names that the tangles speak of, each once.
func (f *finder) declaredInTangle() []string {
	var names []string
	for _, t := range append([]*solve.Tangle{f.tangle}, f.tangle.Others...) {
		for _, d := range t.Demands {
			if d.Kind == solve.Declared && d.Group != RuntimeGroup && !slices.Contains(names, d.As) {
				names = append(names, d.As)
			}
		}
	}
	return names
}

// with returns the problem with other releases for some declared names; an empty list takes the name out.
func (f *finder) with(c choice) solve.Problem {
	p := f.problem
	p.Roots = nil
	for _, r := range f.problem.Roots {
		among, changed := c[r.As]
		switch {
		case changed && len(among) == 0:
			continue
		case changed:
			r.Among = among
		}
		p.Roots = append(p.Roots, r)
	}
	return p
}

// mostNames bounds how many declared packages are combined.
const mostNames = 12

// moves tries every set of so many declared packages at any usable release: those of the tangle, and those that stood in
// the way of smaller sets, which may be in a tangle of their own.
func (f *finder) MovesBetween(size int) error {
	names := f.declaredInTangle()
	for _, name := range f.blamed {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	names = slices.DeleteFunc(names, func(n string) bool { return slices.Contains(f.app.Held, n) })
	names = names[:min(len(names), mostNames)]
	return combinations(names, size, func(set []string) error {
		c := choice{}
		for _, name := range set {
			p, err := lookUp(f.ctx, f.full, f.declaration(name).Package)
			if err != nil {
				return err
			}
			if p == nil {
				return nil
			}
			c[name] = texts(p, f.usable(p, f.locked(name)))
			if len(c[name]) == 0 {
				return nil
			}
		}
		return f.attempt(MoveWay, c, nil)
	})
}

// attempt solves a choice, and keeps it as a way out when it resolves.
func (f *finder) attempt(kind WayKind, c choice, previews []string) error {
	p := f.with(c)
	r, blame, err := solve.Try(f.ctx, f.source, p)
	f.blamed = append(f.blamed, blame...)
	if errors.Is(err, solve.ErrEndless) {
		return nil
	}
	if err != nil || r == nil {
		return err
	}
	way := WayOut{Kind: kind, After: r, Preview: previews}
	var titles []string
	for _, d := range f.app.Declared {
		among, changed := c[d.As]
		if !changed {
			continue
		}
		change := Change{Name: d.As, Group: d.Group, From: Point{d.Text, f.locked(d.As)}, Reason: "way out"}
		if len(among) == 0 {
			way.Changes = append(way.Changes, change)
			titles = append(titles, "take out "+d.As)
			continue
		}
		v := versionOf(r, d.As)
		pkg, err := f.pkg(d.As)
		if err != nil {
			return err
		}
		release := pkg.Release(v)
		change.To = Point{f.app.Scheme.Restyle(d.Text, release.Version), v}
		if set, err := pkg.Admit(d.Text); err == nil && set.Has(pkg.Index(v)) {
			continue // its line can stay after all
		}
		if from := pkg.Release(f.locked(d.As)); from != nil {
			change.Jump = f.app.Scheme.Jump(from.Version, release.Version)
		}
		way.Changes = append(way.Changes, change)
		titles = append(titles, fmt.Sprintf("%s: %s becomes %s", d.As, d.Text, change.To.Constraint))
	}
	way.Title = strings.Join(titles, ", ")
	if len(previews) > 0 {
		way.Title = "allow previews of " + strings.Join(previews, ", ") + ": " + way.Title
	}
	return f.keep(way)
}

// keep solves a way out once more as its manifest will say it, and adds what it costs.
func (f *finder) keep(way WayOut) error {
	declared := slices.Clone(f.app.Declared)
	to := map[string]string{}
	for _, c := range way.Changes {
		i := slices.IndexFunc(declared, func(d Declared) bool { return d.As == c.Name && d.Group == c.Group })
		switch {
		case c.To == (Point{}):
			declared = slices.Delete(declared, i, i+1)
		case i < 0:
			declared = append(declared, Declared{Demand: universe.Demand{As: c.Name, Package: c.Name, Text: c.To.Constraint}, Group: c.Group})
		default:
			declared[i].Text = c.To.Constraint
		}
		if c.To.Version != "" {
			to[c.Name] = c.To.Version
		}
	}
	r, err := LockStage(f.ctx, f.full, f.app, declared, f.app.Locked, to)
	if asTangle(err) != nil || errors.Is(err, solve.ErrEndless) {
		return nil
	}
	if err != nil {
		return err
	}
	way.After = r
	way.Cost = f.cost(way)
	if !slices.ContainsFunc(f.ways, func(w WayOut) bool { return w.Title == way.Title }) {
		f.ways = append(f.ways, way)
	}
	return nil
}

func (f *finder) cost(way WayOut) Cost {
	m := MovesBetween(f.app.Locked, way.After)
	cost := Cost{Lines: len(way.Changes), Locked: m.Added + m.Removed + m.Moved}
	for _, d := range f.app.Declared {
		from, to := f.locked(d.As), versionOf(way.After, d.As)
		p, err := f.pkg(d.As)
		if err != nil || from == "" || to == "" || p.Release(from) == nil || p.Release(to) == nil {
			continue
		}
		if f.app.Scheme.Breaking(p.Release(from).Version, p.Release(to).Version) {
			cost.Majors++
		}
	}
	return cost
}

// previews tries a declared package of the tangle at prereleases.
func (f *finder) previews() error {
	for _, name := range f.declaredInTangle() {
		p, err := lookUp(f.ctx, f.full, f.declaration(name).Package)
		if err != nil {
			return err
		}
		if p == nil || slices.Contains(f.app.Held, name) {
			continue
		}
		only := texts(p, version.FullSet(len(p.Releases)).Minus(p.Stable()))
		if len(only) == 0 {
			continue
		}
		if err := f.attempt(PreviewWay, choice{name: only}, []string{name}); err != nil {
			return err
		}
	}
	return nil
}

// raises tries what there is when runtimes need not be the deployed ones: each alone, then all.
func (f *finder) raises() error {
	names := slices.Sorted(maps.Keys(f.app.Runtimes))
	for _, some := range append(slices.Collect(slices.Chunk(names, 1)), names) {
		app := f.app
		app.Runtimes = maps.Clone(f.app.Runtimes)
		for _, name := range some {
			delete(app.Runtimes, name)
		}
		r, err := Relock(f.ctx, f.full, app)
		if asTangle(err) != nil || errors.Is(err, solve.ErrEndless) || len(some) == 0 {
			continue
		}
		if err != nil {
			return err
		}
		way := WayOut{Kind: RaiseWay, After: r}
		var titles []string
		for _, name := range some {
			to, err := leastRuntime(f.ctx, f.full, f.app.runtime(name), r)
			if err != nil {
				return err
			}
			if to == "" {
				to = "newer"
			}
			way.Raise = append(way.Raise, RuntimeNeed{Runtime: f.app.runtime(name), Needs: to, Deployed: f.app.Runtimes[name]})
			titles = append(titles, fmt.Sprintf("raise %s from %s to %s", name, f.app.Runtimes[name], to))
		}
		way.Title = strings.Join(titles, ", ")
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
		d := f.declaration(name)
		p, err := lookUp(f.ctx, f.full, d.Package)
		if err != nil {
			return err
		}
		if p == nil {
			continue
		}
		gone := f.retirementOf(p)
		if gone == nil || gone.Successor == "" || f.declaration(gone.Successor).As != "" {
			continue
		}
		next, err := lookUp(f.ctx, f.full, gone.Successor)
		if err != nil {
			return err
		}
		if next == nil {
			continue
		}
		problem := f.with(choice{name: {}})
		problem.Roots = append(problem.Roots, solve.Root{Demand: universe.Demand{As: next.Name, Package: next.Name, Text: f.app.Scheme.Any()}, Group: d.Group,
			Among: texts(next, f.usable(next, ""))})
		r, _, err := solve.Try(f.ctx, f.source, problem)
		if err != nil {
			return err
		}
		if r == nil {
			continue
		}
		v := next.Release(versionOf(r, next.Name))
		to := Point{f.app.Scheme.Styled(version.NextMinor, v.Version), v.Version.String()}
		if err := f.keep(WayOut{Kind: ReplaceWay, Title: fmt.Sprintf("%s becomes %s %s", name, next.Name, to.Constraint), Changes: []Change{
			{Name: name, Group: d.Group, From: Point{d.Text, f.locked(name)}, Reason: gone.Says},
			{Name: next.Name, Group: d.Group, To: to, Reason: "successor of " + name},
		}}); err != nil {
			return err
		}
	}
	return nil
}

// drops tries to do without one declared package of the tangle.
func (f *finder) drops() error {
	for _, name := range f.declaredInTangle() {
		if err := f.attempt(DropWay, choice{name: {}}, nil); err != nil {
			return err
		}
	}
	return nil
}

// ranked puts the cheapest first: what does all that was asked before what falls short of it, then fewer breaking moves, fewer
// lines, fewer locked packages. Without any way it looks for what would have to be published.
func (f *finder) ranked() ([]WayOut, error) {
	if len(f.ways) == 0 {
		return f.waits()
	}
	order := []WayKind{MoveWay, HoldWay, RaiseWay, ReplaceWay, PreviewWay, LessWay, DropWay}
	slices.SortStableFunc(f.ways, func(a, b WayOut) int {
		for _, d := range []int{
			short(a) - short(b), a.Cost.Majors - b.Cost.Majors, a.Cost.Lines - b.Cost.Lines, a.Cost.Locked - b.Cost.Locked,
			slices.Index(order, a.Kind) - slices.Index(order, b.Kind),
		} {
			if d != 0 {
				return d
			}
		}
		return strings.Compare(a.Title, b.Title)
	})
	return f.ways[:min(len(f.ways), mostWays)], nil
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
