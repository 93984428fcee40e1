package app

import (
	"context"
	"fmt"

	"molt/core/universe"
)

// knownReleases looks releases up in what the cache holds, with dates and licences, when the rules need these; nil for what
// it does not hold. It asks no registry.
func (a *App) knownReleases(ctx context.Context) func(name, version string) *universe.Release {
	nothing := func(string, string) *universe.Release { return nil }
	if !a.Config.Rules.Detailed() {
		return nothing
	}
	quiet := *a
	quiet.Settings.Offline = true
	source, done, err := quiet.Source(ctx, nil)
	if err != nil {
		return nothing
	}
	all := map[string]*universe.Package{}
	for _, p := range a.Lock.Packages {
		source.Hint(p.Name)
	}
	for _, p := range a.Lock.Packages {
		if all[p.Name] == nil {
			all[p.Name], _ = source.Package(ctx, p.Name) // nil for what is not held
		}
	}
	done()
	return func(name, version string) *universe.Release {
		if p := all[name]; p != nil {
			return p.Release(version)
		}
		return nil
	}
}

// checkRules says which locked packages break the policy, as far as a lock tells.
func (a *App) checkRules(ctx context.Context) []Finding {
	whole := a.Config.Rules.Rules(a.now())
	names := whole
	names.AllowLicences, names.RefuseLicences, names.Oldest = nil, nil, 0
	var found []Finding
	known := a.knownReleases(ctx)
	for _, p := range a.Lock.Packages {
		rules, release := names, &universe.Release{}
		if r := known(p.Name, p.Version); r != nil { // what the cache holds tells licences and dates too
			rules, release = whole, r
		}
		if says := rules.Breach(p.Name, release); says != "" {
			found = append(found, Finding{About: "rules", Says: fmt.Sprintf("%s: %s", p.ID, says)})
		}
		if given, fixed := a.Fixed[p.Name]; fixed && given != p.Version {
			found = append(found, Finding{About: "rules", Says: fmt.Sprintf("%s: %s gives %s %s", p.ID, a.Config.Fixed, p.Name, given)})
		}
	}
	return found
}
