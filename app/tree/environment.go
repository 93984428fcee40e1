package tree

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"molt/archive"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/store"
	"molt/txn"
)

// An Environment is the installed packages of one folder, of an ecosystem that has them together in
// an environment of the runtime's making.
type Environment struct {
	Files *txn.Workspace
	Store *store.Store
	Eco   ecosystem.Flat
	// Own are folders of the application that are to be packages of the environment too, where they
	// can be, relative to it.
	Own []string
	// Download gets a file of a release.
	Download func(ctx context.Context, p *ecosystem.LockedPackage, file universe.File, into registry.Sink) error
	// Build builds a release that has no file for this machine; nil, and without a result, where that is not allowed.
	Build func(ctx context.Context, p *ecosystem.LockedPackage) (*ecosystem.Built, error)
}

// An UnusableError reports releases that have no file that this machine can use.
type UnusableError struct{ Releases []string }

func (e *UnusableError) Error() string {
	return fmt.Sprintf("the lock has no file for this machine of %s: what has nothing but its source is built where "+
		"\"build:\" in molt.yaml names the package", strings.Join(e.Releases, ", "))
}

// A ClosureError reports what the packages of a lock need on this machine and the lock does not
// have: it was made for other environments.
type ClosureError struct {
	Runtime string
	Lacks   []string
}

func (e *ClosureError) Error() string {
	return fmt.Sprintf("the lock does not suit this machine (%s): %s; name this environment under \"runtime:\" and "+
		"\"platform:\" in molt.yaml, and relock", e.Runtime, strings.Join(e.Lacks, "; "))
}

// A wantedFile is a release with the file of it that this machine uses.
type wantedFile struct {
	pkg   *ecosystem.LockedPackage
	file  universe.File
	built *ecosystem.Built // nil for one that is fetched
	key   string
	entry *store.Entry
	plan  *ecosystem.Arrangement
}

// Install lays out a lock, as Tree.Install does: a new environment takes the place of the one that
// is there, in one move, unless that has everything already. Errors are those of Tree.Install,
// *UnusableError and *ClosureError.
func (t *Environment) Install(ctx context.Context, l *ecosystem.Lock, order LayoutOrder) (*Report, error) {
	host, err := t.Eco.Probe(ctx, l)
	if err != nil {
		return nil, &input.UsageError{Reason: err.Error()}
	}
	folder := t.Eco.InstallFolder()
	now := environmentRecord{Format: 1, Runtime: host.Runtime + " " + host.Version,
		Place: filepath.Join(t.Files.Dir, folder), Packages: map[string]string{}, Copies: order.Copies}
	_, compiles := t.Eco.(ecosystem.Compiler)
	now.Compiled = compiles && order.Compile
	was, err := t.read(order.Force)
	if err != nil {
		return nil, err
	}
	wanted, err := t.choose(ctx, l, host, now.Packages)
	if err != nil {
		return nil, err
	}
	own, err := t.itself(host, &now)
	if err != nil {
		return nil, err
	}
	r := &Report{Places: len(wanted)}
	var before map[string]string
	if was != nil {
		before = was.Packages
	}
	comparePackages(r, before, now.Packages)
	same := was != nil && was.Runtime == now.Runtime && was.Place == now.Place && was.Copies == now.Copies &&
		was.Compiled == now.Compiled && maps.Equal(was.Packages, now.Packages) && maps.Equal(was.Own, now.Own)
	if was != nil {
		whole, err := t.examine(ctx, host, l, was, r)
		if err == nil && len(r.Edited) > 0 && !order.Force {
			err = &EditedError{r.Edited}
		}
		if err != nil {
			return nil, err
		}
		if same && whole {
			r.Untouched = true
			return r, nil
		}
	}
	if err := t.fetch(ctx, wanted, r, order); err != nil {
		return r, err
	}
	entries := map[string]*store.Entry{}
	for _, w := range wanted {
		entries[w.pkg.Name+"@"+w.pkg.Version] = w.entry
	}
	if odd(r, entries); order.Dry {
		return r, nil
	}
	if err := t.arrange(host, wanted, now.Place); err != nil {
		return nil, err
	}
	if err := t.replace(ctx, host, append(wanted, own...), now, r, order); err != nil {
		return nil, fmt.Errorf("laying out packages: %w; what was installed is as it was", err)
	}
	return r, nil
}

