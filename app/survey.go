package app

import (
	"context"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"molt/core/inspect"
	"molt/core/project"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
)

// InstalledRoots returns the version of each declared name that is installed; nil when nothing is.
func (a *App) InstalledRoots() (map[string]string, error) {
	tree, err := a.Installed()
	if err != nil || tree == nil {
		return nil, err
	}
	roots := map[string]string{}
	for _, d := range a.Declared() {
		if p := tree.Find(tree.Root(), d.As); p != nil && p.Problem == "" {
			roots[d.As] = p.Version
		}
	}
	return roots, nil
}

// Survey surveys the application and, where it is a workspace, its members. What members declare in different words is
// flagged.
func (a *App) Survey(ctx context.Context, source universe.Source, u project.Application) ([]inspect.Row, error) {
	rows, err := inspect.Survey(ctx, source, u)
	if err != nil {
		return nil, err
	}
	members, err := a.Members()
	if err != nil || len(members) == 0 {
		return rows, err
	}
	names := map[string]bool{}
	for _, m := range members {
		names[m.Manifest.Name()] = true
	}
	for _, m := range members {
		one := u
		one.Declared = slices.DeleteFunc(declared(m.Manifest), func(d project.Declared) bool { return names[d.Package] })
		one.Locked = nil
		more, err := inspect.Survey(ctx, source, one)
		if err != nil {
			return nil, err
		}
		for i := range more {
			more[i].Member = m.Dir
		}
		rows = append(rows, more...)
	}
	words := map[string]string{}
	unlike := map[string]bool{}
	for _, r := range rows {
		if was, seen := words[r.Name]; seen && was != r.Declared {
			unlike[r.Name] = true
		}
		words[r.Name] = r.Declared
	}
	for i := range rows {
		if unlike[rows[i].Name] {
			rows[i].Flags = append(rows[i].Flags, inspect.Unlike)
		}
	}
	return rows, nil
}

// A Member is a part of a workspace with a manifest of its own.
type Member struct {
	Dir      string // relative to the application, with slashes
	Manifest *ecosystem.Manifests
}

// Members returns the members that the manifest names, by folder.
func (a *App) Members() ([]Member, error) {
	var members []Member
	seen := map[string]bool{}
	for _, pattern := range a.Manifest.Members() {
		folders, err := filepath.Glob(a.path(filepath.FromSlash(pattern)))
		if err != nil {
			return nil, &input.UsageError{Reason: fmt.Sprintf("%s: %q is no pattern for folders", a.Manifest.Chief(), pattern)}
		}
		for _, folder := range folders {
			dir, err := filepath.Rel(a.Dir, folder)
			if err != nil || seen[dir] {
				continue
			}
			seen[dir] = true
			m, err := a.member(filepath.ToSlash(dir))
			if err != nil {
				return nil, err
			}
			if m != nil {
				members = append(members, Member{filepath.ToSlash(dir), m})
			}
		}
	}
	slices.SortFunc(members, func(a, b Member) int { return strings.Compare(a.Dir, b.Dir) })
	return members, nil
}

// member reads the manifests in a folder of the workspace; nil where there are none.
func (a *App) member(dir string) (*ecosystem.Manifests, error) {
	names, err := a.Eco.Detect(os.DirFS(a.path(dir)))
	if err != nil || len(names) == 0 {
		return nil, nil // no folder, or none with an application
	}
	var texts []ecosystem.File
	for _, name := range names {
		name = path.Join(dir, name)
		data, err := input.ReadFile(a.path(name), input.Manifest)
		if err != nil {
			return nil, err
		}
		texts = append(texts, ecosystem.File{Name: name, Data: data})
	}
	return ecosystem.ReadManifests(a.Eco, texts)
}

// Since returns the time that a reference means: a day, the time of a revision of git, or, for an older lock, the
// publication of its newest declared release.
func (a *App) Since(ctx context.Context, source universe.Source, ref string) (time.Time, error) {
	if day, err := time.Parse(time.DateOnly, ref); err == nil {
		return day.AddDate(0, 0, 1).Add(-time.Second), nil
	}
	if data, err := input.ReadFile(ref, input.Lock); err == nil {
		lock, err := a.decodeLock(ref, data)
		if err != nil {
			return time.Time{}, err
		}
		var newest time.Time
		r := lock.Resolution()
		for _, d := range a.Declared() {
			n := r.Root(d.As)
			if n == nil {
				continue
			}
			p, err := source.Package(ctx, n.Name)
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
	if when, known := a.repo.DateOf(ctx, ref); known {
		return when, nil
	}
	return time.Time{}, &input.UsageError{Reason: fmt.Sprintf("--since %q: expected a day such as 2026-03-31, an older lock, or a revision of git", ref)}
}
