package project

import (
	"context"
	"maps"
	"slices"
	"sync"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// Runnable filters a source to the releases that run on the deployed runtimes, as far as people
// said what is deployed. Requirements that cannot be read, or are about other runtimes, are
// ignored.
func Runnable(source universe.Source, app Application) universe.Source {
	return RunnableFrom(source, app, nil)
}

// RunnableFrom is Runnable for a resolution that continues another one, whose releases stay visible: they run already.
func RunnableFrom(source universe.Source, app Application, before *solve.Resolution) universe.Source {
	source = Permitted(source, app)
	runs := map[string][]string{}
	if before != nil {
		runs = before.Versions()
	}
	if len(app.Runtimes) == 0 {
		return source
	}
	var known sync.Map // whether a requirement is met; a source may be used concurrently
	suitable := func(p *universe.Package, i int) bool {
		if runs := runs[p.Name]; runs != nil && slices.Contains(runs, p.Version(i).String()) {
			return true
		}
		for _, q := range p.Runtimes(i) {
			deployed, ok := app.Runtimes[q.Name]
			if !ok {
				continue
			}
			suits, seen := known.Load(q)
			if !seen {
				suits = app.Runtime(q.Name).SuitsAll(q.Text, deployed)
				known.Store(q, suits)
			}
			if !suits.(bool) {
				return false
			}
		}
		return true
	}
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		return p.Only(func(i int) bool { return suitable(p, i) }), nil
	})
}

// LeastRuntime returns the lowest version that all requirements of a resolution on a runtime admit,
// among those that they mention; "" when there is none.
func LeastRuntime(ctx context.Context, source universe.Source, runtime Runtime, r *solve.Resolution) (string, error) {
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
		mentioned = append(mentioned, version.Mentions(runtime.Scheme, text)...)
	}
	for _, v := range version.Sort(mentioned) {
		if !slices.ContainsFunc(texts, func(text string) bool { return !runtime.Suits(text, v.String()) }) {
			return v.String(), nil
		}
	}
	return "", nil
}

// RuntimesOf lists the runtimes that are deployed, that files name, and that the ecosystem knows.
func RuntimesOf(app Application) []string {
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

// Runtime returns the runtime of a name. One that the ecosystem doesn't know has the versions that packages have.
func (app Application) Runtime(name string) Runtime {
	for _, r := range app.Known {
		if r.Name == name {
			return r
		}
	}
	return Runtime{Name: name, Scheme: app.Scheme}
}
