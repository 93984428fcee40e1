package registry

import (
	"cmp"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// A Progress is how far registries are with what was asked of them.
type Progress struct {
	Documents int           // that are there
	Bytes     int64         // that came over the wire, of documents and archives
	Waiting   string        // what is waited for longest, "" for nothing
	For       time.Duration // how long
	// the package of which releases are gone through one after another, since none so far fits; "" for none
	Through  string
	Releases int // how many of them were looked at
}

// GoesThrough notes that so many releases of a package were looked at, for the progress.
func (r *Registries) GoesThrough(name string, releases int) {
	r.through.Store(&Progress{Through: name, Releases: releases})
}

// progress counts what a client does.
type progress struct {
	documents, received atomic.Int64
	mu                  sync.Mutex
	waiting             map[string]time.Time // since when, by path
}

// begin notes that something is asked for, until what it returns is called.
func (p *progress) begin(path string) (end func()) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.waiting == nil {
		p.waiting = map[string]time.Time{}
	}
	p.waiting[path] = time.Now()
	return func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		delete(p.waiting, path)
	}
}

// Progress tells how far the registries are, all together.
func (r *Registries) Progress() (all Progress) {
	if p := r.through.Load(); p != nil {
		all = *p
	}
	for _, c := range r.All() {
		all.Documents += int(c.progress.documents.Load())
		all.Bytes += c.progress.received.Load()
		c.progress.mu.Lock()
		for _, path := range slices.Sorted(maps.Keys(c.progress.waiting)) {
			if since := time.Since(c.progress.waiting[path]); all.Waiting == "" || since > all.For {
				all.Waiting, all.For = unescaped(path), since
			}
		}
		c.progress.mu.Unlock()
	}
	return all
}

// Missed returns the names that were asked for while offline and are not at hand, sorted.
func (r *Registries) Missed() []string {
	var all []string
	for _, c := range r.All() {
		c.mu.Lock()
		all = slices.AppendSeq(all, maps.Keys(c.missed))
		c.mu.Unlock()
	}
	slices.SortFunc(all, cmp.Compare)
	return slices.Compact(all)
}
