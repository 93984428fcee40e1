package tree

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/store"
	"molt/txn"
)

// mostParts is how many folders are replaced one by one; beyond, the whole tree is.
const mostParts = 40

// replace puts what was planned in the place of what is there.
func (w *work) replace(ctx context.Context) error {
	modules := w.Eco.InstallFolder()
	whole := w.whole
	if !whole && len(w.changed) == 0 && len(w.bins) == 0 && len(w.was.Places) == len(w.now.Places) {
		w.report.Untouched = true
		return nil
	}
	data, err := json.Marshal(w.now)
	if err != nil {
		return err
	}
	if err := w.Files.Mkdir(txn.PartDir); err != nil {
		return err
	}
	staged := path.Join(txn.PartDir, "tree")
	w.Files.Discard(staged)
	defer w.Files.Discard(staged)
	parts := w.changed
	if whole {
		parts = w.tops()
	}
	if err := w.stage(ctx, staged, parts, whole); err != nil {
		return err
	}
	var names []string
	if whole {
		own := strconv.Itoa(slices.Index(parts, modules))
		if err := os.WriteFile(w.path(path.Join(staged, own, RecordFile)), data, 0o644); err != nil {
			return err
		}
	} else {
		names = []string{path.Join(modules, RecordFile)}
	}
	if err := flush(w.path(staged)); err != nil { // what is staged has to be on the disk before it takes a place
		return err
	}
	apply := func(t *txn.Transaction) error {
		if err := w.put(t, staged, parts, whole); err != nil {
			return err
		}
		for _, name := range names {
			if err := t.Write(name, data); err != nil {
				return err
			}
		}
		return w.build(ctx, whole)
	}
	if t := w.order.Within; t != nil {
		if err := t.CoverBeside(names); err != nil {
			return err
		}
		return apply(t)
	}
	t, err := w.Files.Begin("installing", "install", names...)
	if err != nil {
		return err
	}
	if err := apply(t); err != nil {
		return errors.Join(err, t.Undo())
	}
	return t.Commit()
}

// tops lists the topmost folders of packages that there are or were, the application's own among them, sorted.
func (w *work) tops() []string {
	all := []string{w.Eco.InstallFolder()}
	note := func(at string) {
		if top := w.topOf(at); !slices.Contains(all, top) {
			all = append(all, top)
		}
	}
	for at := range w.now.Places {
		note(at)
	}
	if w.was != nil {
		for at := range w.was.Places {
			note(at)
		}
	}
	slices.Sort(all)
	return all
}

// put moves the staged folders to their places.
func (w *work) put(t *txn.Transaction, staged string, parts []string, whole bool) error {
	move := func(at, from string) error {
		if !w.Files.Exists(from) {
			return t.RemoveFolder(at)
		}
		if err := w.Files.Mkdir(path.Dir(at)); err != nil {
			return err
		}
		return t.ReplaceFolder(at, from)
	}
	for k, at := range parts {
		if err := move(at, path.Join(staged, strconv.Itoa(k))); err != nil {
			return err
		}
	}
	if whole {
		return nil
	}
	for k, at := range w.bins {
		if err := move(at, path.Join(staged, "bin"+strconv.Itoa(k))); err != nil {
			return err
		}
	}
	return nil
}

