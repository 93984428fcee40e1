package open

import (
	"context"
	"errors"
	"fmt"
	"path"
	"time"

	"molt/core/inspect"
	"molt/core/project"
	"molt/input"
)

// InstalledRoots returns the version of each declared name that is installed; nil when nothing is.
func InstalledRoots(a *View) (map[string]string, error) {
	tree, err := a.Installed()
	if err != nil || tree == nil {
		return nil, err
	}
	roots := map[string]string{}
	for _, d := range a.Declared() {
		if p := tree.Find(path.Join(tree.Root(), d.Apart), project.OwnName(d.As)); p != nil && p.Problem == "" {
			roots[d.As] = p.Version
		}
	}
	return roots, nil
}

// Survey surveys the application, with the members where it is a workspace. What they declare in
// different words is flagged. The error may be an *inspect.UntriedError, with rows.
func (q *Question) Survey(ctx context.Context, u project.Application) ([]inspect.Row, error) {
	rows, err := inspect.Survey(ctx, q.Source, u)
	var untried *inspect.UntriedError
	if err != nil && !errors.As(err, &untried) {
		return nil, err
	}
	words := map[string]string{}
	unlike := map[string]bool{}
	for i := range rows {
		r := &rows[i]
		of := project.GroupOf(r.Group)
		r.Member, r.Group = of.Member, of.Name
		r.Name = project.OwnName(r.Name)
		if was, seen := words[r.Name]; seen && was != r.Declared {
			unlike[r.Name] = true
		}
		words[r.Name] = r.Declared
	}
	for i := range rows {
		if unlike[rows[i].Name] && len(q.Manifest.Members()) > 0 {
			rows[i].Flags = append(rows[i].Flags, inspect.OtherWords)
		}
	}
	return rows, err
}

// Since returns the time that a reference means: a day, the time of a revision of git, or, for an older lock, the
// publication of its newest declared release.
func (q *Question) Since(ctx context.Context, ref string) (time.Time, error) {
	if day, err := time.Parse(time.DateOnly, ref); err == nil {
		if day.After(q.Now()) {
			return day, &input.UsageError{Reason: fmt.Sprintf("--since %s: that day is still to come", ref)}
		}
		return day.AddDate(0, 0, 1).Add(-time.Second), nil
	}
	if data, err := input.ReadFile(ref, input.Lock); err == nil {
		lock, err := q.DecodeLock(ref, data)
		if err != nil {
			return time.Time{}, err
		}
		var newest time.Time
		r := lock.Resolution()
		for _, d := range q.Declared() {
			n := r.Root(d.As)
			if n == nil {
				continue
			}
			p, err := q.Source.Package(ctx, n.Name)
			if err != nil {
				return newest, err
			}
			if release := p.Release(n.Version); release != nil && release.Published.After(newest) {
				newest = release.Published
			}
		}
		if newest.IsZero() {
			return newest, &input.UsageError{Reason: fmt.Sprintf("--since %s: the registry dates none of its releases", ref)}
		}
		return newest, nil
	}
	if when, known := q.Repo.DateOf(ctx, ref); known {
		return when, nil
	}
	return time.Time{}, &input.UsageError{
		Reason: fmt.Sprintf("--since %q: expected a day such as 2026-03-31, an older lock, or a revision of git", ref)}
}
