// Package tree lays out the packages of a lock in the folder of an application, as the ecosystem's
// layout has them: links to the store's files, or copies where a file system has no links. What
// lies there is replaced in one transaction, of the folders that change and no others.
package tree

import (
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

	"molt/archive"
	"molt/core/solve"
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
	// Overridden are names for which the application says what serves them, whatever a package asks for.
	Overridden map[string]string
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

// within reports whether everything in a record lies in folders of packages. The file can have come
// with the folder from elsewhere, and what it names is replaced and taken away.
func (r *record) within(modules string) bool {
	ours := func(at string) bool {
		return fs.ValidPath(at) && !strings.Contains(at, `\`) && strings.Contains("/"+at, "/"+modules+"/") &&
			at != modules+"/"+RecordFile
	}
	for at, p := range r.Places {
		if !ours(at) || strings.HasPrefix(path.Base(at), ".") || p.Link != "" && !fs.ValidPath(p.Link) {
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
	Key     string `json:"key,omitempty"`  // of the store
	Link    string `json:"link,omitempty"` // where it leads, for a link
	Copy    bool   `json:"copy,omitempty"` // its files are no links to those of the store
	// its build steps may run; its files are its own, and may be others than the archive's
	Built bool `json:"built,omitempty"`
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
	Odd       []string // releases that come with files whose names something may take amiss
	Untouched bool     // it was all there

	unknown []string // releases that are there and that the store does not have
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
	return "files of installed packages were edited, and would be lost:\n  " + strings.Join(some, "\n  ") + more +
		"\nmolt install --force takes the packages as they were published"
}

// A MissingError reports what is neither in the store nor to be had.
type MissingError struct{ Releases []string }

func (e *MissingError) Error() string {
	return fmt.Sprintf("%d archives are not in the store, and Molt was told to stay offline:\n  %s\nmolt install "+
		"without --offline fetches them", len(e.Releases), strings.Join(e.Releases, "\n  "))
}

// An LayoutOrder says how to install.
type LayoutOrder struct {
	Dry     bool
	Force   bool // whatever lies there is replaced
	Offline bool
	Copies  bool               // files are copies, and not links to those of the store
	Compile bool               // the runtime compiles what is laid out, where it is one that does
	Watch   func(done, of int) // packages that are at hand; may be nil
	Within  *txn.Transaction   // the change that the installation is part of, nil for one of its own
	// Builds says of a package by its name whether its build steps may run; Build runs them, for a
	// release that stands in a folder. Both may be nil.
	Builds func(name string) bool
	Build  func(ctx context.Context, folder string, p *ecosystem.LockedPackage, steps []string) error
}

// Install lays out a lock. What lies there already as it should be is not touched. Errors are
// *ForeignError, *EditedError, *MissingError, those of archives and of the registry, and the
// disk's; the tree is as it was then.
func (t *Tree) Install(ctx context.Context, l *ecosystem.Lock, order LayoutOrder) (*Report, error) {
	layout, err := t.Eco.Layout(l, t.Eco.Fits)
	if err != nil {
		return nil, &input.UsageError{Reason: err.Error()}
	}
	was, err := t.read(order.Force)
	if err != nil {
		return nil, err
	}
	if err := t.foreign(layout, was, order.Force); err != nil {
		return nil, err
	}
	w := &work{Tree: t, roots: l.Roots, order: order, layout: layout, was: was,
		laid: laidAt(t.Files.Dir, t.Eco.InstallFolder()), entries: map[string]*store.Entry{},
		report: &Report{Places: len(layout.Places)}}
	w.report.LeftOut = leftOut(l, t.Eco.Fits)
	if err := w.plan(); err != nil {
		return nil, err
	}
	if err := w.look(); err != nil {
		return nil, err
	}
	if err := w.fetch(ctx); err != nil {
		return nil, err
	}
	entries := map[string]*store.Entry{}
	for _, p := range w.now.Places {
		entries[p.Release] = w.entries[p.Key]
	}
	odd(w.report, entries)
	if order.Dry {
		return w.report, nil
	}
	if err := w.replace(ctx); err != nil {
		return nil, fmt.Errorf("laying out packages: %w; what was installed is as it was", err)
	}
	return w.report, nil
}

// leftOut lists the releases that the roots of a lock lead to and that do not fit.
func leftOut(l *ecosystem.Lock, fits func(*ecosystem.LockedPackage) bool) (all []string) {
	byID := make(map[string]*ecosystem.LockedPackage, len(l.Packages))
	for i := range l.Packages {
		byID[l.Packages[i].ID] = &l.Packages[i]
	}
	seen := map[string]bool{}
	todo := slices.Clone(l.Roots)
	for len(todo) > 0 {
		p := byID[todo[len(todo)-1].To]
		todo = todo[:len(todo)-1]
		switch {
		case p == nil || seen[p.ID]:
			continue
		case !fits(p):
			all = append(all, p.ID)
		default:
			todo = append(append(todo, p.Needs...), p.Peers...)
		}
		seen[p.ID] = true
	}
	slices.Sort(all)
	return all
}

// read returns the record of what lies there; an empty one where there is nothing, nil where it is
// to be replaced whole.
func (t *Tree) read(force bool) (*record, error) {
	modules := t.Eco.InstallFolder()
	if !t.Files.Exists(modules) {
		return nil, nil
	}
	if info, err := t.Files.Root.Lstat(modules); err == nil && info.Mode().IsRegular() {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("%s is a file, and packages are laid out in a folder of that name; move it away",
				filepath.Join(t.Files.Dir, modules))}
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

// foreign is a *ForeignError where packages are to be laid out in the folder of a workspace's
// member, and what lies there is not Molt's.
func (t *Tree) foreign(layout *ecosystem.Layout, was *record, force bool) error {
	for _, p := range layout.Places {
		at := t.topOf(p.Path)
		if force || at == t.Eco.InstallFolder() || was != nil && was.has(at) {
			continue
		}
		if entries, err := os.ReadDir(filepath.Join(t.Files.Dir, filepath.FromSlash(at))); err == nil && len(entries) > 0 {
			return &ForeignError{at}
		}
	}
	return nil
}

// fills reports whether a file of the package in a place lies where the layout has another package:
// an archive may bring along, in a folder of packages of its own, what the lock has a release for,
// and then the lock's counts.
func (r *record) fills(modules, place, file string) bool {
	for from := 0; ; {
		k := strings.Index("/"+file[from:], "/"+modules+"/")
		if k < 0 {
			return false
		}
		from += k + len(modules) + 1
		rest := file[from:]
		end := strings.IndexByte(rest, '/')
		if end > 0 && rest[0] == '@' { // a scope
			if next := strings.IndexByte(rest[end+1:], '/'); next >= 0 {
				end += 1 + next
			}
		}
		if end < 0 {
			return false
		}
		if _, other := r.Places[path.Join(place, file[:from+end])]; other {
			return true
		}
		from += end + 1
	}
}

// has reports whether something was laid out in a folder of packages.
func (r *record) has(folder string) bool {
	for at := range r.Places {
		if strings.HasPrefix(at, folder+"/") {
			return true
		}
	}
	return false
}

// topOf returns the topmost folder of packages that a place is in: the application's own, or that
// of a workspace's member.
func (t *Tree) topOf(at string) string {
	modules := t.Eco.InstallFolder()
	return at[:strings.Index("/"+at+"/", "/"+modules+"/")+len(modules)]
}

// A work is one installation.
type work struct {
	*Tree
	roots   []solve.Edge // of the lock
	order   LayoutOrder
	layout  *ecosystem.Layout
	was     *record // nil when all is made from nothing
	now     record
	changed []string // topmost places that are not as they should be, sorted
	whole   bool     // everything is laid out again, and not only these
	bins    []string // folders of executables that are not, outside of these
	mu      sync.Mutex
	entries map[string]*store.Entry // by key
	lists   sync.Map                // what listed found, by key
	laid    int64                   // when what is there was laid out, in nanoseconds since 1970
	report  *Report
}

// plan works out what has to be where, and what of it is not there yet.
func (w *work) plan() error {
	w.now = record{Format: 1, Places: map[string]placed{}, Executables: map[string]string{}}
	for _, p := range w.layout.Places {
		one := placed{Link: p.Link}
		if p.Package != nil {
			one.Release = p.Package.Name + "@" + p.Package.Version
		}
		if p.Link == "" {
			key, err := archive.Key(one.Release, p.Package.Integrity)
			if err != nil {
				return err
			}
			one.Copy = w.order.Copies
			one.Key, one.Built = key, w.order.Builds != nil && w.order.Builds(p.Package.Name)
		}
		w.now.Places[p.Path] = one
	}
	return nil
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
