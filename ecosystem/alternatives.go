package ecosystem

import (
	"cmp"
	"slices"
	"strings"

	"molt/core/solve"
)

// ManyChoices is how many choices of alternatives are resolved side by side at most.
const ManyChoices = 16

// Choosable reports whether lists are of alternatives: of two groups or more, none of them twice,
// and with no more choices in all than can be resolved.
func Choosable(alternatives [][]string) bool {
	choices, seen := 1, map[string]bool{}
	for _, list := range alternatives {
		for _, group := range list {
			if seen[group] {
				return false
			}
			seen[group] = true
		}
		if choices *= len(list) + 1; len(list) < 2 || choices > ManyChoices {
			return false
		}
	}
	return true
}

// Divided returns the environments that there are where at most one of each list of groups is
// installed: each environment once for every choice of alternatives, among them none. They have
// names of their own, "desk with sail". Without alternatives it returns the environments as they
// are. The lists are Choosable.
func Divided(environments []Environment, alternatives [][]string) []Environment {
	if len(alternatives) == 0 {
		return environments
	}
	every := slices.Concat(alternatives...)
	choices := [][]string{nil}
	for _, list := range alternatives {
		var more [][]string
		for _, chosen := range choices {
			for _, group := range append(slices.Clone(list), "") {
				// none comes last: it shares the releases of the first that it can
				one := slices.Clone(chosen)
				if group != "" {
					one = append(one, group)
				}
				more = append(more, one)
			}
		}
		choices = more
	}
	var all []Environment
	for _, e := range environments {
		for _, chosen := range choices {
			one := e
			one.Groups = chosen
			one.Except = slices.DeleteFunc(slices.Clone(every), func(g string) bool { return slices.Contains(chosen, g) })
			var names []string
			for _, group := range chosen {
				names = append(names, shortest(group, every))
			}
			switch text := strings.Join(names, " and "); {
			case text == "":
				one.Name = cmp.Or(e.Name, "no alternative")
			case e.Name == "":
				one.Name = text
			default:
				one.Name = e.Name + " with " + text
			}
			all = append(all, one)
		}
	}
	return all
}

// shortest is what a group is called where no other one has that name: "sail" for "dependency-groups.sail".
func shortest(group string, all []string) string {
	short := group[strings.LastIndexByte(group, '.')+1:]
	if slices.ContainsFunc(all, func(other string) bool {
		return other != group && other[strings.LastIndexByte(other, '.')+1:] == short
	}) {
		return group
	}
	return short
}

// Chosen returns the lock for an application in which one group of each list of alternatives is
// installed: the first that the lock has something for.
func (l *Lock) Chosen() *Lock {
	var without []string
	for _, list := range l.Alternatives {
		first := slices.IndexFunc(list, func(group string) bool {
			return slices.ContainsFunc(l.Roots, func(e solve.Edge) bool { return e.Group == group })
		})
		without = append(without, list[first+1:]...)
	}
	if without == nil {
		return l
	}
	c := *l
	c.Roots = slices.DeleteFunc(slices.Clone(l.Roots),
		func(e solve.Edge) bool { return slices.Contains(without, e.Group) })
	return &c
}
