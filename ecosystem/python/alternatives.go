package python

import (
	"maps"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// groupMarkers are the conditions that groups of an application are asked for, by what an environment has of them; see
// markersOf.
type groupMarkers map[string]*requirement.Marker

// groupKinds are the variables of an environment that list the groups which are installed there.
var groupKinds = []string{"dependency_groups", "extras"}

// groupMarkersOf returns the conditions for the alternatives of a lock: that the group is asked
// for, or one that includes it.
func groupMarkersOf(l *ecosystem.Lock) groupMarkers {
	all := groupMarkers{}
	for _, group := range slices.Concat(l.Alternatives...) {
		if m := groupMarker(group); m != nil {
			all[m.String()] = askedFor(l, group)
		}
	}
	return all
}

// askedFor returns the condition that a group is asked for, or one that includes it; nil for what
// an application always has.
func askedFor(l *ecosystem.Lock, group string) *requirement.Marker {
	m := groupMarker(group)
	for _, other := range slices.Sorted(maps.Keys(l.Included)) {
		if m != nil && slices.Contains(l.Included[other], group) {
			including := groupMarker(other)
			if m = requirement.Or(m, including); including == nil {
				m = nil
			}
		}
	}
	return m
}

// withGroups sets the variables of an environment that list groups.
func withGroups(e requirement.Environment, groups []string) {
	for _, group := range groups {
		if m := groupMarker(group); m != nil {
			e[m.Right.Variable] = strings.Trim(e[m.Right.Variable]+","+m.Left.Text, ",")
		}
	}
}

// groupsOf lists the conditions for the groups of an environment, by their texts.
func groupsOf(e requirement.Environment) (all []string) {
	for _, kind := range groupKinds {
		if e[kind] == "" {
			continue
		}
		for _, name := range strings.Split(e[kind], ",") {
			all = append(all, (&requirement.Marker{
				Left: requirement.Operand{Text: name}, Op: "in", Right: requirement.Operand{Variable: kind}}).String())
		}
	}
	return all
}

// tell writes a condition that holds in some of all environments and not in the others. Where these do not differ in
// groups only, base writes what else tells an environment from the others.
func (g groupMarkers) tell(some, all environments,
	base func(requirement.Environment) *requirement.Marker) *requirement.Marker {
	plain := func(e requirement.Environment) requirement.Environment {
		p := maps.Clone(e)
		for _, kind := range groupKinds {
			delete(p, kind)
		}
		return p
	}
	var parts []*requirement.Marker
	var seen environments
	for _, e := range some {
		if p := plain(e); len(seen.among(environments{p})) == 0 {
			seen = append(seen, p)
			same := func(of environments) (left environments) {
				for _, x := range of {
					if maps.Equal(plain(x), p) {
						left = append(left, x)
					}
				}
				return left
			}
			var here *requirement.Marker
			if both := same(all); len(both) < len(all) {
				here = base(e)
			}
			parts = append(parts, requirement.And(here, g.choice(same(some), same(all))))
		}
	}
	return requirement.Or(parts...)
}

// choice tells environments from others that differ in groups only; nil where these are all.
func (g groupMarkers) choice(some, all environments) *requirement.Marker {
	if len(some) == len(all) {
		return nil
	}
	var without [][]string // the groups of those where it must not hold
	for _, e := range all {
		if len(some.among(environments{e})) == 0 {
			without = append(without, groupsOf(e))
		}
	}
	var parts []*requirement.Marker
	some = slices.Clone(some)
	slices.SortStableFunc(some, func(a, b requirement.Environment) int { return len(groupsOf(a)) - len(groupsOf(b)) })
	for _, e := range some {
		if slices.ContainsFunc(parts, func(m *requirement.Marker) bool { return m.Holds(e) }) {
			continue
		}
		asked := groupsOf(e)
		var here []*requirement.Marker
		for _, group := range asked {
			here = append(here, g[group])
		}
		for _, other := range without {
			if slices.ContainsFunc(asked, func(group string) bool { return !slices.Contains(other, group) }) {
				continue // what is asked for here tells them apart
			}
			var missing []*requirement.Marker
			for _, group := range other {
				if !slices.Contains(asked, group) {
					missing = append(missing, g[group].Not())
				}
			}
			here = append(here, requirement.Or(missing...))
		}
		parts = append(parts, requirement.And(here...))
	}
	return requirement.Or(parts...)
}
