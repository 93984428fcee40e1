package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"molt/app/tree"
	"molt/core/solve"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/store"
	"molt/txn"
)

// An InstallOrder says what of the lock to install, and where.
type InstallOrder struct {
	Groups []string // of the manifest, nil for all
	Into   string   // a folder other than the application's, "" for that
	Dry    bool
	Force  bool
	Watch  func(done, of int)
}

// Store returns the store of unpacked releases of this user.
func (a *App) Store() (*store.Store, error) {
	dir := a.cacheDir()
	if dir == "" {
		return nil, &input.UsageError{Reason: "there is no folder for the store of unpacked releases: set MOLT_CACHE to one"}
	}
	return store.In(filepath.Join(dir, "store")), nil
}

// Install lays out what the lock says, and nothing else. The folder was taken for changing it (Use), unless it is for show or for another folder. A
// lock that does not fit the manifest is an *input.UsageError; other errors are those of tree.Tree.
func (a *App) Install(ctx context.Context, order InstallOrder) (*tree.Report, error) {
	installer, can := a.Eco.(ecosystem.Installer)
	if !can {
		return nil, &input.UsageError{Reason: fmt.Sprintf("Molt does not install packages of %s", a.Eco.Name())}
	}
	lock, err := a.lockFor(order.Groups)
	if err != nil {
		return nil, err
	}
	kept, err := a.Store()
	if err != nil {
		return nil, err
	}
	t := &tree.Tree{Files: a.files, Store: kept, Eco: installer}
	if order.Into != "" {
		if err := os.MkdirAll(order.Into, 0o755); err != nil {
			return nil, err
		}
		if t.Files, err = txn.OpenWorkspace(order.Into, a.user); err != nil {
			return nil, err
		}
		if !order.Dry {
			release, err := t.Files.Take()
			if err != nil {
				return nil, err
			}
			defer release()
			if _, err := t.Files.Repair(func(string) {}); err != nil {
				return nil, err
			}
		}
	}
	var done func()
	open := sync.OnceValue(func() error { // only when something has to be fetched
		_, end, err := a.Source(ctx, nil)
		done = end
		return err
	})
	t.Download = func(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
		if err := open(); err != nil {
			return err
		}
		return a.client.Download(ctx, p.Source, p.Integrity, into)
	}
	defer func() {
		if done != nil {
			done()
		}
	}()
	return t.Install(ctx, lock, tree.Order{Dry: order.Dry, Force: order.Force, Offline: a.Settings.Offline, Watch: order.Watch})
}

// lockFor returns the lock with the roots of some groups alone; it must have been made for the manifest as it stands.
func (a *App) lockFor(groups []string) (*ecosystem.Lock, error) {
	if a.Lock == nil {
		return nil, &input.UsageError{Reason: fmt.Sprintf("there is no %s; molt relock writes one", a.Eco.Lock())}
	}
	if a.Lock.Edgeless {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s does not tell what packages need, so it cannot be laid out", a.Eco.Lock())}
	}
	if drift := a.drift(); len(drift) > 0 {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s was not made for the manifest as it stands: %s; molt relock makes it anew", a.Eco.Lock(), drift[0].Says)}
	}
	if groups == nil {
		return a.Lock, nil
	}
	var known []string
	for _, r := range a.Lock.Roots {
		if !slices.Contains(known, r.Group) {
			known = append(known, r.Group)
		}
	}
	for _, g := range groups {
		if !slices.Contains(known, g) {
			return nil, &input.UsageError{Reason: fmt.Sprintf("--only %s: the lock has no declarations of that group; it has %s", g, strings.Join(known, ", "))}
		}
	}
	some := *a.Lock
	some.Roots = slices.DeleteFunc(slices.Clone(a.Lock.Roots), func(e solve.Edge) bool { return !slices.Contains(groups, e.Group) })
	return &some, nil
}
