package app

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

// forksOf returns the forks of a lock, as far as they are for the environments that the application has.
func (a *App) forksOf(l *ecosystem.Lock) ecosystem.Forks {
	names := map[string]bool{}
	for _, e := range a.environments() {
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

// Fork looks whether one release of each package suits all environments, and where that is a tangle, which packages have to be forked, as few as it
// finds. A lock that was made for the manifest has the forks that it needs. What has no resolution in some environment alone is no matter of forks, and
// is found by whoever asks next. The source has to be opened again where the forks change; reopen does that.
func (a *App) Fork(ctx context.Context, source universe.Source, reopen func() (universe.Source, error)) error {
	parts := a.parts()
	if len(parts) < 2 || a.Lock != nil && !a.Lock.Edgeless && a.Application().Current() {
		return nil
	}
	solved := func(forks ecosystem.Forks) (r *solve.Resolution, err error) {
		if !equalForks(forks, a.forks) {
			a.forks = forks
			if source, err = reopen(); err != nil {
				return nil, err
			}
		}
		return project.Relock(ctx, source, a.Application())
	}
	var forks ecosystem.Forks
	for {
		r, err := solved(forks)
		var tangle *solve.Tangle
		if errors.As(err, &tangle) {
			more := a.forkedFor(tangle, forks, parts)
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
			return err
		}
		if err != nil {
			return err
		}
		if fewer := joined(forks, r); !equalForks(fewer, forks) {
			if _, err := solved(fewer); errors.As(err, &tangle) {
				_, err = solved(forks)
				return err
			} else if err != nil {
				return err
			}
		}
		return nil
	}
}

// forkedFor adds to forks the packages that a tangle is about, each apart in all environments. A framework has one release.
func (a *App) forkedFor(tangle *solve.Tangle, forks ecosystem.Forks, parts [][]string) ecosystem.Forks {
	more := ecosystem.Forks{}
	maps.Copy(more, forks)
	for _, d := range tangle.Demands {
		name := universe.Plain(d.Package)
		if more[name] != nil || slices.Contains(a.frameworks(), name) {
			continue
		}
		for i, environments := range parts {
			more[name] = append(more[name], ecosystem.NewFork(name, environments, i == 0))
		}
	}
	return more
}

// parts groups the environments that no condition tells apart; nil where they cannot be forked.
func (a *App) parts() (parts [][]string) {
	f, ok := a.Eco.(ecosystem.Forker)
	if !ok {
		return nil
	}
	var of []ecosystem.Environment
	for _, e := range a.environments() {
		i := slices.IndexFunc(of, func(x ecosystem.Environment) bool { return f.Alike(x, e) })
		if i < 0 {
			of, parts = append(of, e), append(parts, []string{e.Name})
		} else {
			parts[i] = append(parts[i], e.Name)
		}
	}
	return parts
}

// joined joins the forks of each package that have one release in a resolution.
func joined(forks ecosystem.Forks, r *solve.Resolution) ecosystem.Forks {
	versions := r.Versions()
	var all ecosystem.Forks
	for name, parts := range forks {
		var groups [][]string
		at := map[string]int{}
		for _, f := range parts {
			v := ""
			if all := versions[f.Package]; len(all) > 0 {
				v = all[0]
			} else if len(groups) > 0 { // none is there, which any goes with
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

func equalForks(a, b ecosystem.Forks) bool {
	return maps.EqualFunc(a, b, func(x, y []ecosystem.Fork) bool {
		return slices.EqualFunc(x, y, func(f, g ecosystem.Fork) bool { return slices.Equal(f.Environments, g.Environments) })
	})
}
