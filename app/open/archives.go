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
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/store"
)

// Store returns the store of unpacked releases of this user.
func (a *View) Store() (*store.Store, error) {
	c, err := CacheOf(a.Settings.Env)
	if err != nil {
		return nil, err
	}
	return c.store(), nil
}

// ownFolders lists the application's folder, those of a workspace's members, and those that
// declarations name in place of a package.
func ownFolders(a *View) []string {
	own := []string{"."}
	for _, m := range a.Manifest.Members() {
		own = append(own, m.Folder)
	}
	return own
}

// Archives opens the registries when something has to be fetched, and Close closes them.
func (a *View) Archives() *Archives {
	x := &Archives{View: a, end: func() {}}
	x.registries = sync.OnceValues(func() (*registry.Registries, error) {
		registries, _, err := openRegistries(a)
		if err == nil {
			x.end = registries.Close
		}
		return registries, err
	})
	return x
}

// Archives has the registries of the question.
func (q *Question) Archives() *Archives { return archivesOf(q.View, q.access.registries) }

func archivesOf(a *View, registries *registry.Registries) *Archives {
	return &Archives{a, func() (*registry.Registries, error) { return registries, nil }, func() {}}
}

// Close ends what Archives opened.
func (x *Archives) Close() { x.end() }

// Download gets the archive of a locked release, and checks it against the locked digest.
func (x *Archives) Download(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
	registries, err := x.registries()
	if err != nil {
		return err
	}
	for _, own := range []string{"file:", "./", "git+"} {
		if strings.HasPrefix(p.Source, own) {
			return copyArchive(ctx, x.View, p, into)
		}
	}
	client, err := registryOf(registries, p.Name)
	if err != nil {
		return err
	}
	if err := client.Download(ctx, p.Source, p.Integrity, into); err != nil {
		return fmt.Errorf("%s@%s: %w", p.Name, p.Version, err)
	}
	return nil
}

// RegistryOf returns the registry of a package.
func (x *Archives) RegistryOf(name string) (*registry.Client, error) {
	registries, err := x.registries()
	if err != nil {
		return nil, err
	}
	return registryOf(registries, name)
}

// copyArchive copies an archive of the application, or the files of a commit. What it holds is to
// be used where its digest is the locked one.
func copyArchive(ctx context.Context, a *View, p *ecosystem.LockedPackage, into registry.Sink) error {
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
	for _, kind := range []any{new(*tree.MissingError), new(*registry.UnreachableError), new(*registry.NotFoundError),
		new(*archive.DigestError), new(*input.UsageError), new(*tree.UnusableError), new(*tree.ClosureError)} {
		if errors.As(err, kind) {
			return true
		}
	}
	return false
}
