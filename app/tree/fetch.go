package tree

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"molt/archive"
	"molt/core/solve"
	"molt/ecosystem"
	"molt/input"
	"molt/store"
)

// fetch has an entry of the store for every place, and fetches what is missing for those that are to be made.
func (w *work) fetch(ctx context.Context) error {
	wanted := map[string]*ecosystem.LockedPackage{}
	var keys []string
	for _, p := range w.layout.Places {
		one := w.now.Places[p.Path]
		if one.Key != "" && wanted[one.Key] == nil {
			wanted[one.Key] = p.Package
			keys = append(keys, one.Key)
		}
	}
	need := map[string]bool{}
	for _, p := range w.layout.Places {
		if w.whole || under(p.Path, w.changed) {
			need[w.now.Places[p.Path].Key] = true
		}
	}
	var done atomic.Int64
	var missing []string
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(16)
	for _, key := range keys {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			p := wanted[key]
			look := w.listed
			if need[key] {
				look = w.Store.ByKey
			}
			e, err := look(key)
			if err != nil {
				return err
			}
			if e == nil && need[key] {
				if w.order.Offline || w.order.Dry {
					w.mu.Lock()
					missing = append(missing, p.Name+"@"+p.Version)
					w.report.Fetched++
					w.mu.Unlock()
					return nil
				}
				if e, err = w.download(ctx, p); err != nil {
					return err
				}
			}
			w.mu.Lock()
			w.entries[key] = e
			w.mu.Unlock()
			if n := done.Add(1); w.order.Watch != nil {
				w.order.Watch(int(n), len(keys))
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	if len(missing) > 0 && w.order.Offline {
		slices.Sort(missing)
		w.report.Fetched = 0
		return &MissingError{slices.Compact(missing)}
	}
	w.executables()
	return nil
}

// download has an archive in the store, and counts it.
func (w *work) download(ctx context.Context, p *ecosystem.LockedPackage) (*store.Entry, error) {
	e, size, err := w.get(ctx, w.layout.Manifest, p)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.report.Fetched++
	w.report.Bytes += size
	return e, err
}

// get downloads an archive and unpacks it into the store. The size is that of the archive.
func (t *Tree) get(ctx context.Context, manifest string,
	p *ecosystem.LockedPackage) (e *store.Entry, size int64, err error) {
	got := &spool{}
	defer got.discard()
	if err := t.Download(ctx, p, got); err != nil {
		return nil, 0, err
	}
	from, size := got.content()
	e, err = t.Store.Add(ctx, p.Name+"@"+p.Version, p.Integrity, from, size, func(root *os.Root) (store.About, error) {
		text, err := input.ReadIn(root, manifest, input.Manifest)
		if err != nil { // a release without one has nothing to say
			return store.About{}, nil
		}
		if says := t.Eco.Contradicts(p, text, t.Overridden); says != "" {
			return store.About{}, &ContradictionError{p.Name + "@" + p.Version, says}
		}
		return store.About{Executables: t.Eco.Executables(p.Name, text), Steps: t.Eco.BuildSteps(text)}, nil
	})
	return e, size, err
}

// A ContradictionError reports an archive whose manifest is not what the registry said of the release.
type ContradictionError struct{ Release, Says string }

func (e *ContradictionError) Error() string {
	return fmt.Sprintf("%s is not what the registry said of it: %s; it is not laid out", e.Release, e.Says)
}

// A Fetched is what Stock found and brought.
type Fetched struct {
	Releases int // that locks have for this platform
	Fetched  int
	Bytes    int64 // of these archives
}

// FetchAll has the releases of locks in the store, as far as they are for this platform, so that each
// of the locks can be laid out without a registry.
func (t *Tree) FetchAll(ctx context.Context, locks []*ecosystem.Lock, watch func(done, of int)) (Fetched, error) {
	wanted := map[string]*ecosystem.LockedPackage{}
	manifest := ""
	for _, l := range locks {
		layout, err := t.Eco.Layout(l, t.Eco.Fits)
		if err != nil {
			return Fetched{}, &input.UsageError{Reason: err.Error()}
		}
		manifest = layout.Manifest
		for _, p := range layout.Places {
			if p.Package == nil || p.Link != "" {
				continue
			}
			key, err := archive.Key(p.Package.Name+"@"+p.Package.Version, p.Package.Integrity)
			if err != nil {
				return Fetched{}, err
			}
			wanted[key] = p.Package
		}
	}
	got := Fetched{Releases: len(wanted)}
	var mu sync.Mutex
	done := 0
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(16)
	for _, key := range slices.Sorted(maps.Keys(wanted)) {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			e, err := t.Store.ByKey(key)
			size, fetched := int64(0), 0
			if err == nil && e == nil {
				_, size, err = t.get(ctx, manifest, wanted[key])
				fetched = 1
			}
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			got.Fetched += fetched
			got.Bytes += size
			if done++; watch != nil {
				watch(done, len(wanted))
			}
			return nil
		})
	}
	return got, g.Wait()
}

