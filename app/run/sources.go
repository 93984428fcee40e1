package run

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"molt/txn"
)

// mostCovered is the size up to which a file can be part of a stage.
const mostCovered = 16 << 20

// Sources lists the files of the application that people keep: under git what is tracked or could be, elsewhere all
// but hidden folders, and never the packages. Names are relative and have slashes; sorted.
func (r Runner) Sources(ctx context.Context) ([]string, error) {
	var names []string
	if r.Repo.Here(ctx) {
		names, err := r.Repo.Files(ctx)
		return slices.DeleteFunc(names, func(name string) bool {
			return slices.ContainsFunc(strings.Split(name, "/"),
				func(part string) bool { return slices.Contains(r.Packages, part) })
		}), err
	}
	err := filepath.WalkDir(r.Files.Dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && at != r.Files.Dir && (strings.HasPrefix(d.Name(), ".") || slices.Contains(r.Packages, d.Name())) {
			return filepath.SkipDir
		}
		if d.Type().IsRegular() {
			name, err := filepath.Rel(r.Files.Dir, at)
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

// Cover takes all files of the application into a transaction, since tasks may change any of them. It returns
// their names, sorted, by which to tell afterwards which they did change.
func (r Runner) Cover(ctx context.Context, t *txn.Transaction) ([]string, error) {
	names, err := r.Sources(ctx)
	if err != nil {
		return nil, err
	}
	names = slices.DeleteFunc(names, func(name string) bool {
		info, err := os.Stat(r.path(name))
		return err != nil || info.Size() > mostCovered
	})
	return names, t.CoverForTasks(names)
}

// KeepChanged leaves of the files that were covered for tasks only those in the transaction that
// did change or come into being, and returns these.
func (r Runner) KeepChanged(ctx context.Context, t *txn.Transaction, covered, own []string) ([]string, error) {
	now, err := r.Sources(ctx)
	if err != nil {
		return nil, err
	}
	var changed, fresh, same []string
	for _, name := range now {
		if _, known := slices.BinarySearch(covered, name); !known && !slices.Contains(own, name) {
			if info, err := os.Stat(r.path(name)); err == nil && info.Size() <= mostCovered {
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
		if unchanged, err := r.Files.Same(name, was); err != nil {
			return nil, err
		} else if unchanged {
			same = append(same, name)
		} else {
			changed = append(changed, name)
		}
	}
	return append(changed, fresh...), t.EndTasks(fresh, same)
}

func (r Runner) path(name string) string { return filepath.Join(r.Files.Dir, filepath.FromSlash(name)) }
