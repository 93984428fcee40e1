// Package change changes one thing of an application at a person's word: a declaration, a hold, the
// configuration. Whatever it writes was solved to a lock first, and is written whole.
package change

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"molt/app/config"
	"molt/app/locking"
	"molt/app/open"
	"molt/core/inspect"
	"molt/core/project"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// An Effect is what changes of the manifest do to the lock.
type Effect struct {
	Changes     []project.Change
	Differences []inspect.Difference
	files       map[string][]byte
	after       *ecosystem.Lock
}

// Rehearse works out what changes of the manifest come to, in memory.
func Rehearse(ctx context.Context, a *open.Question, changes []project.Change) (*Effect, error) {
	e := &Effect{Changes: changes}
	var err error
	if e.files, err = locking.Rehearse(ctx, a, &doc.PlanStage{Changes: changeDocs(a.View, changes)}); err != nil {
		return nil, err
	}
	if e.after, err = a.DecodeLock(a.LockFile(), e.files[a.LockFile()]); err != nil {
		return nil, err
	}
	before := inspect.State{}
	if a.Lock != nil {
		before = inspect.StateOf(a.Lock.Resolution())
	}
	e.Differences = inspect.Compare(a.Eco.Scheme(), before, inspect.StateOf(e.after.Resolution()))
	return e, nil
}

// Change puts on disk what was rehearsed: manifest and lock together or not at all, with a line in the ledger under a
// name, so that Back can take it back. The folder must be in use.
func Change(ctx context.Context, a *open.View, name string, e *Effect) error {
	return write(ctx, a, name, e.files, func(after *open.View) error { return consistent(ctx, after) })
}

// Drop returns the changes that take declarations of names out of a part of the manifest.
func Drop(a *open.View, names []string, from ecosystem.Part) ([]project.Change, error) {
	var changes []project.Change
	var known []string
	for _, e := range a.Manifest.Entries() {
		known = append(known, e.As)
	}
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			continue
		}
		found := false
		for _, e := range a.Manifest.Entries() {
			if project.OwnName(e.As) == name && from.Has(e.Group) {
				found = true
				was := project.Point{Constraint: e.Text}
				if a.Lock != nil {
					if n := a.Lock.Resolution().Root(e.As); n != nil {
						was.Version = n.Version
					}
				}
				changes = append(changes, project.Change{Name: e.As, Group: e.Group, From: was})
			}
		}
		if h, held := a.Config.Hold[name]; held && found {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("%s is held (%s); molt hold %s --lift first", name, h.Reason, name)}
		}
		if !found {
			says := fmt.Sprintf("%s is not declared", name)
			if from.Group != "" {
				says += fmt.Sprintf(" in %q", from.Group)
			}
			if from.In != "" && from.In != "." {
				says += " in " + from.In
			}
			if near := project.Nearest(name, known); near != "" && near != name {
				says += "; did you mean " + near + "?"
			}
			return nil, &input.UsageError{Reason: says}
		}
	}
	return changes, nil
}

// Hold keeps a package back, with a reason and, unless it is "", a last day. It replaces a hold that is there. The
// folder must be in use.
func Hold(a *open.View, name string, h config.Hold) error {
	return editHolds(a, "hold-"+txn.Slug(name), func(text string) (string, error) {
		if _, held := a.Config.Hold[name]; held {
			var err error
			if text, err = config.Edit(text, config.Change{Unhold: a.AsSpelled(name)}); err != nil {
				return "", err
			}
		}
		return config.AddHold(text, name, h)
	}, func(after *open.View) error {
		if after.Config.Hold[name] != h {
			return &input.UsageError{Reason: fmt.Sprintf(
				"%s is written in a way that Molt does not edit; add %s under \"hold:\"", config.File, name)}
		}
		return nil
	})
}

// Release lifts a hold. The folder must be in use.
func Release(a *open.View, name string) error {
	if _, held := a.Config.Hold[name]; !held {
		return &input.UsageError{Reason: fmt.Sprintf("%s is not held", name)}
	}
	return editHolds(a, "release-"+txn.Slug(name), func(text string) (string, error) {
		return config.Edit(text, config.Change{Unhold: a.AsSpelled(name)})
	},
		func(*open.View) error { return nil })
}

func editHolds(a *open.View, what string, edit func(string) (string, error), check func(after *open.View) error) error {
	text, err := a.Files.Read(config.File, input.Configuration)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	edited, err := edit(string(text))
	if err != nil {
		return err
	}
	if _, err := config.Read(config.File, []byte(edited)); err != nil {
		var place *input.PositionError
		if errors.As(err, &place) {
			return &input.UsageError{Reason: fmt.Sprintf("%s is written in a way that Molt does not edit: %v", config.File,
				place.Reason)}
		}
		return err
	}
	return write(context.Background(), a, what, map[string][]byte{config.File: []byte(edited)}, check)
}
