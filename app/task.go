package app

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/planfile"
	"molt/ecosystem"
	"molt/txn"
)

// tasksOf returns the tasks of the packages that changes move.
func (a *App) tasksOf(changes []planfile.Change) []config.Task {
	var all []config.Task
	for _, t := range a.Config.Stages.Tasks {
		if slices.ContainsFunc(changes, func(c planfile.Change) bool { return slices.Contains(t.With, c.Name) }) {
			all = append(all, t)
		}
	}
	return all
}

// runTasks runs tasks until one fails.
func (a *App) runTasks(ctx context.Context, dir, stage string, tasks []config.Task, watch Watcher) ([]Verdict, bool, error) {
	var verdicts []Verdict
	for _, t := range tasks {
		watch.begin(t.Name)
		v, err := a.run(ctx, dir, stage, t.Check(), watch.Output)
		if err != nil {
			return verdicts, false, err
		}
		v.Task = true
		verdicts = append(verdicts, v)
		if !v.Passed {
			return verdicts, false, nil
		}
	}
	return verdicts, true, nil
}

// mostCovered is the size up to which a file can be part of a stage.
const mostCovered = 16 << 20

// sources lists the files of the application that people keep: under git what is tracked or could be, elsewhere all
// but hidden folders and the packages. Names are relative and have slashes; sorted.
func (a *App) sources(ctx context.Context) ([]string, error) {
	var names []string
	if a.repo.Here(ctx) {
		return a.repo.Files(ctx)
	}
	err := filepath.WalkDir(a.Dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && at != a.Dir && (strings.HasPrefix(d.Name(), ".") || d.Name() == ecosystem.InstallFolder(a.Eco)) {
			return filepath.SkipDir
		}
		if d.Type().IsRegular() {
			name, err := filepath.Rel(a.Dir, at)
			if err != nil {
				return err
			}
			names = append(names, filepath.ToSlash(name))
		}
		return ctx.Err()
	})
	slices.Sort(names)
	return names, err
}

// coverSources takes all files of the application into a transaction, since tasks may change any of them. It returns
// their names, sorted, by which to tell afterwards which they did change.
func (a *App) coverSources(ctx context.Context, t *txn.Transaction) ([]string, error) {
	names, err := a.sources(ctx)
	if err != nil {
		return nil, err
	}
	names = slices.DeleteFunc(names, func(name string) bool {
		info, err := os.Stat(a.path(name))
		return err != nil || info.Size() > mostCovered
	})
	return names, t.CoverForTasks(names)
}

// keepChanged leaves of the files that were covered for tasks only those in the transaction that did change or come into
// being, and returns these.
func (a *App) keepChanged(ctx context.Context, t *txn.Transaction, covered, own []string) ([]string, error) {
	now, err := a.sources(ctx)
	if err != nil {
		return nil, err
	}
	var changed, fresh, same []string
	for _, name := range now {
		if _, known := slices.BinarySearch(covered, name); !known && !slices.Contains(own, name) {
			if info, err := os.Stat(a.path(name)); err == nil && info.Size() <= mostCovered {
				fresh = append(fresh, name)
			}
		}
	}
	for _, name := range covered {
		if slices.Contains(own, name) {
			continue
		}
		was, err := t.Before(name)
		if err != nil {
			return nil, err
		}
		if unchanged, err := a.files.Same(name, was); err != nil {
			return nil, err
		} else if unchanged {
			same = append(same, name)
		} else {
			changed = append(changed, name)
		}
	}
	return append(changed, fresh...), t.EndTasks(fresh, same)
}