// itself works out which folders of the application are packages, and notes them.
func (t *Environment) itself(host *ecosystem.Host, now *environmentRecord) (all []*wantedFile, err error) {
	maker, ok := t.Eco.(ecosystem.SelfInstaller)
	if !ok {
		return nil, nil
	}
	for _, folder := range t.Own {
		below, err := fs.Sub(t.Files.Root.FS(), folder)
		if err != nil {
			return nil, err
		}
		one, err := maker.Itself(host, filepath.Join(t.Files.Dir, t.Eco.InstallFolder()), folder, below)
		if err != nil {
			return nil, &input.UsageError{Reason: err.Error()}
		}
		if one == nil {
			continue
		}
		sum := sha256.New()
		for _, at := range slices.Sorted(maps.Keys(one.Made)) {
			fmt.Fprintf(sum, "%s\x00%d\x00%s", at, len(one.Made[at]), one.Made[at])
		}
		if now.Own == nil {
			now.Own = map[string]string{}
		}
		now.Own[folder] = hex.EncodeToString(sum.Sum(nil))
		p := &ecosystem.LockedPackage{}
		p.ID = one.Name + "@" + one.Version
		all = append(all, &wantedFile{pkg: p, entry: &store.Entry{}, plan: one.Arrangement})
	}
	return all, nil
}

// choose finds the file of every package that this machine is to have, and notes their keys in the store.
func (t *Environment) choose(ctx context.Context, l *ecosystem.Lock, host *ecosystem.Host,
	keys map[string]string) ([]*wantedFile, error) {
	var all []*wantedFile
	var unusable []string
	for _, p := range t.Eco.Wanted(l, host) {
		file, ok := t.Eco.FileFor(p, host)
		var built *ecosystem.Built
		if !ok && t.Build != nil {
			var err error
			if built, err = t.Build(ctx, p); err != nil {
				return nil, err
			}
		}
		switch {
		case built != nil:
			file = built.File
		case !ok:
			unusable = append(unusable, p.ID)
			continue
		}
		key, err := archive.Key(p.ID, file.Integrity)
		if err != nil {
			return nil, err
		}
		keys[p.Name+"@"+p.Version] = key
		all = append(all, &wantedFile{pkg: p, file: file, built: built, key: key})
	}
	if unusable != nil {
		return nil, &UnusableError{unusable}
	}
	return all, nil
}