// build runs the build steps of the packages that were laid out and may run them, what they need before themselves.
func (w *work) build(ctx context.Context, whole bool) error {
	if w.order.Build == nil {
		return nil
	}
	places := map[string][]ecosystem.Place{} // by ID
	var ids []string
	for _, p := range w.layout.Places {
		if one := w.now.Places[p.Path]; one.Built && (whole || under(p.Path, w.changed)) &&
			len(w.entries[one.Key].About.Steps) > 0 {
			if places[p.Package.ID] == nil {
				ids = append(ids, p.Package.ID)
			}
			places[p.Package.ID] = append(places[p.Package.ID], p)
		}
	}
	if ids == nil {
		return nil
	}
	needs := map[string][]solve.Edge{}
	for _, p := range w.layout.Places {
		if p.Package != nil {
			needs[p.Package.ID] = p.Package.Needs
		}
	}
	seen := map[string]bool{}
	var visit func(id string) error
	visit = func(id string) error {
		if seen[id] {
			return nil
		}
		seen[id] = true
		for _, e := range needs[id] {
			if err := visit(e.To); err != nil {
				return err
			}
		}
		for _, p := range places[id] {
			one := w.now.Places[p.Path]
			if err := w.order.Build(ctx, w.path(p.Path), p.Package, w.entries[one.Key].About.Steps); err != nil {
				return err
			}
			if !slices.Contains(w.report.Built, one.Release) {
				w.report.Built = append(w.report.Built, one.Release)
			}
		}
		return nil
	}
	slices.Sort(ids)
	for _, id := range ids {
		if err := visit(id); err != nil {
			return err
		}
	}
	return nil
}

// isLink reports whether a place is a link, or was one. Links are not replaced one by one.
func (w *work) isLink(at string) bool {
	return w.was.Places[at].Link != "" || w.now.Places[at].Link != ""
}

// stage makes new folders: the whole tree in the first, or each of some places with all that lies
// in it, and then the folders of executables that change.
func (w *work) stage(ctx context.Context, staged string, parts []string, whole bool) error {
	if err := os.MkdirAll(w.path(staged), 0o755); err != nil {
		return err
	}
	usual := laying(w.order)
	var linked atomic.Int64
	target := func(at string) (string, bool) {
		k, found := slices.BinarySearch(parts, at)
		if !found {
			if k == 0 || !strings.HasPrefix(at, parts[k-1]+"/") {
				return "", false
			}
			k--
		}
		return w.path(path.Join(staged, strconv.Itoa(k))) + filepath.FromSlash(strings.TrimPrefix(at, parts[k])), true
	}
	if whole {
		if err := os.MkdirAll(w.path(path.Join(staged, strconv.Itoa(slices.Index(parts, w.Eco.InstallFolder())))),
			0o755); err != nil {
			return err
		}
	}
	modules := w.Eco.InstallFolder()
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(4)
	for _, p := range w.layout.Places {
		to, wanted := target(p.Path)
		if !wanted {
			continue
		}
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if p.Link != "" {
			if err := os.Symlink(relative(p.Path, p.Link), to); err != nil {
				return err
			}
			continue
		}
		if err := os.MkdirAll(to, 0o755); err != nil {
			return err
		}
		e := w.entries[w.now.Places[p.Path].Key]
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			linked.Add(int64(len(e.Files)))
			covered := func(file string) bool { return w.now.fills(modules, p.Path, file) }
			if w.now.Places[p.Path].Built {
				return lay(e, to, covered, copying())
			}
			return lay(e, to, covered, usual)
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	w.report.Linked = int(linked.Load())
	for _, at := range slices.Sorted(maps.Keys(w.now.Executables)) {
		to, wanted := target(at)
		if !wanted {
			k, found := slices.BinarySearch(w.bins, path.Dir(at))
			if !found {
				continue
			}
			to = w.path(path.Join(staged, "bin"+strconv.Itoa(k), path.Base(at)))
		}
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if err := os.Symlink(w.now.Executables[at], to); err != nil {
			return err
		}
	}
	return nil
}

// lay lays the files of a release into a folder, but for those that are covered by another package.
func lay(e *store.Entry, to string, covered func(file string) bool, l *layer) error {
	made := map[string]bool{".": true}
	for i := range e.Files {
		f := &e.Files[i]
		if covered(f.Path) {
			continue
		}
		local := filepath.FromSlash(f.Path)
		if dir := filepath.Dir(local); !made[dir] {
			if err := os.MkdirAll(filepath.Join(to, dir), 0o755); err != nil {
				return err
			}
			made[dir] = true
		}
		if err := l.lay(filepath.Join(e.Dir, local), filepath.Join(to, local), f, f.Executable); err != nil {
			return err
		}
	}
	if l.links() {
		e.Linked()
	}
	return nil
}
