package project

import (
	"context"
	"maps"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// Effort bounds the work on the objectives that come after the manifest's, in steps of the solver:
// about a second for an application of a thousand packages. The result by then is nearly always the
// best one, only not proven to be.
const Effort = 200_000

// KeepLocked is the objective to move as few locked packages as can be. What something needs
// optionally does not count: the cheapest way not to move it would be to leave it out, and an
// application is to have what it can have.
func KeepLocked(locked *solve.Resolution) solve.Objective {
	o := solve.Objective{Name: "locked packages moved"}
	if locked == nil {
		return o
	}
	optional := map[string]bool{}
	note := func(edges []solve.Edge) {
		for _, e := range edges {
			if e.Optional && e.To != "" {
				optional[e.Package] = true
			}
		}
	}
	note(locked.Roots)
	for i := range locked.Packages {
		note(locked.Packages[i].Needs)
	}
	versions := locked.Versions()
	for _, name := range slices.Sorted(maps.Keys(versions)) {
		if universe.NameOf(name).Extra != "" || optional[name] { // one with an extra moves with the package
			continue
		}
		o.Soft = append(o.Soft, solve.SoftConstraint{Package: name, Among: versions[name]})
	}
	return o
}

// A StageDemand is what a stage asks of its lock.
type StageDemand struct {
	Declared []Declared        // as the stage leaves them
	To       map[string]string // the releases that it leads to, by declared name
	Before   *solve.Resolution // the lock before, which the stage's is to be near; nil for none
	// Base is that of Before, for a caller who goes on from it several times; nil has it made.
	Base *solve.Base
}

// LockStage solves what a stage asks for. A plan computes it, and carrying the plan out computes it again.
func LockStage(ctx context.Context, source universe.Source, app Application, s StageDemand) (*solve.Resolution, error) {
	if s.Base == nil {
		s.Base = solve.NewBase(s.Before)
	}
	return app.TryApart(s.Declared, func(all []Declared) (*solve.Resolution, error) {
		one := app
		one.Declared = all
		r, err := one.lockStage(ctx, source, s)
		if r == nil && err == nil {
			return ResolveRunnable(ctx, source, app, one.stageProblem(s)) // for the tangle
		}
		return r, err
	})
}

// TryStage is LockStage for a caller who does not ask why a stage has no lock: it is nil then.
func TryStage(ctx context.Context, source universe.Source, app Application, s StageDemand) (*solve.Resolution, error) {
	none := &solve.Tangle{}
	r, err := app.TryApart(s.Declared, func(all []Declared) (*solve.Resolution, error) {
		one := app
		one.Declared = all
		r, err := one.lockStage(ctx, source, s)
		if r == nil && err == nil {
			return nil, none
		}
		return r, err
	})
	if solve.AsTangle(err) != nil {
		return nil, nil
	}
	return r, err
}

// stageProblem states what a stage asks for, with the declarations of the application.
func (app Application) stageProblem(s StageDemand) solve.Problem {
	p := solve.Problem{Strategy: app.Strategy, Single: app.singles(s.Before, s.To), Outside: app.Linked}
	if s.Before != nil {
		p.Keep, p.KeepEdges, p.Base = s.Before.Versions(), keepEdges(s.Before), s.Base
	}
	for _, d := range app.Declared {
		root := d.Root()
		if v, ok := s.To[d.As]; ok && Registered(d) {
			root.Among = []string{v}
		}
		p.Roots = append(p.Roots, d.Roots(root, d.Text, app.Scheme.Any())...)
	}
	return p
}

// lockStage returns the lock of a stage, with the declarations of the application; nil where there is none.
func (app Application) lockStage(
	ctx context.Context, source universe.Source, s StageDemand) (*solve.Resolution, error) {
	p := app.stageProblem(s)
	if s.Before == nil {
		return ResolveRunnable(ctx, source, app, p)
	}
	o := solve.NewOptimizer(ctx, RunnableFrom(source, app, s.Before), p)
	o.Effort = Effort
	best, err := o.Minimize(KeepLocked(s.Before))
	if err != nil || best == nil {
		return nil, err
	}
	return best.Resolution, nil
}

// ResolveRunnable resolves with releases that the deployed runtimes suit.
func ResolveRunnable(ctx context.Context, source universe.Source, app Application,
	p solve.Problem) (*solve.Resolution, error) {
	r, err := solve.Resolve(ctx, Runnable(source, app), p)
	if solve.AsTangle(err) != nil && len(app.Runtimes) > 0 {
		if told := runtimeTangle(ctx, source, app, p); told != nil {
			return nil, told
		}
	}
	return r, err
}

// RuntimeGroup is the group of the demands in a tangle that are deployed runtimes, and not lines of the manifest.
const RuntimeGroup = "runtime"

// FixedGroup is the group of the demands that the fixed set makes, which is given from outside.
const FixedGroup = "fixed"

// asPackage is the name under which a tangle speaks of a runtime in an environment. No registry has such a package.
func asPackage(runtime, environment string) string {
	if environment == "" {
		return runtime + " (runtime)"
	}
	return runtime + " (runtime, " + environment + ")"
}

// RuntimeOf is the inverse of asPackage.
func RuntimeOf(name string) (string, bool) {
	runtime, _, found := strings.Cut(name, " (runtime")
	return runtime, found
}

// runtimeTangle solves a problem again that has no resolution with what is deployed. This time
// runtimes are packages that the application declares at the deployed version, so that the tangle
// names them where they are part of the conflict.
func runtimeTangle(ctx context.Context, source universe.Source, app Application, p solve.Problem) error {
	table := universe.Table{}
	for _, name := range slices.Sorted(maps.Keys(app.Runtimes)) {
		runtime := app.Runtime(name)
		for _, environment := range slices.Sorted(maps.Keys(app.Runtimes[name])) {
			written := app.Runtimes[name][environment] // people may leave out what comes after the major
			v, err := version.Complete(runtime.Scheme, written)
			if err != nil {
				continue
			}
			name := asPackage(name, environment)
			releases := []universe.Release{{Version: v}}
			for _, known := range runtime.Known { // so that a requirement is not the only side of its tangle
				releases = append(releases, universe.Release{Version: known})
			}
			table[name] = universe.NewPackage(name, runtime.Scheme, releases)
			p.Single = append(slices.Clip(p.Single), name)
			p.Roots = append(p.Roots, solve.Root{
				Demand: universe.Demand{As: name, Package: name, Text: written}, Among: []string{v.String()}, Group: RuntimeGroup})
		}
	}
	_, err := solve.Resolve(ctx, universe.Replaced(requiring(source, app, table), table), p)
	return err
}

// requiring turns the requirements of releases on runtimes into needs, for the runtimes that a table has.
func requiring(source universe.Source, app Application, runtimes universe.Table) universe.Source {
	return universe.NeedingMore(source, func(p *universe.Package, i int) (more []universe.Demand) {
		for _, q := range p.Runtimes(i) {
			if _, err := app.Runtime(q.Name).Scheme.Constrain(q.Text); err != nil {
				continue
			}
			for _, environment := range slices.Sorted(maps.Keys(app.Runtimes[q.Name])) {
				if name := asPackage(q.Name, environment); runtimes[name] != nil {
					more = append(more, universe.Demand{As: name, Package: name, Text: q.Text})
				}
			}
		}
		return more
	})
}

// VersionOf returns the version that a declared name has in a resolution, "" for none.
func VersionOf(r *solve.Resolution, name string) string {
	if r == nil {
		return ""
	}
	if n := r.Root(name); n != nil {
		return n.Version
	}
	return ""
}

// Baseline returns the application's lock, or, when it has none or one that does not fit its manifest, a resolution of
// the manifest near to it.
func Baseline(ctx context.Context, source universe.Source, app Application) (*solve.Resolution, error) {
	if app.Current() {
		return app.Locked, nil
	}
	return Relock(ctx, source, app)
}

// Relock resolves the manifest as it stands, near to what is locked, with releases that the
// deployed runtimes suit. A lock that was made for the manifest and still holds is the result:
// relocking is at rest.
func Relock(ctx context.Context, source universe.Source, app Application) (*solve.Resolution, error) {
	return app.TryApart(app.Declared, func(all []Declared) (*solve.Resolution, error) {
		one := app
		one.Declared = all
		return relock(ctx, source, one)
	})
}

func relock(ctx context.Context, source universe.Source, app Application) (*solve.Resolution, error) {
	p := app.Problem()
	if app.Current() && !app.Edgeless {
		ordered := *app.Locked
		ordered.Roots = nil
		for _, r := range p.Roots { // the lock lists them in an order of its own
			i := slices.IndexFunc(app.Locked.Roots, func(e solve.Edge) bool { return e.Name == r.As && e.Group == r.Group })
			ordered.Roots = append(ordered.Roots, app.Locked.Roots[i])
		}
		if solve.Verify(ctx, Runnable(source, app), p, &ordered) == nil {
			return &ordered, ctx.Err()
		}
	}
	r, err := ResolveRunnable(ctx, source, app, p)
	if len(p.Single) > 0 && solve.AsTangle(err) != nil { // it may not have one framework yet
		p.Single = nil
		if other, failed := solve.Resolve(ctx, Runnable(source, app), p); failed == nil {
			return other, nil
		}
	}
	return r, err
}
