package locking

import (
	"context"
	"maps"
	"slices"

	"molt/app/open"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
)

// wider lists the environments besides the deployed one that a lock is to be for, by version of the runtime and by
// platform: none where people name environments or platforms, since then the lock is for these.
func wider(a *open.View, m *ecosystem.Manifests) (runtimes []map[string]string, platforms []string) {
	w, ok := a.Eco.(ecosystem.Widener)
	deployed := a.Environments()
	if !ok || len(a.Config.Platform) > 0 || len(deployed) != 1 || deployed[0].Name != "" {
		return nil, nil
	}
	var requires []universe.Requirement
	for _, q := range m.Runtimes() {
		requires = append(requires, q.Requirement)
	}
	return w.Wider(deployed[0], requires)
}

// widened returns the lock of a resolution with what is needed in environments besides the deployed
// one, too: nothing of the resolution changes for it. The versions of runtimes that a release of it
// does not run on are left out, then all versions or all platforms where what is needed there does
// not go with the rest; nil where nothing is left.
func widened(ctx context.Context, a *open.Question, r *solve.Resolution, m *ecosystem.Manifests, before *ecosystem.Lock,
	accepted []string) (*ecosystem.Lock, error) {
	runtimes, platforms := wider(a.View, m)
	if a.Wide == nil || len(platforms) == 0 || len(a.Forks) > 0 {
		return nil, nil
	}
	deployed := a.Environments()[0]
	suits := func(p *universe.Release) bool {
		return !slices.ContainsFunc(runtimes, func(v map[string]string) bool { return !runsOn(a.View, p, v) })
	}
	pinned := map[string]string{}
	for _, n := range r.Packages {
		pinned[n.Name] = n.Version
		p, err := a.Wide(nil).Package(ctx, n.Name)
		if err != nil {
			return nil, err
		}
		if one := p.Release(n.Version); one != nil {
			runtimes = slices.DeleteFunc(runtimes, func(v map[string]string) bool { return !runsOn(a.View, one, v) })
		}
	}
	// the deployed versions on other platforms; other versions where it is deployed
	var across, along []ecosystem.Environment
	var both []ecosystem.Environment
	for _, platform := range platforms {
		same := platform == deployed.Platform || deployed.Platform == "" && platform == platforms[0]
		if !same {
			across = append(across, ecosystem.Environment{Runtimes: deployed.Runtimes, Platform: platform})
		}
		for _, v := range runtimes {
			if sameRuntime(a.View, v, deployed.Runtimes) {
				continue
			}
			one := ecosystem.Environment{Runtimes: maps.Clone(deployed.Runtimes), Platform: platform}
			maps.Copy(one.Runtimes, v)
			if both = append(both, one); same {
				along = append(along, one)
			}
		}
	}
	for _, wider := range [][]ecosystem.Environment{slices.Concat(across, both), across, along} {
		if len(wider) == 0 {
			continue
		}
		everywhere := append([]ecosystem.Environment{deployed}, wider...)
		source := universe.FilterFor(a.Wide(everywhere), "are not those of the deployed environment",
			func(name string, p *universe.Release) bool {
				v, there := pinned[name]
				return there && p.Version.String() == v || !there && suits(p)
			})
		app := a.Application()
		app.Declared = a.DeclaredFor(m, everywhere)
		problem := app.Problem()
		problem.Keep = r.Versions()
		if a.Lock != nil {
			for name, versions := range a.Lock.Whole().Resolution().Versions() {
				if problem.Keep[name] == nil {
					problem.Keep[name] = versions
				}
			}
		}
		wide, _, err := solve.Try(ctx, source, problem)
		if err != nil {
			return nil, err
		}
		if wide == nil {
			continue
		}
		l, err := ecosystem.NewLock(ctx, a.Eco, a.Wide(everywhere), wide, before.Whole(), accepted...)
		if err != nil {
			return nil, err
		}
		l.Environments, l.Wider = []ecosystem.Environment{deployed}, wider
		if p, ok := a.Eco.(ecosystem.Pruner); ok {
			p.Prune(l)
		}
		return l, nil
	}
	return nil, nil
}

// sameRuntime reports whether a version of runtimes, of which the last parts may be missing, is that of others.
func sameRuntime(a *open.View, v, others map[string]string) bool {
	for name, text := range v {
		x, errX := version.Complete(a.Runtime(name).Scheme, text)
		y, errY := version.Complete(a.Runtime(name).Scheme, others[name])
		if errX != nil || errY != nil || a.Runtime(name).Scheme.Jump(y, x) > version.Patch {
			return false
		}
	}
	return true
}

// runsOn reports whether a release runs on some versions of runtimes.
func runsOn(a *open.View, p *universe.Release, versions map[string]string) bool {
	for _, q := range p.Runtimes {
		if v, there := versions[q.Name]; there && !a.Runtime(q.Name).Suits(q.Text, v) {
			return false
		}
	}
	return true
}
