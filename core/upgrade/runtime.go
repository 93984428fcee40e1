package upgrade

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A RuntimeNeed is a demand on a runtime by something that the goal brings along.
type RuntimeNeed struct {
	project.Runtime
	Needs    string
	By       string           // release that asks
	Deployed project.Deployed // what configuration says is deployed, nil when it does not say
	Met      bool             // whether Deployed is known and fits everywhere
	Pins     []Pinned         // what files of the application say of it
}

// A Pinned is a version that a file names, and whether it fits.
type Pinned struct {
	project.Pin
	Met bool
}

// Environments lists the environments with names that have the runtime, with whether each fits.
func (n RuntimeNeed) Environments() []Pinned {
	var all []Pinned
	for _, environment := range slices.Sorted(maps.Keys(n.Deployed)) {
		if v := n.Deployed[environment]; environment != "" {
			all = append(all, Pinned{project.Pin{Name: n.Name, Version: v, Where: environment}, n.Suits(n.Needs, v)})
		}
	}
	return all
}

// pinned adds what files of the application say of each runtime.
func (a *advisor) pinned(needs []RuntimeNeed) []RuntimeNeed {
	for i := range needs {
		n := &needs[i]
		for _, pin := range a.app.Pins {
			if pin.Name == n.Name {
				n.Pins = append(n.Pins, Pinned{pin, n.Suits(n.Needs, pin.Version)})
			}
		}
	}
	return needs
}

// Runnable shows of a source only the releases that the deployed runtimes suit, as far as people said what is deployed.
// What a release requires of a runtime that nobody spoke of, or in words that cannot be read, is not held against it.
func Runnable(source universe.Source, app Application) universe.Source {
	return runnableFrom(source, app, nil)
}

// runnableFrom is Runnable for what goes on from a resolution: its releases run already, as far as anyone can tell, and stay
// to be seen.
func runnableFrom(source universe.Source, app Application, before *solve.Resolution) universe.Source {
	source = Permitted(source, app)
	runs := map[string][]string{}
	if before != nil {
		runs = before.Versions()
	}
	if len(app.Runtimes) == 0 {
		return source
	}
	var known sync.Map // whether a requirement is met; a source may be used concurrently
	return universe.Filter(source, func(name string, r *universe.Release) bool {
		if slices.Contains(runs[name], r.Version.String()) {
			return true
		}
		for _, q := range r.Runtimes {
			deployed, ok := app.Runtimes[q.Name]
			if !ok {
				continue
			}
			suits, seen := known.Load(q)
			if !seen {
				suits = app.runtime(q.Name).SuitsAll(q.Text, deployed)
				known.Store(q, suits)
			}
			if !suits.(bool) {
				return false
			}
		}
		return true
	})
}

// resolveRunnable resolves with releases that the deployed runtimes suit.
func resolveRunnable(ctx context.Context, source universe.Source, app Application, p solve.Problem) (*solve.Resolution, error) {
	r, err := solve.Resolve(ctx, Runnable(source, app), p)
	if asTangle(err) != nil && len(app.Runtimes) > 0 {
		if told := runtimeTangle(ctx, source, app, p); told != nil {
			return nil, told
		}
	}
	return r, err
}

// RuntimeGroup is the group of the demands in a tangle that are deployed runtimes, and not lines of the manifest.
const RuntimeGroup = "runtime"

// asPackage is the name under which a tangle speaks of a runtime in an environment. No registry has such a package.
func asPackage(runtime, environment string) string {
	if environment == "" {
		return runtime + " (runtime)"
	}
	return runtime + " (runtime, " + environment + ")"
}

// runtimeOf is the inverse of asPackage.
func runtimeOf(name string) (string, bool) {
	runtime, _, found := strings.Cut(name, " (runtime")
	return runtime, found
}

// runtimeTangle solves a problem again that has no resolution with what is deployed. Runtimes are packages this time, of
// which the application declares the deployed version, so that the tangle tells where they stand in the way. It is nil
// where a deployed version is none.
func runtimeTangle(ctx context.Context, source universe.Source, app Application, p solve.Problem) error {
	table := universe.Table{}
	for _, name := range slices.Sorted(maps.Keys(app.Runtimes)) {
		runtime := app.runtime(name)
		for _, environment := range slices.Sorted(maps.Keys(app.Runtimes[name])) {
			v, err := runtime.Scheme.Complete(app.Runtimes[name][environment])
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
			p.Roots = append(p.Roots, solve.Root{Demand: universe.Demand{As: name, Package: name, Text: runtime.Scheme.Exact(v)}, Group: RuntimeGroup})
		}
	}
	_, err := solve.Resolve(ctx, universe.Replaced(requiring(source, app, table), table), p)
	return err
}