// fetch has an entry of the store for every package.
func (t *Environment) fetch(ctx context.Context, wanted []*wantedFile, r *Report, order LayoutOrder) error {
	var mu sync.Mutex
	var missing []string
	done := 0
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(16)
	for _, w := range wanted {
		g.Go(func() error {
			e, err := t.Store.ByKey(w.key)
			fetched, size := 0, int64(0)
			switch {
			case err != nil:
				return err
			case e == nil && w.built == nil && (order.Offline || order.Dry):
				fetched = 1
			case e == nil:
				if e, size, err = t.get(ctx, w); err != nil {
					return err
				}
				fetched = 1
			}
			w.entry = e
			mu.Lock()
			defer mu.Unlock()
			if e == nil {
				missing = append(missing, w.pkg.ID)
			}
			r.Fetched += fetched
			r.Bytes += size
			if done++; order.Watch != nil {
				order.Watch(done, len(wanted))
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	if len(missing) > 0 && order.Offline {
		slices.Sort(missing)
		r.Fetched = 0
		return &MissingError{missing}
	}
	return nil
}

// get downloads a file and unpacks it into the store.
func (t *Environment) get(ctx context.Context, w *wantedFile) (*store.Entry, int64, error) {
	if w.built != nil {
		f, err := os.Open(w.built.Path)
		if err != nil {
			return nil, 0, err
		}
		defer f.Close()
		e, err := t.Store.AddAll(ctx, w.pkg.ID, w.file.Integrity, f, w.file.Size)
		return e, 0, err
	}
	got := &spool{}
	defer got.discard()
	if err := t.Download(ctx, w.pkg, w.file, got); err != nil {
		return nil, 0, err
	}
	from, size := got.content()
	e, err := t.Store.AddAll(ctx, w.pkg.ID, w.file.Integrity, from, size)
	return e, size, err
}

// FetchAll has the releases of locks in the store, as far as this machine would have them.
func (t *Environment) FetchAll(
	ctx context.Context, locks []*ecosystem.Lock, watch func(done, of int)) (Fetched, error) {
	all := map[string]*wantedFile{}
	for _, l := range locks {
		host, err := t.Eco.Probe(ctx, l)
		if err != nil {
			return Fetched{}, &input.UsageError{Reason: err.Error()}
		}
		wanted, err := t.choose(ctx, l, host, map[string]string{})
		if err != nil {
			return Fetched{}, err
		}
		for _, w := range wanted {
			all[w.key] = w
		}
	}
	wanted := slices.SortedFunc(maps.Values(all), func(a, b *wantedFile) int { return cmp.Compare(a.pkg.ID, b.pkg.ID) })
	r := &Report{}
	err := t.fetch(ctx, wanted, r, LayoutOrder{Watch: watch})
	return Fetched{len(wanted), r.Fetched, r.Bytes}, err
}

// arrange works out where every file goes, and makes sure that the packages have all that they need here.
func (t *Environment) arrange(host *ecosystem.Host, wanted []*wantedFile, place string) error {
	var packages []*ecosystem.LockedPackage
	for _, w := range wanted {
		packages = append(packages, w.pkg)
	}
	closure := &ClosureError{Runtime: "Python " + host.Version}
	for _, w := range wanted {
		var err error
		if w.plan, err = t.arrangement(host, w.pkg, w.entry, place); err != nil {
			return err
		}
		if says := t.Eco.Lacks(host, w.pkg, w.plan.Metadata, packages); says != "" {
			closure.Lacks = append(closure.Lacks, says)
		}
	}
	if closure.Lacks != nil {
		return closure
	}
	return nil
}

func (t *Environment) arrangement(host *ecosystem.Host, p *ecosystem.LockedPackage, e *store.Entry,
	place string) (*ecosystem.Arrangement, error) {
	files := make(map[string]string, len(e.Files))
	for _, f := range e.Files {
		files[f.Path] = f.Digest
	}
	return t.Eco.Arrange(host, p, place, files, func(file string) ([]byte, error) {
		return input.ReadFile(filepath.Join(e.Dir, filepath.FromSlash(file)), input.Source)
	})
}

// replace makes the environment in a temporary folder next to its place and moves it there.
func (t *Environment) replace(ctx context.Context, host *ecosystem.Host, wanted []*wantedFile, now environmentRecord,
	r *Report, order LayoutOrder) error {
	if err := t.Files.Mkdir(txn.PartDir); err != nil {
		return err
	}
	staged := path.Join(txn.PartDir, "environment")
	t.Files.Discard(staged)
	defer t.Files.Discard(staged)
	dir := filepath.Join(t.Files.Dir, filepath.FromSlash(staged))
	if err := t.skeleton(ctx, host, dir, now.Place); err != nil {
		return err
	}
	if err := t.fill(dir, wanted, r, laying(order)); err != nil {
		return err
	}
	if compiler, compiles := t.Eco.(ecosystem.Compiler); compiles && now.Compiled {
		argv := compiler.Compile(host, dir, now.Place)
		out, err := exec.CommandContext(ctx, argv[0], argv[1:]...).CombinedOutput()
		if refused := (*exec.ExitError)(nil); err != nil && (ctx.Err() != nil || !errors.As(err, &refused)) {
			// files that are for other versions do not compile
			return errors.Join(ctx.Err(), fmt.Errorf(
				"%s does not compile: %w\n%s", argv[0], err, input.Harmless(strings.TrimSpace(string(out)))))
		}
	}
	data, err := json.Marshal(now)
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, RecordFile), data, 0o644); err != nil {
		return err
	}
	if err := flush(dir); err != nil {
		return err
	}
	if within := order.Within; within != nil {
		return within.ReplaceFolder(t.Eco.InstallFolder(), staged)
	}
	change, err := t.Files.Begin("installing", "install")
	if err != nil {
		return err
	}
	if err := change.ReplaceFolder(t.Eco.InstallFolder(), staged); err != nil {
		return errors.Join(err, change.Undo())
	}
	return change.Commit()
}

// fill lays out the packages. Where two have the same file, that of the first by name is taken.
func (t *Environment) fill(dir string, wanted []*wantedFile, r *Report, usual *layer) error {
	owner := map[string]*wantedFile{}
	claim := func(at string, w *wantedFile) bool {
		if first := owner[at]; first != nil {
			r.Claimed = append(r.Claimed, fmt.Sprintf("%s is of %s, and %s has one too", at, first.pkg.ID, w.pkg.ID))
			return false
		}
		owner[at] = w
		return true
	}
	made := map[string]bool{}
	parent := func(name string, w *wantedFile) error {
		if _, err := os.Lstat(name); err == nil { // a script called python would else be written to where that leads
			rel, _ := filepath.Rel(dir, name)
			return fmt.Errorf("%s would replace %s, which the environment itself has", w.pkg.ID, filepath.ToSlash(rel))
		}
		if in := filepath.Dir(name); !made[in] {
			if err := os.MkdirAll(in, 0o755); err != nil {
				return err
			}
			made[in] = true
		}
		return nil
	}
	g := &errgroup.Group{}
	g.SetLimit(4)
	for _, w := range wanted {
		run := map[string]bool{}
		for _, at := range w.plan.Run {
			run[at] = true
		}
		for _, at := range slices.Sorted(maps.Keys(w.plan.Made)) {
			to := filepath.Join(dir, filepath.FromSlash(at))
			if !claim(at, w) {
				continue
			}
			mode := fs.FileMode(0o644)
			if run[at] {
				mode = 0o755
			}
			if err := parent(to, w); err != nil {
				return err
			}
			if err := create(to, w.plan.Made[at], mode); err != nil {
				return err
			}
		}
		links := map[string]string{}
		for _, at := range slices.Sorted(maps.Keys(w.plan.Links)) {
			if !claim(at, w) {
				continue
			}
			to := filepath.Join(dir, filepath.FromSlash(at))
			if err := parent(to, w); err != nil {
				return err
			}
			links[to] = w.plan.Links[at]
		}
		r.Linked += len(links)
		g.Go(func() error {
			files := map[string]*store.File{}
			for i := range w.entry.Files {
				files[w.entry.Files[i].Path] = &w.entry.Files[i]
			}
			for to, file := range links {
				from := filepath.Join(w.entry.Dir, filepath.FromSlash(file))
				rel, _ := filepath.Rel(dir, to)
				f := files[file]
				if f == nil {
					return fmt.Errorf("%s has no file %s", w.pkg.ID, file) // a mistake of Molt's own
				}
				if err := usual.lay(from, to, f, run[filepath.ToSlash(rel)] || f.Executable); err != nil {
					return err
				}
			}
			if usual.links() && len(links) > 0 {
				w.entry.Linked()
			}
			return nil
		})
	}
	return g.Wait()
}

// create writes a file that is not there yet.
func create(name string, data []byte, mode fs.FileMode) error {
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Close())
}
