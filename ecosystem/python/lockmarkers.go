package python

import (
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// environmentMarkers returns the markers of the environments that a lock is for: one each, or where
// it is for more than the deployed ones, one a platform.
func environmentMarkers(l *ecosystem.Lock, envs environments) (all []*requirement.Marker) {
	if len(l.Wider) == 0 {
		for _, e := range envs {
			all = append(all, environmentMarker(e))
		}
		return all
	}
	minors := map[string][]string{}
	var platforms []string
	for _, e := range envs {
		platforms = appendNew(platforms, platformOf(e))
		minors[platformOf(e)] = appendNew(minors[platformOf(e)], e["python_version"])
	}
	for _, p := range platforms {
		slices.SortFunc(minors[p], byVersion)
		system, machine, _ := strings.Cut(p, " ")
		first, last := minors[p][0], minors[p][len(minors[p])-1]
		versions := compared("python_version", "==", first)
		if first != last {
			versions = requirement.And(compared("python_version", ">=", first), compared("python_version", "<=", last))
		}
		all = append(all, requirement.And(
			versions, compared("sys_platform", "==", system), compared("platform_machine", "==", machine)))
	}
	return all
}

// environmentMarker returns the marker that holds in an environment.
func environmentMarker(e requirement.Environment) *requirement.Marker {
	var all []*requirement.Marker
	for _, name := range []string{"python_version", "sys_platform", "platform_machine"} {
		all = append(all, &requirement.Marker{
			Left: requirement.Operand{Variable: name}, Op: "==", Right: requirement.Operand{Text: e[name]}})
	}
	return requirement.And(all...)
}

// onlyLater are words in the names of files of requirements that are not for production.
var onlyLater = regexp.MustCompile(`dev|test|lint|doc|local|ci\b|qa\b|check`)

// groupMarker returns the marker that holds where a group is asked for; nil for what an application always has.
func groupMarker(group string) *requirement.Marker {
	group = project.GroupOf(group).Name
	variable, name := "dependency_groups", ""
	switch {
	case strings.HasPrefix(group, optionalGroup):
		variable, name = "extras", strings.TrimPrefix(group, optionalGroup)
	case strings.HasPrefix(group, dependencyGrp):
		name = strings.TrimPrefix(group, dependencyGrp)
	case strings.HasSuffix(group, ".txt") && onlyLater.MatchString(path.Base(group)):
		name = strings.ReplaceAll(strings.TrimSuffix(group, ".txt"), "/", "-")
	default:
		return nil
	}
	return &requirement.Marker{Left: requirement.Operand{Text: requirement.Canonical(name)}, Op: "in",
		Right: requirement.Operand{Variable: variable}}
}

// reaching goes through what the roots of a lock lead to in each of some environments.
func reaching(l *ecosystem.Lock, named []ecosystem.Environment, envs environments, apart forks,
	visit func(root solve.Edge, env int, p *ecosystem.LockedPackage)) {
	parsed := map[string]*requirement.Marker{}
	holds := func(when string, e requirement.Environment) bool {
		if when == "" {
			return true
		}
		m, ok := parsed[when]
		if !ok {
			m, _ = requirement.ParseMarker(when)
			parsed[when] = m
		}
		return m.Holds(e)
	}
	nodes := map[string]*ecosystem.LockedPackage{}
	for i := range l.Packages {
		nodes[l.Packages[i].ID] = &l.Packages[i]
	}
	for _, r := range l.Roots {
		for i, e := range envs {
			if slices.Contains(named[i].Except, r.Group) {
				continue
			}
			seen := map[string]bool{}
			var follow func(edge solve.Edge)
			follow = func(edge solve.Edge) {
				n := nodes[edge.To]
				if n == nil || !holds(edge.When, e) || seen[n.ID] {
					return
				}
				name := universe.NameOf(n.Name).Base()
				if f, forked := apart.at(name); forked && len(f.envs.among(environments{e})) == 0 {
					return
				}
				seen[n.ID] = true
				visit(r, i, n)
				for _, next := range n.Needs {
					follow(next)
				}
			}
			follow(r)
		}
	}
}

// markersIn works out for every package of a lock when it is to be installed, where that is not
// always: in which environments, and for which groups.
func markersIn(l *ecosystem.Lock, named []ecosystem.Environment, envs environments,
	apart forks) map[string]*requirement.Marker {
	reached := map[string]map[string][]bool{} // by package and group's marker, in which environments
	groups := map[string]*requirement.Marker{}
	within := map[string]environments{} // by group's marker, where the group may be installed
	alternatives := slices.Concat(l.Alternatives...)
	alternative := map[string]bool{}
	choices := groupMarkersOf(l)
	for _, r := range l.Roots {
		m := askedFor(l, r.Group)
		key := ""
		if m != nil {
			key = m.String()
		}
		if _, known := groups[key]; !known {
			groups[key] = m
			alternative[key] = slices.Contains(alternatives, r.Group)
			for i, e := range named {
				if !slices.Contains(e.Except, r.Group) {
					within[key] = append(within[key], envs[i])
				}
			}
		}
	}
	reaching(l, named, envs, apart, func(r solve.Edge, i int, p *ecosystem.LockedPackage) {
		key := ""
		if m := askedFor(l, r.Group); m != nil {
			key = m.String()
		}
		name := universe.NameOf(p.Name).Base()
		if reached[name] == nil {
			reached[name] = map[string][]bool{}
		}
		if reached[name][key] == nil {
			reached[name][key] = make([]bool, len(envs))
		}
		reached[name][key][i] = true
	})
	out := map[string]*requirement.Marker{}
	for name, by := range reached {
		var parts []*requirement.Marker
		always := false
		for _, key := range slices.Sorted(maps.Keys(by)) {
			var in environments
			for i, reached := range by[key] {
				if reached {
					in = append(in, envs[i])
				}
			}
			var there *requirement.Marker
			all := within[key]
			if f, forked := apart.at(name); len(in) == len(all) {
			} else if of := (fork{name, f.envs.among(all)}); forked && len(in) == len(of.envs) {
				there = of.marker(all, choices)
			} else if len(l.Wider) > 0 {
				there = where(envs, by[key])
			} else {
				there = choices.tell(in, all, environmentMarker)
			}
			part := requirement.And(there, groups[key])
			if alternative[key] && !slices.ContainsFunc(envs, func(e requirement.Environment) bool {
				return part.Holds(e) && !slices.ContainsFunc(parts, func(m *requirement.Marker) bool { return m.Holds(e) })
			}) {
				continue // the others say so already
			}
			always = always || part == nil
			parts = append(parts, part)
		}
		if !always {
			out[name] = requirement.Or(parts...)
		}
	}
	return out
}
