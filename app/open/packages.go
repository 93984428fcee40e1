package open

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"
	"sync"

	"molt/app/tree"
	"molt/app/vcs"
	"molt/archive"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/store"
	"molt/txn"
)

// Store returns the store of unpacked releases of this user.
func (a *App) Store() (*store.Store, error) {
	c, err := CacheOf(a.Settings.Env)
	if err != nil {
		return nil, err
	}
	return c.store(), nil
}

// ownFolders lists the application's folder, those of a workspace's members, and those that declarations name in place of a package.
func (a *App) ownFolders() []string {
	own := []string{"."}
	for _, m := range a.Manifest.Members() {
		own = append(own, m.Folder)
	}
	return own
}

// Environment returns what lays out packages of an ecosystem that has them together. The caller calls done.
func (a *App) Environment(ctx context.Context, flat ecosystem.Flat, files *txn.Workspace) (t *tree.Environment, done func(), err error) {
	kept, err := a.Store()
	if err != nil {
		return nil, nil, err
	}
	t = &tree.Environment{Files: files, Store: kept, Eco: flat, Own: a.ownFolders()}
	download, done := a.Downloads(ctx)
	t.Download = func(ctx context.Context, p *ecosystem.LockedPackage, file universe.File, into registry.Sink) error {
		one := *p
		one.Source, one.Integrity = file.Address, file.Integrity
		return download(ctx, &one, into)
	}
	if builds, b := a.builds(); b != nil {
		t.Build = func(ctx context.Context, p *ecosystem.LockedPackage) (*ecosystem.Built, error) {
			source, ok := b.SourceFile(p.Files)
			if !ok || !builds(p.Name) {
				return nil, nil
			}
			if a.Registries == nil {
				_, closeAll, err := a.Source(ctx, nil)
				if err != nil {
					return nil, err
				}
				defer closeAll()
			}
			return a.buildSource(ctx, p.Name, p.Version, source)
		}
	}
	return t, done, nil
}

// Downloads returns how archives are had. The registries are opened when something has to be, and closed by done if they were.
func (a *App) Downloads(ctx context.Context) (download func(context.Context, *ecosystem.LockedPackage, registry.Sink) error, done func()) {
	end := func() {}
	open := sync.OnceValue(func() error {
		if a.Registries != nil {
			return nil
		}
		_, closeAll, err := a.Source(ctx, nil)
		if err == nil {
			end = closeAll
		}
		return err
	})
	return func(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
		if err := open(); err != nil {
			return err
		}
		if strings.HasPrefix(p.Source, "file:") || strings.HasPrefix(p.Source, "./") || strings.HasPrefix(p.Source, "git+") {
			return a.copyArchive(ctx, p, into)
		}
		client, err := a.RegistryOf(p.Name)
		if err != nil {
			return err
		}
		if err := client.Download(ctx, p.Source, p.Integrity, into); err != nil {
			return fmt.Errorf("%s@%s: %w", p.Name, p.Version, err)
		}
		return nil
	}, func() { end() }
}

// copyArchive copies an archive of the application, or the files of a commit. What it holds is to be used where its digest is the locked one.
func (a *App) copyArchive(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
	var data []byte
	var err error
	if !strings.HasPrefix(p.Source, "git+") {
		data, err = a.Files.Read(path.Clean(strings.TrimPrefix(p.Source, "file:")), input.Archive)
	} else if a.Settings.Offline {
		err = fmt.Errorf("%s@%s: %w", p.Name, p.Version, registry.ErrOffline)
	} else {
		from, commit, _ := strings.Cut(strings.TrimPrefix(p.Source, "git+"), "#")
		_, data, err = vcs.Remote(ctx, from, commit)
	}
	if err == nil {
		err = archive.Check(p.Name+"@"+p.Version, data, p.Integrity)
	}
	if err == nil {
		_, err = into.Write(data)
	}
	return err
}

// Unobtainable reports whether an error says that packages are not to be had, before anything was touched.
func Unobtainable(err error) bool {
	for _, kind := range []any{new(*tree.MissingError), new(*registry.UnreachableError), new(*registry.NotFoundError), new(*archive.DigestError), new(*input.UsageError), new(*tree.UnusableError), new(*tree.ClosureError)} {
		if errors.As(err, kind) {
			return true
		}
	}
	return false
}
