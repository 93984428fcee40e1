// Package tree lays out the packages of a lock in the folder of an application, as the ecosystem's layout has them: links to the store's
// files, or copies where a file system has no links. What lies there is replaced in one transaction, of the folders that change and
// no others.
package tree

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"molt/archive"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
	"molt/store"
	"molt/txn"
)

// A Tree is the installed packages of one folder.
type Tree struct {
	Files *txn.Workspace
	Store *store.Store
	Eco   ecosystem.Installer
	// Download gets the archive of a release. It is asked for what the store does not have.
	Download func(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error
}

// RecordFile says, in the folder of packages, what Molt laid out there.
const RecordFile = ".molt.json"

// A record is what was laid out.
type record struct {
	Format int               `json:"format"`
	Places map[string]placed `json:"places"` // by path
	// Executables are the links to what people run, by path: where they lead, relative to their folder.
	Executables map[string]string `json:"executables"`
}

// within reports whether everything in a record lies in folders of packages. The file can have come with the folder from elsewhere, and
// what it names is replaced and taken away.
func (r *record) within(modules string) bool {
	ours := func(at string) bool {
		return fs.ValidPath(at) && !strings.Contains(at, `\`) && strings.HasPrefix(at, modules+"/") && at != modules+"/"+RecordFile
	}
	for at, p := range r.Places {
		if !ours(at) || strings.HasPrefix(path.Base(at), ".") || p.Link != "" && !ours(p.Link) {
			return false
		}
	}
	for at := range r.Executables {
		if dir := path.Dir(at); !ours(at) || path.Base(path.Dir(dir)) != modules || !strings.HasPrefix(path.Base(dir), ".") {
			return false
		}
	}
	return true
}

// A placed package is what stands in a place.
type placed struct {
	Release string `json:"release"`
	Key     string `json:"key,omitempty"`   // of the store
	Link    string `json:"link,omitempty"`  // where it leads, for a link
	Built   bool   `json:"built,omitempty"` // its build steps may run; its files are its own, and may be others than the archive's
}

// A Report is what an installation did, or would do.
type Report struct {
	Places    int // how many folders of packages there are afterwards
	Added     []string
	Moved     []Move
	Removed   []string
	Mended    []string // packages that were not as they were laid out, and are again
	Edited    []string // files that somebody edited, in packages that change
	Left      []string // the same in packages that stay: they were left as they are
	Fetched   int      // archives
	Bytes     int64    // of these
	Linked    int      // files
	LeftOut   []string // releases for other platforms
	Built     []string // releases of which the build steps ran
	Unbuilt   []Unbuilt
	Claimed   []string // executables that several packages have, with the one that got the name
	Untouched bool     // it was all there
}

// A Move is a package that stands at another release.
type Move struct{ Name, From, To string }

// Unbuilt is a release with scripts that were not run.
type Unbuilt struct {
	Release string
	Steps   []string
}

// A ForeignError reports a tree that Molt did not lay out.
type ForeignError struct{ Folder string }

func (e *ForeignError) Error() string {
	return fmt.Sprintf("%s was not laid out by Molt; --force has Molt replace it whole", e.Folder)
}

// An EditedError reports files of installed packages that somebody edited and that would be lost.
type EditedError struct{ Files []string }

func (e *EditedError) Error() string {
	some, more := e.Files, ""
	if len(some) > 10 {
		some, more = some[:10], fmt.Sprintf("\n  and %d more", len(e.Files)-10)
	}
	return "files of installed packages were edited, and would be lost:\n  " + strings.Join(some, "\n  ") + more + "\nmolt install --force takes the packages as they were published"
}

// A MissingError reports what is neither in the store nor to be had.
type MissingError struct{ Releases []string }

func (e *MissingError) Error() string {
	return fmt.Sprintf("%d archives are not in the store, and Molt was told to stay offline:\n  %s\nmolt install without --offline fetches them", len(e.Releases), strings.Join(e.Releases, "\n  "))
}

// An Order says how to install.
type Order struct {
	Dry     bool
	Force   bool // whatever lies there is replaced
	Offline bool
	Watch   func(done, of int) // packages that are at hand; may be nil
	Within  *txn.Transaction   // the change that the installation is part of, nil for one of its own
	// Builds says of a package by its name whether its build steps may run; Build runs them, for a release that stands in a folder. Both may be nil.
	Builds func(name string) bool
	Build  func(ctx context.Context, folder string, p *ecosystem.LockedPackage, steps []string) error
}

// Install lays out a lock. What lies there already as it should be is not touched. Errors are *ForeignError, *EditedError, *MissingError, those of
// archives and of the registry, and the disk's; the tree is as it was then.
func (t *Tree) Install(ctx context.Context, l *ecosystem.Lock, order Order) (*Report, error) {
	layout, err := t.Eco.Layout(l, t.Eco.Fits)
	if err != nil {
		return nil, &input.UsageError{Reason: err.Error()}
	}
	was, err := t.read(order.Force)
	if err != nil {
		return nil, err
	}
	w := &work{Tree: t, order: order, layout: layout, was: was, entries: map[string]*store.Entry{}, report: &Report{Places: len(layout.Places)}}
	for i := range l.Packages {
		if p := &l.Packages[i]; !t.Eco.Fits(p) {
			w.report.LeftOut = append(w.report.LeftOut, p.ID)
		}
	}
	if err := w.plan(); err != nil {
		return nil, err
	}
	if err := w.look(); err != nil {
		return nil, err
	}
	if err := w.fetch(ctx); err != nil {
		return nil, err
	}
	if order.Dry {
		return w.report, nil
	}
	if err := w.replace(ctx); err != nil {
		return nil, fmt.Errorf("laying out packages: %w; what was installed is as it was", err)
	}
	return w.report, nil
}

// read returns the record of what lies there; an empty one where there is nothing, nil where it is to be replaced whole.
func (t *Tree) read(force bool) (*record, error) {
	modules := t.Eco.InstallFolder()
	if !t.Files.Exists(modules) {
		return nil, nil
	}
	if info, err := t.Files.Root.Lstat(modules); err == nil && info.Mode().IsRegular() {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s is a file, and packages are laid out in a folder of that name; move it away", filepath.Join(t.Files.Dir, modules))}
	}
	data, err := t.Files.Read(modules+"/"+RecordFile, input.State)
	r := &record{}
	switch {
	case err == nil && json.Unmarshal(data, r) == nil && r.Format == 1 && r.within(modules):
		return r, nil
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return nil, err
	case force:
		return nil, nil
	}
	if entries, err := os.ReadDir(filepath.Join(t.Files.Dir, modules)); err == nil && len(entries) == 0 {
		return nil, nil
	}
	return nil, &ForeignError{modules}
}

// A work is one installation.
type work struct {
	*Tree
	order   Order
	layout  *ecosystem.Layout
	was     *record // nil when all is made anew
	now     record
	changed []string // topmost places that are not as they should be, sorted
	bins    []string // folders of executables that are not, outside of these
	mu      sync.Mutex
	entries map[string]*store.Entry // by key
	lists   sync.Map                // what listed found, by key
	report  *Report
}

// plan works out what has to be where, and what of it is not there yet.
func (w *work) plan() error {
	w.now = record{Format: 1, Places: map[string]placed{}, Executables: map[string]string{}}
	for _, p := range w.layout.Places {
		one := placed{Release: p.Package.Name + "@" + p.Package.Version, Link: p.Link}
		if p.Link == "" {
			key, err := archive.Key(one.Release, p.Package.Integrity)
			if err != nil {
				return err
			}
			one.Key, one.Built = key, w.order.Builds != nil && w.order.Builds(p.Package.Name)
		}
		w.now.Places[p.Path] = one
	}
	return nil
}

// look compares what should be there with what is.
func (w *work) look() error {
	wrong := map[string]bool{}
	if w.was != nil {
		for at, is := range w.was.Places {
			if w.now.Places[at] != is {
				wrong[at] = true
			}
		}
	}
	for at := range w.now.Places {
		if w.was == nil {
			wrong[at] = true
		} else if _, there := w.was.Places[at]; !there {
			wrong[at] = true
		}
	}
	w.compare()
	if err := w.examine(wrong); err != nil {
		return err
	}
	if len(w.report.Edited) > 0 && !w.order.Force {
		return &EditedError{w.report.Edited}
	}
	for at := range wrong {
		w.changed = append(w.changed, at)
	}
	slices.Sort(w.changed)
	w.changed = topmost(w.changed)
	return nil
}

// topmost leaves out of sorted paths those that lie in others.
func topmost(paths []string) []string {
	var all []string
	for _, at := range paths {
		if n := len(all); n == 0 || !strings.HasPrefix(at, all[n-1]+"/") {
			all = append(all, at)
		}
	}
	return all
}

// compare says what changes, package by package.
func (w *work) compare() {
	is, was := w.now.releases(), map[string][]string{}
	if w.was != nil {
		was = w.was.releases()
	}
	for _, name := range sortedKeys(is) {
		old := was[name]
		switch {
		case len(old) == 0:
			for _, v := range is[name] {
				w.report.Added = append(w.report.Added, name+"@"+v)
			}
		case slices.Equal(old, is[name]):
		case len(old) == 1 && len(is[name]) == 1:
			w.report.Moved = append(w.report.Moved, Move{name, old[0], is[name][0]})
		default:
			for _, v := range is[name] {
				if !slices.Contains(old, v) {
					w.report.Added = append(w.report.Added, name+"@"+v)
				}
			}
		}
	}
	for _, name := range sortedKeys(was) {
		for _, v := range was[name] {
			if now := is[name]; !slices.Contains(now, v) && (len(now) != 1 || len(was[name]) != 1) {
				w.report.Removed = append(w.report.Removed, name+"@"+v)
			}
		}
	}
}

// releases lists the versions of every package, sorted.
func (r *record) releases() map[string][]string {
	all := map[string][]string{}
	for _, p := range r.Places {
		if at := strings.LastIndexByte(p.Release, '@'); at > 0 && p.Link == "" {
			name, v := p.Release[:at], p.Release[at+1:]
			if !slices.Contains(all[name], v) {
				all[name] = append(all[name], v)
			}
		}
	}
	for _, versions := range all {
		slices.Sort(versions)
	}
	return all
}

func sortedKeys(m map[string][]string) []string {
	all := make([]string, 0, len(m))
	for k := range m {
		all = append(all, k)
	}
	slices.Sort(all)
	return all
}

// examine looks at what lies there: places that should stay and are not whole become wrong, and files that were edited in what changes
// are noted.
func (w *work) examine(wrong map[string]bool) error {
	if w.was == nil {
		return nil
	}
	type finding struct {
		at      string
		missing bool     // something is not there
		edited  []string // files that hold something else
	}
	var findings []finding
	var g errgroup.Group
	g.SetLimit(4)
	for at, is := range w.was.Places {
		g.Go(func() (err error) {
			f := finding{at: at}
			if is.Link != "" {
				to, err := os.Readlink(w.path(at))
				f.missing = err != nil || to != relative(at, is.Link)
			} else if f.missing, f.edited, err = w.differences(at, is); err != nil {
				return err
			}
			if f.missing || len(f.edited) > 0 {
				w.mu.Lock()
				findings = append(findings, f)
				w.mu.Unlock()
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	slices.SortFunc(findings, func(a, b finding) int { return cmp.Compare(a.at, b.at) })
	for _, f := range findings {
		switch {
		case wrong[f.at]:
			w.report.Edited = append(w.report.Edited, f.edited...)
		case f.missing || w.order.Force:
			w.report.Edited = append(w.report.Edited, f.edited...)
			w.report.Mended = append(w.report.Mended, w.was.Places[f.at].Release)
			wrong[f.at] = true
		default:
			w.report.Left = append(w.report.Left, f.edited...)
		}
	}
	return nil
}

// differences compares a place with what was laid out there: whether something is missing, and which files hold something else.
func (w *work) differences(at string, is placed) (missing bool, edited []string, err error) {
	e, err := w.listed(is.Key)
	if err != nil {
		return false, nil, err
	}
	if e == nil || is.Built { // the store was cleared, or its scripts wrote what they liked: only that the folder is there can be told
		_, err := os.Stat(filepath.Join(w.path(at), w.layout.Manifest))
		return err != nil && !is.Built, nil, nil
	}
	for i := range e.Files {
		name := filepath.Join(w.path(at), filepath.FromSlash(e.Files[i].Path))
		if e.Files[i].Same(name) {
			continue
		}
		if _, err := os.Lstat(name); err != nil {
			missing = true
			continue
		}
		edited = append(edited, path.Join(at, e.Files[i].Path))
	}
	return missing, edited, nil
}

// listed is Store.Listed, read once.
func (w *work) listed(key string) (*store.Entry, error) {
	if known, ok := w.lists.Load(key); ok {
		return known.(*store.Entry), nil
	}
	e, err := w.Store.Listed(key)
	if err == nil {
		w.lists.Store(key, e)
	}
	return e, err
}

func (w *work) path(at string) string { return filepath.Join(w.Files.Dir, filepath.FromSlash(at)) }

// relative writes where a link at a path leads, from the folder that it is in.
func relative(at, to string) string {
	rel, err := filepath.Rel(filepath.FromSlash(path.Dir(at)), filepath.FromSlash(to))
	if err != nil { // both are relative to the application
		return filepath.FromSlash(to)
	}
	return rel
}

// under reports whether a path is one of sorted, topmost places, or lies in one.
func under(at string, places []string) bool {
	k, found := slices.BinarySearch(places, at)
	return found || k > 0 && strings.HasPrefix(at, places[k-1]+"/")
}

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
		if under(p.Path, w.changed) {
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
				if e, err = w.get(ctx, p); err != nil {
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

// get downloads an archive and unpacks it into the store.
func (w *work) get(ctx context.Context, p *ecosystem.LockedPackage) (*store.Entry, error) {
	f, err := os.CreateTemp("", "molt-archive-*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	if err := w.Download(ctx, p, &sink{f}); err != nil {
		return nil, err
	}
	size, err := f.Seek(0, 2)
	if err != nil {
		return nil, err
	}
	w.mu.Lock()
	w.report.Fetched++
	w.report.Bytes += size
	w.mu.Unlock()
	return w.Store.Add(ctx, p.Name+"@"+p.Version, p.Integrity, f, size, func(root *os.Root) store.About {
		manifest, err := input.ReadIn(root, w.layout.Manifest, input.Manifest)
		if err != nil { // a release without one has nothing to say
			return store.About{}
		}
		return store.About{Executables: w.Eco.Executables(p.Name, manifest), Steps: w.Eco.BuildSteps(manifest)}
	})
}

// A sink writes an archive to a file.
type sink struct{ *os.File }

func (s *sink) Reset() error {
	if err := s.Truncate(0); err != nil {
		return err
	}
	_, err := s.Seek(0, 0)
	return err
}

// executables works out the links to what people run: of several packages in a folder that have the same name for something, what the application
// declares comes first, that is what stands first by its path.
func (w *work) executables() {
	steps := map[string]bool{}
	for _, p := range w.layout.Places {
		one := w.now.Places[p.Path]
		e := w.entries[one.Key]
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
			at := path.Join(p.Holder, w.layout.Executables, name)
			if had, again := w.now.Executables[at]; again {
				w.report.Claimed = append(w.report.Claimed, fmt.Sprintf("%s leads to %s, and %s has one of that name too", at, had, one.Release))
				continue
			}
			w.now.Executables[at] = relative(at, path.Join(p.Path, file))
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