// requiring shows of a source releases that need runtimes like packages, as far as a table has these.
func requiring(source universe.Source, app Application, runtimes universe.Table) universe.Source {
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		releases := slices.Clone(p.Releases)
		for i := range releases {
			r := &releases[i]
			r.Needs, r.Peers = slices.Clone(r.Needs), slices.Clone(r.Peers)
			for _, q := range r.Runtimes {
				if _, err := app.runtime(q.Name).Scheme.Constrain(q.Text); err != nil {
					continue
				}
				for _, environment := range slices.Sorted(maps.Keys(app.Runtimes[q.Name])) {
					if name := asPackage(q.Name, environment); runtimes[name] != nil {
						r.Needs = append(r.Needs, universe.Demand{As: name, Package: name, Text: q.Text})
					}
				}
			}
		}
		return p.With(releases), nil
	})
}

// leastRuntime returns the lowest version that all requirements of a resolution on a runtime admit, among those that they
// mention; "" when there is none.
func leastRuntime(ctx context.Context, source universe.Source, runtime project.Runtime, r *solve.Resolution) (string, error) {
	var texts []string
	for _, n := range r.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return "", err
		}
		for _, q := range p.Release(n.Version).Runtimes {
			if q.Name == runtime.Name && !slices.Contains(texts, q.Text) {
				texts = append(texts, q.Text)
			}
		}
	}
	var mentioned []version.Version
	for _, text := range texts {
		mentioned = append(mentioned, runtime.Scheme.Mentions(text)...)
	}
	for _, v := range version.Sort(mentioned) {
		if !slices.ContainsFunc(texts, func(text string) bool { return !runtime.Suits(text, v.String()) }) {
			return v.String(), nil
		}
	}
	return "", nil
}

// runtimeNeeds lists what a new resolution requires of runtimes and what the old one did not, or what is not met.
// Only releases that are not in the old resolution count, so that a runtime is not demanded by what runs already. For
// each runtime what is not met comes first, and then what asks for most.
func runtimeNeeds(ctx context.Context, source universe.Source, app Application, before, after *solve.Resolution) ([]RuntimeNeed, error) {
	var all []RuntimeNeed
	known := map[string]bool{}
	if before != nil {
		for _, n := range before.Packages {
			known[n.Name+"@"+n.Version] = true
		}
	}
	for _, n := range after.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return nil, err
		}
		if known[n.Name+"@"+n.Version] {
			continue
		}
		for _, q := range p.Release(n.Version).Runtimes {
			deployed, ok := app.Runtimes[q.Name]
			if !ok && !slices.Contains(runtimesOf(app), q.Name) {
				continue
			}
			need := RuntimeNeed{Runtime: app.runtime(q.Name), Needs: q.Text, By: n.Name + " " + n.Version, Deployed: deployed}
			need.Met = ok && need.SuitsAll(q.Text, deployed)
			if !slices.ContainsFunc(all, func(x RuntimeNeed) bool { return x.Name == need.Name && x.Needs == need.Needs }) {
				all = append(all, need)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b RuntimeNeed) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), compareBool(a.Met, b.Met), cmp.Compare(b.Least(b.Needs), a.Least(a.Needs)))
	})
	return all, nil
}

// compareBool puts false before true.
func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// runtimesOf lists the runtimes that are deployed, that files name, and that the ecosystem knows.
func runtimesOf(app Application) []string {
	names := slices.Collect(maps.Keys(app.Runtimes))
	for _, pin := range app.Pins {
		names = append(names, pin.Name)
	}
	for _, r := range app.Known {
		names = append(names, r.Name)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// runtime returns the runtime of a name. One that the ecosystem doesn't know has the versions that packages have.
func (app Application) runtime(name string) project.Runtime {
	for _, r := range app.Known {
		if r.Name == name {
			return r
		}
	}
	return project.Runtime{Name: name, Scheme: app.Scheme}
}
