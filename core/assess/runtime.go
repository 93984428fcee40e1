package assess

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
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
func (a *Question) pinned(needs []RuntimeNeed) []RuntimeNeed {
	for i := range needs {
		n := &needs[i]
		for _, pin := range a.App.Pins {
			if pin.Name == n.Name {
				n.Pins = append(n.Pins, Pinned{pin, n.Suits(n.Needs, pin.Version)})
			}
		}
	}
	return needs
}

// RuntimeNeeds lists the requirements on runtimes that a new resolution brings along. Releases that are in the old resolution too
// don't count: they run already. For each runtime, requirements that are not met come first, and then the higher ones.
func RuntimeNeeds(ctx context.Context, source universe.Source, app project.Application, before, after *solve.Resolution) ([]RuntimeNeed, error) {
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
			if !ok && !slices.Contains(project.RuntimesOf(app), q.Name) {
				continue
			}
			need := RuntimeNeed{Runtime: app.Runtime(q.Name), Needs: q.Text, By: n.Name + " " + n.Version, Deployed: deployed}
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

// AnyRuntime returns the question without regard to what is deployed today.
func (a *Question) AnyRuntime() *Question {
	free := *a
	free.Source = a.ahead()
	return &free
}

// ahead returns the source as seen with the runtimes that are goals, and no others, deployed.
func (a *Question) ahead() universe.Source {
	app := a.App
	app.Runtimes = project.Runtimes{}
	for name, v := range a.Raised {
		app.Runtimes[name] = project.Everywhere(v.String())
	}
	return project.RunnableFrom(a.Full, app, a.Base)
}
