package cache

import (
	"cmp"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"
)

// mostSegments is how many there may be before some are merged.
const mostSegments = 6

// leftOver is how old a part of a segment is that nobody writes any more.
const leftOver = time.Hour

// merge makes one segment of several where there are many, or where all together are too much. Only
// one process does that at a time; the others leave it to that one. The caller has the lock of the
// cache.
func (c *Cache) merge() {
	all := slices.Clone(c.segments)
	slices.SortFunc(all, func(a, b *segment) int { return cmp.Compare(a.size, b.size) })
	total := int64(0)
	for _, s := range all {
		total += s.size
	}
	full := total > c.limit
	if !full && len(all) <= mostSegments {
		return
	}
	if !full { // small ones, and whatever is not much larger than all before it, so that an answer is copied seldom
		n, sum := 0, int64(0)
		for n < len(all) && (n < 2 || all[n].size <= 2*sum) {
			sum += all[n].size
			n++
		}
		all = all[:n]
	}
	lock := flock.New(filepath.Join(c.dir, "lock"))
	if got, err := lock.TryLock(); err != nil || !got {
		return
	}
	defer lock.Unlock()
	if slices.ContainsFunc(all, func(s *segment) bool {
		_, err := os.Stat(filepath.Join(c.dir, s.name))
		return err != nil
	}) {
		return // another process merged it in the meantime
	}
	limit := int64(0)
	if full {
		limit = c.limit - c.limit/4
	}
	one, err := write(c.dir, func(w *writer) error { copyAll(w, all, full, limit); return nil })
	if err != nil {
		return
	}
	for _, s := range all {
		os.Remove(filepath.Join(c.dir, s.name))
	}
	c.segments = append(slices.DeleteFunc(
		slices.Clone(c.segments), func(s *segment) bool { return slices.Contains(all, s) }), one)
	c.tidy()
}

// copyAll writes the newest answer of each key, with the time when it was last confirmed. Where the
// segments are all that there are, what was confirmed and is gone is left out, and so are the
// answers that were confirmed longest ago, as far as a limit demands.
func copyAll(w *writer, segments []*segment, full bool, limit int64) {
	type found struct {
		body, newest record
		in           *segment
	}
	byKey := map[key]*found{}
	for _, s := range segments {
		for i := range s.len() {
			r := s.record(i)
			f := byKey[r.key]
			if f == nil {
				f = &found{}
				byKey[r.key] = f
			}
			if r.stored >= f.newest.stored {
				f.newest = r
			}
			if !r.confirmed() && r.stored >= f.body.stored {
				f.body, f.in = r, s
			}
		}
	}
	order := make([]*found, 0, len(byKey))
	for _, f := range byKey {
		order = append(order, f)
	}
	slices.SortFunc(order, func(a, b *found) int { return cmp.Compare(b.newest.stored, a.newest.stored) })
	for _, f := range order {
		if f.in == nil {
			if !full {
				_ = w.addRaw(f.newest, nil)
			}
			continue
		}
		if limit > 0 && w.at+int64(f.body.size) > limit {
			continue
		}
		r := f.body
		r.stored, r.maxAge = f.newest.stored, f.newest.maxAge
		r.flags = r.flags&^silent | f.newest.flags&silent
		f.in.raw(f.body, func(data []byte) { _ = w.addRaw(r, data) }) // it was not too large before
	}
}

// tidy removes what processes left that were ended while they wrote, and what is no segment.
func (c *Cache) tidy() {
	entries, err := os.ReadDir(c.dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		file := filepath.Join(c.dir, e.Name())
		part, whole := strings.HasPrefix(e.Name(), partPrefix), strings.HasSuffix(e.Name(), suffix)
		if info, err := e.Info(); err != nil || !part && !whole || time.Since(info.ModTime()) < leftOver {
			continue
		}
		if whole && slices.ContainsFunc(c.segments, func(s *segment) bool { return s.name == e.Name() }) {
			continue
		}
		if s, err := openSegment(file); err == nil && whole { // it came in the meantime
			s.file.Close()
			continue
		}
		os.Remove(file)
	}
}
