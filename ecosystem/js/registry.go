package js

import (
	"context"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
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
	client *registry.Client
	detail ecosystem.Detail
	ctx    context.Context
	cancel context.CancelFunc
	work   sync.WaitGroup
	mu     sync.Mutex
	known  map[string]*promise
}

type promise struct {
	done chan struct{}
	p    *universe.Package
	err  error
}

func openSource(ctx context.Context, client *registry.Client, detail ecosystem.Detail) *source {
	s := &source{client: client, detail: detail, known: map[string]*promise{}}
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

func (s *source) promise(name string) *promise {
	s.mu.Lock()
	defer s.mu.Unlock()
	p, ok := s.known[name]
	if !ok {
		p = &promise{done: make(chan struct{})}
		s.known[name] = p
		s.work.Go(func() {
			p.p, p.err = s.fetch(name)
			close(p.done)
		})
	}
	return p
}

// Package returns a package from the registry.
func (s *source) Package(ctx context.Context, name string) (*universe.Package, error) {
	p := s.promise(name)
	select {
	case <-p.done:
		return p.p, p.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

func (s *source) fetch(name string) (*universe.Package, error) {
	accept := shortDocument
	if s.detail.Everything || slices.Contains(s.detail.Packages, name) {
		accept = longDocument
	}
	body, err := s.client.Get(s.ctx, documentPath(name), accept)
	var missing *registry.NotFoundError
	if errors.As(err, &missing) {
		return nil, &universe.UnknownError{Name: name}
	}
	if err != nil {
		return nil, err
	}
	p, err := readPackage(name, body, s.client.Base())
	if err != nil {
		return nil, &registry.UnreachableError{URL: name, Err: err}
	}
	return p, nil
}

// documentPath writes a name as one segment of a path, the way that the protocol does: the "@" of a scope stays.
func documentPath(name string) string {
	return strings.NewReplacer("%40", "@", "%2F", "%2f").Replace(url.PathEscape(name))
}

// readPackage reads a registry document. Releases whose version is none by Semantic Versioning are left out.
func readPackage(name string, body []byte, base string) (*universe.Package, error) {
	if !gjson.ValidBytes(body) {
		return nil, errors.New("the document of " + name + " is not JSON")
	}
	doc := gjson.ParseBytes(body)
	if !doc.Get("versions").IsObject() {
		return nil, errors.New("the document of " + name + " lists no versions")
	}
	times := map[string]string{}
	doc.Get("time").ForEach(func(v, at gjson.Result) bool {
		times[v.String()] = at.String()
		return true
	})
	var releases []universe.Release
	doc.Get("versions").ForEach(func(v, about gjson.Result) bool {
		parsed, err := version.JS.Parse(v.String())
		if err != nil || !about.IsObject() {
			return true
		}
		r := readRelease(about, base)
		r.Version = parsed
		r.Published, _ = time.Parse(time.RFC3339, times[v.String()])
		releases = append(releases, r)
		return true
	})
	p := universe.NewPackage(name, version.JS, releases)
	p.Tags = map[string]string{}
	doc.Get("dist-tags").ForEach(func(tag, v gjson.Result) bool {
		p.Tags[tag.String()] = v.String()
		return true
	})
	p.Notes.About, p.Notes.Homepage = doc.Get("description").String(), doc.Get("homepage").String()
	p.Notes.Repository = doc.Get("repository.url").String()
	return p, nil
}

// readRelease reads one entry of "versions". A name among the optional dependencies overrides the same name among the
// dependencies; what is needed is not asked for as a peer as well; bundled dependencies come with the archive.
func readRelease(about gjson.Result, base string) universe.Release {
	var r universe.Release
	bundled := map[string]bool{}
	for _, field := range []string{"bundleDependencies", "bundledDependencies"} {
		about.Get(field).ForEach(func(_, name gjson.Result) bool {
			bundled[name.String()] = true
			return true
		})
	}
	needed := map[string]bool{}
	read := func(field string, into *[]universe.Demand, optional func(string) bool) {
		about.Get(field).ForEach(func(name, text gjson.Result) bool {
			as := name.String()
			if text.Type != gjson.String || bundled[as] || needed[as] {
				return true
			}
			d, _ := demand(as, text.String()) // what cannot be read admits nothing; a release may say so
			d.Optional = optional(as)
			*into = append(*into, d)
			return true
		})
		for _, d := range *into {
			needed[d.As] = true
		}
	}
	read("optionalDependencies", &r.Needs, func(string) bool { return true })
	read("dependencies", &r.Needs, func(string) bool { return false })
	meta := map[string]bool{}
	about.Get("peerDependenciesMeta").ForEach(func(name, m gjson.Result) bool {
		meta[name.String()] = m.Get("optional").Bool()
		return true
	})
	read("peerDependencies", &r.Peers, func(name string) bool { return meta[name] })
	if engines := about.Get("engines"); engines.IsObject() {
		engines.ForEach(func(name, text gjson.Result) bool {
			r.Runtimes = append(r.Runtimes, universe.Requirement{Name: name.String(), Text: text.String()})
			return true
		})
	}
	if d := about.Get("deprecated"); d.Type == gjson.String {
		r.Deprecated = d.String()
	} else if d.Bool() {
		r.Deprecated = "deprecated"
	}
	r.Archive = strings.TrimPrefix(about.Get("dist.tarball").String(), base+"/")
	r.Integrity = about.Get("dist.integrity").String()
	if sum, err := hex.DecodeString(about.Get("dist.shasum").String()); r.Integrity == "" && err == nil && len(sum) > 0 {
		r.Integrity = "sha1-" + base64.StdEncoding.EncodeToString(sum)
	}
	return r
}
