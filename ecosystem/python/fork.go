package python

import (
	"maps"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// forks are the forks of packages, each with what its environments are to markers.
type forks map[string][]fork

type fork struct {
	name string // of the fork as a package
	envs environments
}

// cellsOf returns the environments that a lock tells apart, as what they are and as markers see
// them: with forks, each with every choice of groups that are alternatives.
func cellsOf(l *ecosystem.Lock) ([]ecosystem.Environment, environments, error) {
	named := l.Everywhere()
	if len(l.Forks) > 0 {
		named = ecosystem.Divided(l.Environments, l.Alternatives)
	}
	if len(named) == 0 {
		named = []ecosystem.Environment{{}}
	}
	envs, err := environmentsOf(named)
	return named, envs, err
}

// forksOf finds the environments of forks; envs are those of all, none where they cannot be read.
func forksOf(all ecosystem.Forks, named []ecosystem.Environment, envs environments) forks {
	out := forks{}
	for name, parts := range all {
		for _, part := range parts {
			f := fork{name: part.Package}
			for i, e := range named {
				if i < len(envs) && slices.Contains(part.Environments, e.Name) {
					f.envs = append(f.envs, envs[i])
				}
			}
			out[name] = append(out[name], f)
		}
	}
	return out
}

// environments returns those in which a package, or a fork, may be needed.
func (all forks) environments(name string, envs environments) environments {
	for _, f := range all[universe.Plain(name)] {
		if f.name == name {
			return f.envs
		}
	}
	return envs
}

// names lists the packages that a demand is on whose condition is given, of one that may be needed
// in some environments.
func (all forks) names(d universe.Demand, when *requirement.Marker, envs environments) []string {
	if d.Foreign || all[d.Package] == nil {
		return []string{d.Package}
	}
	var names []string
	for _, f := range all[d.Package] {
		if some, _ := f.envs.among(envs).hold(when); some {
			names = append(names, f.name)
		}
	}
	return names
}

// among returns those environments that others have too.
func (envs environments) among(others environments) (both environments) {
	for _, e := range envs {
		if slices.ContainsFunc(others, func(x requirement.Environment) bool { return maps.Equal(e, x) }) {
			both = append(both, e)
		}
	}
	return both
}

// asking returns the environments in which a group may be installed.
func asking(group string, named []ecosystem.Environment) []ecosystem.Environment {
	return slices.DeleteFunc(slices.Clone(named), func(e ecosystem.Environment) bool {
		return slices.Contains(e.Except, group)
	})
}

// Forked returns the demands that a declared one makes on the forks of its package.
func (Python) Forked(d universe.Demand, group string, all ecosystem.Forks,
	environments []ecosystem.Environment) []universe.Demand {
	envs, err := environmentsOf(environments)
	if err != nil || all[d.Package] == nil {
		return []universe.Demand{d}
	}
	when, err := requirement.ParseMarker(d.When)
	if d.When == "" || err != nil {
		when = nil
	}
	var demands []universe.Demand
	there, err := environmentsOf(asking(group, environments))
	if err != nil {
		return []universe.Demand{d}
	}
	for _, name := range forksOf(all, environments, envs).names(d, when, there) {
		one := d
		if one.Package = name; len(demands) > 0 {
			one.As = name
		}
		demands = append(demands, one)
	}
	return demands
}

// Alike reports whether markers say the same of two environments.
func (Python) Alike(a, b ecosystem.Environment) bool {
	envs, err := environmentsOf([]ecosystem.Environment{a, b})
	return err == nil && maps.Equal(envs[0], envs[1])
}

// marker is the condition that tells the environments of a fork from the others, by variables that differ.
func (f fork) marker(envs environments, groups groupMarkers) *requirement.Marker {
	return groups.tell(f.envs, envs, func(e requirement.Environment) *requirement.Marker {
		var all []*requirement.Marker
		runtime := "python_version"
		if slices.ContainsFunc(envs, func(x requirement.Environment) bool {
			return x[runtime] == e[runtime] && x["python_full_version"] != e["python_full_version"] &&
				len(f.envs.among(environments{x})) == 0
		}) {
			runtime = "python_full_version"
		}
		for _, variable := range []string{runtime, "sys_platform", "platform_machine"} {
			if slices.ContainsFunc(envs, func(x requirement.Environment) bool { return x[variable] != e[variable] }) {
				all = append(all, compared(variable, "==", e[variable]))
			}
		}
		return requirement.And(all...)
	})
}

// at returns the fork that is a package, with the environments of the lock; false where the package is no fork.
func (all forks) at(name string) (fork, bool) {
	for _, f := range all[universe.Plain(name)] {
		if f.name == name {
			return f, true
		}
	}
	return fork{}, false
}

// forkEntries writes the forks of a lock: the environments of each, by package.
func (w *lockWriter) forkEntries() {
	if len(w.lock.Forks) == 0 {
		return
	}
	w.line("\n[tool.molt.by-environment]")
	for _, name := range slices.Sorted(maps.Keys(w.lock.Forks)) {
		var parts []string
		for _, f := range w.lock.Forks[name] {
			parts = append(parts, inlineTOML(f.Environments))
		}
		w.line("%s = [%s]", tomlKey(name), strings.Join(parts, ", "))
	}
}

// forks reads them.
func (r *lockReader) forks(ours unknown) error {
	table, _ := ours["by-environment"].(unknown)
	named := ecosystem.Divided(r.lock.Environments, r.lock.Alternatives)
	if len(table) > 0 {
		if _, err := environmentsOf(named); err != nil {
			return r.fail("an environment cannot be read: %v", err)
		}
	}
	for name, v := range table {
		parts, _ := v.([]any)
		for i, part := range parts {
			f := ecosystem.NewFork(name, textsOf(part), i == 0)
			for _, environment := range f.Environments {
				if !slices.ContainsFunc(named, func(e ecosystem.Environment) bool {
					return e.Name == environment && environment != ""
				}) || r.lock.Forks.In(name, environment) != nil {
					return r.fail("the fork of %s for %q is for none of the environments, or for one that another is for", name,
						environment)
				}
			}
			if r.lock.Forks == nil {
				r.lock.Forks = ecosystem.Forks{}
			}
			r.lock.Forks[name] = append(r.lock.Forks[name], f)
		}
	}
	return nil
}
