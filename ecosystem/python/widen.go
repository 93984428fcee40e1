package python

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
)

// The minor versions of the interpreter that people may have: those that are maintained, and one more on either end.
const (
	oldestMinor = 8
	newestMinor = 15
)

// Wider lists the minor versions of the interpreter that the application admits, and all platforms. Where it requires
// nothing, nobody says which versions it runs on.
func (p Python) Wider(deployed ecosystem.Environment,
	requires []universe.Requirement) (runtimes []map[string]string, platforms []string) {
	for minor := oldestMinor; minor <= newestMinor; minor++ {
		v := fmt.Sprintf("3.%d", minor)
		whole, err := version.Complete(interpreter.Scheme, v)
		if err != nil {
			continue
		}
		asked, admitted := false, true
		for _, q := range requires {
			if holds, ok := specifiers.Satisfies(whole.(*specifiers.Version).Normal(), q.Text); q.Name == runtimeName {
				asked, admitted = true, admitted && ok && holds
			}
		}
		if asked && admitted {
			runtimes = append(runtimes, map[string]string{runtimeName: v})
		}
	}
	return runtimes, p.Platforms()
}

// Narrow leaves of a lock what the deployed environments need, with the conditions of demands that tell these apart.
func (p Python) Narrow(l *ecosystem.Lock) *ecosystem.Lock {
	envs, err := environmentsOf(l.Environments)
	if err != nil || len(l.Wider) == 0 {
		return l
	}
	n := *l
	n.Wider, n.Wide = nil, l
	edges := func(all []solve.Edge, root bool) (left []solve.Edge) {
		for _, e := range all {
			m, err := requirement.ParseMarker(e.When)
			if e.When != "" && err == nil {
				some, every := envs.hold(m)
				if !some {
					continue
				}
				if every && !root {
					e.When = ""
				}
			}
			left = append(left, e)
		}
		return left
	}
	n.Roots = edges(l.Roots, true)
	n.Packages = slices.Clone(l.Packages)
	for i := range n.Packages {
		n.Packages[i].Needs = edges(n.Packages[i].Needs, false)
	}
	p.Prune(&n)
	return &n
}

// where writes in which of some environments something is needed, which differ in version and platform.
func where(envs environments, in []bool) *requirement.Marker {
	var platforms, minors []string
	there := map[[2]string]bool{}
	for i, e := range envs {
		platforms = appendNew(platforms, platformOf(e))
		minors = appendNew(minors, e["python_version"])
		there[[2]string{platformOf(e), e["python_version"]}] = in[i]
	}
	slices.SortFunc(minors, byVersion)
	minorsOf := func(platform string) (all []string) {
		for _, minor := range minors {
			if there[[2]string{platform, minor}] {
				all = append(all, minor)
			}
		}
		return all
	}
	// Platforms with the same versions are told apart together.
	var groups [][]string
	for _, platform := range platforms {
		i := slices.IndexFunc(groups, func(g []string) bool { return slices.Equal(minorsOf(g[0]), minorsOf(platform)) })
		if i < 0 {
			groups = append(groups, []string{platform})
		} else {
			groups[i] = append(groups[i], platform)
		}
	}
	var parts []*requirement.Marker
	for _, g := range groups {
		if some := minorsOf(g[0]); len(some) > 0 {
			parts = append(parts, requirement.And(amongPlatforms(platforms, g), amongMinors(minors, some)))
		}
	}
	return requirement.Or(parts...)
}

func byVersion(a, b string) int {
	x, errX := specifiers.Parse(a)
	y, errY := specifiers.Parse(b)
	if errX != nil || errY != nil {
		return 0
	}
	return x.Compare(y)
}

func platformOf(e requirement.Environment) string {
	return e["sys_platform"] + " " + e["platform_machine"]
}

func compared(variable, op, text string) *requirement.Marker {
	return &requirement.Marker{Left: requirement.Operand{Variable: variable}, Op: op, Right: requirement.Operand{
		Text: text}}
}

// amongMinors is the condition that the version of the interpreter is one of some of all, which ascend; nil for all.
func amongMinors(all, some []string) *requirement.Marker {
	first, last := slices.Index(all, some[0]), slices.Index(all, some[len(some)-1])
	switch {
	case len(some) == len(all):
		return nil
	case last-first+1 != len(some):
		var parts []*requirement.Marker
		for _, v := range some {
			parts = append(parts, compared("python_version", "==", v))
		}
		return requirement.Or(parts...)
	case first == 0:
		return compared("python_version", "<", all[last+1])
	case last == len(all)-1:
		return compared("python_version", ">=", all[first])
	}
	return requirement.And(compared("python_version", ">=", all[first]), compared("python_version", "<", all[last+1]))
}

// amongPlatforms is the condition that the platform is one of some of all; nil for all.
func amongPlatforms(all, some []string) *requirement.Marker {
	if len(some) == len(all) {
		return nil
	}
	systems := map[string][2]int{} // how many platforms of each system there are, and are meant
	var names []string
	for _, p := range all {
		system, _, _ := strings.Cut(p, " ")
		names = appendNew(names, system)
		n := systems[system]
		if n[0]++; slices.Contains(some, p) {
			n[1]++
		}
		systems[system] = n
	}
	var parts, without []*requirement.Marker
	plain := true // whole systems only
	for _, system := range names {
		switch n := systems[system]; n[1] {
		case n[0]:
			parts = append(parts, compared("sys_platform", "==", system))
		case 0:
			without = append(without, compared("sys_platform", "!=", system))
		default:
			plain = false
			for _, p := range some {
				if s, machine, _ := strings.Cut(p, " "); s == system {
					parts = append(parts, requirement.And(
						compared("sys_platform", "==", system), compared("platform_machine", "==", machine)))
				}
			}
		}
	}
	if plain && len(without) < len(parts) {
		return requirement.And(without...)
	}
	return requirement.Or(parts...)
}
