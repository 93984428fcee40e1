package tree

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"molt/store"
)

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
	w.whole = w.was == nil || len(w.changed) > mostParts || slices.ContainsFunc(w.changed, w.isLink)
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
	for _, name := range slices.Sorted(maps.Keys(is)) {
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
	for _, name := range slices.Sorted(maps.Keys(was)) {
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

// examine looks at what lies there: places that should stay and are not whole become wrong, and
// files that were edited in what changes are noted.
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

// differences compares a place with what was laid out there: whether something is missing, and
// which files hold something else.
func (w *work) differences(at string, is placed) (missing bool, edited []string, err error) {
	e, err := w.listed(is.Key)
	if err != nil {
		return false, nil, err
	}
	if is.Built { // its scripts wrote what they liked: only that the folder is there can be told
		_, err := os.Stat(w.path(at))
		return err != nil, nil, nil
	}
	if e == nil { // the store was cleared
		_, err := os.Stat(filepath.Join(w.path(at), w.Eco.Manifest()))
		return err != nil, nil, nil
	}
	files, gone := e.Differing(w.path(at), w.laid, func(file string) bool {
		return w.was.fills(w.Eco.InstallFolder(), at, file)
	})
	for _, file := range files {
		edited = append(edited, path.Join(at, file))
	}
	return len(gone) > 0, edited, nil
}

// Edited lists the files of packages that are not as Molt laid them out, sorted, and the releases
// of which that cannot be told, since the store does not have them any more or their build steps
// ran. A tree that Molt did not lay out has none of either.
func (t *Tree) Edited(ctx context.Context) (edited, unknown []string, err error) {
	was, err := t.read(false)
	var foreign *ForeignError
	if errors.As(err, &foreign) || err == nil && was == nil {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	w := &work{Tree: t, was: was, laid: laidAt(t.Files.Dir, t.Eco.InstallFolder())}
	var g errgroup.Group
	g.SetLimit(4)
	for at, is := range was.Places {
		if is.Link != "" {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			e, err := w.listed(is.Key)
			if err != nil {
				return err
			}
			var files []string
			if e != nil && !is.Built {
				if _, files, err = w.differences(at, is); err != nil {
					return err
				}
			}
			w.mu.Lock()
			defer w.mu.Unlock()
			if edited = append(edited, files...); e == nil || is.Built {
				unknown = append(unknown, is.Release)
			}
			return nil
		})
	}
	err = g.Wait()
	slices.Sort(edited)
	slices.Sort(unknown)
	return edited, slices.Compact(unknown), err
}

// laidAt returns when packages were laid out last in a folder, in nanoseconds since 1970.
func laidAt(dir, folder string) int64 {
	info, err := os.Stat(filepath.Join(dir, folder, RecordFile))
	if err != nil {
		return 0
	}
	return info.ModTime().UnixNano()
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
