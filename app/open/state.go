package open

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"molt/app/planfile"
	"molt/core/inspect"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// The words by which a state of the application itself is named.
const (
	LockedState    = "locked"
	InstalledState = "installed"
)

// State reads what a reference holds: "locked" or "installed" for the application itself; a lock, a
// plan (what is locked, moved as the plan's stages have it) or an inventory; a folder with a lock,
// or with something installed; or a revision of git, for the lock in it. An inventory is a text
// with a name and a version on each line; # begins a comment.
func State(ctx context.Context, a *View, ref string) (inspect.State, error) {
	switch ref {
	case LockedState:
		if a.Lock == nil {
			return inspect.State{}, &input.UsageError{
				Reason: fmt.Sprintf("there is no %s in %s; molt relock writes one", a.LockFile(), a.Dir)}
		}
		return inspect.StateOf(a.Lock.Resolution()), nil
	case InstalledState:
		return stateInstalled(a, a.Dir)
	}
	info, err := os.Stat(ref)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return revisionState(ctx, a, ref)
	case err != nil:
		return inspect.State{}, err
	case info.IsDir():
		if _, err := os.Stat(filepath.Join(ref, a.LockFile())); err != nil {
			return stateInstalled(a, ref)
		}
		ref = filepath.Join(ref, a.LockFile())
	}
	data, err := input.ReadFile(ref, input.Lock)
	if err != nil {
		return inspect.State{}, err
	}
	switch filepath.Ext(ref) {
	case filepath.Ext(a.LockFile()):
		return lockState(a, ref, data)
	case filepath.Ext(planfile.File):
		return planState(a, ref, data)
	}
	return ReadInventory(ref, data)
}

func lockState(a *View, file string, data []byte) (inspect.State, error) {
	l, err := a.DecodeLock(file, data)
	if err != nil {
		return inspect.State{}, err
	}
	return inspect.StateOf(l.Resolution()), nil
}

func stateInstalled(a *View, dir string) (inspect.State, error) {
	tree, err := ecosystem.Installed(a.Eco, dir)
	if err != nil {
		return inspect.State{}, err
	}
	if tree == nil {
		return inspect.State{}, &input.UsageError{
			Reason: fmt.Sprintf("nothing is installed in %s: it has no %s", dir, ecosystem.InstallFolder(a.Eco))}
	}
	return inspect.State{Packages: ecosystem.Versions(tree), Declared: a.DeclaredPackages()}, nil
}

// planState moves what is locked as the stages of a plan that are still to come say.
func planState(a *View, file string, data []byte) (inspect.State, error) {
	if side := a.SideName(); side != "" {
		data = planfile.Document(data, side)
	}
	plan, err := planfile.Read(file, data)
	if err != nil {
		return inspect.State{}, err
	}
	s, err := State(context.Background(), a, LockedState)
	if err != nil {
		return s, err
	}
	packages := map[string]string{} // of aliases
	for _, e := range a.Manifest.Entries() {
		packages[e.As] = e.Package
	}
	for _, stage := range plan.Stages {
		for _, c := range stage.Changes {
			name := c.Name
			if p := packages[name]; p != "" {
				name = p
			}
			switch {
			case stage.Status == doc.Done:
			case c.To == nil:
				delete(s.Packages, name)
			default:
				s.Packages[name] = []string{c.To.Version}
				if c.From == nil {
					s.Declared = append(s.Declared, c.Name)
				}
			}
		}
	}
	return s, nil
}

// revisionState reads the lock that a revision of git has.
func revisionState(ctx context.Context, a *View, revision string) (inspect.State, error) {
	lock, err := LockAt(ctx, a, revision)
	if err != nil {
		return inspect.State{}, err
	}
	return inspect.StateOf(lock.Resolution()), nil
}

// LockAt returns the lock as it was at a revision of git.
func LockAt(ctx context.Context, a *View, revision string) (*ecosystem.Lock, error) {
	if !a.Repo.IsRevision(ctx, revision) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &input.UsageError{Reason: fmt.Sprintf("%q is neither a file nor a revision of git", revision)}
	}
	data := a.Repo.FileAt(ctx, revision, a.LockFile())
	if data == nil {
		return nil, &input.UsageError{Reason: fmt.Sprintf("the revision %s has no %s", revision, a.LockFile())}
	}
	return a.DecodeLock(revision+":"+a.LockFile(), data)
}

// ReadInventory reads lines of a name and a version.
func ReadInventory(file string, data []byte) (inspect.State, error) {
	s := inspect.State{Packages: map[string][]string{}}
	for n, line := range strings.Split(string(data), "\n") {
		line, _, _ = strings.Cut(line, "#")
		words := strings.Fields(line)
		switch {
		case len(words) == 0:
		case len(words) != 2 || strings.ContainsAny(line, "{}[]\"=:"):
			return s, &input.PositionError{File: file, Line: n + 1, Column: 1,
				Reason: input.Quote(strings.TrimSpace(line)) +
					": expected a name and a version with a space between, such as \"hulk 1.2.3\""}
		default:
			s.Packages[words[0]] = append(s.Packages[words[0]], words[1])
		}
	}
	return s, nil
}
