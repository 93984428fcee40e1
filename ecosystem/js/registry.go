package js

import (
	"context"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/registry"
)

// The media types of the package-registry document protocol: the short document has all that resolving needs, the
// long one adds publication times and notes.
const (
	shortDocument = "application/vnd.npm.install-v1+json; q=1.0, application/json; q=0.8"
	longDocument  = "application/json"
)

// A source reads packages from a registry, each once.
type source struct {
	digests ecosystem.Digests
	detail  ecosystem.Detail
	ctx     context.Context
	cancel  context.CancelFunc
	work    sync.WaitGroup
	mu      sync.Mutex
	known   map[string]*promise
	long    map[string]*promise // long documents of packages that are known by their short ones
}

type promise struct {
	done chan struct{}
	p    *universe.Package
	err  error
}

func openSource(ctx context.Context, registries *registry.Registries, detail ecosystem.Detail) *source {
	s := &source{digests: ecosystem.Digests{Registries: registries, Scheme: ranges.Scheme}, detail: detail,
		known: map[string]*promise{}, long: map[string]*promise{}}
	s.ctx, s.cancel = context.WithCancel(ctx)
	return s
}

// Close ends what was begun ahead, and waits for it.
func (s *source) Close() {
	s.cancel()
	s.work.Wait()
}

// Hint begins to fetch packages.
func (s *source) Hint(names ...string) {
	for _, name := range names {
		s.promise(name)
	}
}

func (s *source) promise(name string) *promise { return s.promiseIn(s.known, name, s.accepts(name)) }

// promiseIn begins to fetch a document unless it is there or on its way.
func (s *source) promiseIn(known map[string]*promise, name, accept string) *promise {
	s.mu.Lock()
	defer s.mu.Unlock()
	p, ok := known[name]
	if !ok {
		p = &promise{done: make(chan struct{})}
		known[name] = p
		s.work.Go(func() {
			p.p, p.err = s.fetch(name, accept)
			close(p.done)
		})
	}
	return p
}

// accepts returns which document of a package is asked for.
func (s *source) accepts(name string) string {
	if s.detail.Everything || slices.Contains(s.detail.Packages, name) {
		return longDocument
	}
	return shortDocument
}

// Dated returns a package from its long document, which has the publication times.
func (s *source) Dated(ctx context.Context, name string) (*universe.Package, error) {
	if s.accepts(name) == longDocument {
		return s.Package(ctx, name)
	}
	return s.promiseIn(s.long, name, longDocument).wait(ctx)
}

// Seen returns the packages that were read so far.
func (s *source) Seen() []*universe.Package {
	s.mu.Lock()
	defer s.mu.Unlock()
	byName := map[string]*universe.Package{}
	for _, known := range []map[string]*promise{s.known, s.long} { // what a long document says is more
		for name, p := range known {
			select {
			case <-p.done:
				if p.err == nil {
					byName[name] = p.p
				}
			default:
			}
		}
	}
	all := make([]*universe.Package, 0, len(byName))
	for _, name := range slices.Sorted(maps.Keys(byName)) {
		all = append(all, byName[name])
	}
	return all
}

func (p *promise) wait(ctx context.Context) (*universe.Package, error) {
	select {
	case <-p.done:
		return p.p, p.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Package returns a package from the registry.
func (s *source) Package(ctx context.Context, name string) (*universe.Package, error) {
	return s.promise(name).wait(ctx)
}

func (s *source) fetch(name, accept string) (*universe.Package, error) {
	var instead []string
	if accept == shortDocument {
		instead = []string{longDocument}
	}
	return s.digests.Fetch(s.ctx, name, registry.Request{Path: documentPath(name), Accept: accept, Instead: instead},
		digestOf)
}

// documentPath writes a name as one segment of a path, the way that the protocol does: the "@" of a scope stays.
func documentPath(name string) string { return segment.Replace(url.PathEscape(name)) }

var segment = strings.NewReplacer("%40", "@", "%2F", "%2f")
