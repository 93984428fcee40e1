package open

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/project"
	"molt/ecosystem"
)

// readAlternatives looks up the groups that the configuration calls alternatives.
func readAlternatives(a *View) error {
	a.Alternatives = nil
	if _, ok := a.Eco.(ecosystem.Forker); !ok {
		if a.Config.Alternatives != nil &&
			!slices.ContainsFunc(a.OtherSides(), func(s Side) bool { _, ok := s.Ecosystem.(ecosystem.Forker); return ok }) {
			return a.Config.Place.At(true,
				fmt.Sprintf("alternatives: packages of %s have one resolution for all groups", a.Eco.Name()), "alternatives")
		}
		return nil
	}
	var seen []string
	for i, list := range a.Config.Alternatives {
		var groups []string
		for k, text := range list {
			group, err := groupNamed(a, text)
			switch {
			case err != nil:
			case slices.Contains(seen, group):
				err = fmt.Errorf("%s is named twice", group)
			case ecosystem.PurposeOf(a.Eco, group) == project.ToRun:
				err = fmt.Errorf("%s is always installed, so it is no alternative to anything", group)
			}
			if err != nil {
				return a.Config.Place.At(false, fmt.Sprintf("%q: %v", text, err), "alternatives", i, k)
			}
			groups, seen = append(groups, group), append(seen, group)
		}
		if a.Alternatives = append(a.Alternatives, groups); !ecosystem.Choosable(a.Alternatives) {
			return a.Config.Place.At(true,
				fmt.Sprintf("expected at least two groups a list, and at most %d choices in all", ecosystem.ManyChoices),
				"alternatives", i)
		}
	}
	included := a.Manifest.Included()
	for _, including := range slices.Sorted(maps.Keys(included)) {
		groups := included[including]
		for _, list := range a.Alternatives {
			both := slices.DeleteFunc(slices.Clone(list), func(g string) bool { return !slices.Contains(groups, g) })
			if len(both) > 1 {
				return a.Config.Place.At(true, fmt.Sprintf("%s includes both %s and %s", including, both[0], both[1]),
					"alternatives")
			}
		}
	}
	return nil
}

// ForksOf returns the forks of a lock, as far as they are for the environments that the application has.
func ForksOf(a *View, l *ecosystem.Lock) ecosystem.Forks {
	names := map[string]bool{}
	for _, e := range divided(a) {
		names[e.Name] = true
	}
	for _, all := range l.Forks {
		n := 0
		for _, f := range all {
			for _, environment := range f.Environments {
				if !names[environment] {
					return nil
				}
				n++
			}
		}
		if n != len(names) {
			return nil
		}
	}
	return l.Forks
}

// groupNamed returns the group of the manifests that has a name, or that alone ends in it: "sail"
// for "dependency-groups.sail".
func groupNamed(a *View, text string) (string, error) {
	var all, ending []string
	for _, e := range a.Manifest.Entries() {
		all = append(all, e.Group)
	}
	slices.Sort(all)
	all = slices.Compact(all)
	for _, group := range all {
		if group == text {
			return text, nil
		}
		if strings.HasSuffix(group, "."+text) {
			ending = append(ending, group)
		}
	}
	switch len(ending) {
	case 1:
		return ending[0], nil
	case 0:
		return "", fmt.Errorf("no group with declarations has that name; there are %s", strings.Join(all, ", "))
	}
	return "", fmt.Errorf("%s end in that", strings.Join(ending, " and "))
}
