package open

import (
	"context"
	"errors"
	"maps"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
)

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
