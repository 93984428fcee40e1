package open

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"molt/app/advice"
	"molt/app/config"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
	"molt/registry"
)

// Ask opens the registries. Publication times are wanted for the named packages, and for all when the call or the
// configuration depends on them. The caller closes the question.
func (a *View) Ask(ctx context.Context, dated []string) (*Question, error) {
	registries, withheld, err := openRegistries(a)
	if err != nil {
		return nil, err
	}
	x := &access{registries: registries, withheld: withheld, dated: dated, opened: map[string]ecosystem.Source{}}
	q, err := x.question(ctx, a)
	if err != nil {
		registries.Close()
	}
	return q, err
}

// Close closes the registries.
func (q *Question) Close() {
	for _, s := range q.access.opened {
		s.Close()
	}
	q.access.registries.Close()
}

// open has the ecosystem open the registries for some environments.
func (x *access) open(ctx context.Context, a *View, environments []ecosystem.Environment) ecosystem.Source {
	divided := ecosystem.Divided(environments, a.Alternatives)
	everything := aged(a) || a.Settings.Detailed || a.Config.Rules.Detailed()
	key := fmt.Sprint(divided, a.Forks, everything, a.Config.Build, a.Config.Protocol)
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.opened[key] == nil {
		allowed, _ := builds(a)
		x.opened[key] = protocol(a).Open(ctx, x.registries, ecosystem.Detail{
			Everything: everything, Packages: x.dated,
			Environments: divided, Forks: a.Forks, Builds: allowed,
			Build: func(ctx context.Context, name, version string, source universe.File) (*ecosystem.Built, error) {
				return buildSource(ctx, archivesOf(a, x.registries), name, version, source)
			},
		})
	}
	return x.opened[key]
}

// aged reports whether the age of releases counts.
func aged(a *View) bool {
	settle, err := a.Config.SettleAge()
	return err != nil || settle > 0 || !a.Settings.AsOf.IsZero()
}

func (x *access) question(ctx context.Context, a *View) (*Question, error) {
	settled, err := settledFor(a)
	if err != nil {
		return nil, err
	}
	bind := func(opened ecosystem.Source) universe.Source {
		return universe.Overridden(limited(a, reinstated(a, withArchived(a, opened))), a.Manifest.Overrides())
	}
	q := &Question{View: a, Opened: x.open(ctx, a, a.Environments()), access: x}
	bound := bind(q.Opened)
	q.Source = settled(bound)
	if age, err := a.Config.SettleAge(); err == nil && age > 0 && a.Settings.AsOf.IsZero() {
		q.Unsettled = bound
	}
	if _, ok := a.Eco.(ecosystem.Conditional); ok {
		q.Wide = func(environments []ecosystem.Environment) universe.Source {
			if environments == nil {
				return q.Source
			}
			return settled(bind(x.open(ctx, a, environments)))
		}
	}
	return q, nil
}

// settledFor returns what hides the releases that are too new: those that have not settled, and
// those that came after the day that is asked about.
func settledFor(a *View) (func(universe.Source) universe.Source, error) {
	settle, err := a.Config.SettleAge()
	if err != nil {
		return nil, err
	}
	if !aged(a) {
		return func(bound universe.Source) universe.Source { return bound }, nil
	}
	limit := a.Now().Add(-settle)
	locked := map[string]bool{}
	if a.Lock != nil && a.Settings.AsOf.IsZero() {
		for _, p := range a.Lock.Packages {
			locked[p.Name+"@"+p.Version] = true
		}
	}
	reason := fmt.Sprintf("were published after %s", limit.Format(time.DateOnly))
	if settle > 0 {
		reason = fmt.Sprintf("are younger than %s, which %s asks for under \"settle:\"", a.Config.Settle, config.File)
	}
	return func(bound universe.Source) universe.Source {
		return universe.FilterFor(bound, reason, func(name string, r *universe.Release) bool {
			version := r.Version.String()
			return !r.Published.After(limit) || a.Fixed[name] == version || locked[name+"@"+version]
		})
	}, nil
}

// with is the question about another reading of the application, with the same registries.
func (q *Question) with(ctx context.Context, a *View) (*Question, error) {
	other, err := q.access.question(ctx, a)
	if err == nil {
		other.InferredRuntimes, other.InferredFrom, other.guides, other.previews = q.InferredRuntimes, q.InferredFrom,
			q.guides, q.previews
	}
	return other, err
}

// Again is the question about the application as it is on disk by now.
func (q *Question) Again(ctx context.Context) (*Question, error) {
	a, err := q.View.Again()
	if err != nil {
		return nil, err
	}
	return q.with(ctx, a)
}

// Without is the question with some optional packages taken for absent, as no registry has them.
func (q *Question) Without(ctx context.Context, packages []string) (*Question, error) {
	if len(packages) == 0 {
		return q, nil
	}
	a := *q.View
	a.absent = packages
	return q.with(ctx, &a)
}

// Advised is the question with what judging a goal takes besides: the advice that the configuration
// names, what is taken to be deployed, and previews of more packages. It returns warnings.
func (q *Question) Advised(ctx context.Context, previews []string) (*Question, []string, error) {
	other := q.WithRuntimes(ctx)
	other.previews = previews
	library := advice.Library{Dir: q.Dir, Files: q.Files, Eco: q.Eco, Sources: q.Runner().Sources,
		Elsewhere: func(name string) bool { return elsewhere(q.View, name) },
		Open: func(base string) (*registry.Client, error) {
			return registry.New(registry.Options{Base: base, Offline: q.Settings.Offline, Since: q.Settings.Since,
				Unsaid: q.Config.FreshFor(), Cache: q.CacheDir(), Jobs: 1})
		}}
	var warnings []string
	var err error
	other.guides, warnings, err = library.Load(ctx, q.Config.Advice)
	return other, warnings, err
}

