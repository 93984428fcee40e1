// Package cache keeps what registries answered, for all processes of a user at once, in a few files.
//
// Answers that come within a short time are written together, to a file that is never changed
// afterwards: a segment. When there are many of them, small ones are merged into one, and the
// oldest answers go when all together are too much. A segment is written under a temporary name and moved
// there, so that nobody meets half of one, and whoever has one open goes on reading it after others
// have removed it. The lock is taken for merging only: readers and writers never wait for each
// other.
//
// Everything has a checksum (CRC-32C), and what does not match it is not there. Whatever goes wrong
// with the disk only makes the next question slower.
package cache

import (
	"crypto/sha256"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// An Entry is an answer that is kept.
type Entry struct {
	Stored   time.Time // when it was given, or last confirmed
	MaxAge   int       // seconds for which it counts from then on
	Silent   bool      // nobody said for how long it counts
	Missing  bool      // the answer is that there is nothing
	ETag     string
	Modified string
	Body     string
}

// A Cache is a folder with answers. It may be used concurrently; a nil Cache keeps nothing.
type Cache struct {
	dir   string
	limit int64

	mu       sync.Mutex
	segments []*segment
	listed   time.Time // of the folder, when segments were listed
	pending  map[key]*pending
	size     int // of the bodies in pending
	timer    *time.Timer
	closed   bool
}

// A key is what an answer is found by: a part of the SHA-256 of a name.
type key [16]byte

// pending is an answer that is not written yet, or, without a body, that one which is was confirmed.
type pending struct {
	Entry
	confirmed bool
}

// What waits to be written is written after a while, and before it is too much.
const (
	pendingTime = time.Second
	pendingSize = 4 << 20
)

// In returns the cache of a folder, which is made when something is first kept. The answers in it
// take at most so many bytes, but for what was added since segments were last merged.
func In(dir string, limit int64) *Cache {
	return &Cache{dir: dir, limit: limit, pending: map[key]*pending{}}
}

func keyOf(name string) key {
	sum := sha256.Sum256([]byte(name))
	return key(sum[:16])
}

// Get returns the answer of a name, or nil.
func (c *Cache) Get(name string) *Entry {
	if c == nil {
		return nil
	}
	k := keyOf(name)
	c.mu.Lock()
	mine := c.pending[k]
	if mine != nil && !mine.confirmed {
		c.mu.Unlock()
		e := mine.Entry
		return &e
	}
	c.list()
	segments := c.segments
	c.mu.Unlock()
	e := find(segments, k)
	if e != nil && mine != nil {
		e.Stored, e.MaxAge, e.Silent = mine.Stored, mine.MaxAge, mine.Silent
	}
	return e
}

// find looks for the newest answer, and when it was last confirmed.
func find(segments []*segment, k key) *Entry {
	for {
		var body, newest record
		var in *segment
		for _, s := range segments {
			r, ok := s.find(k)
			if !ok {
				continue
			}
			if r.stored >= newest.stored {
				newest = r
			}
			if !r.confirmed() && r.stored >= body.stored {
				body, in = r, s
			}
		}
		if in == nil {
			return nil
		}
		e, ok := in.read(body)
		if ok {
			e.Stored, e.MaxAge, e.Silent = time.Unix(0, newest.stored), int(newest.maxAge), newest.flags&silent != 0
			return e
		}
		// what is damaged is not there
		segments = slices.DeleteFunc(slices.Clone(segments), func(s *segment) bool { return s == in })
	}
}

// Put keeps an answer of a name.
func (c *Cache) Put(name string, e Entry) { c.add(name, &pending{Entry: e}) }

// Confirm keeps that the answer of a name still is what it was; of the entry only the times count.
func (c *Cache) Confirm(name string, e Entry) {
	c.add(name, &pending{Entry{Stored: e.Stored, MaxAge: e.MaxAge, Silent: e.Silent}, true})
}

func (c *Cache) add(name string, p *pending) {
	if c == nil {
		return
	}
	k := keyOf(name)
	c.mu.Lock()
	defer c.mu.Unlock()
	if before := c.pending[k]; before != nil {
		if p.confirmed && !before.confirmed { // one that waits to be written is confirmed where it is
			before.Stored, before.MaxAge, before.Silent = p.Stored, p.MaxAge, p.Silent
			return
		}
		c.size -= len(before.Body)
	}
	c.pending[k] = p
	c.size += len(p.Body)
	switch {
	case c.size >= pendingSize || c.closed:
		c.flush()
	case c.timer == nil:
		c.timer = time.AfterFunc(pendingTime, func() {
			c.mu.Lock()
			defer c.mu.Unlock()
			c.flush()
		})
	}
}

// flush writes what is pending. The caller has the lock.
func (c *Cache) flush() {
	if c.timer != nil {
		c.timer.Stop()
		c.timer = nil
	}
	if len(c.pending) == 0 {
		return
	}
	s, err := write(c.dir, func(w *writer) error {
		for k, p := range c.pending {
			if err := w.add(k, p.Entry, p.confirmed); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		c.segments = append(slices.Clone(c.segments), s)
	}
	clear(c.pending)
	c.size = 0
}

// list opens the segments that came since it was last called. The caller has the lock.
func (c *Cache) list() {
	for range 10 { // a segment that was listed may be merged away before it is opened
		info, err := os.Stat(c.dir)
		if err != nil || info.ModTime().Equal(c.listed) {
			return
		}
		entries, err := os.ReadDir(c.dir)
		if err != nil {
			return
		}
		gone := false
		open := map[string]*segment{}
		for _, s := range c.segments {
			open[s.name] = s
		}
		var all []*segment
		for _, e := range entries {
			s := open[e.Name()]
			if s == nil && strings.HasSuffix(e.Name(), suffix) {
				s, err = openSegment(filepath.Join(c.dir, e.Name()))
				gone = gone || os.IsNotExist(err)
			}
			if s != nil {
				all = append(all, s)
			}
		}
		if gone {
			continue
		}
		c.segments = all // what was merged away is closed when nobody reads it any more
		c.listed = info.ModTime()
		return
	}
}

// Close writes what waits to be written, and tidies up where there is reason to. What is added
// afterwards is written at once.
func (c *Cache) Close() {
	if c == nil {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	wrote := len(c.pending) > 0
	c.flush()
	if wrote || len(c.segments) > 2*mostSegments { // many are left where processes are ended before they come to this
		c.list()
		c.merge()
	}
	for _, s := range c.segments {
		s.file.Close()
	}
	c.segments, c.listed, c.closed = nil, time.Time{}, true
}

// Usage is what a cache holds.
type Usage struct {
	Answers int
	Bytes   int64
}

// Usage adds up what is there. It counts an answer once for each segment that has it.
func (c *Cache) Usage() (u Usage) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.list()
	for _, s := range c.segments {
		u.Bytes += s.size
		for i := range s.len() {
			if !s.record(i).confirmed() {
				u.Answers++
			}
		}
	}
	return u
}