// odd says which files of releases that come have names with which something may go wrong.
func odd(r *Report, entries map[string]*store.Entry) {
	fresh := map[string]bool{}
	for _, release := range r.Added {
		fresh[release] = true
	}
	for _, m := range r.Moved {
		fresh[m.Name+"@"+m.To] = true
	}
	for release, e := range entries {
		if e == nil || !fresh[release] {
			continue
		}
		for i := range e.Files {
			if says := archive.Odd(e.Files[i].Path); says != "" {
				r.Odd = append(r.Odd, fmt.Sprintf("%s has a file %s: %s", release, e.Files[i].Path, says))
				break
			}
		}
	}
	slices.Sort(r.Odd)
}

// executables works out the links to what people run: of several packages in a folder that have the
// same name for something, what the application declares comes first, and then what stands first by
// its path.
func (w *work) executables() {
	steps := map[string]bool{}
	top := w.Eco.InstallFolder()
	declared := func(p ecosystem.Place) bool {
		return p.Holder == top && p.Package != nil &&
			slices.ContainsFunc(w.roots, func(e solve.Edge) bool { return e.Name == p.Name && e.To == p.Package.ID })
	}
	places := slices.Clone(w.layout.Places)
	slices.SortStableFunc(places, func(a, b ecosystem.Place) int {
		switch x, y := declared(a), declared(b); {
		case x && !y:
			return -1
		case y && !x:
			return 1
		}
		return 0
	})
	give := func(p ecosystem.Place, by, name, to string) {
		at := path.Join(p.Holder, w.layout.Executables, name)
		if had, again := w.now.Executables[at]; again {
			w.report.Claimed = append(w.report.Claimed,
				fmt.Sprintf("%s leads to %s, and %s has one of that name too", at, had, by))
			return
		}
		w.now.Executables[at] = relative(at, to)
	}
	for _, p := range places {
		one := w.now.Places[p.Path]
		e := w.entries[one.Key]
		if p.Package == nil { // a member, whose files are the application's own
			manifest, err := w.Files.Read(path.Join(p.Link, w.layout.Manifest), input.Manifest)
			if err != nil {
				continue
			}
			for name, file := range w.Eco.Executables(p.Name, manifest) {
				if at := path.Join(p.Link, file); w.Files.Exists(at) {
					give(p, p.Name, name, at)
				}
			}
			continue
		}
		if e == nil {
			w.keepExecutables(p.Path)
			continue
		}
		if len(e.About.Steps) > 0 && !one.Built && !steps[one.Release] {
			steps[one.Release] = true
			w.report.Unbuilt = append(w.report.Unbuilt, Unbuilt{one.Release, e.About.Steps})
		}
		for name, file := range e.About.Executables {
			if !slices.ContainsFunc(e.Files, func(f store.File) bool { return f.Path == file }) {
				continue
			}
			give(p, one.Release, name, path.Join(p.Path, file))
		}
	}
	slices.SortFunc(w.report.Unbuilt, func(a, b Unbuilt) int { return cmp.Compare(a.Release, b.Release) })
	slices.Sort(w.report.Claimed)
	folders := map[string]bool{}
	differ := func(a, b map[string]string) {
		for at, to := range a {
			if b[at] != to {
				folders[path.Dir(at)] = true
			}
		}
	}
	if w.was != nil {
		differ(w.was.Executables, w.now.Executables)
		differ(w.now.Executables, w.was.Executables)
		for at, to := range w.now.Executables {
			if is, err := os.Readlink(w.path(at)); err != nil || is != to {
				folders[path.Dir(at)] = true
			}
		}
	}
	for at := range folders {
		if !under(at, w.changed) {
			w.bins = append(w.bins, at)
		}
	}
	slices.Sort(w.bins)
}

// keepExecutables keeps the links into a place that stays, of which the store knows nothing any more.
func (w *work) keepExecutables(place string) {
	if w.was == nil {
		return
	}
	for at, to := range w.was.Executables {
		if leads := path.Join(path.Dir(at), filepath.ToSlash(to)); strings.HasPrefix(leads, place+"/") {
			w.now.Executables[at] = to
		}
	}
}