// WithRuntimes is the question with what is taken to be deployed where nobody says what is.
func (q *Question) WithRuntimes(ctx context.Context) *Question {
	other := *q
	other.InferredRuntimes, other.InferredFrom = InferRuntimes(ctx, q.View)
	return &other
}

// Application gives the core what it has to know.
func (q *Question) Application() project.Application {
	u := q.View.Application()
	u.InferredRuntimes, u.InferredFrom, u.Guides = q.InferredRuntimes, q.InferredFrom, q.guides
	u.Previews = slices.Concat(u.Previews, q.previews)
	if q.Wide != nil {
		u.Seen = func(runtimes project.Runtimes) universe.Source { return q.Wide(environmentsAt(q.View, runtimes)) }
	}
	return u
}

// InferredNotes says what is taken to be deployed though the configuration does not say so, a
// sentence for each runtime.
func (q *Question) InferredNotes() []fact.Fact {
	var all []fact.Fact
	for _, name := range slices.Sorted(maps.Keys(q.InferredRuntimes)) {
		all = append(all, fact.New(doc.TakenAsDeployed, name, q.InferredRuntimes[name], q.InferredFrom[name], config.File))
	}
	return all
}

// Progress tells how far the registries are.
func (q *Question) Progress() registry.Progress { return q.access.registries.Progress() }

// Missed returns the names of what was asked for while offline and is not at hand.
func (q *Question) Missed() []string { return q.access.registries.Missed() }

// RegistryOf returns the registry of a package.
func (q *Question) RegistryOf(name string) (*registry.Client, error) {
	return registryOf(q.access.registries, name)
}

// Index is the address of the registry for all packages that no other is for; "" where it is none of the web.
func (q *Question) Index() string {
	if usual := q.access.registries.For(""); usual != nil && strings.HasPrefix(usual.Base(), "http") {
		return usual.Base()
	}
	return ""
}

// An Unsettled is a package of which newer releases wait until they have settled.
type Unsettled struct {
	Name, Newest string
	Releases     int       // how many wait
	Until        time.Time // when the newest of them has settled
}

// Settling returns the packages of which newer releases wait, in the order of their names; none
// where nothing has to settle.
func (q *Question) Settling(ctx context.Context, names []string) (all []Unsettled, err error) {
	age, err := q.Config.SettleAge()
	if err != nil || age == 0 || q.Unsettled == nil {
		return nil, err
	}
	limit := q.Now().Add(-age)
	locked := map[string][]string{}
	if q.Lock != nil {
		locked = q.Lock.Resolution().Versions()
	}
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			continue
		}
		p, err := universe.WithDates(ctx, q.Unsettled, name)
		var unknown *universe.UnknownError
		if errors.As(err, &unknown) {
			continue
		}
		if err != nil {
			return nil, err
		}
		one := Unsettled{Name: name}
		for i := range p.Len() {
			r := p.About(i)
			if !r.Version.Prerelease() && !p.Withdrawn(i) && r.Published.After(limit) &&
				!slices.Contains(locked[name], r.Version.String()) {
				one.Releases++
				one.Newest, one.Until = r.Version.String(), r.Published.Add(age)
			}
		}
		if one.Releases > 0 {
			all = append(all, one)
		}
	}
	return all, nil
}

// Describe notes in a lock what it was made for, as far as its format tells that.
func (q *Question) Describe(l *ecosystem.Lock, m *ecosystem.Manifests, before *ecosystem.Lock) {
	if l.Environments = q.Environments(); l.Environments == nil {
		return
	}
	l.Forks, l.Alternatives = q.Forks, q.Alternatives
	if p, ok := q.Eco.(ecosystem.Pruner); ok {
		p.Prune(l)
	}
	l.Included = m.Included()
	for _, q := range m.Runtimes() {
		l.Requires = append(l.Requires, q.Requirement)
	}
	if before != nil {
		l.Index, l.Kept = before.Index, before.Kept
	}
	if l.Index == "" {
		l.Index = q.Index()
	}
}

// Rejoined has the members of a workspace stand apart no longer that need not, where the same
// releases will do for all; else it returns what it got.
func (q *Question) Rejoined(ctx context.Context, m *ecosystem.Manifests,
	r *solve.Resolution) (*ecosystem.Manifests, *solve.Resolution, error) {
	if !slices.ContainsFunc(r.Roots, func(e solve.Edge) bool { return e.Apart != "" }) {
		return m, r, nil
	}
	joined, err := m.Clone()
	if err == nil {
		err = joined.SetApart(nil)
	}
	if err != nil {
		return nil, nil, err
	}
	to := map[DeclarationKey]string{}
	for _, e := range r.Roots {
		to[KeyOf(e.Group, e.Name)] = e.To
	}
	app := q.Application()
	app.Declared, app.Locked = q.DeclaredIn(joined), nil
	p := app.Problem()
	other := *r
	other.Roots = nil
	for _, root := range p.Roots {
		other.Roots = append(other.Roots,
			solve.Edge{Name: root.As, Package: root.Package, Constraint: root.Text, Group: root.Group, Apart: root.Apart,
				Own:      root.Own,
				Optional: root.Optional, Foreign: root.Foreign, To: to[KeyOf(root.Group, root.As)]})
	}
	if solve.Verify(ctx, q.Source, p, &other) != nil {
		return m, r, ctx.Err()
	}
	if !project.Sees(app.Declared, &other) { // something would see another release than its member's
		return m, r, nil
	}
	return joined, &other, nil
}
