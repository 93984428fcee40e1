package open

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
)

// divided lists the environments with every choice of groups that are alternatives.
func divided(a *View) []ecosystem.Environment {
	return ecosystem.Divided(a.Environments(), a.Alternatives)
}

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

// Forked is the question with the forks that it needs: it looks whether one release of each package
// suits all environments, and where that is a tangle, which packages have to be forked, as few as
// it finds. A lock that was made for the manifest has the forks that it needs. What has no
// resolution in some environment alone is no matter of forks, and is found by whoever asks next.
func (q *Question) Forked(ctx context.Context) (*Question, error) {
	parts := partsOf(q.View)
	if len(parts) < 2 || q.Lock != nil && !q.Lock.Edgeless && q.Application().Current() {
		return q, nil
	}
	best := q
	solved := func(forks ecosystem.Forks) (r *solve.Resolution, err error) {
		if !equalForks(forks, best.Forks) {
			a := *q.View
			a.Forks = forks
			if best, err = q.with(ctx, &a); err != nil {
				return nil, err
			}
		}
		return project.Relock(ctx, best.Source, best.Application())
	}
	var forks ecosystem.Forks
	for {
		r, err := solved(forks)
		var tangle *solve.Tangle
		if errors.As(err, &tangle) {
			more := forkedFor(q.View, tangle, forks, parts)
			if len(more) > len(forks) {
				forks = more
				continue
			}
			if forks != nil { // they are no help
				_, err = solved(nil)
			}
			if errors.As(err, &tangle) {
				err = nil
			}
			return best, err
		}
		if err != nil {
			return best, err
		}
		for _, fewer := range []ecosystem.Forks{joined(forks, r, false), joined(forks, r, true), forks} {
			if equalForks(fewer, best.Forks) {
				return best, nil
			}
			with, err := solved(fewer)
			if err == nil && slices.Equal(plainReleases(with), plainReleases(r)) {
				return best, nil
			}
			if err != nil && !errors.As(err, &tangle) {
				return best, err
			}
		}
		return best, nil
	}
}

// forkedFor adds to forks the packages that a tangle is about, each apart in all environments. A
// framework has one release.
func forkedFor(a *View, tangle *solve.Tangle, forks ecosystem.Forks, parts [][]string) ecosystem.Forks {
	more := ecosystem.Forks{}
	maps.Copy(more, forks)
	for _, d := range tangle.Demands {
		name := universe.Plain(d.Package)
		if more[name] != nil || slices.Contains(a.Frameworks(), name) {
			continue
		}
		for i, environments := range parts {
			more[name] = append(more[name], ecosystem.NewFork(name, environments, i == 0))
		}
	}
	return more
}

// partsOf groups the environments that no condition tells apart; nil where they cannot be forked.
func partsOf(a *View) (parts [][]string) {
	f, ok := a.Eco.(ecosystem.Forker)
	if !ok {
		return nil
	}
	var of []ecosystem.Environment
	for _, e := range divided(a) {
		i := slices.IndexFunc(of, func(x ecosystem.Environment) bool { return f.Alike(x, e) })
		if i < 0 {
			of, parts = append(of, e), append(parts, []string{e.Name})
		} else {
			parts[i] = append(parts[i], e.Name)
		}
	}
	return parts
}

// joined joins the forks of each package that have one release in a resolution. Where a package is
// in no resolution, any release goes with that, unless what it needs is to stay away, too: those
// forks are kept apart then.
func joined(forks ecosystem.Forks, r *solve.Resolution, absentApart bool) ecosystem.Forks {
	versions := r.Versions()
	var all ecosystem.Forks
	for name, parts := range forks {
		var groups [][]string
		at := map[string]int{}
		for _, f := range parts {
			v := ""
			if all := versions[f.Package]; len(all) > 0 {
				v = all[0]
			} else if len(groups) > 0 && !absentApart {
				groups[0] = append(groups[0], f.Environments...)
				continue
			}
			if i, ok := at[v]; ok {
				groups[i] = append(groups[i], f.Environments...)
				continue
			}
			at[v] = len(groups)
			groups = append(groups, slices.Clone(f.Environments))
		}
		if len(groups) < 2 {
			continue
		}
		for i, environments := range groups {
			slices.Sort(environments)
			if all == nil {
				all = ecosystem.Forks{}
			}
			all[name] = append(all[name], ecosystem.NewFork(name, environments, i == 0))
		}
	}
	return all
}

// plainReleases lists the releases of a resolution, whichever fork has them.
func plainReleases(r *solve.Resolution) (all []string) {
	for _, n := range r.Packages {
		all = append(all, universe.Plain(n.Name)+"@"+n.Version)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func equalForks(a, b ecosystem.Forks) bool {
	return maps.EqualFunc(a, b, func(x, y []ecosystem.Fork) bool {
		return slices.EqualFunc(x, y, func(f, g ecosystem.Fork) bool { return slices.Equal(f.Environments, g.Environments) })
	})
}
